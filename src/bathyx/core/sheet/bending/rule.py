"""The bend rule in force: inside radius and K, from the sheet, a published rule, the shop's bend table or its test strips."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from pydantic import Field

from bathyx.core.formula import formula
from bathyx.core.material import Sheet
from bathyx.core.sheet.bending.strips import LEAST_K, MOST_K
from bathyx.core.units.frozen import Frozen
from bathyx.errors import Refusal

KRule = Literal["sheet", "din 6935", "soft", "half hard", "hard"]
K_RULES: dict[str, str] = {
    "sheet": "the sheet's own K",
    "din 6935": "DIN 6935, by radius",
    "soft": "handbook, soft",
    "half hard": "handbook, half hard",
    "hard": "handbook, hard",
}
# Flat length of a 90 degree bend as 1.57 r + c t: soft brass and copper; half-hard copper and brass, soft steel and aluminium;
# hard copper and bronze, cold-rolled and spring steel.
HANDBOOK = {"soft": 0.55, "half hard": 0.64, "hard": 0.71}
ALIKE_MM = 0.06
PUBLISHED = formula(
    "sheet.published_k",
    "K by a published rule",
    "DIN 6935: K = (0.65 + ½ log₁₀(r/t))/2, at most ½; handbook: K = c/(π/2), c = 0.55, 0.64 or 0.71 by hardness",
    source="DIN 6935, correction of the bend; Machinery's Handbook, lengths of straight bends: L = c t + 1.57 r; both from memory",
    valid="r/t from 0.5 to 10; DIN for steel and 0 to 90° open angles, used at all; the handbook for 90°, scaled by angle",
    check="tests/outside/test_bend_rules.py against both over r/t 0.5 to 10",
    tolerance="as published; they differ from each other by up to 0.25 t a bend at 90°: a test strip decides",
)


class BendEntry(Frozen):
    """A line of the shop's bend table: what a bend of this thickness, inside radius and turn takes from the sum of its two
    outside flanges (bend deduction), mm."""

    thickness_mm: float = Field(gt=0, le=25)
    radius_mm: float = Field(ge=0, le=200)
    turn_deg: float = Field(90, ge=5, le=170)
    deduction_mm: float = Field(ge=-50, le=200)


@dataclass(frozen=True)
class BendRule:
    """Radius (mm, inside) and K in force for this tank; `radii`: (thickness, radius) of panels of other thickness; `table`:
    the shop's (thickness, radius, turn, K) that go before K; `published`: a rule that gives K by radius; `relief_mm`: diameter of
    the relief drilled where two bends meet in a corner, 0 for none; `trim_mm`: what is left on bent parts to trim after;
    `grain`: whether that of the sheet is looked at."""

    radius_mm: float
    k_factor: float
    radii: tuple[tuple[float, float], ...] = ()
    table: tuple[tuple[float, float, float, float], ...] = ()
    published: KRule = "sheet"
    relief_mm: float = 0.0
    trim_mm: float = 0.0
    grain: bool = False

    def radius_at(self, thickness_mm: float) -> float:
        """Inside radius of a panel this thick, mm."""
        return next((r for t, r in self.radii if abs(t - thickness_mm) < ALIKE_MM), self.radius_mm)

    def k_at(self, thickness_mm: float, turn_deg: float) -> float:
        """K of a bend: from the table where it has this thickness and radius (between its turns in proportion), else the rule's."""
        radius = self.radius_at(thickness_mm)
        rows = sorted(
            (turn, k) for t, r, turn, k in self.table if abs(t - thickness_mm) < ALIKE_MM and abs(r - radius) < ALIKE_MM
        )
        if rows:
            return float(np.interp(turn_deg, [turn for turn, _ in rows], [k for _, k in rows]))
        if self.published != "sheet" and thickness_mm > 0:
            return published_k(self.published, radius / thickness_mm)
        return self.k_factor


def published_k(rule: str, ratio: float) -> float:
    """K by a published rule for a ratio of inside radius to thickness.

    >>> round(published_k("din 6935", 1.0), 3), round(published_k("half hard", 1.0), 4)
    (0.325, 0.4074)
    """
    if rule == "din 6935":
        return min(max((0.65 + 0.5 * math.log10(max(ratio, 0.1))) / 2, 0.05), 0.5)
    return HANDBOOK[rule] / (math.pi / 2)


def deduction_mm(turn_deg: float, radius_mm: float, thickness_mm: float, k_factor: float) -> float:
    """What a bend takes from the sum of its two outside flanges, mm: twice the outside set-back less the allowance.

    >>> round(deduction_mm(90.0, 3.0, 3.0, 0.4), 3)
    5.403
    """
    angle = math.radians(turn_deg)
    return 2 * (radius_mm + thickness_mm) * math.tan(angle / 2) - angle * (radius_mm + k_factor * thickness_mm)


def k_of_entry(entry: BendEntry) -> float:
    """K that a line of the table says. Refusal where no bend has it."""
    angle = math.radians(entry.turn_deg)
    t, r = entry.thickness_mm, entry.radius_mm
    k = ((2 * (r + t) * math.tan(angle / 2) - entry.deduction_mm) / angle - r) / t
    if not LEAST_K - 1e-9 <= k <= MOST_K + 0.1:
        low, high = (deduction_mm(entry.turn_deg, r, t, k) for k in (MOST_K, LEAST_K))
        raise Refusal(
            f"the bend table's {t:g} mm, radius {r:g}, {entry.turn_deg:g}°: a deduction of {entry.deduction_mm:g} mm is K {k:.2f}; "
            f"bends have {low:.2f} to {high:.2f} mm, measured over the outside"
        )
    return k


def rule_of(
    sheet: Sheet,
    radius_mm: float | None,
    k_factor: float,
    thicknesses: tuple[float, ...],
    table: tuple[BendEntry, ...],
    published: KRule,
) -> BendRule:
    """The rule for a sheet and panels of other thickness.

    Args:
        sheet: of the tank.
        radius_mm: said for all bends; None for each sheet's own.
        k_factor: where neither table nor published rule says it.
        thicknesses: of panels of their own, mm.
        table: the shop's.
        published: which rule.

    Raises:
        Refusal: a line of the table that no bend has.
    """
    radii = tuple((t, sheet.material.radius_at(t)) for t in thicknesses) if radius_mm is None else ()
    rows = tuple((e.thickness_mm, e.radius_mm, e.turn_deg, k_of_entry(e)) for e in table)
    return BendRule(sheet.bend_radius_mm if radius_mm is None else radius_mm, k_factor, radii, rows, published)
