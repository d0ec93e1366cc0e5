"""The gate before any heat: drained, rinsed, aired or flushed, read by an instrument, made inert, permitted and watched.

A gas reading goes stale. Without all of it nothing that makes heat or sparks is ticked or logged.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any, Protocol

from bathyx.core.formula import formula
from bathyx.core.repair.intake import TRAPS, Intake

GATE = formula(
    "repair.gate",
    "Before any heat on a used tank",
    "drained, rinsed, open 24 h or flushed, gas ≤ 1 % LEL and oxygen 19.5 to 23.5 % read within 60 min, "
    "inert gas or water to the weld, every trap looked at, permit and watch by two people",
    source="NFPA 326 and hot-work permits, from memory: 0 % LEL wanted, instrument bump-tested the same day and calibrated "
    "within half a "
    "year; cleaning, flushing, filling with water: common practice. Local law goes before it",
    valid="tanks that may hold vapour; no pressure vessels, road tankers or aircraft",
    check="tests/core/test_repair.py",
    tolerance="none: a condition is met or it is not",
)
MOST_LEL, LEAST_O2, MOST_O2 = 1.0, 19.5, 23.5
FRESH_MIN, CHECKED_DAYS, OPEN_H = 60.0, 183, 24.0
HEAT = ("cut", "bosses", "tack", "weld", "dress", "mend", "patch")
PARTS = {
    "drained": "drained, and what came out put where it belongs",
    "rinsed": "rinsed: with what, how often",
    "aired": "open for 24 h, or flushed: with what",
    "gas": "gas reading: % LEL, % oxygen, instrument, its last check, tried today",
    "inert": "inert gas in it, or water up to the weld",
    "traps": "every trap looked at, opened or flushed",
    "permit": "permitted by",
    "watch": "watched by, with an extinguisher, an hour after too",
}
FOR_WHAT_BURNS = tuple(PARTS)
FOR_THE_REST = ("drained", "rinsed", "traps", "permit")


@dataclass(frozen=True)
class GateEntry:
    """A condition as it was recorded: which, when, by whom, with what was said."""

    part: str
    at: datetime
    who: str
    said: Mapping[str, Any]


@dataclass(frozen=True)
class Gate:
    """Whether heat may be used now; what is missing, a sentence each; until when the reading holds; why it is never opened."""

    missing: tuple[str, ...]
    until: datetime | None = None
    refused: str = ""

    @property
    def open(self) -> bool:
        """Whether heat may be used."""
        return not self.missing and not self.refused

    @property
    def words(self) -> str:
        """In a line."""
        if self.refused:
            return self.refused
        if self.missing:
            return f"No heat: {self.missing[0]}" + (f"; {len(self.missing) - 1} more" if len(self.missing) > 1 else "")
        return "Everything is on record" + (f"; the reading holds until {self.until:%H:%M}" if self.until else "")


def wrong_entry(part: str, said: Mapping[str, Any], now: datetime) -> str:
    """What is wrong with a condition as it was typed; nothing where it may be recorded. A bad reading is recorded, and keeps it
    shut.

    Args:
        part: of PARTS.
        said: by name: `words`, and of a reading `lel_pct`, `o2_pct`, `instrument`, `checked`, `bumped`.
        now: the time.
    """
    if part not in PARTS:
        return f"no condition {part!r}; there are {', '.join(PARTS)}"
    if part == "aired":
        return _wrong_airing(said)
    if part != "gas":
        return "" if str(said.get("words", "")).strip() else f"say it in words: {PARTS[part]}"
    for name, low, high, unit in (("lel_pct", 0.0, 100.0, "% LEL"), ("o2_pct", 0.0, 100.0, "% oxygen")):
        value = _number(said.get(name))
        if value is None or not low <= value <= high:
            return f"{unit} is {said.get(name)!r}; write what the instrument shows, {low:g} to {high:g}"
    if not str(said.get("instrument", "")).strip():
        return "a reading without its instrument is none: say which, with its number"
    checked = _day(said.get("checked"))
    if checked is None:
        return f"its last check is {said.get('checked')!r}; write the day like 2026-05-31"
    if checked > now.date():
        return f"its last check, {checked}, is still to come"
    return ""


def _wrong_airing(said: Mapping[str, Any]) -> str:
    hours = _number(said.get("hours"))
    if str(said.get("hours", "")).strip() and (hours is None or hours < 0):
        return f"open for {said.get('hours')!r} h; write the hours, like 26"
    if hours is None and not str(said.get("flushed", "")).strip():
        return "say for how many hours it stood open, or with what it was flushed"
    return ""


def condition_words(said: Mapping[str, Any]) -> str:
    """What was recorded of a condition, in a line."""
    if "lel_pct" in said:
        tried = "tried with test gas" if said.get("bumped") else "NOT tried with test gas"
        air = f"{said['lel_pct']} % LEL, {said.get('o2_pct')} % oxygen"
        return f"{air}; {said.get('instrument')}, checked {said.get('checked')}, {tried}"
    if "hours" in said or "flushed" in said:
        how = [
            f"open for {said['hours']} h" if said.get("hours") else "",
            f"flushed with {said['flushed']}" if said.get("flushed") else "",
        ]
        return ", ".join(part for part in how if part)
    return str(said.get("words", ""))


def gate(intake: Intake, entries: Sequence[GateEntry], now: datetime) -> Gate:
    """Whether heat may be used on a used tank now.

    Args:
        intake: what came in.
        entries: what is on record, in its order; the newest of each kind counts.
        now: the time.
    """
    refused = intake.refused_always or (f"It was refused: {intake.refused}" if intake.refused else "")
    if refused:
        return Gate((), refused=refused)
    newest = {e.part: e for e in entries if e.at <= now + timedelta(minutes=1)}
    wanted = FOR_WHAT_BURNS if intake.burns else FOR_THE_REST
    missing = [_missing(part, intake) for part in wanted if part not in newest]
    until = None
    for part in wanted:
        entry = newest.get(part)
        if entry is None:
            continue
        if why := wrong_entry(part, entry.said, entry.at):
            missing.append(why)
        elif part == "gas":
            more, until = _reading(entry, now)
            missing += more
        elif part == "aired" and not str(entry.said.get("flushed", "")).strip():
            hours = _number(entry.said.get("hours")) or 0.0
            if hours < OPEN_H:
                missing.append(f"open for {hours:g} h; {OPEN_H:g} h, or flushed with what")
    if "permit" in newest and "watch" in newest:
        permit, watch = (str(newest[p].said.get("words", "")).strip().casefold() for p in ("permit", "watch"))
        if permit and permit == watch:
            missing.append("who permits it is who watches: two people")
    return Gate(tuple(missing), until)


class Recorded(Protocol):
    """What a register's entry has."""

    @property
    def kind(self) -> str:
        """Its kind."""

    @property
    def subject(self) -> str:
        """What it is about."""

    @property
    def payload(self) -> Mapping[str, Any]:
        """What was said."""

    @property
    def who(self) -> str:
        """By whom."""

    @property
    def at(self) -> str:
        """When, ISO."""


