"""Two tanks on one job: what they hold together, how long moving it takes, and how far both go."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from bathyx.core.brief import Brief, RunningTime
from bathyx.core.capacity.capacity import Capacity, gross_curve
from bathyx.core.formula import Figure, formula
from bathyx.core.geometry.dip import DipCurve
from bathyx.core.geometry.shell import Shell
from bathyx.core.space.base import MeasuredSpace
from bathyx.core.tank.second import SecondTank
from bathyx.core.units import litres, mm

TOGETHER = formula(
    "capacity.pair",
    "Two tanks together",
    "by a pipe: both at one height, full when the first of them is; by a pump: each for itself",
    source="Communicating vessels; the second counted as a bare shell with the first's air space",
    valid="both level; the engine draws from the first",
    check="tests/core/test_pair.py: boxes at two heights by hand",
    tolerance="as the capacity; what stands inside the second is not counted, about 1 %",
)
MOVING = formula(
    "capacity.transfer",
    "Time to move what is in the second",
    "t = V / Q of the pump; by a pipe dV/dt = 0.6 A √(2 g Δh) until both stand level, the first begun where its pickup sucks air",
    source="Torricelli with a discharge coefficient of 0.6 (e.g. White, Fluid Mechanics, from memory); 50 L by a small "
    "pump in about half an hour: common practice",
    valid="a short pipe; long hoses, bends and cold oil slow it",
    check="tests/core/test_pair.py",
    tolerance="pump as its flow; pipe an engineering estimate, −20 % to +100 %",
)
CD, G, EVEN_MM, STEPS = 0.6, 9.81, 2.0, 400
MM3_PER_L = 1e6


@dataclass(frozen=True, eq=False)
class Pair:
    """Litres of the first and the second: `full` when filled, `left` when the first's pickup sucks air, `lost_l` that stay empty.

    `higher_mm`: of the second's lowest point; `levels_mm` of the full surfaces over the first's lowest point."""

    full: tuple[float, float]
    left: tuple[float, float]
    higher_mm: float
    levels_mm: tuple[float, float]
    lost_l: tuple[float, float]
    usable: Figure
    moved: Figure
    hours: Figure | None


def pair(
    shell: Shell, capacity: Capacity, brief: Brief, space: MeasuredSpace, second: SecondTank | None
) -> Pair | None:
    """Both tanks; None without a second.

    Args:
        shell: inside of the first.
        capacity: of the first.
        brief: air space, and what it uses an hour.
        space: where both stand.
        second: the other tank.
    """
    if second is None:
        return None
    one, other = capacity.curve, gross_curve(second.tank.shell())
    low, high = one.low_mm, other.low_mm
    higher = second.higher_mm if second.seat is None else float(second.seat.z_mm - space.seated()[2])
    fills = (capacity.fill_l, (1 - brief.air_space_share) * other.full_mm3 / MM3_PER_L)
    tops = (capacity.fill_level_mm - low, float(other.level_for(fills[1] * MM3_PER_L)) - high + higher)
    inlet = min(second.floor_clear_mm, other.high_mm - high)
    if second.joined == "pipe":
        top = min(tops)
        full = (_at(one, low + top), _at(other, high + top - higher))
        dry = max(capacity.dead_level_mm - low - higher, inlet)
        levels = (top, top)
    else:
        full, dry, levels = fills, inlet, tops
    left = (min(capacity.unusable_l, full[0]), min(_at(other, high + dry), full[1]))
    usable = sum(full) - sum(left)
    working = f"{litres(full[0])} + {litres(full[1])} − {litres(left[0])} − {litres(left[1])} left = {litres(usable)}"
    return Pair(
        full,
        left,
        higher,
        levels,
        (fills[0] - full[0], fills[1] - full[1]),
        Figure("Usable of both", usable, "volume", TOGETHER, working),
        _moved(one, other, higher, left, full[1] - left[1], second),
        _hours(usable, brief),
    )


def _at(curve: DipCurve, level: float) -> float:
    return float(curve.at(np.array([min(max(level, curve.low_mm), curve.high_mm)]))[0]) / MM3_PER_L


def _hours(usable: float, brief: Brief) -> Figure | None:
    if not isinstance(brief.demand, RunningTime):
        return None
    rate = brief.demand.litres_per_hour
    return Figure(
        "Runs for", usable / rate, "hours", TOGETHER, f"{litres(usable)} / {rate:g} L/h = {usable / rate:.1f} h"
    )


def _moved(
    one: DipCurve, other: DipCurve, higher: float, left: tuple[float, float], moved_l: float, second: SecondTank
) -> Figure:
    """Minutes to move it, on top of what stays in both."""
    if second.joined == "pump":
        t = moved_l / second.flow_l_min
        return Figure(
            "Pumped over in", t * 60, "time", MOVING, f"{litres(moved_l)} / {second.flow_l_min:g} L/min = {t:.0f} min"
        )
    held, gone, t = moved_l * MM3_PER_L, 0.0, 0.0
    area = math.pi / 4 * second.bore_mm**2
    step = held / STEPS
    while gone < held:
        rise = float(one.level_for(min(left[0] * MM3_PER_L + gone, one.full_mm3))) - one.low_mm
        fall = float(other.level_for(min(left[1] * MM3_PER_L + held - gone, other.full_mm3))) - other.low_mm + higher
        if fall - rise < EVEN_MM:
            break
        speed = CD * math.sqrt(2 * G * 1000 * (fall - rise))  # mm/s
        t += step / (area * speed)
        gone += step
    said = f"{litres(gone / MM3_PER_L)} run over through {mm(second.bore_mm)} until {mm(EVEN_MM)} are left: {t / 60:.0f} min"
    return Figure("Level again in", t, "time", MOVING, said)
