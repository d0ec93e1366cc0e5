"""Moves that give way: towards a wish, along what is in the way, with the corners kept off planes between tank and parts."""

from __future__ import annotations

import numpy as np

from bathyx.core.wayin.pose import Array, Pose, away, between, turn_between, turned_by
from bathyx.core.wayin.scene import Gap, Scene

STEP_MM, KEEP_MM, LEAST_MM, MET_MM, MOST_STEPS = 14.0, 0.25, 0.4, 6.0, 200
ROOMY_MM, GIVEN = 2.5, 0.7


def rows(scene: Scene, pose: Pose, gaps: list[Gap], near: float) -> tuple[Array, Array]:
    """(A (m, 6), b (m,)): a small move (mm of shift, mm of turn at the reach) keeps every corner off by x where A move + b ≥ x.

    Each gap has a plane through the part's nearest place; corners beyond it further than `near` are left out.
    """
    if not gaps:
        return np.zeros((0, 6)), np.zeros(0)
    r = scene.corners @ pose.turn.T
    ways = np.array([gap.way for gap in gaps])
    first = np.array([gap.mm for gap in gaps])
    off = (r + pose.at) @ ways.T - np.array([float(gap.place @ gap.way) for gap in gaps])
    corner, gap_of = np.nonzero((off >= first - 1e-6) & (off < first + near))
    p, w = r[corner], ways[gap_of]
    a = np.empty((len(p), 6))
    a[:, :3] = w
    a[:, 3] = p[:, 1] * w[:, 2] - p[:, 2] * w[:, 1]
    a[:, 4] = p[:, 2] * w[:, 0] - p[:, 0] * w[:, 2]
    a[:, 5] = p[:, 0] * w[:, 1] - p[:, 1] * w[:, 0]
    a[:, 3:] /= scene.reach
    return a, off[corner, gap_of]


def moved(scene: Scene, pose: Pose, step: Array) -> Pose:
    """The pose after a small move (mm of shift, mm of turn at the reach)."""
    return Pose(pose.at + step[:3], turned_by(step[3:] / scene.reach) @ pose.turn)


def nearest_allowed(wish: Array, a: Array, b: Array) -> Array | None:
    """(6,) the move nearest to a wish with a move + b ≥ 0; None where there is none (Lawson & Hanson 1974, least distance)."""
    from scipy.optimize import nnls  # not at the start: only searches need it

    if not len(b):
        return wish
    h = -(b + a @ wish)
    if (h <= 0).all():
        return wish
    e = np.vstack([a.T, h])
    f = np.zeros(7)
    f[6] = 1.0
    try:
        u, _ = nnls(e, f)
    except RuntimeError:
        return None
    r = e @ u - f
    if abs(r[6]) < 1e-12:
        return None
    return np.asarray(wish - r[:6] / r[6])


def wished(scene: Scene, pose: Pose, goal: Pose, long: float) -> Array:
    """(6,) the move towards a goal, no longer than `long` mm."""
    step = np.concatenate([goal.at - pose.at, turn_between(pose.turn, goal.turn) * scene.reach])
    size = float(np.linalg.norm(step[:3]) + np.linalg.norm(step[3:]))
    return step if size <= long else step * (long / size)


def slid(scene: Scene, pose: Pose, goal: Pose, most: int, keep: float = KEEP_MM) -> list[Pose]:
    """Poses on the way towards a goal as far as it gives way, each clear; empty where it cannot move.

    Args:
        scene: the tank and what is in its way.
        pose: where it begins, clear.
        goal: where it is pulled.
        most: steps.
        keep: mm kept off everything.
    """
    found: list[Pose] = []
    left = away(pose, goal, scene.reach)
    long = STEP_MM
    for _ in range(most):
        if left < 1e-6:
            break
        wish = wished(scene, pose, goal, long)
        a, b = rows(scene, pose, scene.gaps(pose, 3 * long + keep), 3 * long)
        # Where there is room more is kept, and given up step by step where it gets narrow.
        step = nearest_allowed(wish, a, b - np.clip(GIVEN * b, keep, max(keep, ROOMY_MM)))
        if step is not None:
            size = float(np.linalg.norm(step[:3]) + np.linalg.norm(step[3:]))
            step = step * min(1.0, long / max(size, 1e-9))
        after = None if step is None else moved(scene, pose, step)
        if after is None or scene.hits(after) or not clear_between(scene, pose, after):
            long /= 2
            if long < LEAST_MM:
                break
            continue
        now = away(after, goal, scene.reach)
        if now > left - 0.02 * long:
            break
        found.append(after)
        pose, left = after, now
        long = min(STEP_MM, long * 1.6)
    return found


def led(scene: Scene, start: Pose, goal: Pose) -> list[Pose] | None:
    """Poses from a start to a goal: straight, giving way to what is met; or there first and turned then, or turned first.

    From a narrow place a slide comes out of it first and turns where there is room; into one it seldom finds.
    """
    for via in (goal, Pose(goal.at, start.turn), Pose(start.at, goal.turn)):
        steps = [start, *slid(scene, start, via, MOST_STEPS)]
        if via is not goal:
            steps += slid(scene, steps[-1], goal, MOST_STEPS)
        if away(steps[-1], goal, scene.reach) < MET_MM and clear_between(scene, steps[-1], goal, 1.0):
            return [*steps, goal]
    return None


def clear_between(scene: Scene, a: Pose, b: Pose, apart: float = 4.0) -> bool:
    """Whether nothing is hit on the straight way, looked at every `apart` mm."""
    count = int(away(a, b, scene.reach) / apart) + 1
    return not any(scene.hits(between(a, b, k / count)) for k in range(1, count))
