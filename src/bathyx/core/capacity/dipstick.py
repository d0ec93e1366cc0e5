"""Where the marks of a dipstick stand, and what a level sender's arm tells: from the dip curve of the level tank."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from bathyx.core.capacity.capacity import Capacity
from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Shell
from bathyx.core.inside.fittings import Fitting, floor_below, roof_above, seat
from bathyx.core.units import Family, show
from bathyx.errors import Refusal

L_PER_US_GAL = 3.785411784
STICK = formula(
    "capacity.dipstick",
    "Marks of a dipstick",
    "s = (level of the volume − level of the tip) / cos α, α the lean of the stick from upright",
    source="Geometry; the level from the dip curve",
    valid="the tank level, the stick standing on the floor; a measured filling beats it",
    check="tests/core/test_dipstick.py",
    tolerance="as the dip curve; printed within 0.01 mm",
)
SENDER = formula(
    "capacity.sender",
    "Level sender",
    "level = pivot + L sin θ; R runs evenly from empty to full over the arm's swing",
    source="Geometry of a float on an arm",
    valid="an arm that swings to both ends of its range; real senders bend at the ends",
    check="tests/core/test_dipstick.py",
    tolerance="±5 % of the range (engineering estimate)",
)
MOST_MARKS, STEPS = 60, (0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500, 1000)
# A level warning sits at about 2 L above empty in a small vehicle tank: common practice.
WARNING_L, LEAST_RISE = 2.0, 0.15
PLACES = ("inspection", "filler", "sender")


@dataclass(frozen=True)
class Stick:
    """A dipstick that stands at (x, y) mm, leaning `lean_deg`: marks as (mm along it from its tip, figure, long mark); `unit` of
    the figures; `length_mm` to the roof over it; `blind`: what is left when its tip falls dry, in that unit. `named`: marks with
    words. `ends`: of a sight tube, the fittings at its lower and its upper end."""

    x_mm: float
    y_mm: float
    lean_deg: float
    marks: tuple[tuple[float, float, bool], ...]
    unit: str
    length_mm: float
    blind: float
    named: tuple[tuple[float, str], ...] = ()
    ends: tuple[str, str] | None = None


@dataclass(frozen=True)
class Marked:
    """What is marked besides round figures: the warning at `warn_l` usable litres, and `most_l` not to be filled above."""

    warn_l: float = WARNING_L
    most_l: float | None = None


USUAL = Marked()


def usual_place(shell: Shell, fittings: tuple[Fitting, ...]) -> tuple[float, float]:
    """(x, y) mm where a stick goes in: an inspection port, the filler, or the middle."""
    for kind in PLACES:
        for fitting in fittings:
            spot = seat(shell, fitting) if fitting.does == kind else None
            if spot is not None:
                return float(spot[0]), float(spot[1])
    low, high = shell.bounds
    return float(low[0] + high[0]) / 2, float(low[1] + high[1]) / 2


def dipstick(
    shell: Shell,
    capacity: Capacity,
    place: tuple[float, float],
    lean_deg: float = 0.0,
    *,
    us: bool = False,
    marked: Marked = USUAL,
) -> Stick:
    """Marks at round figures.

    Args:
        shell: the inside.
        capacity: with the dip curve of the level tank.
        place: (x, y) mm of the tip on the floor.
        lean_deg: of the stick, from upright.
        us: in US gallons, else in litres.
        marked: what is marked besides round figures.

    Raises:
        Refusal: for a place outside the tank's plan, or a stick that lies down.
    """
    low, high = shell.bounds
    if not (low[0] <= place[0] <= high[0] and low[1] <= place[1] <= high[1]):
        raise Refusal(
            f"{place[0]:g}, {place[1]:g} mm is outside the tank; it runs from 0, 0 to {high[0]:.0f}, {high[1]:.0f} mm"
        )
    if not 0 <= lean_deg <= 70:
        raise Refusal(f"a stick that leans {lean_deg:g}° is none; 0 to 70°")
    tip, share = floor_below(shell, *place), math.cos(math.radians(lean_deg))
    long = (roof_above(shell, *place) - tip) / share
    return _marked(capacity, (place[0], place[1], tip), share, lean_deg, long, us, marked)


def sight_tube(
    shell: Shell, capacity: Capacity, first: Fitting, second: Fitting, *, us: bool = False, marked: Marked = USUAL
) -> Stick:
    """Marks of a clear tube that runs straight from one fitting to another.

    Args:
        shell: the inside.
        capacity: with the dip curve of the level tank.
        first: a fitting at one end.
        second: at the other; the lower of both is where the marks begin.
        us: in US gallons, else in litres.
        marked: what is marked besides round figures.

    Raises:
        Refusal: for fittings that are not on the tank, or as good as level with one another.
    """
    one, other = seat(shell, first), seat(shell, second)
    if one is None or other is None:
        raise Refusal(f"{first.id} and {second.id} have to sit on the tank for a tube between them")
    low, high = (one, other) if one[2] <= other[2] else (other, one)
    long = float(np.linalg.norm(high - low))
    share = float(high[2] - low[2]) / max(long, 1e-9)
    if share < LEAST_RISE:
        raise Refusal(f"{first.id} and {second.id} stand as good as level: a tube between them shows no level")
    spot = float(low[0]), float(low[1]), float(low[2])
    ends = (first.id, second.id) if one[2] <= other[2] else (second.id, first.id)
    lean = math.degrees(math.acos(min(share, 1.0)))
    return replace(_marked(capacity, spot, share, lean, long, us, marked), ends=ends)


def _marked(
    capacity: Capacity,
    tip: tuple[float, float, float],
    share: float,
    lean_deg: float,
    long: float,
    us: bool,
    besides: Marked,
) -> Stick:
    """The stick from a tip (x, y, z) that rises by `share` for a millimetre along."""
    per = 1e6 * (L_PER_US_GAL if us else 1.0)
    curve = capacity.curve
    full = curve.full_mm3 / per
    step = next((s for s in STEPS if full / s <= MOST_MARKS), STEPS[-1])
    blind = float(curve.at(np.array([max(tip[2], curve.low_mm)]))[0]) / per
    marks = []
    for figure in (k * step for k in range(1, int(full / step + 1e-9) + 1)):
        along = (float(curve.level_for(min(figure * per, curve.full_mm3))) - tip[2]) / share
        if 0.5 < along <= long + 1e-6:
            marks.append((along, round(figure, 6), round(figure / step) % 5 == 0))
    named = [(capacity.fill_level_mm, "full: air space above"), (capacity.dead_level_mm, "pickup dry")]
    warn = capacity.unusable_l + besides.warn_l
    chosen = besides.warn_l != WARNING_L
    if warn < capacity.fill_l and (chosen or (capacity.unusable_l > 0 and warn < 0.3 * capacity.fill_l)):
        named.append(
            (
                float(curve.level_for(warn * 1e6)),
                f"low: {show(besides.warn_l, 'volume', Family.US if us else Family.METRIC)} left",
            )
        )
    if besides.most_l is not None:
        named.append((float(curve.level_for(besides.most_l * 1e6)), "do not fill above: weight"))
    told = tuple(((z - tip[2]) / share, words) for z, words in named if 1.0 < (z - tip[2]) / share < long)
    return Stick(tip[0], tip[1], lean_deg, tuple(marks), "US gal" if us else "L", long, blind, told)


def sender_table(
    capacity: Capacity, arm_mm: float, empty_ohm: float = 10.0, full_ohm: float = 180.0, steps: int = 12
) -> tuple[tuple[float, float, float, float], ...]:
    """Rows (degrees above level, level mm, litres, ohms) from the arm's lowest to its highest place.

    Args:
        capacity: with the dip curve of the level tank.
        arm_mm: from pivot to float, the pivot half way up the tank.
        empty_ohm: at the lowest place; 10 to 180 Ω is one usual range, 240 to 33 Ω another (common practice).
        full_ohm: at the highest.
        steps: between.

    Raises:
        Refusal: for an arm that is none.
    """
    if not 5 <= arm_mm <= 5000:
        raise Refusal(f"an arm of {arm_mm:g} mm is none; 5 to 5,000 mm")
    curve = capacity.curve
    middle, half = (curve.low_mm + curve.high_mm) / 2, (curve.high_mm - curve.low_mm) / 2
    most = math.asin(min(half / arm_mm, 1.0))
    angles = np.linspace(-most, most, steps + 1)
    levels = middle + arm_mm * np.sin(angles)
    litres = curve.at(levels) / 1e6
    ohms = np.linspace(empty_ohm, full_ohm, steps + 1)
    return tuple(
        (math.degrees(a), float(z - curve.low_mm), float(v), float(r))
        for a, z, v, r in zip(angles, levels, litres, ohms, strict=True)
    )
