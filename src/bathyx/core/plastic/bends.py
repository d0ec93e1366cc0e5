"""A bend in plastic sheet: how wide the line is heated, how hot, how long, how far it is bent over and brought back."""

from __future__ import annotations

import math
from dataclasses import dataclass

from bathyx.core.formula import formula
from bathyx.core.material import Sheet, plastic
from bathyx.core.units import Said, celsius, mm

HEATED = formula(
    "plastic.bend",
    "Heated line of a bend in plastic",
    "width = (r + t) · angle + t; time = t · minutes a millimetre, both sides; twice that, turned half way, from one side",
    source="The outer face of the bend's arc has to be soft; heating a minute a millimetre, overbend, bring back, hold till cold: "
    "common practice",
    valid="sheet of 2 to 12 mm, radiant strip or hot wire on both sides",
    check="tests/core/test_plastic.py",
    tolerance="time ±half: try it on a strip of the same sheet",
)
HOLD_MIN_MM = 1.0
FROM_ONE_SIDE = 2.0


@dataclass(frozen=True)
class HotBend:
    """Width of the heated line (mm), heat (°C), minutes from both sides and one, degrees to bend over by, minutes to hold."""

    width_mm: float
    heat_c: tuple[float, float]
    both_min: float
    one_min: float
    over_deg: float
    hold_min: float

    @property
    def said(self) -> Said:
        """In a line."""
        low, high = self.heat_c
        return Said(
            f"heat a line {mm(self.width_mm)} wide to {celsius(low)} to {celsius(high)}, about {self.both_min:.0f} min from both "
            f"sides or {self.one_min:.0f} min from one, turned half way; bend {self.over_deg:.0f}° too far, bring it back, hold it "
            f"{self.hold_min:.0f} min till it is cold"
        )


def hot_bend(sheet: Sheet, radius_mm: float, angle_deg: float = 90.0) -> HotBend:
    """How a bend is made hot.

    Args:
        sheet: a plastic one.
        radius_mm: inside.
        angle_deg: turned by.
    """
    row, t = plastic(sheet.material.key), sheet.thickness_mm
    width = (radius_mm + t) * math.radians(abs(angle_deg)) + t
    both = row.heat_min_mm * t
    return HotBend(width, row.bend_c, both, FROM_ONE_SIDE * both, row.overbend_deg, HOLD_MIN_MM * t)
