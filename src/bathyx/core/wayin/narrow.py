"""Clear poses in narrow places, wherever they are.

There a smaller body has room, but not to either side of it, and the whole one does once it was pushed.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from bathyx.core.wayin.gates import straight_turns
from bathyx.core.wayin.pose import Array, Pose, random_turn, turned_by
from bathyx.core.wayin.scene import Scene
from bathyx.core.wayin.widen import grown

SMALL, LEAST_SHARE, LEANT, ANY, SHORT, LONG = 0.8, 0.6, 0.3, 0.25, 0.12, 0.6


def narrow(
    scene: Scene, low: Array, high: Array, rng: np.random.Generator, tries: int, go_on: Callable[[], bool]
) -> Iterator[Pose]:
    """Clear poses between things on either side (the bridge test: Hsu, Jiang, Reif & Sun 2003, from memory).

    Args:
        scene: the tank and what is in its way.
        low: (3,) corner of the box that the middle is in.
        high: (3,) its other corner.
        rng: of the samples.
        tries: how many poses of the smaller body are looked at.
        go_on: False stops.
    """
    small, straight = scene.scaled(SMALL), straight_turns()
    for _ in range(tries):
        if not go_on():
            return
        turn = random_turn(rng) if rng.random() < ANY else straight[int(rng.integers(len(straight)))]
        if rng.random() < LEANT:
            turn = turned_by(rng.normal(0, 0.25, 3)) @ turn
        if scene.leans(turn):
            continue
        pose = Pose(low + rng.random(3) * (high - low), turn)
        scene.checks += 1
        if small.hits(pose):
            continue
        way = rng.normal(size=3)
        way *= float(rng.uniform(SHORT, LONG)) * scene.reach / np.linalg.norm(way)
        scene.checks += 2
        if not (small.hits(Pose(pose.at + way, turn)) and small.hits(Pose(pose.at - way, turn))):
            continue
        found = grown(scene, pose, LEAST_SHARE)
        if found is not None:
            yield found
