"""A path made short, pushed to where there is more air, and looked over closely: where it is tightest, and between what."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from bathyx.core.wayin.pose import Array, Pose, away, between
from bathyx.core.wayin.scene import Scene
from bathyx.core.wayin.slide import clear_between
from bathyx.core.wayin.widen import widened

LOOK_MM, ROUGH_MM, CLOSE_MM, FINE_MM, EVEN_MM, AIR_MM = 3.0, 2.0, 0.2, 1.0, 0.15, 12.0
ROUNDS = 60


@dataclass(frozen=True, eq=False)
class Tightest:
    """The least air on a path, mm: at which share of which leg, to what, between which two places (3,)."""

    mm: float
    leg: int
    share: float
    what: str
    place: Array
    on_tank: Array


def shortened(
    scene: Scene, path: list[Pose], rng: np.random.Generator, go_on: Callable[[], bool], tries: int = 60
) -> list[Pose]:
    """The path with straight moves in place of detours, wherever these are clear.

    Args:
        scene: the tank and what is in its way.
        path: clear poses, each a short way from the last.
        rng: of the legs that are tried.
        go_on: False stops with what there is.
        tries: how many.
    """
    path = _strides(scene, list(path), go_on)
    for k in range(tries):
        if len(path) < 3 or not go_on():
            break
        if k % 3 == 2:
            i = int(rng.integers(len(path) - 2))
            j = i + 2
        else:
            i, j = sorted(int(v) for v in rng.integers(len(path), size=2))
        if j - i > 1 and _clear(scene, path[i], path[j]):
            path = [*path[: i + 1], *path[j:]]
    return path


def _strides(scene: Scene, path: list[Pose], go_on: Callable[[], bool]) -> list[Pose]:
    """From each pose straight to the furthest of those that halving the rest finds clear."""
    found, i = [path[0]], 0
    while i < len(path) - 1:
        j = len(path) - 1
        while j > i + 1 and go_on() and not _clear(scene, path[i], path[j]):
            j = i + max((j - i) // 2, 1)
        if not go_on():
            return [*found, *path[i + 1 :]]
        found.append(path[j])
        i = j
    return found


def _clear(scene: Scene, a: Pose, b: Pose) -> bool:
    return clear_between(scene, a, b, LOOK_MM) and _even(scene, a, b)


def _even(scene: Scene, a: Pose, b: Pose) -> bool:
    """Whether a straight move stays clear when it is looked at closely where it is near to something."""
    return tightest_leg(scene, a, b, EVEN_MM)[0] >= EVEN_MM


def tightest_leg(scene: Scene, a: Pose, b: Pose, bound: float = np.inf, close: float = ROUGH_MM) -> tuple[float, float]:
    """(least air, share of the leg where it is); `bound` where the air is nowhere less.

    Steps are as long as the air allows, `close` mm at least: no point moves further than the step, nor does the air fall by more.
    """
    key = (id(a), id(b), close)
    known = scene.legs.get(key)
    if known is not None and (known[2] or known[0] >= bound):
        return (known[0], known[1]) if known[2] else (bound, 0.0)
    long = away(a, b, scene.reach)
    best, at, where = bound, 0.0, 0.0
    while True:
        share = where / long if long > 0 else 0.0
        air = scene.gap(between(a, b, share))
        if air < best:
            best, at = air, share
        if where >= long or best <= 0:
            break
        where = min(where + max(close, air - best), long)
    scene.legs[key] = (best, at, best < bound, a, b)
    return best, at


def trimmed(scene: Scene, path: list[Pose], air: float) -> list[Pose]:
    """The path without the poses that it can do without: the straight move past one keeps as much air as the whole path has.

    Args:
        scene: the tank and what is in its way.
        path: clear.
        air: that it has, mm.
    """
    found = list(path)
    k = len(found) - 2
    while k > 0:
        if tightest_leg(scene, found[k - 1], found[k + 1], air, CLOSE_MM)[0] >= air:
            del found[k]
            k = min(k, len(found) - 1)
        k -= 1
    return found


def tightest(scene: Scene, path: list[Pose], close: float = ROUGH_MM) -> Tightest:
    """Where a path is tightest, looked at every `close` mm where it is tight."""
    best, leg, share = np.inf, 0, 0.0
    if len(path) == 1:
        best = scene.gap(path[0])
    for k in range(len(path) - 1):
        air, at = tightest_leg(scene, path[k], path[k + 1], float(best), close)
        if air < best:
            best, leg, share = air, k, at
    pose = between(path[leg], path[leg + 1], share) if len(path) > 1 else path[0]
    gaps = scene.gaps(pose)
    near = min(gaps, key=lambda g: g.mm, default=None)
    if near is None:
        return Tightest(max(float(best), 0.0), leg, share, "", pose.at, pose.at)
    return Tightest(float(min(best, near.mm)), leg, share, near.name, near.place, near.place + near.way * near.mm)


def eased(
    scene: Scene, path: list[Pose], go_on: Callable[[], bool], keep_ends: tuple[bool, bool] = (True, True)
) -> list[Pose]:
    """The path with its tightest moments pushed to where there is more air, as long as something is gained.

    Args:
        scene: the tank and what is in its way.
        path: clear.
        go_on: False stops with what there is.
        keep_ends: whether the first and the last pose stay.
    """
    path = _swept(scene, list(path), go_on, keep_ends)
    now = tightest(scene, path)
    idle = 0
    for _ in range(ROUNDS):
        if not go_on() or idle >= 4:
            break
        at_end = (now.leg == 0 and now.share < 1e-6 and keep_ends[0]) or (
            now.leg == len(path) - 2 and now.share > 1 - 1e-6 and keep_ends[1]
        )
        if at_end:
            break
        pose = between(path[now.leg], path[now.leg + 1], now.share)
        better, air = widened(scene, pose, 10, now.mm + AIR_MM)
        if air < now.mm + 0.02:
            break
        tried = _with(path, now, better, pose, scene)
        after = tightest(scene, tried)
        if after.mm > now.mm + 0.01:
            path, now, idle = tried, after, 0
            continue
        idle += 1
        # A gentler push: part of the way there.
        tried = _with(path, now, between(pose, better, 0.5), pose, scene)
        after = tightest(scene, tried)
        if after.mm > now.mm + 0.005:
            path, now = tried, after
    return path


def _swept(scene: Scene, path: list[Pose], go_on: Callable[[], bool], keep_ends: tuple[bool, bool]) -> list[Pose]:
    """Every pose of a path pushed to more air, where both legs it belongs to get no tighter by that."""
    for k in range(int(keep_ends[0]), len(path) - int(keep_ends[1])):
        if not go_on():
            break
        better, _ = widened(scene, path[k], 6, AIR_MM)
        for tried in (better, between(path[k], better, 0.5)):
            sides = [(path[k - 1], path[k], tried)] if k > 0 else []
            sides += [(path[k + 1], path[k], tried)] if k + 1 < len(path) else []
            was = min(tightest_leg(scene, side, old)[0] for side, old, _ in sides)
            if was >= AIR_MM:
                break
            if min(tightest_leg(scene, side, new)[0] for side, _, new in sides) > was + 0.02:
                path[k] = tried
                break
    return path


def _with(path: list[Pose], now: Tightest, better: Pose, pose: Pose, scene: Scene) -> list[Pose]:
    """The path led over a better pose instead of the corner next to it, or between both."""
    a, b = path[now.leg], path[now.leg + 1]
    if away(a, pose, scene.reach) < FINE_MM and now.leg > 0:
        return [*path[: now.leg], better, *path[now.leg + 1 :]]
    if away(b, pose, scene.reach) < FINE_MM and now.leg + 1 < len(path) - 1:
        return [*path[: now.leg + 1], better, *path[now.leg + 2 :]]
    return [*path[: now.leg + 1], better, *path[now.leg + 1 :]]
