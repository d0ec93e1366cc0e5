"""How the edges of a seam are made ready for its weld: bevel, land, gap and passes, by joint, thickness and metal."""

from __future__ import annotations

import math
from dataclasses import dataclass

from bathyx.core.formula import formula
from bathyx.core.units import Said, mm

PREPARATION = formula(
    "sheet.preparation",
    "Preparation of a seam's edges",
    "to 3 mm square and tight; butts from 3 mm a V of 60°, from 6 mm a double V of 45° a side with a land of 1 to 2 mm and a gap "
    "of 1 mm: a root pass, ground back, a cap each side; corners have their own groove; fillets legs of the thinner plate",
    source="6 mm plate in three passes: common practice; thinner: EN ISO 9692-1 and -3, from memory",
    valid="TIG and MIG of steel, stainless and aluminium, 1 to 12 mm",
    check="tests/core/test_at_the_bench.py",
    tolerance="a start: the welder's own procedure goes before it",
)
THIN_MM, DOUBLE_MM, FILLET_MM, PASS_MM = 3.0, 6.0, 5.0, 3.0


@dataclass(frozen=True)
class Preparation:
    """`form` in words; bevel of each edge in degrees, land and gap in mm, and passes of weld, both sides together."""

    form: str
    bevel_deg: float
    land_mm: float
    gap_mm: float
    passes: int

    def said(self) -> Said:
        """In a line."""
        parts = [self.form]
        if self.bevel_deg:
            parts.append(f"{self.bevel_deg:.0f}° each edge")
        if self.land_mm:
            parts.append(f"land {mm(self.land_mm, 1)}")
        if self.gap_mm:
            parts.append(f"gap {mm(self.gap_mm, 1)}")
        parts.append(f"{self.passes} pass{'es' if self.passes > 1 else ''}")
        return Said(", ".join(parts))


def preparation(joint: str, thick: tuple[float, float], group: str, *, both_sides: bool = False) -> Preparation:
    """How the edges of a seam are prepared.

    Args:
        joint: its name.
        thick: both plates, mm.
        group: aluminium, stainless or steel.
        both_sides: it is welded inside too.

    >>> preparation("butt", (6.0, 6.0), "steel").said()
    'double V, 45° each edge, land 1.5 mm, gap 1.0 mm, 3 passes'
    """
    t = min(thick)
    sides = 2 if both_sides else 1
    layers = max(1, math.ceil(t / PASS_MM))
    if joint == "butt":
        return _butt(t)
    return {
        "backed": Preparation("on its strip", 0.0 if t <= THIN_MM else 22.5, 0.0, max(2.0, t / 2), layers),
        "corner": Preparation("the corner's own groove", 0.0, 0.0, 0.0, layers + sides - 1),
        "edge flange": Preparation("rims flush, fused together", 0.0, 0.0, 0.0, 1),
        "stitch": Preparation(f"fillets, {mm(75)} on and {mm(75)} off, staggered", 0.0, 0.0, 0.0, 1),
    }.get(joint, Preparation(f"fillet, legs of {mm(t, 1)}", 0.0, 0.0, 0.0, (1 if t <= FILLET_MM else 3) * sides))


def _butt(t: float) -> Preparation:
    if t <= THIN_MM:
        return Preparation("square and tight", 0.0, 0.0, 0.0, 1)
    if t < DOUBLE_MM:
        return Preparation("V", 30.0, 1.0, 1.0, 2)
    return Preparation("double V", 45.0, 1.5, 1.0, 1 + 2 * math.ceil((t / 2 - 0.75) / PASS_MM))
