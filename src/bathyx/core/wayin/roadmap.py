"""All openings together: what each search through an opening found of the way, and poses in narrow places, joined to one another.

A way may lead through more than one narrow place: a hatch and a bulkhead behind it, a low beam, a door before the hatch. Gates and
poses in narrow places are the crossings of a map; short slides between near ones are its roads.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import partial

import numpy as np

from bathyx.core.wayin.built import Door
from bathyx.core.wayin.narrow import narrow
from bathyx.core.wayin.pose import Array, Pose, away
from bathyx.core.wayin.scene import Scene
from bathyx.core.wayin.search import joined
from bathyx.core.wayin.slide import led
from bathyx.core.wayin.through import Through, is_outside, looks

TRIES, TRIES_LOOKS, SLIDE_LOOKS, JOIN_LOOKS, GROWTH = 600, 1200, 5000, 700, 1.8
NEAREST, APART, MOST_JOINED, MOST_NODES = 4, 0.12, 3, 400


@dataclass(eq=False)
class Roadmap:
    """The crossings so far: the first is the seat; `out`: the opening and the way outside of those that lead there."""

    scene: Scene
    throughs: list[Through]
    low: Array
    high: Array
    rng: np.random.Generator
    poses: list[Pose] = field(default_factory=list)
    roads: dict[tuple[int, int], list[Pose]] = field(default_factory=dict)
    out: dict[int, tuple[Door, list[Pose]]] = field(default_factory=dict)
    joined_to: list[int] = field(default_factory=list)
    tried: set[tuple[int, int]] = field(default_factory=set)
    taken: dict[int, tuple[int, int, int]] = field(default_factory=dict)

    def path(self, turn: int, go_on: Callable[[], bool]) -> tuple[Door, list[Pose]] | None:
        """(opening, path from outside to the seat); None where none was found in this turn.

        Args:
            turn: 0 first; turn after turn more is looked at.
            go_on: False stops.
        """
        if not self.poses:
            self._add(self.scene.seat)
        fresh = self._gates()
        more = GROWTH**turn
        within = looks(self.scene, go_on, TRIES_LOOKS * more)
        low, high = self._box()
        for pose in narrow(self.scene, low, high, self.rng, int(TRIES * more), within):
            if len(self.poses) < MOST_NODES and self._apart(pose):
                fresh.append(self._add(pose))
        sliding = looks(self.scene, go_on, SLIDE_LOOKS * more)
        for wanted in (self._ends, self._near):
            for node in fresh:
                for other in wanted(node):
                    if sliding() and self._whose(node) != self._whose(other):
                        self._road(node, other, lambda a, b: led(self.scene, a, b))
        joining = looks(self.scene, go_on, MOST_JOINED * JOIN_LOOKS * more)
        for a, b in self._between():
            if not joining() or self._way() is not None:
                break
            self._road(a, b, lambda p, q: self._search(p, q, JOIN_LOOKS * more, joining))
        return self._way()

    def _box(self) -> tuple[Array, Array]:
        """Where the middle may be: the space, and as far outside of each opening as the tank reaches, twice."""
        middles = np.array([t.door.middle + t.door.out * 2 * self.scene.reach for t in self.throughs])
        return np.minimum(self.low, middles.min(axis=0)), np.maximum(self.high, middles.max(axis=0))

    def _gates(self) -> list[int]:
        """Crossings of what the searches through the openings found since."""
        fresh = []
        for k, through in enumerate(self.throughs):
            ins, outs, loose = self.taken.get(k, (0, 0, 0))
            for gate, leg in through.inside[ins:]:
                fresh.append(self._add(gate))
                self._lay(0, fresh[-1], leg)
            for gate, leg in through.outside[outs:]:
                fresh.append(self._add(gate))
                self.out[fresh[-1]] = (through.door, leg)
            fresh += [self._add(gate) for gate in through.loose[loose:] if self._apart(gate)]
            self.taken[k] = len(through.inside), len(through.outside), len(through.loose)
        return fresh

    def _add(self, pose: Pose) -> int:
        self.poses.append(pose)
        self.joined_to.append(len(self.poses) - 1)
        return len(self.poses) - 1

    def _apart(self, pose: Pose) -> bool:
        reach = self.scene.reach
        return all(away(pose, other, reach) > APART * reach for other in self.poses)

    def _whose(self, node: int) -> int:
        """The first crossing of all that a crossing is joined to."""
        while self.joined_to[node] != node:
            node = self.joined_to[node]
        return node

    def _near(self, node: int) -> list[int]:
        """The nearest crossings that it is not joined to."""
        mine = self._whose(node)
        others = [k for k in range(len(self.poses)) if self._whose(k) != mine and self._pair(node, k) not in self.tried]
        reach = self.scene.reach
        others.sort(key=lambda k: away(self.poses[node], self.poses[k], reach))
        return others[:NEAREST]

    def _ends(self, node: int) -> list[int]:
        """The nearest of those joined to the seat, and of those joined to what leads outside.

        From a narrow place a slide leads out of it first, and turns where there is room: so both ends are tried from everywhere.
        """
        out = {self._whose(k) for k in self.out}
        mine, reach = self._whose(node), self.scene.reach
        found = []
        for side in ({self._whose(0)}, out):
            there = [k for k in range(len(self.poses)) if self._whose(k) in side and self._whose(k) != mine]
            there = [k for k in there if self._pair(node, k) not in self.tried]
            found += sorted(there, key=lambda k: away(self.poses[node], self.poses[k], reach))[:1]
        return found

    def _pair(self, a: int, b: int) -> tuple[int, int]:
        return (a, b) if a < b else (b, a)

    def _lay(self, a: int, b: int, path: list[Pose]) -> None:
        """A road from a to b."""
        self.roads[a, b], self.roads[b, a] = path, path[::-1]
        one, two = sorted((self._whose(a), self._whose(b)))
        self.joined_to[two] = one

    def _road(self, a: int, b: int, lead: Callable[[Pose, Pose], list[Pose] | None]) -> None:
        self.tried.add(self._pair(a, b))
        path = lead(self.poses[a], self.poses[b])
        if path is not None:
            self._lay(a, b, path)

    def _search(self, a: Pose, b: Pose, most: float, go_on: Callable[[], bool]) -> list[Pose] | None:
        low, high = self._box()
        return joined(self.scene, a, b, low, high, self.rng, looks(self.scene, go_on, most))

    def _between(self) -> list[tuple[int, int]]:
        """Near pairs that would bring the seat or what leads outside further, the nearest first."""
        seat, out = self._whose(0), {self._whose(k) for k in self.out}
        reach, found = self.scene.reach, []
        for a in range(len(self.poses)):
            whose = self._whose(a)
            if whose != seat and whose not in out:
                continue
            for b in range(len(self.poses)):
                if self._whose(b) != whose:
                    again = self._pair(a, b) in self.tried
                    found.append((again, away(self.poses[a], self.poses[b], reach), a, b))
        found.sort()
        return [(a, b) for _, _, a, b in found[: 4 * MOST_JOINED]]

    def _way(self) -> tuple[Door, list[Pose]] | None:
        """From outside to the seat, by as few roads as lead there."""
        seat = self._whose(0)
        if all(self._whose(k) != seat for k in self.out):
            return None
        came: dict[int, int] = {0: 0}
        waiting = [0]
        for node in waiting:
            if node in self.out:
                door, outside = self.out[node]
                path = list(outside[::-1])
                while node != 0:
                    path += self.roads[node, came[node]][1:]
                    node = came[node]
                return door, path
            for a, b in self.roads:
                if a == node and b not in came:
                    came[b] = node
                    waiting.append(b)
        return None


class Finder:
    """The searches through every opening, turn after turn, and then the map of all of them.

    `doors` lead into the space, one of which is passed; `plates` stand on the way and are passed all, `outer` of them outside.
    Outside is what is beyond one of the doors and all of the outer plates.
    """

    def __init__(
        self,
        scene: Scene,
        doors: tuple[Door, ...],
        low: Array,
        high: Array,
        rng: np.random.Generator,
        plates: tuple[Door, ...] = (),
        outer: tuple[Door, ...] = (),
    ) -> None:
        is_out = partial(is_outside, scene, doors, outer)
        self.throughs = [Through(scene, door, low, high, rng, is_out=is_out) for door in (*doors, *plates)]
        self.map = Roadmap(scene, self.throughs, low, high, rng)

    def paths(self, turn: int, go_on: Callable[[], bool]) -> Iterator[tuple[Door, list[Pose]]]:
        """(opening, path from outside to the seat) of each that was found in this turn.

        Args:
            turn: 0 first.
            go_on: False stops.
        """
        for through in self.throughs:
            path = through.path(turn, go_on)
            if path is not None:
                yield through.door, path
        found = self.map.path(turn, go_on) if go_on() else None
        if found is not None:
            yield found
