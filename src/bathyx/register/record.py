"""What a job's entries add up to: steps ticked, seams welded, leaks open, tests run. Derived, never stored."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property

from bathyx.register.register import Entry


@dataclass(frozen=True)
class JobRecord:
    """A view of a job's entries, oldest first. An entry that a later one corrects no longer counts."""

    all_entries: tuple[Entry, ...]
    same_build: frozenset[int] | None = None

    @classmethod
    def of(cls, entries: Iterable[Entry], same_build: frozenset[int] | None = None) -> JobRecord:
        """The record of `entries`; with `same_build`, tests of other revisions than these prove nothing."""
        return cls(tuple(entries), same_build)

    @cached_property
    def standing(self) -> tuple[Entry, ...]:
        """Entries that no later one corrects."""
        corrected = {e.corrects for e in self.all_entries if e.corrects is not None}
        return tuple(e for e in self.all_entries if e.id not in corrected)

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

    @property
    def proven(self) -> Entry | None:
        """The last test, if it was tight, of this design, and nothing was welded, repaired or found leaking since."""
        tests = self.tests
        if tests and self.same_build is not None and tests[-1].revision not in self.same_build:
            return None
        if not tests or tests[-1].payload.get("verdict") != "tight":
            return None
        after = [e for e in self.of_kind("weld", "repair", "leak") if e.id > tests[-1].id]
        return None if after else tests[-1]
