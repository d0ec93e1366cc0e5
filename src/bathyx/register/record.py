"""What a job's entries add up to: steps ticked, seams welded, leaks open, tests run. Derived, never stored."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from functools import cached_property

from bathyx.core.job import Job
from bathyx.core.proving.decay import Sample
from bathyx.core.proving.plan import PlannedTest
from bathyx.register.book import Book
from bathyx.register.chain import Head
from bathyx.register.entries import Entry
from bathyx.register.keys import ShopKey


@dataclass(frozen=True)
class JobRecord:
    """A view of a job's entries, oldest first. An entry that a later one corrects no longer counts."""

    all_entries: tuple[Entry, ...]
    same_build: frozenset[int] | None = None
    planned: tuple[PlannedTest, ...] | None = None
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

        `planned` are the tests that together prove the tank; None takes the last test alone.
        """
        return cls(tuple(entries), same_build, planned)

    @cached_property
    def standing(self) -> tuple[Entry, ...]:
        """Entries that no later one corrects."""
        corrected = {e.corrects for e in self.all_entries if e.corrects is not None}
        return tuple(e for e in self.all_entries if e.id not in corrected)

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
        return sum(e.kind == "repair" for e in self.seam(edge))

    def seam_state(self, edge: str) -> str:
        """`open`, `welded`, `leaks` or `repaired`: a repair counts until a leak is marked again."""
        state = "open"
        for entry in self.seam(edge):
            state = {"weld": "welded", "repair": "repaired", "leak": "leaks"}[entry.kind]
            if entry.kind == "weld" and entry.payload.get("visual") == "reject":
                state = "leaks"
        return state

    @property
    def tests(self) -> tuple[Entry, ...]:
        """Test runs."""
        return self.of_kind("test")

    def _proves(self, entry: Entry) -> bool:
        """Whether a test entry was tight, no rehearsal, and of this design."""
        p = entry.payload
        if p.get("verdict") != "tight" or p.get("rehearsal"):
            return False
        return self.same_build is None or entry.revision in self.same_build

    @cached_property
    def proof(self) -> Proof:
        """What of the plan is proven: the entry that proves each planned test, or None.

        A test proves until something is welded, repaired or found leaking after its hold began, or a later test of the
        same thing leaks. It must have been run at no less than the plan's pressure, for no less than its time.
        """
        last = max((e.id for e in self.of_kind("weld", "repair", "leak")), default=0)
        leaking = {}
        for entry in self.tests:
            if not entry.payload.get("rehearsal"):
                leaking[entry.payload.get("what", "tank")] = entry.payload.get("verdict") == "leaks"
        planned = self.planned
        if planned is None:
            newest = self.tests[-1] if self.tests else None
            held = newest is not None and self._proves(newest) and _began(newest) > last
            return Proof(((None, newest if held else None),))
        rows: list[tuple[PlannedTest | None, Entry | None]] = []
        for test in planned:
            found = None
            for entry in self.tests:
                p = entry.payload
                if p.get("method") != test.method or p.get("what", "tank") != test.what:
                    continue
                enough = float(p.get("target_kpa") or 0) >= test.test_kpa - 0.01 or not test.pressed
                long_enough = float(p.get("held_s") or 0) >= test.hold_min * 60 - 2
                strict = float(p.get("limit_ml_min", test.leak_limit_ml_min)) <= test.leak_limit_ml_min + 1e-9
                after = _began(entry) > last or test.what != "tank"
                if self._proves(entry) and enough and long_enough and strict and after and not leaking.get(test.what):
                    found = entry
            rows.append((test, found))
        if any(leaking.values()):
            rows = [(test, None if test and leaking.get(test.what) else entry) for test, entry in rows]
        stray = any(leak for what, leak in leaking.items() if what not in {t.what for t in planned})
        return Proof(tuple(rows), stray)

    @property
    def proven(self) -> Entry | None:
        """The last of the tests that prove the tank, when every planned one is tight; None otherwise."""
        return self.proof.newest if self.proof.whole else None


def record_of(register: Book, job: Job) -> JobRecord:
    """What `register` holds of `job`: its records, the head they were read under, and the shop's key for its papers.

    `away`: its server cannot be reached, and these are the records as last read; others may have been made since.
    """
    return JobRecord(
        register.entries(job.uid),
        register.same_build(job),
        job.proving.tests,
        register.head(),
        register.key,
        getattr(register, "away", False),
        register.samples_of,
    )


def _began(test: Entry) -> int:
    """The entry at which a test's hold began; its own where it was kept without one."""
    return int(test.payload.get("hold") or test.id)


@dataclass(frozen=True)
class Proof:
    """Each planned test with the entry that proves it. `stray_leak`: something outside the plan was tested and leaks."""

    rows: tuple[tuple[PlannedTest | None, Entry | None], ...]
    stray_leak: bool = False

    @property
    def whole(self) -> bool:
        """Whether every planned test is proven, one of the tank itself among them."""
        of_the_tank = any(test is None or test.what == "tank" for test, _ in self.rows)
        return of_the_tank and not self.stray_leak and all(entry is not None for _, entry in self.rows)

    @property
    def done(self) -> int:
        """How many planned tests are proven."""
        return sum(entry is not None for _, entry in self.rows)

    @property
    def entries(self) -> tuple[Entry, ...]:
        """The entries that prove, in the plan's order."""
        return tuple(entry for _, entry in self.rows if entry is not None)

    @property
    def newest(self) -> Entry | None:
        """The last one made."""
        return max(self.entries, key=lambda e: e.id, default=None)
