"""A pose pushed to where there is most air, and one found where a smaller body fits grown back."""

from __future__ import annotations

import numpy as np

from bathyx.core.wayin.pose import Array, Pose
from bathyx.core.wayin.scene import Scene
from bathyx.core.wayin.slide import moved, nearest_allowed, rows

TRUST_MM, LEAST_TRUST_MM, LEAST_GAIN_MM, MOST_AIR_MM, NEAR_MM = 8.0, 0.05, 0.002, 60.0, 150.0


def wider_move(a: Array, b: Array, trust: float) -> Array | None:
    """(6,) a move within `trust` mm each way that leaves more air, within half of the most; None where there is none.

    The shortest move that wins so much is found by least distances (a hundredth of the time of a linear programme for the most);
    so much is halved until the move is within trust.
    """
    if not len(b):
        return np.zeros(6)
    air, gain = float(b.min()), trust
    while gain >= LEAST_GAIN_MM:
        step = nearest_allowed(np.zeros(6), a, b - (air + gain))
        if step is not None and float(np.abs(step).max()) <= trust:
            return step
        gain /= 2
    return None


def widened(scene: Scene, pose: Pose, tries: int = 12, enough: float = MOST_AIR_MM) -> tuple[Pose, float]:
    """(pose, least air mm) after moving a clear pose away from what is nearest, until nothing is gained."""
    air, trust = scene.gap(pose), TRUST_MM
    for _ in range(tries):
        if air >= enough:
            break
        step = wider_move(*rows(scene, pose, scene.gaps(pose, NEAR_MM), NEAR_MM), trust)
        if step is None:
            break
        after = moved(scene, pose, step)
        now = scene.gap(after)
        if now > air + 1e-3:
            pose, air = after, now
        else:
            trust /= 2
            if trust < LEAST_TRUST_MM:
                break
    return pose, air


def grown(scene: Scene, pose: Pose, least: float = 0.6, tries: int = 6) -> Pose | None:
    """A clear pose near one that may touch: found for a smaller body first, which grows as air is won; None where that fails."""
    share = 1.0
    while scene.scaled(share).hits(pose):
        share -= 0.05
        if share < least:
            return None
    for _ in range(40):
        small = scene.scaled(share)
        pose, air = widened(small, pose, tries)
        if share >= 1.0:
            return pose if not scene.hits(pose) else None
        more = share + 0.9 * air / scene.reach
        if more - share < 2e-4:
            return None
        share = min(more, 1.0)
    return None
