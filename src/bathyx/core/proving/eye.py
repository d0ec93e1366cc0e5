"""Two readings by eye: what they say of a leak, with an interval like any other; and what a fall of water under pressure says."""

from __future__ import annotations

import math

from bathyx.core.formula import formula
from bathyx.core.proving.decay import FILL_HEAT_K, UNEVEN_K, Leak
from bathyx.core.proving.gauges import GaugeKind, Surroundings
from bathyx.core.proving.readings import ATMOSPHERE_KPA, REFERENCE_K
from bathyx.core.proving.verdict import Verdict

EYE_LEAK = formula(
    "proving.eye",
    "Leak from two readings by eye",
    "Q = (V / P₀) · (p₁ − p₂) / t, ± a mark of the dial, a warm fill of 4 K, 2 K/h of the day and the barometer's rate",
    source="Ideal gas law; bounds added in full. 4 K and 2 K/h are Bathyx's own lines; rates of the barometer as elsewhere",
    valid="air in a rigid tank, nothing let in or out between the readings",
    check="tests/core/test_judgement.py: 23.0 to 17.9 kPa in 11 min on 22.8 L",
    tolerance="a bound: a leak is told only beyond all of them",
)
DAY_K_PER_H = 2.0
WET_LEAKS, WET_STILL = 0.10, 0.02  # of the test's pressure
KELVIN = 291.15


def eye_leak(
    volume_l: float, began_kpa: float, ended_kpa: float, held_s: float, dial: GaugeKind, around: Surroundings
) -> Leak:
    """The leak that two readings show, with its bounds.

    Args:
        volume_l: air volume, L.
        began_kpa: read at the start, gauge.
        ended_kpa: read at the end, gauge.
        held_s: between them, s.
        dial: what was read.
        around: the weather.

    >>> from bathyx.core.proving.gauges import EYE
    >>> low, high = eye_leak(22.8, 23.0, 17.9, 660.0, EYE, Surroundings()).interval
    >>> 40 < low < 104 < high  # mL/min
    True
    """
    to_leak = volume_l * 1000 / ATMOSPHERE_KPA * 60 / held_s * REFERENCE_K / KELVIN
    fall = began_kpa - ended_kpa
    per_k = (began_kpa + around.level_kpa) / KELVIN
    read = 2 * (dial.resolution_kpa or 0.5) / 2
    heat = per_k * (UNEVEN_K + FILL_HEAT_K + DAY_K_PER_H * held_s / 3600)
    air = 0.0 if around.barometer_kpa is not None or dial.absolute else around.rate_kpa_per_h * held_s / 3600
    if around.barometer_kpa is not None and not dial.absolute:
        fall += around.barometer_kpa[0] - around.barometer_kpa[1]
    wide = (read + heat + air) * to_leak
    value = fall * to_leak
    return Leak(
        value,
        0.0,
        heat * to_leak,
        read * to_leak,
        0.0,
        air * to_leak,
        wide,
        wide,
        held_s,
        began_kpa - ended_kpa,
        fall,
        False,
        value,
    )


def water_fall(began_kpa: float, ended_kpa: float, test_kpa: float, dial: GaugeKind) -> tuple[Verdict, str] | None:
    """What the fall of a tank full of water under pressure says: water hardly gives, so that little lost is much fallen.

    Args:
        began_kpa: read at the start.
        ended_kpa: read at the end.
        test_kpa: of the test.
        dial: what was read.

    Returns:
        Verdict and reason, or None where the fall is no more than the gauge can show.
    """
    fall = began_kpa - ended_kpa
    mark = dial.resolution_kpa or 0.5
    if not math.isfinite(fall) or abs(fall) <= max(mark, WET_STILL * test_kpa):
        return None
    if fall > max(WET_LEAKS * test_kpa, 2 * mark):
        return (
            "leaks",
            f"the gauge fell from {began_kpa:.2f} kPa to {ended_kpa:.2f} kPa: water hardly gives, it goes somewhere",
        )
    why = "it may be air left in a pocket, walls that give, or a leak: let the air out, top up, hold again"
    if fall < 0:
        why = "something warms it or lets water in: shade it, shut the pump off, hold again"
    return "not decided", f"the gauge went from {began_kpa:.2f} kPa to {ended_kpa:.2f} kPa; {why}"
