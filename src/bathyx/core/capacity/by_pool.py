"""The dip table of a tank whose floor falls apart: what stands in each pool at a level, told apart by where it is."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from bathyx.core.capacity.capacity import drained_at
from bathyx.core.geometry.shell import Array, Shell

LEVELS = 160  # looked at to find where the pools meet


@dataclass(frozen=True)
class PoolTable:
    """`names` of the pools by where they lie; `rows` of (level over the lowest point mm, litres of each pool, of the bare shell);
    `meet_mm` the level from which they are one, over the lowest point."""

    names: tuple[str, ...]
    rows: tuple[tuple[float, tuple[float, ...]], ...]
    meet_mm: float


def pool_table(shell: Shell, step_mm: float, rotation: Array | None = None) -> PoolTable | None:
    """The table every `step_mm` up to where the pools meet; None for a tank that holds one pool at every level.

    Args:
        shell: the bare inside.
        step_mm: between rows.
        rotation: (3, 3), the attitude; level unless given.
    """
    turn = np.eye(3) if rotation is None else rotation
    if shell.convex:
        return None
    drained = drained_at(shell, turn)
    if drained.single:
        return None
    low, high = float(drained.heights[0]), float(drained.heights[-1])
    many = [z for z in np.linspace(low, high, LEVELS)[1:-1] if len(drained.pools(float(z))) > 1]
    if not many:
        return None
    meet = min((float(s) for s in drained.sills if s > max(many) - 1e-6), default=max(many))
    levels = [*np.arange(step_mm, meet - low - 1e-6, step_mm).tolist(), meet - low - 1e-3]
    places = np.array([point for _, point in drained.pools(float(max(many)))])
    axis = int(np.argmax(np.ptp(places[:, :2], axis=0)))
    places = places[np.argsort(places[:, axis])]
    rows = []
    for level in levels:
        held = [0.0] * len(places)
        for volume, point in drained.pools(low + level):
            held[int(np.argmin(np.abs(places[:, axis] - point[axis])))] += volume / 1e6
        rows.append((float(level), tuple(held)))
    return PoolTable(_names(len(places), axis), tuple(rows), meet - low)


def _names(count: int, axis: int) -> tuple[str, ...]:
    first, last = ("front", "rear") if axis == 0 else ("left", "right")
    between = [f"middle {k}" for k in range(1, count - 1)] if count > 3 else ["middle"] * (count - 2)
    return (first, *between, last)
