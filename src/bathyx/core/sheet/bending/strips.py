"""The shop's own test strips: K measured on its own brake, with how sure that is; and how far a bend springs back."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from pydantic import Field

from bathyx.core.formula import formula
from bathyx.core.units.frozen import Frozen
from bathyx.errors import Refusal

STRIPS = formula(
    "sheet.strips",
    "K from test strips",
    "K = ((2 (r + t) tan(θ/2) − (a + b − L)) / θ − r) / t; the mean of several, ± Student's t × s / √n at 95 %",
    source="Bend allowance read backwards: a strip of length L becomes two flanges a and b over the outside, common practice; "
    "Student's t for the spread, any handbook of statistics",
    valid="strips of the sheet and on the die that the tank is bent with; r as the die makes it",
    check="tests/core/test_bend_data.py: a known K is within the spread in 95 of 100 trials",
    tolerance="as stated with it; one strip read to 0.25 mm says K to about ±0.25 mm / (θ t)",
)
SPRINGBACK = formula(
    "sheet.springback",
    "Springback",
    "Ri/Rf = 4 (Ri Y / E t)³ − 3 (Ri Y / E t) + 1; the angle that is bent to is θ (2 Rf/t + 1) / (2 Ri/t + 1)",
    source="Gardiner (1957), as in Kalpakjian & Schmid, Manufacturing Engineering and Technology, from memory",
    valid="wide strips of a material that does not harden, free of the die; Ri Y / E t below 0.5",
    check="tests/core/test_bend_data.py: the textbook's example, 20-gauge sheet bent to 0.5 in, from memory",
    tolerance="an estimate, a third either way: temper and die decide; the test strip shows it",
)
READ_MM, LEAST_K, MOST_K, SURE = 0.25, 0.15, 0.5, 0.95


class Strip(Frozen):
    """A test strip: its length before, both flanges after over the outside, mm, and by how much it was turned."""

    before_mm: float = Field(ge=10, le=2000)
    first_mm: float = Field(ge=3, le=2000)
    second_mm: float = Field(ge=3, le=2000)
    turn_deg: float = Field(90.0, ge=10, le=160)


@dataclass(frozen=True)
class MeasuredK:
    """K from strips, and half the interval that holds the true one with 95 %."""

    k: float
    spread: float
    count: int


def k_of(strip: Strip, radius_mm: float, thickness_mm: float) -> float:
    """K that one strip shows.

    Args:
        strip: as measured.
        radius_mm: inside radius of its bend.
        thickness_mm: of the sheet.

    >>> k_of(Strip(before_mm=100, first_mm=52, second_mm=52.4), 3.0, 2.0)  # doctest: +ELLIPSIS
    0.28...
    """
    angle = math.radians(strip.turn_deg)
    deduction = strip.first_mm + strip.second_mm - strip.before_mm
    allowance = 2 * (radius_mm + thickness_mm) * math.tan(angle / 2) - deduction
    return (allowance / angle - radius_mm) / thickness_mm


def measured_k(strips: Sequence[Strip], radius_mm: float, thickness_mm: float) -> MeasuredK:
    """K and its spread from the shop's strips.

    Args:
        strips: one or more.
        radius_mm: inside radius of their bends.
        thickness_mm: of the sheet.

    Raises:
        Refusal: without strips, or where they show a K that no bend has: a reading is wrong, or was taken inside.
    """
    if not strips:
        raise Refusal(
            "no strip is measured: bend one, and give its length before and both flanges after, over the outside"
        )
    found = np.array([k_of(strip, radius_mm, thickness_mm) for strip in strips])
    for k, strip in zip(found, strips, strict=True):
        if not LEAST_K <= k <= MOST_K + 0.1:
            raise Refusal(
                f"the strip {strip.before_mm:g}, {strip.first_mm:g}, {strip.second_mm:g} gives K {k:.2f}; bends have "
                f"{LEAST_K:g} to {MOST_K:g}: flanges are measured over the outside, and the inside radius is {radius_mm:g} mm"
            )
    mean = float(min(max(found.mean(), LEAST_K), MOST_K))
    one = READ_MM / (math.radians(strips[0].turn_deg) * thickness_mm)
    if len(found) == 1:
        return MeasuredK(mean, one, 1)
    from scipy.stats import t as student  # not at the start: only strips need it

    half = float(student.ppf((1 + SURE) / 2, len(found) - 1)) * float(found.std(ddof=1)) / math.sqrt(len(found))
    return MeasuredK(mean, half, len(found))


def bent_to(
    turn_deg: float, radius_mm: float, thickness_mm: float, yield_mpa: float, modulus_mpa: float
) -> tuple[float, float]:
    """(angle to bend to, radius in the die) so that a bend springs back to what is wanted.

    Args:
        turn_deg: wanted.
        radius_mm: wanted, inside.
        thickness_mm: of the sheet.
        yield_mpa: of the sheet as delivered.
        modulus_mpa: of its material.

    Raises:
        Refusal: where the sheet would spring back from any radius: it is rolled or pressed, not bent.
    """
    ratio = yield_mpa / (modulus_mpa * thickness_mm)
    low, high = 0.0, radius_mm
    for _ in range(60):
        tried = (low + high) / 2
        x = tried * ratio
        left = 4 * x**3 - 3 * x + 1
        if left <= 0.05 or tried / left > radius_mm:
            high = tried
        else:
            low = tried
    radius = (low + high) / 2
    if radius * ratio > 0.45:
        raise Refusal(
            f"a radius of {radius_mm:g} mm in {thickness_mm:g} mm sheet springs back for the most part: roll it"
        )
    return turn_deg * (2 * radius_mm / thickness_mm + 1) / (2 * radius / thickness_mm + 1), radius
