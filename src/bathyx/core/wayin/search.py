"""Trees of poses that grow towards one another, from the seat and from the openings, giving way to what they meet."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from bathyx.core.wayin.pose import Array, Pose, away, between, random_turn, turned_by
from bathyx.core.wayin.scene import Scene
from bathyx.core.wayin.slide import MET_MM, clear_between, slid

PUSH, PULL = 18, 60


@dataclass
class Tree:
    """Poses and where each came from."""

    reach: float
    poses: list[Pose] = field(default_factory=list)
    parents: list[int] = field(default_factory=list)
    _at: list[Array] = field(default_factory=list)
    _turn: list[Array] = field(default_factory=list)

    def add(self, pose: Pose, parent: int) -> int:
        """A pose more; its number."""
        self.poses.append(pose)
        self.parents.append(parent)
        self._at.append(pose.at)
        self._turn.append(pose.turn.ravel())
        return len(self.poses) - 1

    def nearest(self, pose: Pose) -> int:
        """The number of the pose that is nearest."""
        trace = np.array(self._turn) @ pose.turn.ravel()
        angle = np.arccos(np.clip((trace - 1) / 2, -1, 1))
        return int(np.argmin(np.linalg.norm(np.array(self._at) - pose.at, axis=1) + self.reach * angle))

    def back(self, number: int) -> list[Pose]:
        """From a pose to the root."""
        found = []
        while number >= 0:
            found.append(self.poses[number])
            number = self.parents[number]
        return found


def joined(
    scene: Scene,
    start: Pose,
    goal: Pose,
    low: Array,
    high: Array,
    rng: np.random.Generator,
    go_on: Callable[[], bool],
    grown: Tree | None = None,
) -> list[Pose] | None:
    """Clear poses from a start to a goal, each a short step from the last; None where time ran out.

    Args:
        scene: the tank and what is in its way.
        start: clear.
        goal: clear.
        low: (3,) corner of the box that the middle stays in.
        high: (3,) its other corner.
        rng: of the samples.
        go_on: False stops.
        grown: the tree from the start as an earlier search left it; it grows on.
    """
    trees = [grown or Tree(scene.reach), Tree(scene.reach)]
    if not trees[0].poses:
        trees[0].add(start, -1)
    trees[1].add(goal, -1)
    turn = 0
    first = True
    while go_on():
        mine, other = trees[turn], trees[1 - turn]
        goal_pose = _sample(mine, other, low, high, rng, first)
        first = False
        number = mine.nearest(goal_pose)
        steps = slid(scene, mine.poses[number], goal_pose, PUSH)
        for pose in steps:
            number = mine.add(pose, number)
        if steps:
            there = other.nearest(steps[-1])
            for pose in slid(scene, other.poses[there], steps[-1], PULL):
                there = other.add(pose, there)
            last = other.poses[there]
            if away(last, steps[-1], scene.reach) < MET_MM and clear_between(scene, last, steps[-1], 1.0):
                one, two = mine.back(number)[::-1], other.back(there)
                path = one + two
                return path if turn == 0 else path[::-1]
        turn = 1 - turn
    return None


def _sample(mine: Tree, other: Tree, low: Array, high: Array, rng: np.random.Generator, first: bool) -> Pose:
    """Something to grow towards: the other tree, between both, or anywhere."""
    kind = 0.0 if first else rng.random()
    theirs = other.poses[int(rng.integers(len(other.poses)))]
    if kind < 0.25:
        return theirs
    ours = mine.poses[int(rng.integers(len(mine.poses)))]
    if kind < 0.6:
        mid = between(ours, theirs, float(rng.random()))
        shake = rng.normal(0, 0.35, 3)
        return Pose(np.clip(mid.at + rng.normal(0, 0.15, 3) * (high - low), low, high), turned_by(shake) @ mid.turn)
    if kind < 0.8:
        return Pose(low + rng.random(3) * (high - low), turned_by(rng.normal(0, 0.5, 3)) @ ours.turn)
    return Pose(low + rng.random(3) * (high - low), random_turn(rng))
