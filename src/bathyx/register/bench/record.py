"""What a job's entries add up to: steps ticked, seams welded, leaks open, tests run. Derived, never stored."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from functools import cached_property

from bathyx.core.build.trial import asked_of
from bathyx.core.capacity.poured import Pouring
from bathyx.core.evaluate import Evaluation
from bathyx.core.proving.decay import Sample
from bathyx.core.proving.judgement import Asked, Proof, judge_tank
from bathyx.core.proving.plan import PlannedTest
from bathyx.core.proving.runs import Recorded, standing_of
from bathyx.errors import Refusal
from bathyx.register.bench.book import Book
from bathyx.register.bench.built import customer_of
from bathyx.register.ledger.chain import Head
from bathyx.register.ledger.entries import Entry
from bathyx.register.ledger.keys import ShopKey


@dataclass(frozen=True)
class JobRecord:
    """A view of a job's entries, oldest first. An entry that a later one corrects no longer counts."""

    all_entries: tuple[Entry, ...]
    asked: Asked | None = None
    head: Head | None = None
    key: ShopKey | None = field(default=None, repr=False)
    away: bool = False
    read_trace: Callable[[Entry], tuple[Sample, ...]] | None = field(default=None, repr=False, compare=False)

    @classmethod
    def of(
        cls,
        entries: Iterable[Entry],
        same_build: frozenset[int] | None = None,
        planned: tuple[PlannedTest, ...] | None = None,
    ) -> JobRecord:
        """The record of `entries`; with `same_build`, tests of other revisions than these prove nothing.

        `planned` are the tests that together prove the tank; None takes the last test alone. No brief asks anything of it.
        """
        made = tuple(entries)
        plan = planned or _asked_by(cls(made).tests).plan
        return cls(made, Asked(plan, builds=same_build))

    @cached_property
    def standing(self) -> tuple[Entry, ...]:
        """Entries that no later one corrects."""
        return standing_of(self.all_entries)

    def trace(self, test: Entry) -> tuple[Sample, ...]:
        """The readings a test was judged by, empty where there are none."""
        if self.read_trace is not None:
            return self.read_trace(test)
        return tuple(Sample(*row) for row in test.payload.get("samples", ()))

    def of_kind(self, *kinds: str) -> tuple[Entry, ...]:
        """Standing entries of the given kinds."""
        return tuple(e for e in self.standing if e.kind in kinds)

    @property
    def ticks(self) -> dict[str, Entry]:
        """Ticked steps by id; an entry with `done` false takes its tick back."""
        found: dict[str, Entry] = {}
        for entry in self.of_kind("tick"):
            if entry.payload.get("done", True):
                found[entry.subject] = entry
            else:
                found.pop(entry.subject, None)
        return found

    def seam(self, edge: str, *, standing: bool = True) -> tuple[Entry, ...]:
        """Weld, repair and leak entries of the seam on an edge; seam numbers may change with the design, edges stay."""
        entries = self.standing if standing else self.all_entries
        return tuple(
            e for e in entries if e.kind in ("weld", "repair", "leak") and e.payload.get("edge", e.subject) == edge
        )

    def repairs(self, edge: str) -> int:
        """How often a seam has been repaired."""
        return sum(e.kind == "repair" and not e.payload.get("taken_back") for e in self.seam(edge))

    def seam_state(self, edge: str) -> str:
        """`open`, `welded`, `leaks` or `repaired`: a repair counts until a leak is marked again."""
        state = "open"
        for entry in self.seam(edge):
            if entry.payload.get("taken_back"):
                state = "leaks"
                continue
            state = {"weld": "welded", "repair": "repaired", "leak": "leaks"}[entry.kind]
            if entry.kind == "weld" and entry.payload.get("visual") == "reject":
                state = "leaks"
        return state

    @property
    def pouring(self) -> Pouring | None:
        """The newest measured filling on record; one that cannot be read counts as none."""
        for entry in reversed(self.of_kind("filled")):
            try:
                return Pouring.of(entry.payload.get("rows", ()))
            except (Refusal, TypeError, ValueError):
                return None
        return None

    @property
    def tests(self) -> tuple[Entry, ...]:
        """Test runs."""
        return self.of_kind("test")

    @cached_property
    def proof(self) -> Proof:
        """The judgement over the tank, by `core/proving/judgement.py`."""
        return judge_tank(self.all_entries, self.asked or _asked_by(self.tests))

    @property
    def proven(self) -> Recorded | None:
        """The last of the tests that prove the tank; None when it is not proven."""
        return self.proof.newest if self.proof.whole else None

    @property
    def standing_ticks(self) -> dict[str, Entry]:
        """Ticks that still stand: those that fell with their hold point are left out."""
        fallen = self.proof.fallen
        return {step: entry for step, entry in self.ticks.items() if step not in fallen}


def record_of(register: Book, evaluation: Evaluation) -> JobRecord:
    """What `register` holds of a job: its records, what is asked of the tank, the head they were read under, the shop's key.

    `away`: its server cannot be reached, and these are the records as last read; others may have been made since.
    """
    job = evaluation.job
    entries = register.entries(job.uid)
    documents = register.documents(job.uid) if entries else ()
    return JobRecord(
        entries,
        asked_of(evaluation, register.same_build(job) if entries else frozenset(), owners_of(documents)),
        register.head(),
        register.key,
        getattr(register, "away", False),
        register.samples_of,
    )


def owners_of(documents: Iterable[tuple[int, str]]) -> dict[int, str]:
    """The customer that each revision names."""
    return {number: customer_of(document) for number, document in documents}


def _asked_by(tests: tuple[Entry, ...]) -> Asked:
    """Without a design: the last test is its own plan."""
    if not tests:
        return Asked((PlannedTest(),))
    p = tests[-1].payload
    told = {name: p[at] for name, at in ASKED_BY.items() if p.get(at)}
    try:
        return Asked((PlannedTest(**told),))
    except ValueError:
        return Asked((PlannedTest(),))


ASKED_BY = {
    "method": "method",
    "what": "what",
    "test_kpa": "target_kpa",
    "hold_min": "hold_min",
    "leak_limit_ml_min": "limit_ml_min",
}