def filled(entries: Sequence[Recorded]) -> bool:
    """Whether the tank was filled with its own fluid, by a soak or a first fill that stands.

    Args:
        entries: standing ones of one tank, in their order.
    """
    return any(_fills(entry) for entry in entries)


def _fills(entry: Recorded) -> bool:
    """A soak that was begun, or the tick of a first fill; taken back, it was ticked all the same."""
    soaked = entry.kind == "hold" and entry.payload.get("test", {}).get("method") == "soak"
    return soaked or (entry.kind == "tick" and entry.subject == "first_fill" and bool(entry.payload.get("done", True)))


def when(at: str) -> datetime:
    """The time of a record; one that does not say its zone is of this place."""
    found = datetime.fromisoformat(at)
    return found.astimezone() if found.tzinfo is None else found


def conditions(entries: Sequence[Recorded]) -> tuple[GateEntry, ...]:
    """The conditions on record since the tank was last filled: what was read before a fill says nothing after it.

    Args:
        entries: standing ones of one tank, in their order.
    """
    found: list[GateEntry] = []
    for entry in entries:
        if _fills(entry):
            found = []
        elif entry.kind == "gate":
            found.append(GateEntry(entry.subject, when(entry.at), entry.who, entry.payload))
    return tuple(found)


def _missing(part: str, intake: Intake) -> str:
    traps = ", ".join(TRAPS[t] for t in intake.traps)
    return f"not on record: {PARTS[part]}" + (f" ({traps})" if part == "traps" and traps else "")


def _reading(entry: GateEntry, now: datetime) -> tuple[list[str], datetime]:
    """What is wrong with a gas reading, and until when it holds."""
    lel, o2 = _number(entry.said.get("lel_pct")), _number(entry.said.get("o2_pct"))
    checked = _day(entry.said.get("checked"))
    assert lel is not None
    assert o2 is not None
    assert checked is not None
    until = entry.at + timedelta(minutes=FRESH_MIN)
    wrong = []
    if lel > MOST_LEL:
        wrong.append(f"{lel:g} % LEL at {entry.at:%H:%M}; no more than {MOST_LEL:g}: clean and air it again, then read")
    if not LEAST_O2 <= o2 <= MOST_O2 and not entry.said.get("inert"):
        wrong.append(
            f"{o2:g} % oxygen at {entry.at:%H:%M}; {LEAST_O2:g} to {MOST_O2:g}, or say that it is inert on purpose"
        )
    if (entry.at.date() - checked).days > CHECKED_DAYS:
        wrong.append(
            f"{entry.said['instrument']} was last checked on {checked}: more than half a year before the reading"
        )
    if not entry.said.get("bumped"):
        wrong.append(f"{entry.said['instrument']} was not tried with test gas on that day")
    if now > until:
        wrong.append(f"the gas reading of {entry.at:%H:%M} is stale: read again, it holds for {FRESH_MIN:.0f} min")
    return wrong, until


def _number(value: Any) -> float | None:
    try:
        found = float(str(value).replace(",", "."))
    except ValueError:
        return None
    return found if math.isfinite(found) else None


def _day(value: Any) -> date | None:
    try:
        return date.fromisoformat(str(value))
    except ValueError:
        return None
