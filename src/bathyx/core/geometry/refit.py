"""An outline said in fewer words: corners that turn by nothing are left out, chords that follow a circle become an arc again."""

from __future__ import annotations

import math

import numpy as np

from bathyx.core.geometry.outline import Outline
from bathyx.core.geometry.shell import Array

NEAR_MM, SAGITTA_MM, LEAST_CHORDS, MOST_SWEEP = 0.08, 0.25, 3, 1.9 * math.pi


def refitted(outline: Outline, near_mm: float = NEAR_MM) -> Outline:
    """The outline with as few corners as stay within `near_mm` of it; arcs that it has stay as they are.

    Args:
        outline: closed.
        near_mm: how far the new line may stand off the old corners; off the middles of old chords `SAGITTA_MM`.
    """
    points, bulges = _from_sharpest(outline)
    points, bulges = _arced(points, bulges, near_mm)
    return Outline(*_straightened(points, bulges, near_mm))


def _from_sharpest(outline: Outline) -> tuple[Array, Array]:
    """Points and bulges that begin where the outline turns most: no run of chords begins in its own middle then."""
    before = outline.points - np.roll(outline.points, 1, axis=0)
    after = np.roll(outline.points, -1, axis=0) - outline.points
    cross = before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0]
    turn = np.abs(np.arctan2(cross, (before * after).sum(axis=1)))
    first = int(np.argmax(turn))
    return np.roll(outline.points, -first, axis=0), np.roll(outline.bulges, -first)


def _arced(points: Array, bulges: Array, near: float) -> tuple[Array, Array]:
    """Runs of chords along one circle as an arc each, the longest run first from each corner."""
    ring = np.vstack([points, points[:1]])
    kept: list[Array] = []
    new: list[float] = []
    i, n = 0, len(points)
    while i < n:
        reach, bulge = i + 1, float(bulges[i])
        if abs(bulge) < 1e-12:
            last = i + 1
            while last < n and abs(bulges[last]) < 1e-12:
                last += 1
            for j in range(i + LEAST_CHORDS, last + 1):
                found = _arc_over(ring[i : j + 1], near)
                if found is None and j > i + LEAST_CHORDS:
                    break
                if found is not None:
                    reach, bulge = j, found
        kept.append(ring[i])
        new.append(bulge)
        i = reach
    return np.array(kept), np.array(new)


def _arc_over(row: Array, near: float) -> float | None:
    """Bulge of the arc from the first of a row of points to the last through its middle; None where it does not follow them."""
    p, m, q = row[0], row[len(row) // 2], row[-1]
    steps = np.diff(row, axis=0)
    turns = steps[:-1, 0] * steps[1:, 1] - steps[:-1, 1] * steps[1:, 0]
    if not ((turns > 0).all() or (turns < 0).all()):
        return None
    a, b = m - p, q - p
    det = 2 * (a[0] * b[1] - a[1] * b[0])
    if abs(det) < 1e-9:
        return None
    centre = p + np.array([b[1] * (a @ a) - a[1] * (b @ b), a[0] * (b @ b) - b[0] * (a @ a)]) / det
    radius = float(np.hypot(*(p - centre)))
    middles = (row[:-1] + row[1:]) / 2
    off = np.abs(np.hypot(*(row - centre).T) - radius).max()
    sagitta = np.abs(np.hypot(*(middles - centre).T) - radius).max()
    spokes = np.arctan2(*(row - centre).T[::-1])
    sweep = float(np.abs((np.diff(spokes) + math.pi) % (2 * math.pi) - math.pi).sum())
    longs = np.hypot(*steps.T)
    if off > near or sagitta > SAGITTA_MM or sweep > MOST_SWEEP or longs.max() > 3 * np.median(longs):
        return None
    return math.copysign(math.tan(sweep / 4), float(turns[0]))


def _straightened(points: Array, bulges: Array, near: float) -> tuple[Array, Array]:
    """Corners between straight sides left out as long as none that is left out stands further off than `near`."""
    n = len(points)
    kept = [0]
    while kept[-1] < n:
        i = kept[-1]
        reach = i + 1
        if abs(bulges[i]) < 1e-12:
            for j in range(i + 2, n + 1):
                if abs(bulges[j - 1]) > 1e-12 or _off(points[i], points[j % n], points[i + 1 : j]) > near:
                    break
                reach = j
        kept.append(reach)
    chosen = [k for k in kept if k < n]
    return (points[chosen], bulges[chosen]) if len(chosen) >= 2 else (points, bulges)


def _off(p: Array, q: Array, between: Array) -> float:
    """How far the furthest of (n, 2) stands off the straight line from p to q."""
    way = q - p
    long = float(np.hypot(*way))
    if long < 1e-9:
        return math.inf
    share = np.clip((between - p) @ way / long**2, 0.0, 1.0)
    return float(np.hypot(*(between - p - share[:, None] * way).T).max())
