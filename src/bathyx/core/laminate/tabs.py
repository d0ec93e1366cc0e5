"""Joints between laminates: a fillet of putty, tapes over it that step outward ply by ply."""

from __future__ import annotations

import math
from dataclasses import dataclass

from bathyx.core.formula import formula
from bathyx.core.laminate.layup import LayUp
from bathyx.core.units import Said, mm

TABS = formula(
    "laminate.tabs",
    "Tabbing of a joint",
    "widths 100 mm and 50 mm more for each ply after, half on each side; fillet R = max(12, 4 t of the tapes); putty (1 − π/4) R² "
    "a metre and side",
    source="Tapes of 100 and 150 mm, mat and bias and mat over the joint, a radius of putty: common practice; four times the "
    "tapes' thickness: Bathyx's own line",
    valid="corners of about 90°",
    check="tests/core/test_laminate.py",
    tolerance="±20 % of the putty",
)
FIRST_MM, STEP_MM, LEAST_FILLET_MM, FILLET_T = 100.0, 50.0, 12.0, 4.0
PUTTY_KG_M3 = 1300.0
USUAL_TAPES = ("csm450", "db450", "csm450")


@dataclass(frozen=True)
class Tabs:
    """Tapes of one side of a joint: widths (mm) by cloth, thickness all together (mm), radius of the fillet (mm), and kg of glass,
    resin and putty a metre."""

    tapes: tuple[tuple[str, float], ...]
    mm: float
    fillet_mm: float
    glass_kg_m: float
    resin_kg_m: float
    putty_kg_m: float

    @property
    def kg_m(self) -> float:
        """Mass a metre of joint and side."""
        return self.glass_kg_m + self.resin_kg_m + self.putty_kg_m

    @property
    def said(self) -> Said:
        """In a line."""
        widths = " and ".join(mm(w, None) for _, w in self.tapes)
        return Said(f"fillet R {mm(self.fillet_mm)}, tapes {widths} wide, half on each side, the narrowest first")


def tabs(layup: LayUp, cloths: tuple[str, ...] = USUAL_TAPES) -> Tabs:
    """Tapes over a joint of panels of a lay-up.

    Args:
        layup: resin of the tapes; of two plies and less two tapes are enough.
        cloths: of the tapes, the narrowest first.
    """
    count = 2 if len(layup.plies) <= 2 and not layup.core else len(cloths)
    over = LayUp(
        resin=layup.resin, plies=tuple({"cloth": key} for key in cloths[:count]), catalyst_pct=layup.catalyst_pct
    ).made
    widths = [FIRST_MM + STEP_MM * k for k in range(count)]
    fillet = max(LEAST_FILLET_MM, FILLET_T * over.thick_mm)
    return Tabs(
        tuple(zip(cloths[:count], widths, strict=True)),
        over.thick_mm,
        fillet,
        sum(w / 1000 * ply.glass_kg_m2 for w, ply in zip(widths, over.plies, strict=True)),
        sum(w / 1000 * ply.resin_kg_m2 for w, ply in zip(widths, over.plies, strict=True)),
        (1 - math.pi / 4) * (fillet / 1000) ** 2 * PUTTY_KG_M3,
    )
