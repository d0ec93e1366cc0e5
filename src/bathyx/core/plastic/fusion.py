"""Butts of plastic sheet fused with a heated tool: heat, pressure, times, and what the bead takes from the sheet."""

from __future__ import annotations

from bathyx.core.formula import formula
from bathyx.core.material import Sheet, plastic
from bathyx.core.units import Said, celsius, mm

FUSION = formula(
    "plastic.fusion",
    "A butt fused with a heated tool",
    "bead up under 0.10 N/mm², soak t · seconds a millimetre at no more than 0.01, change over within 3 + 0.4 t s, joined under "
    "0.10 N/mm² for 1.2 t min; each face loses 0.15 t",
    source="DVS 2207-1 for polyethylene, 2207-11 for polypropylene, 2207-15 for PVDF, all from memory",
    valid="flat sheet of 5 to 20 mm of one thickness, on a machine that holds both edges",
    check="tests/core/test_plastic.py",
    tolerance="±20 %: a strip is fused and bent first",
)
PRESS_N_MM2, UPSET, COOL_MIN_MM, CHANGE_S, CHANGE_S_MM = 0.10, 0.15, 1.2, 3.0, 0.4


def upset_mm(thickness_mm: float) -> float:
    """What a butt takes from both sheets together, mm.

    >>> round(upset_mm(8.0), 2)
    2.4
    """
    return 2 * UPSET * thickness_mm


def fusion_min(sheet: Sheet) -> float:
    """Minutes of one butt: soaking and cooling, and as long again to plane and set it up."""
    t = sheet.thickness_mm
    return 2 * (plastic(sheet.material.key).fusion_s_mm * t / 60 + COOL_MIN_MM * t)


def fusion_said(sheet: Sheet) -> Said:
    """How it is done, in a line; what is missing where this plastic is not fused."""
    row, t = plastic(sheet.material.key), sheet.thickness_mm
    if row.fusion_c is None:
        return Said("nothing is known of fusing this plastic: weld it with rod")
    low, high = row.fusion_c
    return Said(
        f"both edges planed on the machine, tool at {celsius(low)} to {celsius(high)} as measured; bead up under "
        f"{PRESS_N_MM2:g} N/mm², "
        f"soak {row.fusion_s_mm * t:.0f} s with next to none, change over within {CHANGE_S + CHANGE_S_MM * t:.0f} s, join under "
        f"{PRESS_N_MM2:g} N/mm² and leave it {COOL_MIN_MM * t:.0f} min; an even double bead all along; it takes "
        f"{mm(upset_mm(t), 1)} of the sheets together"
    )
