"""The entries of a record as the judgement reads them: what stands, what a correction may take the place of, and test runs."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Protocol, TypeVar

from pydantic import ValidationError

from bathyx.core.proving.gauges import EYE, GaugeKind
from bathyx.core.proving.plan import METHODS
from bathyx.core.units import Said

MAY_BE_CORRECTED = ("tick", "weld", "repair", "leak", "note")
R = TypeVar("R", bound="Recorded")


class Recorded(Protocol):
    """An entry of a register, as far as it is judged."""

    @property
    def id(self) -> int:
        """Its number: what came later has a higher one."""

    @property
    def revision(self) -> int:
        """Of the design it was made under."""

    @property
    def kind(self) -> str:
        """Tick, weld, repair, leak, hold, test, note and the like."""

    @property
    def subject(self) -> str:
        """What it is about."""

    @property
    def payload(self) -> dict[str, Any]:
        """What it says."""

    @property
    def who(self) -> str:
        """By whom."""

    @property
    def at(self) -> str:
        """When, ISO 8601."""

    @property
    def corrects(self) -> int | None:
        """The entry whose place it takes."""

    @property
    def hash(self) -> str:
        """Its place in the chain."""


def standing_of(entries: Sequence[R]) -> tuple[R, ...]:
    """Entries that no later one corrects. A correction takes the place of a record of its own kind and subject only: a note
    corrects no leak, and nothing corrects a hold or a test."""
    by_id = {e.id: e for e in entries}
    gone = {e.corrects for e in entries if e.corrects is not None and corrects_well(e, by_id.get(e.corrects))}
    return tuple(e for e in entries if e.id not in gone)


def corrects_well(entry: Recorded, old: Recorded | None) -> bool:
    """Whether an entry may take the place of an older one: of one kind, and for a leak or a repair on one edge."""
    if old is None or entry.kind != old.kind or entry.kind not in MAY_BE_CORRECTED:
        return False
    return entry.kind in ("note", "weld") or edge_of(entry) == edge_of(old)


def edge_of(entry: Recorded) -> str:
    """The edge a record of a seam is about; its subject where none is said."""
    return str(entry.payload.get("edge") or entry.subject)


def template_of(text: str) -> str:
    """A text with its quantities still to be rendered."""
    return text.template if isinstance(text, Said) else text


def day_of(entry: Recorded) -> str:
    """When it was made, to the minute."""
    return entry.at[:16].replace("T", " ")


def number_in(value: Any) -> float | None:
    """A finite number of a payload; None for anything else."""
    return float(value) if isinstance(value, (int, float)) and math.isfinite(value) else None


@dataclass(frozen=True)
class Run:
    """A test entry, read once: what was run, how it ended, and the pressure that is sure to have stood."""

    entry: Recorded

    @property
    def p(self) -> dict[str, Any]:
        """What it says."""
        return self.entry.payload

    @cached_property
    def what(self) -> str:
        """The part that was tested."""
        return str(self.p.get("what", "tank"))

    @cached_property
    def method(self) -> str:
        """How."""
        return str(self.p.get("method", ""))

    @cached_property
    def began(self) -> int:
        """The entry at which its hold began; its own where it was kept without one."""
        hold = self.p.get("hold")
        return hold if isinstance(hold, int) and 0 < hold < self.entry.id else self.entry.id

    @property
    def rehearsal(self) -> bool:
        """Whether it cannot prove."""
        return bool(self.p.get("rehearsal"))

    @property
    def tight(self) -> bool:
        """Whether it ended tight."""
        return self.p.get("verdict") == "tight"

    @property
    def leaks(self) -> bool:
        """Whether it ended with a leak."""
        return self.p.get("verdict") == "leaks"

    @property
    def limit(self) -> float:
        """Leak that counted, mL/min; 0 where none was said."""
        return number_in(self.p.get("limit_ml_min")) or 0.0

    @property
    def held_s(self) -> float:
        """How long it stood, s."""
        return number_in(self.p.get("held_s")) or 0.0

    @cached_property
    def terms(self) -> dict[str, Any]:
        """What the hold froze."""
        told = self.p.get("terms")
        return told if isinstance(told, dict) else {}

    @cached_property
    def read_kind(self) -> GaugeKind | None:
        """What was read, as the hold froze it; None where its terms are not on record."""
        told = self.terms.get("gauge") or self.terms.get("dial")
        if not self.terms:
            return None
        try:
            return GaugeKind.model_validate(told) if told else EYE
        except ValidationError:
            return EYE

    @property
    def accuracy_kpa(self) -> float:
        """What the gauge may read too high; 0 for early records, kept without terms."""
        return self.read_kind.off_kpa if self.read_kind is not None else 0.0

    @cached_property
    def stood_kpa(self) -> float | None:
        """The pressure it is sure to have stood at: the lowest reading, less what the gauge may read too high."""
        lowest = number_in(self.p.get("lowest_kpa"))
        if lowest is None:
            if self.terms:
                return None
            lowest = number_in(self.p.get("target_kpa"))
        return None if lowest is None else lowest - self.accuracy_kpa

    @property
    def pressed(self) -> bool:
        """Whether it had a pressure of its own."""
        return self.method not in ("water_fill", "soak")

    @property
    def said(self) -> str:
        """Who ran it and when."""
        what = "" if self.what == "tank" else f" of {self.what}"
        return f"{METHODS.get(self.method, self.method).lower()}{what}, {day_of(self.entry)}, {self.entry.who}"
