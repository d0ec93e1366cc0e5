"""The largest upright box in a cavity, clear of what stands in it."""

from __future__ import annotations

import heapq
from itertools import count

import numpy as np
import numpy.typing as npt

from bathyx.core.memory import remembered
from bathyx.core.space.cavity import Cavity
from bathyx.core.space.obstacles import AnyObstacle
from bathyx.core.space.room import Clearance, Room

Array = npt.NDArray[np.float64]
LEVELS, MOST_SECTIONS, MOST_SPLITS = 49, 33, 400
ROUGH_LEVELS, ROUGH_SECTIONS = 25, 17
Block = tuple[Array, Array]


@remembered(4)
def room_in(cavity: Cavity, clearance: Clearance, obstacles: tuple[AnyObstacle, ...]) -> Room:
    """The room for an upright box; sizes 0 where nothing is left. Quick: over fewer sections and heights than a search looks at."""
    inner = (cavity.thinned(ROUGH_SECTIONS) if len(cavity.xs) > ROUGH_SECTIONS else cavity).inner(clearance)
    low, high = (np.zeros(3), np.zeros(3)) if inner is None else largest_clear_box(inner, obstacles, ROUGH_LEVELS, 40)
    d, w, h = (float(x) for x in high - low)
    return Room(w, d, h, (float(low[0]), float(low[1]), float(low[2])))


def blocks_of(obstacles: tuple[AnyObstacle, ...]) -> list[Block]:
    """(low, high) corners of the upright box round each obstacle and its clearance."""
    hulls = [(thing.hull(), thing.clearance_mm) for thing in obstacles]
    return [(hull.min(axis=0) - clear, hull.max(axis=0) + clear) for hull, clear in hulls]


def largest_clear_box(
    inner: Cavity, obstacles: tuple[AnyObstacle, ...], levels: int = LEVELS, most_splits: int = MOST_SPLITS
) -> Block:
    """(low, high) of the largest upright box that is clear of upright boxes round the obstacles.

    Args:
        inner: what the box may fill.
        obstacles: what stands there; each with its clearance.
        levels: heights that are tried.
        most_splits: after which the best so far is given.

    An upright box is clear of another where it lies on one of its six sides: the sides are tried, the most promising first, until
    no other can hold more (branch and bound).
    """
    blocks = blocks_of(obstacles)
    order = count()
    first = largest_box(inner, levels)
    best: Block = (np.zeros(3), np.zeros(3))
    queue: list[tuple[float, int, Cavity, Block]] = [(-_volume(first), next(order), inner, first)]
    for _ in range(most_splits):
        if not queue:
            break
        _, _, cavity, box = heapq.heappop(queue)
        in_way = _in_way(box, blocks)
        if not in_way:
            return box
        low, high = max(in_way, key=lambda b: _volume((np.maximum(b[0], box[0]), np.minimum(b[1], box[1]))))
        for axis in range(3):
            for at, above in ((high[axis], True), (low[axis], False)):
                part = cavity.cut(axis, float(at), above)
                if part is not None:
                    found = largest_box(part, levels)
                    if _volume(found) > _volume(best) and not _in_way(found, blocks):
                        best = found
                    if _volume(found) > 0 and _volume(found) >= _volume(best):
                        heapq.heappush(queue, (-_volume(found), next(order), part, found))
    return best


def _in_way(box: Block, blocks: list[Block]) -> list[Block]:
    """Blocks that a box cuts."""
    return [b for b in blocks if ((box[1] > b[0] + 1e-9) & (box[0] < b[1] - 1e-9)).all()]


def _volume(box: Block) -> float:
    return float(np.prod(np.maximum(box[1] - box[0], 0.0)))


def largest_box(inner: Cavity, levels: int = LEVELS) -> tuple[Array, Array]:
    """(low, high) corners, each (3,), of the largest upright box in a cavity: of all runs of sections and heights of its own grid.

    Where the walls are straight between sections and heights, or bulge outward, a box that clears them at the grid clears them all.
    """
    if len(inner.xs) > MOST_SECTIONS:
        inner = inner.thinned(MOST_SECTIONS)
    m = len(inner.xs)
    z = np.unique(
        np.round(
            np.concatenate(
                [np.linspace(inner.low.min(), inner.high.max(), levels), [inner.low.max(), inner.high.min()]]
            ),
            6,
        )
    )
    left, right = np.full((m, len(z)), np.inf), np.full((m, len(z)), -np.inf)
    for i in range(m):
        y0, y1, low, high = inner.around(np.full(len(z), inner.xs[i]), z)
        inside = (z >= low - 1e-9) & (z <= high + 1e-9)
        left[i, inside], right[i, inside] = y0[inside], y1[inside]
    best, found = 0.0, (np.zeros(3), np.zeros(3))
    above = np.triu(np.ones((len(z), len(z)), bool))  # [a, k]: from height a up to height k
    high = z[None, :] - z[:, None]
    for i in range(m - 1):
        l_run, r_run = left[i].copy(), right[i].copy()
        for j in range(i + 1, m):
            l_run, r_run = np.maximum(l_run, left[j]), np.minimum(r_run, right[j])
            # Walls may bulge in between two heights of a box: its width is the least over all heights in it.
            wide = np.minimum.accumulate(np.where(above, r_run, np.inf), axis=1) - np.maximum.accumulate(
                np.where(above, l_run, -np.inf), axis=1
            )
            with np.errstate(invalid="ignore"):
                volume = np.where(above, np.maximum(wide, 0.0) * high * (inner.xs[j] - inner.xs[i]), 0.0)
            a, k = np.unravel_index(int(np.argmax(np.nan_to_num(volume, posinf=0.0))), volume.shape)
            if volume[a, k] > best:
                best = float(volume[a, k])
                found = (
                    np.array([inner.xs[i], l_run[a : k + 1].max(), z[a]]),
                    np.array([inner.xs[j], r_run[a : k + 1].min(), z[k]]),
                )
    return found
