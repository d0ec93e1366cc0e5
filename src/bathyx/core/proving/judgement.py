"""Whether a tank is proven: one pure function of its whole record, and of design, brief and plan as they stand.

Everything that says "proven" asks `judge_tank`: the bench, hold points, plate, papers, register search, command line. A leak that
was seen stands until it is mended and everything that would have shown it has run tight since; a proof is for the metal, the
brief and the plan of today, by what the gauge really read.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

from bathyx.core.proving.least import MOST_LEAK_ML_MIN, Least
from bathyx.core.proving.plan import METHODS, PlannedTest
from bathyx.core.proving.runs import Recorded, Run, day_of, edge_of, number_in, standing_of, template_of
from bathyx.core.units import Said, kpa

LESS: Literal["proven for less than today's brief"] = "proven for less than today's brief"
State = Literal["proven", "proven for less than today's brief", "leak known", "void", "rehearsal", "not tested"]
WORST_FIRST: tuple[State, ...] = ("leak known", "void", "not tested", "rehearsal", LESS, "proven")
HEADLINES: dict[str, str] = {
    "proven": "PROVEN",
    LESS: "NOT PROVEN for today's brief",
    "leak known": "NOT PROVEN, leak known",
    "void": "NOT PROVEN, changed since it was tested",
    "rehearsal": "NOT PROVEN, only rehearsed",
    "not tested": "NOT PROVEN",
}
WORK = ("weld", "repair", "leak")
COPY = "a copy is made a job of its own"
SET_UP = "set-up"  # subject of a repair that was made to cap, hose or gauge
LET_OUT = "let out"  # subject of a note that says the air of a test was let out
FINER = {"air_soap": ("air_soap", "air_water")}  # what shows at least as much as the method that found a leak
TIME_SLACK_S, KPA_SLACK, HEAD_SLACK = 2.0, 0.005, 0.01
USUAL_LIMIT = PlannedTest().leak_limit_ml_min


@dataclass(frozen=True)
class StepAsked:
    """A step of the traveller: its id and title, whether it is a hold point, whether metal is worked at it."""

    id: str
    title: str
    hold: bool = False
    metal: bool = False


@dataclass(frozen=True)
class Asked:
    """What is asked of a tank as it stands: design, brief and plan.

    `least`: of each planned test, by today's brief. `builds`: revisions of today's build; None takes any. `pressed_kpa`: what
    the brief wants the whole tank to have stood by a pressure test, 0 where a fill is enough. `head_kpa`: of its own fluid from
    the filler's brim. `owners`: customer of each revision. `stops`: open findings that stand against handing it over.
    """

    plan: tuple[PlannedTest, ...]
    least: tuple[Least | None, ...] = ()
    builds: frozenset[int] | None = None
    pressed_kpa: float = 0.0
    pressed_rule: str = ""
    head_kpa: float = 0.0
    fluid: str = ""
    customer: str = ""
    owners: Mapping[int, str] = field(default_factory=dict)
    steps: tuple[StepAsked, ...] = ()
    stops: tuple[str, ...] = ()

    def least_of(self, index: int) -> Least | None:
        """The least of a planned test; None where no brief is known."""
        return self.least[index] if index < len(self.least) else None


@dataclass(frozen=True)
class TestStanding:
    """A planned test: where it stands, why, and the test entry that proves it or comes nearest."""

    test: PlannedTest | None
    state: State
    reasons: tuple[str, ...]
    entry: Recorded | None = None
    stood_kpa: float | None = None

    @property
    def proving(self) -> Recorded | None:
        """The entry that proves it, None where nothing does."""
        return self.entry if self.state == "proven" else None


@dataclass(frozen=True)
class Leaking:
    """A leak that still stands: by which entry, of which part, on which edge, and what would clear it."""

    entry: Recorded
    what: str
    edge: str
    words: str


@dataclass(frozen=True)
class Proof:
    """The judgement: `state` with its `reasons`, each planned test, leaks that stand, hold points that fell with their reasons,
    and `blocks`: what else stands against a certificate."""

    state: State
    reasons: tuple[str, ...]
    tests: tuple[TestStanding, ...]
    leaks: tuple[Leaking, ...] = ()
    fallen: Mapping[str, str] = field(default_factory=dict)
    blocks: tuple[str, ...] = ()

    @property
    def whole(self) -> bool:
        """Whether the tank is proven."""
        return self.state == "proven"

    @property
    def rows(self) -> tuple[tuple[PlannedTest | None, Recorded | None], ...]:
        """Each planned test with the entry that proves it, or None."""
        return tuple((t.test, t.proving) for t in self.tests)

    @property
    def done(self) -> int:
        """How many planned tests are proven."""
        return sum(t.proving is not None for t in self.tests)

    @property
    def entries(self) -> tuple[Recorded, ...]:
        """The entries that prove, in the plan's order."""
        return tuple(t.proving for t in self.tests if t.proving is not None)

    @property
    def newest(self) -> Recorded | None:
        """The last one made."""
        return max(self.entries, key=lambda e: e.id, default=None)

    @property
    def simulated(self) -> bool:
        """Whether the stand-in gauge was read for any of it."""
        return any(e.payload.get("simulated") for e in self.entries)

    @property
    def overridable(self) -> bool:
        """Whether a person may hand it over all the same, by name and reason: never with a leak known, or nothing proven."""
        return self.state in ("proven", LESS)

    @property
    def against(self) -> tuple[str, ...]:
        """Everything that stands against handing it over; empty when nothing does."""
        return (*(() if self.whole else self.reasons), *self.blocks)

    @property
    def headline(self) -> str:
        """The state for the head of a paper."""
        return HEADLINES[self.state]

    @property
    def words(self) -> str:
        """State and first reason, in a line."""
        return Said(f"{self.state}: {template_of(self.reasons[0])}" if self.reasons else self.state)


