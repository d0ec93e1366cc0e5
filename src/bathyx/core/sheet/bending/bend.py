"""Bend arithmetic: allowance, set-back and deduction. Angles are how far the sheet turns; lengths mm."""

from __future__ import annotations

import math

from bathyx.core.formula import formula
from bathyx.errors import Refusal

ALLOWANCE = formula(
    "sheet.allowance",
    "Bend allowance",
    "BA = θ (r + K t)",
    source="Neutral-axis model, e.g. Machinery's Handbook, bending allowances; K of the sheet from its table row",
    valid="air bends with r from 0.5 t to 6 t, θ up to 180°",
    check="tests/outside/test_bend_tables.py, handbook values for 90° in soft and half-hard sheet",
    tolerance="formula exact; a real brake differs by up to ±0.1 t per bend: bend a test strip, or cut long and trim",
)
SETBACK = formula(
    "sheet.setback",
    "Set-back to the bend's tangent",
    "SB = r tan(θ/2) inside the bend, (r + t) tan(θ/2) outside it (a reflex edge)",
    source="Geometry of a tangent arc",
    valid="θ below 180°",
    check="tests/core/test_unfold.py, unfolded area equals neutral-surface area",
    tolerance="exact",
)
SHORT_FLANGE = formula(
    "sheet.flange",
    "Shortest flange a V-die takes",
    "b = 0.7 V, V the die's opening, 8 t where it is not said",
    source="Press-brake charts for air bending, from memory",
    valid="air bends at 90°; the usual die of eight thicknesses where the make-up does not say the shop's",
    check="tests/core/test_findings.py",
    tolerance="±15 %: the shop's own die decides",
)


def allowance_mm(turn_deg: float, radius_mm: float, thickness_mm: float, k_factor: float) -> float:
    """Flat length of the arc that a bend takes, mm, measured on the neutral surface.

    Args:
        turn_deg: by how much the sheet turns, 90 for a box.
        radius_mm: inside radius of the bend.
        thickness_mm: of the sheet.
        k_factor: where the neutral surface lies, from the inside, as a share of the thickness.

    Raises:
        Refusal: outside 0 to 180 degrees.

    >>> round(allowance_mm(90.0, 3.0, 3.0, 0.4), 3)  # π/2 (3 + 1.2)
    6.597
    """
    if not 0 < turn_deg <= 180:
        raise Refusal(f"a bend turns between 0 and 180 degrees, not {turn_deg:g}")
    return math.radians(turn_deg) * (radius_mm + k_factor * thickness_mm)


def setback_mm(turn_deg: float, radius_mm: float, thickness_mm: float, reflex: bool) -> float:
    """How far the flat of an inside face stops short of its sharp edge, mm.

    Args:
        turn_deg: by how much the sheet turns.
        radius_mm: inside radius of the bend.
        thickness_mm: of the sheet; counts where the inside face is the outer one of the bend.
        reflex: whether it is.

    >>> round(setback_mm(90.0, 3.0, 2.0, False), 6), round(setback_mm(90.0, 3.0, 2.0, True), 6)
    (3.0, 5.0)
    """
    outer = thickness_mm if reflex else 0.0
    return (radius_mm + outer) * math.tan(math.radians(turn_deg) / 2)


def shortest_flange_mm(thickness_mm: float, die_mm: float = 0.0) -> float:
    """Shortest outside flange length over a V-die of that opening, mm; over the usual one of 8 thicknesses where none is said.

    >>> round(shortest_flange_mm(3.0), 1), round(shortest_flange_mm(3.0, 16.0), 1)
    (16.8, 11.2)
    """
    return 0.7 * (die_mm or 8 * thickness_mm)


def corner_loss_mm2(turn_deg: float, radius_mm: float, thickness_mm: float, reflex: bool) -> float:
    """Area that rounding takes from a sharp inside corner, mm2, so mm3 a mm of edge; negative where a reflex bend gives some.

    Args:
        turn_deg: by how much the sheet turns.
        radius_mm: inside radius of the bend.
        thickness_mm: of the sheet; counts at a reflex bend.
        reflex: whether the tank's inside lies on the outer side.

    >>> round(corner_loss_mm2(90.0, 10.0, 3.0, False), 3)  # a square of 10 less a quarter of a circle
    21.46
    """
    half = math.radians(turn_deg) / 2
    radius = radius_mm + (thickness_mm if reflex else 0.0)
    loss = radius**2 * (math.tan(half) - half)
    return -loss if reflex else loss
