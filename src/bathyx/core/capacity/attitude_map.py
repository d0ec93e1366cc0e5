"""Usable capacity over a map of pitch and roll, and at what volume each vent goes under there."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from bathyx.core.capacity.capacity import Capacity, Displaced, left_behind, net_below_mm3
from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Shell
from bathyx.core.inside.fittings import Fitting, seat
from bathyx.core.tank.attitude import attitude

MAP = formula(
    "capacity.attitudes",
    "Usable at an attitude",
    "fill − what lies below the pickup's inlet, the surface level in apparent gravity; a vent floods where the surface reaches it",
    source="Statics of a liquid; net volume below a level of the turned tank, in closed form",
    valid="steady attitudes; braking of a g tilts the surface by atan a, cornering likewise",
    check="tests/core/test_attitude_map.py: wedges of a tilted box by hand",
    tolerance="as the capacity",
)
MOST_DEG, STEP_DEG = 20, 5


@dataclass(frozen=True)
class AttitudeMap:
    """Litres by [pitch][roll] degrees: `usable`, and `vents_flood` the least at which one goes under (None without vents).

    Pitch lifts the front, roll the right end. `fill_l`: what it is filled with.
    """

    pitch_deg: tuple[float, ...]
    roll_deg: tuple[float, ...]
    usable: tuple[tuple[float, ...], ...]
    vents_flood: tuple[tuple[float | None, ...], ...]
    fill_l: float


def attitude_map(
    shell: Shell,
    inside: Displaced,
    fittings: tuple[Fitting, ...],
    capacity: Capacity,
    progress: Callable[[float], bool] = lambda share: True,
) -> AttitudeMap | None:
    """The map; None when it was stopped.

    Args:
        shell: the inside.
        inside: what stands in it.
        fittings: pickups, balance pipes and vents among them.
        capacity: of the level tank.
        progress: called with the share done; False stops.
    """
    degrees = tuple(float(d) for d in range(-MOST_DEG, MOST_DEG + 1, STEP_DEG))
    share = capacity.net.value / capacity.gross.value
    vents = [spot for f in fittings if f.does in ("vent", "breather") and (spot := seat(shell, f)) is not None]
    usable, floods = [], []
    for k, pitch in enumerate(degrees):
        row, over = [], []
        for roll in degrees:
            turn = attitude(pitch, roll)
            left, _ = left_behind(shell, inside, fittings, turn, capacity.fill_l, share)
            row.append(max(capacity.fill_l - left, 0.0))
            levels = [float(turn[2] @ spot) for spot in vents]
            over.append(net_below_mm3(shell, inside, turn, min(levels)) / 1e6 if levels else None)
        usable.append(tuple(row))
        floods.append(tuple(over))
        if not progress((k + 1) / len(degrees)):
            return None
    return AttitudeMap(degrees, degrees, tuple(usable), tuple(floods), float(np.float64(capacity.fill_l)))