def judge_tank(entries: Sequence[Recorded], asked: Asked) -> Proof:
    """The judgement over a tank.

    Args:
        entries: its whole record but the readings, oldest first.
        asked: design, brief and plan as they stand.

    Returns:
        The state of the tank, the worst of its parts', with the reasons for it.
    """
    whole = _Whole(entries, asked)
    leaks = tuple(whole.leaks())
    tests = tuple(whole.test(k) for k in range(len(asked.plan)))
    reasons: list[tuple[State, str]] = [("leak known", leak.words) for leak in leaks]
    for standing in tests:
        reasons += [(standing.state, reason) for reason in standing.reasons]
    if not any(t.what == "tank" for t in asked.plan):
        reasons.append(("not tested", "no test of the plan is of the whole tank"))
    reasons += whole.load(tests)
    states = {*(state for state, _ in reasons), *(t.state for t in tests)}
    state: State = next(s for s in WORST_FIRST if s in {*states, "proven"})
    ordered = tuple(
        dict.fromkeys(Said(words) for s in WORST_FIRST[:-1] for at, words in reasons if at == s)
    )  # one reason may stand against several tests
    return Proof(state, ordered, tests, leaks, whole.fallen(state, ordered), tuple(whole.blocks(tests)))


class _Whole:
    """The record put in order, and what each question about it finds."""

    def __init__(self, entries: Sequence[Recorded], asked: Asked) -> None:
        self.asked = asked
        self.all = entries
        self.standing = standing_of(entries)
        self.runs = [Run(e) for e in self.standing if e.kind == "test"]
        self.work = [e for e in self.standing if e.kind in WORK]
        self.ticked: dict[str, Recorded] = {}
        for e in self.standing:
            if e.kind == "tick":
                self.ticked[e.subject] = e
        self.let_out = {
            str(e.payload.get("test"))
            for e in self.standing
            if e.kind == "note" and e.subject == LET_OUT and e.who.strip()
        }

    # -- leaks ----------------------------------------------------------------------------------------------------

    def leaks(self) -> Iterator[Leaking]:
        """Leaks that stand."""
        for entry in self.work:
            if entry.kind == "leak":
                edge = edge_of(entry)
                finder = next((r for r in self.runs if r.began < entry.id < r.entry.id), None)
                words = self._left(entry, "tank", finder, lambda e, edge=edge: edge_of(e) == edge)  # type: ignore[misc]
                if words:
                    yield Leaking(
                        entry, "tank", edge, f"leak on {entry.subject}, {day_of(entry)}, {entry.who}: {words}"
                    )
        for run in self.runs:
            marked = bool(run.p.get("leaks"))
            if run.leaks:
                anywhere: Callable[[Recorded], bool] = lambda e: True  # noqa: E731
                words = self._left(run.entry, run.what, run, None if marked else anywhere)
                if words:
                    yield Leaking(run.entry, run.what, "", f"{run.said} leaks: {words}")
            elif run.p.get("lost") and str(run.entry.id) not in self.let_out:
                words = self._left(run.entry, run.what, None, None)
                if words:
                    yield Leaking(
                        run.entry,
                        run.what,
                        "",
                        f"{run.said} lost its pressure: say by name that the air was let out, or {words}",
                    )

    def _left(self, seen: Recorded, what: str, finder: Run | None, mends: Callable[[Recorded], bool] | None) -> str:
        """What is left to do about a leak; empty when it is cleared.

        Args:
            seen: the entry by which it is known.
            what: part that leaks.
            finder: the run that found it, which has to be run tight again, whatever became of the plan.
            mends: whether a repair or weld mends it; None where none is asked for.
        """
        since = seen.id
        if mends is not None:
            mended = [
                e.id for e in self.work
                if e.kind in ("repair", "weld") and e.id > seen.id and not e.payload.get("taken_back")
                and e.payload.get("visual") != "reject" and mends(e)
            ]  # fmt: skip
            if not mended:
                return "not repaired" if what == "tank" else "no repair on record"
            since = min(mended)
        wanted = [t for t in self.asked.plan if t.what == what]
        for test in wanted:
            if not any(r.tight and not r.rehearsal and r.began > since for r in self._runs_of(test)):
                return f"{test.words} has not run tight since"
        if finder is not None:
            again = any(
                r.tight and not r.rehearsal and r.began > since and r.what == finder.what and _as_fine(r, finder)
                for r in self.runs
            )
            if not again:
                return f"{METHODS.get(finder.method, finder.method).lower()}, which found it, has not run tight since"
        elif not wanted:
            again = any(r.tight and not r.rehearsal and r.began > since and r.what == what for r in self.runs)
            return "" if again else "it has not run tight since"
        return ""

    # -- tests ----------------------------------------------------------------------------------------------------

    def _runs_of(self, test: PlannedTest) -> list[Run]:
        return [r for r in self.runs if r.method == test.method and r.what == test.what]

    def test(self, index: int) -> TestStanding:
        """Where a planned test stands."""
        test = self.asked.plan[index]
        runs = self._runs_of(test)
        tight = [r for r in runs if r.tight and not r.rehearsal]
        for run in reversed(tight):
            if not self._void(run) and not self._less(run, index):
                return TestStanding(test, "proven", (), run.entry, run.stood_kpa)
        for run in reversed(tight):
            if not self._void(run):
                less = tuple(Said(f"{run.said}: {template_of(words)}") for words in self._less(run, index))
                return TestStanding(test, LESS, less, run.entry, run.stood_kpa)
        if tight:
            run = tight[-1]
            return TestStanding(test, "void", (Said(f"{run.said}: {self._void(run)}"),), run.entry, run.stood_kpa)
        if any(r.tight for r in runs):
            run = next(r for r in reversed(runs) if r.tight)
            lacks = f", {run.p['missing']}" if run.p.get("missing") else ""
            return TestStanding(test, "rehearsal", (f"{run.said}: a rehearsal proves nothing{lacks}",), run.entry)
        if runs:
            last = runs[-1]
            if not last.leaks:
                early: State = "rehearsal" if all(r.rehearsal for r in runs) else "not tested"
                return TestStanding(test, early, (f"{last.said}: {last.p.get('verdict')}",), last.entry)
            return TestStanding(test, "leak known", (f"{last.said}: leaks",), last.entry)
        return TestStanding(test, "not tested", (Said(f"not run yet: {test.words}"),))

    def _void(self, run: Run) -> str:
        """Why a tight run says nothing of the tank as it is; empty when it does."""
        if self.asked.builds is not None and run.entry.revision not in self.asked.builds:
            return "the tank's design was changed since"
        if run.what == "tank":
            work = next((e for e in reversed(self.all) if e.kind in WORK and e.id > run.began and _is_work(e)), None)
            if work is not None:
                done = {"weld": "welded", "repair": "repaired", "leak": "found leaking"}[work.kind]
                return f"{work.subject} was {done} since, {day_of(work)}"
            for step in self.asked.steps:
                if step.id == "test":
                    break
                tick = self.ticked.get(step.id)
                if step.metal and tick is not None and (tick.id > run.began or not tick.payload.get("done", True)):
                    back = "was ticked since" if tick.payload.get("done", True) else "was taken back"
                    return f"“{step.title}” {back}, {day_of(tick)}"
                if step.metal and tick is None and step.id.startswith("own:"):
                    return f"“{step.title}” is not done"
        for later in self.runs:
            if later.entry.id <= run.entry.id or later.what != run.what or later.tight:
                continue
            leak, low = number_in(later.p.get("leak_ml_min")), number_in(later.p.get("leak_low_ml_min"))
            if leak is not None and low is not None and low > 0 and leak > (later.limit or run.limit or USUAL_LIMIT):
                return f"a later run, {later.said}, read {leak:.1f} mL/min and did not decide"
        return ""

    def _less(self, run: Run, index: int) -> list[str]:
        """By what a tight run falls short of plan and brief."""
        test, least = self.asked.plan[index], self.asked.least_of(index)
        said = [*(_pressed_less(run, test, least) if test.pressed else self._filled_less(run))]
        if run.held_s < test.hold_min * 60 - TIME_SLACK_S:
            said.append(f"held {run.held_s / 60:.0f} min, the plan wants {test.hold_min:g}")
        if least is not None and run.held_s < least.minutes * 60 - TIME_SLACK_S:
            said.append(f"held {run.held_s / 60:.0f} min, the least is {least.minutes:g}")
        return said

    def _filled_less(self, run: Run) -> Iterator[str]:
        """By what a fill falls short of today's brief."""
        head, asked = number_in(run.p.get("head_kpa")), self.asked
        if head is not None and run.what == "tank" and head < asked.head_kpa * (1 - HEAD_SLACK):
            yield f"stood under a head of {kpa(head)}, full it is {kpa(asked.head_kpa)} today"
        fluid = run.terms.get("fluid")
        if run.method == "soak" and fluid and asked.fluid and fluid != asked.fluid:
            yield f"stood full of {fluid.replace('_', ' ')}, its fluid is {asked.fluid.replace('_', ' ')} now"

    def load(self, tests: Sequence[TestStanding]) -> list[tuple[State, str]]:
        """What the brief asks of the whole tank that no test of it brought."""
        wanted = self.asked.pressed_kpa
        proving = [t for t in tests if t.test is not None and t.test.what == "tank" and t.proving is not None]
        if not wanted or not proving:
            return []
        stood = max(
            (t.stood_kpa for t in proving if t.test is not None and t.test.pressed and t.stood_kpa is not None),
            default=0.0,
        )
        if stood >= wanted - KPA_SLACK:
            return []
        return [(LESS, f"no test put {kpa(wanted, 2)} on it, which this brief wants ({self.asked.pressed_rule})")]

    # -- what hangs on it -----------------------------------------------------------------------------------------

    def fallen(self, state: State, reasons: Sequence[str]) -> dict[str, str]:
        """Ticks that no longer stand, with the reason: a hold point falls with what it stood on, and what comes after with it."""
        fallen: dict[str, str] = {}
        broken = ""
        earlier: list[StepAsked] = []
        for step in self.asked.steps:
            tick = self.ticked.get(step.id)
            on = tick is not None and bool(tick.payload.get("done", True))
            if broken and on:
                fallen[step.id] = broken
            elif step.hold:
                why = self._fell(step, tick, earlier, state, reasons) if on and tick is not None else ""
                if why:
                    fallen[step.id] = why
                if why or not on:
                    broken = f"it waits for the hold point “{step.title}”"
            earlier.append(step)
        return fallen

    def _fell(
        self, step: StepAsked, tick: Recorded, earlier: Sequence[StepAsked], state: State, reasons: Sequence[str]
    ) -> str:
        if step.id == "test":
            return "" if state == "proven" else Said(f"{state}: {template_of(reasons[0])}" if reasons else state)
        if self.asked.builds is not None and tick.revision not in self.asked.builds:
            return "the tank's design was changed since"
        for before in earlier:
            other = self.ticked.get(before.id)
            if other is not None and other.id > tick.id and not other.payload.get("done", True):
                return f"“{before.title}” was taken back since"
        return ""

    def blocks(self, tests: Sequence[TestStanding]) -> Iterator[str]:
        """What stands against a certificate besides the proof itself."""
        for stop in self.asked.stops:
            yield Said(f"open stop: {template_of(stop)}")
        ended = {r.began for r in self.runs}
        for e in self.standing:
            if e.kind == "hold" and e.id not in ended:
                yield f"a hold begun {day_of(e)} by {e.who} is not ended on record"
        mine = " ".join(self.asked.customer.casefold().split())
        for t in tests:
            if t.proving is None:
                continue
            theirs = self.asked.owners.get(t.proving.revision, "")
            if mine and theirs and " ".join(theirs.casefold().split()) != mine:
                yield f"the tank on record is {theirs}'s, this job says {self.asked.customer}: {COPY}"
                return


