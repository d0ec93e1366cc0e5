"""Every formula in use, stated once: what it says, where it comes from, how far it can be trusted.

A module declares its formulas with `formula(...)` at the top and returns `Figure`s that carry them.
The desk shows a figure's explanation from here and docs/numbers.md is printed from here.
"""

from __future__ import annotations

from dataclasses import dataclass

from bathyx.core.units.said import Said
from bathyx.errors import Refusal

_LEDGER: dict[str, Formula] = {}


@dataclass(frozen=True)
class Formula:
    """One formula: `expression` in the source's symbols, `valid` its range, `check` the test that holds it."""

    key: str
    title: str
    expression: str
    source: str
    valid: str
    check: str
    tolerance: str


@dataclass(frozen=True)
class Figure:
    """A value that explains itself. `kind` is a quantity kind of `bathyx.core.units`; `working` has this job's numbers."""

    label: str
    value: float
    kind: str
    formula: Formula
    working: str = ""

    def __post_init__(self) -> None:
        object.__setattr__(self, "working", Said(self.working))

    def explain(self) -> str:
        """The explanation shown when a maker points at the figure: formula, numbers, source, trust."""
        f = self.formula
        lines = [f.title, f.expression]
        if self.working:
            lines.append(f"Here: {self.working.template if isinstance(self.working, Said) else self.working}")
        lines += [f"Source: {f.source}", f"Holds for: {f.valid}", f"Trust: {f.tolerance}; held by {f.check}"]
        return Said("\n".join(lines))


def formula(key: str, title: str, expression: str, *, source: str, valid: str, check: str, tolerance: str) -> Formula:
    """Declare a formula and enter it in the ledger. A key is used once; a second use is a programming error.

    Args:
        key: room and name, unique.
        title: what it gives, for a person.
        expression: the formula as it would stand in a handbook.
        source: where it comes from.
        valid: what it holds for.
        check: the test that holds it, with its outside reference.
        tolerance: how near it is held.
    """
    entry = Formula(key, title, expression, source, valid, check, tolerance)
    if _LEDGER.get(key, entry) != entry:
        raise Refusal(f"formula key {key!r} is declared twice")
    _LEDGER[key] = entry
    return entry


def ledger() -> tuple[Formula, ...]:
    """All declared formulas by key. Complete once `bathyx.core.evaluate` and the proving room are imported."""
    return tuple(_LEDGER[key] for key in sorted(_LEDGER))
