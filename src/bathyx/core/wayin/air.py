"""A path led where there is most air: cut into short steps, each pushed away from what is near, the tightest first; then made brief
again with only such straight moves as keep the air that was won.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from bathyx.core.wayin.path import AIR_MM, tightest_leg
from bathyx.core.wayin.pose import Array, Pose, away, between
from bathyx.core.wayin.scene import Gap, Scene, TimeUp
from bathyx.core.wayin.slide import moved, rows
from bathyx.core.wayin.widen import NEAR_MM

STEP_MM, FINE_MM, TRUST_MM, LEAST_TRUST_MM, LEAST_GAIN = 24.0, 3.0, 8.0, 0.05, 0.01
WINDOWS, MOST_EACH = (
    ((80.0, 3.0), (80.0, 0.6), (300.0, 3.0), (0.0, 0.5)),
    14,
)  # of the way, either side of the tightest moment
NEAR_AIR_MM, BESIDE_MM, FLUSH = 25.0, 10.0, 0.99995
KEPT_SHARES, FEW_MOVES, BESIDES = (0.95, 0.88, 0.8), 12, 2.0
MOST_IDLE = 10


def dense(scene: Scene, path: list[Pose], step_mm: float = STEP_MM) -> list[Pose]:
    """The path with places between its poses, none further than a step from the next."""
    found = [path[0]]
    for a, b in pairwise(path):
        count = max(1, int(np.ceil(away(a, b, scene.reach) / step_mm)))
        found += [between(a, b, k / count) for k in range(1, count)] + [b]
    return found


def aired(scene: Scene, path: list[Pose], go_on: Callable[[], bool], keep_ends: tuple[bool, bool]) -> list[Pose]:
    """The path, in short steps, pushed to where there is more air: the tightest moment first, and whole stretches with it.

    Args:
        scene: the tank and what is in its way.
        path: clear.
        go_on: False stops with what there is.
        keep_ends: whether the first and the last pose stay.
    """
    best = dense(scene, path)
    try:
        for row in _airier(scene, best, go_on, keep_ends):
            best = row
    except TimeUp:
        pass  # what was won in time stands
    return best


def _airier(
    scene: Scene, row: list[Pose], go_on: Callable[[], bool], keep_ends: tuple[bool, bool]
) -> Iterator[list[Pose]]:
    """The row after each push that won air."""
    legs = [tightest_leg(scene, a, b) for a, b in pairwise(row)]
    stuck: set[int] = set()  # poses at whose legs nothing was won since anything moved there
    idle, best = 0, 0.0
    while go_on() and idle < MOST_IDLE:
        open_ = [k for k in range(len(legs)) if id(row[k]) not in stuck]
        j = min(open_, key=lambda k: legs[k][0], default=None)
        least = min(leg[0] for leg in legs)
        if j is None or legs[j][0] >= min(AIR_MM, BESIDES * least + 0.3):
            break
        idle, best = (0, least) if least > best + 0.01 * max(best, 0.2) else (idle + 1, best)
        found = _wider(scene, row, legs, j, keep_ends)
        if found is not None:
            row, legs = found
            stuck.clear()
            yield row
            continue
        if away(row[j], row[j + 1], scene.reach) < 2 * FINE_MM:
            stuck.add(id(row[j]))
            continue
        middle = between(row[j], row[j + 1], 0.5)  # a step that cuts a corner is made two
        row = [*row[: j + 1], middle, *row[j + 1 :]]
        legs = [*legs[:j], *(tightest_leg(scene, a, b) for a, b in pairwise(row[j : j + 3])), *legs[j + 1 :]]


def _wider(
    scene: Scene, row: list[Pose], legs: list[tuple[float, float]], j: int, keep_ends: tuple[bool, bool]
) -> tuple[list[Pose], list[tuple[float, float]]] | None:
    """The row and its legs with more air where it is tightest, none of the others tighter for it; None where no push does it."""
    air = legs[j][0]
    wanted = air + LEAST_GAIN * max(air, 0.2)
    for reach_mm, slack in WINDOWS:
        low, high = _window(scene, row, j, reach_mm, keep_ends)
        if high <= low:
            continue
        steps = _steps(
            scene, row[low:high], legs[low - 1 : high] if low else legs[:high], slack, low == 0, high == len(row)
        )
        if steps is None:
            continue
        for share in (1.0, 0.5, 0.2):
            new = list(row)
            for k, step in zip(range(low, high), steps, strict=True):
                new[k] = moved(scene, row[k], share * step)
            first, last = max(low - 1, 0), min(high, len(row) - 1)
            floors = [min(leg[0] - 1e-6, wanted) for leg in legs[first:last]]
            floors[j - first] = wanted
            changed = _legs(scene, new[first : last + 1], floors)
            if changed is not None:
                return new, [*legs[:first], *changed, *legs[last:]]
    return None


def _window(scene: Scene, row: list[Pose], j: int, reach_mm: float, keep_ends: tuple[bool, bool]) -> tuple[int, int]:
    """(first, last + 1) of the poses that move: those within so much of the way of the leg j, the ends only where they may."""
    low, gone = j, 0.0
    while low > 0 and gone < reach_mm and j - low < MOST_EACH:
        gone += away(row[low - 1], row[low], scene.reach)
        low -= 1
    high, gone = j + 1, 0.0
    while high < len(row) - 1 and gone < reach_mm and high - j < MOST_EACH:
        gone += away(row[high], row[high + 1], scene.reach)
        high += 1
    return max(low, int(keep_ends[0])), min(high + 1, len(row) - int(keep_ends[1]))


def _steps(
    scene: Scene, row: list[Pose], legs: list[tuple[float, float]], slack: float, free_low: bool, free_high: bool
) -> Array | None:
    """(n, 6) a move of each pose so that the least air of all is most, neighbours moving alike but for `slack` mm; None without.

    One linear programme over all of them: every pose keeps its air in the planes of `bounds_of`, or wins it.
    """
    from scipy.optimize import linprog  # not at the start: only searches need it
    from scipy.sparse import coo_array

    n = len(row)
    rs: list[npt.NDArray[np.intp]] = []
    cs: list[npt.NDArray[np.intp]] = []
    vs: list[Array] = []
    bound: list[Array] = []
    at = 0
    for k, pose in enumerate(row):
        a, b = bounds_of(scene, pose)
        if not len(b):
            continue
        lines = at + np.arange(len(b))
        rs += [np.repeat(lines, 6), lines]
        cs += [np.tile(6 * k + np.arange(6), len(b)), np.full(len(b), 6 * n)]
        vs += [-a.ravel(), np.ones(len(b))]
        bound.append(b)
        at += len(b)
    if not at:
        return None
    pairs = [(k, k + 1) for k in range(n - 1)]
    pairs += [] if free_low else [(0, -1)]
    pairs += [] if free_high else [(n - 1, -1)]
    for k, other in pairs:
        for sign in (1.0, -1.0):
            lines = at + np.arange(6)
            rs.append(lines)
            cs.append(6 * k + np.arange(6))
            vs.append(np.full(6, sign))
            if other >= 0:
                rs.append(lines)
                cs.append(6 * other + np.arange(6))
                vs.append(np.full(6, -sign))
            bound.append(np.full(6, slack))
            at += 6
    cost = np.zeros(6 * n + 1)
    cost[-1] = -1.0
    matrix = coo_array((np.concatenate(vs), (np.concatenate(rs), np.concatenate(cs))), shape=(at, 6 * n + 1)).tocsr()
    limits = [(-TRUST_MM, TRUST_MM)] * (6 * n) + [(None, AIR_MM)]
    found = linprog(cost, A_ub=matrix, b_ub=np.concatenate(bound), bounds=limits, method="highs")
    return np.asarray(found.x[:-1]).reshape(n, 6) if found.success else None


def bounds_of(scene: Scene, pose: Pose) -> tuple[Array, Array]:
    """(A (m, 6), b (m,)): after a small move the air to what is near is A move + b, at least.

    Where a corner of the tank is nearest to a face, the face's plane stays and the tank's corners move; where a face of the tank is
    nearest, its plane turns with the tank, and the edges of the part beside it are what it must stay off.
    """
    found = []
    for gap in scene.gaps(pose, NEAR_AIR_MM):
        outward = -(gap.way @ pose.turn)  # in the tank's own frame
        if float((scene.faces @ outward).max(initial=-1.0)) < FLUSH:
            found.append(rows(scene, pose, [gap], NEAR_MM))
            continue
        spots = _beside(scene, pose, gap)
        on_tank = gap.place + gap.way * gap.mm
        off = (on_tank - spots) @ gap.way
        pick = off < gap.mm + NEAR_AIR_MM
        spots, off = np.vstack([spots[pick], gap.place]), np.append(off[pick], gap.mm)
        arms = np.cross(spots - pose.at, gap.way) / scene.reach
        found.append((np.column_stack([np.broadcast_to(gap.way, arms.shape), arms]), off))
    if not found:
        return np.zeros((0, 6)), np.zeros(0)
    return np.concatenate([a for a, _ in found]), np.concatenate([b for _, b in found])


def _beside(scene: Scene, pose: Pose, gap: Gap) -> Array:
    """(m, 3) ends of the edges of a part where they pass by the tank, cut to the box of the tank."""
    edges = scene.edges_of(gap.part)
    a, b = ((edges[:, k] - pose.at) @ pose.turn for k in (0, 1))
    low, high = scene.corners.min(axis=0) - BESIDE_MM, scene.corners.max(axis=0) + BESIDE_MM
    way = b - a
    with np.errstate(divide="ignore", invalid="ignore"):
        t0, t1 = (low - a) / way, (high - a) / way
    enter = (
        np.where(way == 0, np.where((a < low) | (a > high), np.inf, -np.inf), np.minimum(t0, t1)).max(axis=1).clip(0)
    )
    leave = (
        np.where(way == 0, np.where((a < low) | (a > high), -np.inf, np.inf), np.maximum(t0, t1))
        .min(axis=1)
        .clip(None, 1)
    )
    pick = enter <= leave
    a, way, enter, leave = a[pick], way[pick], enter[pick, None], leave[pick, None]
    return np.vstack([a + enter * way, a + leave * way]) @ pose.turn.T + pose.at


def _legs(scene: Scene, row: list[Pose], floors: list[float]) -> list[tuple[float, float]] | None:
    """The legs of a row; None as soon as one has less air than its floor."""
    found = []
    for (a, b), least in zip(pairwise(row), floors, strict=True):
        leg = tightest_leg(scene, a, b)
        if leg[0] < least:
            return None
        found.append(leg)
    return found


def level(scene: Scene, path: list[Pose]) -> float:
    """The least air on a path, mm, `AIR_MM` where it is more."""
    least = AIR_MM
    for a, b in pairwise(path):
        least = min(least, tightest_leg(scene, a, b, least)[0])
    return least


def brief(scene: Scene, row: list[Pose], go_on: Callable[[], bool], keep_mm: float) -> list[Pose]:
    """As few straight moves as keep nearly all of the air of a path; with more of them than can be followed, a little less air.

    Args:
        scene: the tank and what is in its way.
        row: a path in short steps.
        go_on: False stops with what there is.
        keep_mm: the air that is to be kept where it can be.
    """
    least = level(scene, row)
    best = row
    for share in KEPT_SHARES:
        bound = min(share * least, AIR_MM)
        if share != KEPT_SHARES[0] and bound < keep_mm <= least:
            bound = keep_mm
        found = _strides(scene, row, bound, go_on)
        if len(found) < len(best):
            best = found
        if len(best) - 1 <= FEW_MOVES or not go_on():
            break
    return best


def _strides(scene: Scene, row: list[Pose], bound: float, go_on: Callable[[], bool]) -> list[Pose]:
    """From each pose straight to the furthest that is reached with `bound` mm of air."""

    def reached(i: int, j: int) -> bool:
        return j == i + 1 or tightest_leg(scene, row[i], row[j], bound)[0] >= bound

    found, i = [row[0]], 0
    while i < len(row) - 1:
        if not go_on():
            return [*found, *row[i + 1 :]]
        low, step = i + 1, 1
        while low + step < len(row) and reached(i, low + step):  # ever longer strides, then the longest between
            low, step = low + step, 2 * step
        high = min(low + step, len(row) - 1)
        if high > low and reached(i, len(row) - 1):
            low = high = len(row) - 1
        while high - low > 1:
            middle = (low + high) // 2
            low, high = (middle, high) if reached(i, middle) else (low, middle)
        if high > low and reached(i, high):
            low = high
        found.append(row[low])
        i = low
    return found