def _is_work(entry: Recorded) -> bool:
    """A repair of the test's set-up is no work on the tank."""
    return not (entry.kind == "repair" and entry.subject == SET_UP)


def _pressed_less(run: Run, test: PlannedTest, least: Least | None) -> Iterator[str]:
    """By what a run under pressure falls short of the plan and of the least."""
    target, stood = number_in(run.p.get("target_kpa")) or 0.0, run.stood_kpa
    if target < test.test_kpa - 0.01:
        yield f"run at {kpa(target)}, the plan wants {kpa(test.test_kpa)}"
    if least is not None and stood is None:
        yield "what the gauge read is not on record"
    elif least is not None and stood is not None and stood < least.kpa - KPA_SLACK:
        less = f" less {kpa(run.accuracy_kpa, 2)} that the gauge may be off" if run.accuracy_kpa else ""
        yield f"stood at {kpa(stood + run.accuracy_kpa, 2)}{less}, the least is {kpa(least.kpa, 2)} ({least.rule})"
    limit = number_in(run.p.get("limit_ml_min"))
    if test.method == "decay" and limit is not None:
        if limit > test.leak_limit_ml_min + 1e-9:
            yield f"run to {limit:g} mL/min, the plan wants {test.leak_limit_ml_min:g}"
        if least is not None and limit > MOST_LEAK_ML_MIN:
            yield f"a limit of {limit:g} mL/min lets through more than {MOST_LEAK_ML_MIN:g}"


def _as_fine(run: Run, finder: Run) -> bool:
    """Whether a run would have shown what the finder showed."""
    if run.method not in FINER.get(finder.method, (finder.method,)):
        return False
    if finder.pressed:
        wanted = min(number_in(finder.p.get("target_kpa")) or 0.0, number_in(finder.p.get("stood_kpa")) or math.inf)
        if (number_in(run.p.get("target_kpa")) or 0.0) < 0.95 * wanted:
            return False
    return run.method != "decay" or run.limit <= finder.limit + 1e-9
