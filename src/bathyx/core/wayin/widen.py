"""A pose pushed to where there is most air, and one found where a smaller body fits grown back."""

from __future__ import annotations

import numpy as np

from bathyx.core.wayin.pose import Array, Pose
from bathyx.core.wayin.scene import Scene
from bathyx.core.wayin.slide import moved, rows

TRUST_MM, LEAST_TRUST_MM, MOST_AIR_MM, NEAR_MM = 8.0, 0.05, 60.0, 150.0


def widest_move(
    a: Array, b: Array, trust: float, pull: Array | None = None, weight: float = 0.0
) -> tuple[Array, float] | None:
    """(move (6,), least air after it): the move within `trust` mm each way that leaves most; None where the solver finds none.

    `pull`: (6,) a move that is wished besides, by `weight`.
    """
    from scipy.optimize import linprog  # not at the start: only searches need it

    if not len(b):
        return np.zeros(6), MOST_AIR_MM
    cost = np.zeros(7)
    cost[6] = -1.0
    if pull is not None:
        cost[:6] = -weight * np.sign(pull)
    bounds = [(-trust, trust)] * 6 + [(None, MOST_AIR_MM)]
    found = linprog(cost, A_ub=np.column_stack([-a, np.ones(len(b))]), b_ub=b, bounds=bounds, method="highs")
    return (np.asarray(found.x[:6]), float(found.x[6])) if found.success else None


def widened(scene: Scene, pose: Pose, tries: int = 12, enough: float = MOST_AIR_MM) -> tuple[Pose, float]:
    """(pose, least air mm) after moving a clear pose away from what is nearest, until nothing is gained."""
    air, trust = scene.gap(pose), TRUST_MM
    for _ in range(tries):
        if air >= enough:
            break
        found = widest_move(*rows(scene, pose, scene.gaps(pose, NEAR_MM), NEAR_MM), trust)
        if found is None:
            break
        after = moved(scene, pose, found[0])
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
