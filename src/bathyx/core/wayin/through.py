"""Through one opening to the seat: the plain way, then gates half way through that are joined to the seat and to outside."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np

from bathyx.core.wayin.built import Door
from bathyx.core.wayin.clock import now
from bathyx.core.wayin.gates import gates
from bathyx.core.wayin.path import AIR_MM
from bathyx.core.wayin.pose import Array, Pose, away
from bathyx.core.wayin.scene import Scene
from bathyx.core.wayin.search import Tree, joined
from bathyx.core.wayin.slide import led, slid

LEAST_AIR_MM, CLEAR_MM = 1.0, 25.0
GATES, EASY_LOOKS, FIRST_LOOKS, NEXT_LOOKS, GROWTH, PAIRS = 3, 1500, 4000, 8000, 1.25, 3
Leg = tuple[Pose, list[Pose]]


@dataclass(eq=False)
class Through:
    """A search that is taken up turn after turn. What it found of the way is kept: gates with a path to the seat, gates with a path
    to outside; a gate that has both is the way, else two of them are joined."""

    scene: Scene
    door: Door
    low: Array
    high: Array
    rng: np.random.Generator
    inside: list[Leg] = field(default_factory=list)
    outside: list[Leg] = field(default_factory=list)
    loose: list[Pose] = field(default_factory=list)  # gates with neither
    tried: set[tuple[int, int]] = field(default_factory=set)
    seat: Tree | None = None
    is_out: Callable[[Pose], bool] = field(default=lambda pose: False)

    def path(self, turn: int, go_on: Callable[[], bool]) -> list[Pose] | None:
        """A path from outside to the seat; None where none was found in this turn.

        Args:
            turn: 0 first; turn after turn a search may look longer.
            go_on: False stops.
        """
        if turn == 0 and (straight := _straight(self.scene, self.door, self.is_out)) is not None:
            return straight
        scene, door = self.scene, self.door
        found = gates(scene, door.frame, door.middle, door.size, self.rng, GATES, go_on, any_order=turn > 0)
        most = FIRST_LOOKS if turn == 0 else NEXT_LOOKS * GROWTH ** (turn - 1)
        for gate in found:
            out = _outward(scene, door, gate, self.is_out)
            if out is not None:
                self.outside.append((gate, out))
            back = led(scene, gate, scene.seat) if go_on() else None
            inward = back[::-1] if back is not None else self._joined(scene.seat, gate, EASY_LOOKS, go_on)
            if inward is not None:
                self.inside.append((gate, inward))
                if out is not None:
                    return [*out[::-1], *inward[::-1]]
            elif out is None:
                self.loose.append(gate)
        return self._pairs(most, go_on) if self.inside and self.outside else self._direct(found, most, go_on)

    def _pairs(self, most: float, go_on: Callable[[], bool]) -> list[Pose] | None:
        """Gates that lead to the seat joined to gates that lead outside, those near one another first."""
        reach = self.scene.reach
        pairs = [
            (away(gate, other, reach), i, j)
            for i, (gate, _) in enumerate(self.inside)
            for j, (other, _) in enumerate(self.outside)
        ]
        fresh = [pair for pair in sorted(pairs) if pair[1:] not in self.tried] or sorted(pairs)
        for _, i, j in fresh[:PAIRS]:
            self.tried.add((i, j))
            (gate, inward), (other, out) = self.inside[i], self.outside[j]
            between = self._joined(gate, other, most, go_on)
            if between is not None:
                return [*out[::-1], *between[::-1], *inward[::-1]]
        return None

    def _direct(self, found: list[Pose], most: float, go_on: Callable[[], bool]) -> list[Pose] | None:
        """The seat joined to gates that lead outside; without those, gates to how one of them is held outside."""
        for gate, out in self.outside[-GATES:]:
            inward = self._joined(self.scene.seat, gate, most, go_on)
            if inward is not None:
                return [*out[::-1], *inward[::-1]]
        for gate in found if not self.outside else []:
            turn = found[int(self.rng.integers(len(found)))].turn
            held = Pose(self.door.middle + self.door.out * (self.scene.reach + CLEAR_MM + 30.0), turn)
            if self.scene.hits(held) or not self.is_out(held):
                continue
            led = self._joined(gate, held, most, go_on)
            if led is not None:
                self.outside.append((gate, led))
        return None

    def _joined(self, start: Pose, goal: Pose, most: float, go_on: Callable[[], bool]) -> list[Pose] | None:
        reach, middle = self.scene.reach, self.door.middle
        low, high = np.minimum(self.low, middle - reach), np.maximum(self.high, middle + reach)
        grown = None
        if start is self.scene.seat:  # what was found of the way from the seat is kept, too
            grown = self.seat = self.seat or Tree(reach)
        return joined(self.scene, start, goal, low, high, self.rng, looks(self.scene, go_on, most), grown)


def _straight(scene: Scene, door: Door, is_out: Callable[[Pose], bool]) -> list[Pose] | None:
    """The plain way, without a turn: out as far as it goes, aside until it is before the opening, and out."""
    seat = scene.seat
    flat = scene.corners @ door.frame[:2].T
    span = flat.max(axis=0) - flat.min(axis=0)
    if (span > door.size).any():
        return None
    beyond = door.out * _to_go(scene, door, seat)
    up = [seat, *slid(scene, seat, Pose(seat.at + beyond, seat.turn), 400)]
    if is_out(up[-1]):
        return up[::-1]
    centre = (flat.max(axis=0) + flat.min(axis=0)) / 2 + (seat.at - door.middle) @ door.frame[:2].T
    spare = (door.size - span) / 2
    for share, air in ((0.5, AIR_MM), (1.0, AIR_MM), (1.0, LEAST_AIR_MM)):
        aside = (
            -np.sign(centre) * np.maximum(np.abs(centre) - share * np.maximum(spare - air, 0.0), 0.0) @ door.frame[:2]
        )
        for start in dict.fromkeys((len(up) - 1, len(up) // 2, 0)):
            over = slid(scene, up[start], Pose(up[start].at + aside, seat.turn), 200)
            last = over[-1] if over else up[start]
            if np.linalg.norm(last.at - up[start].at - aside) > 0.5:
                continue
            out = slid(scene, last, Pose(last.at + beyond, seat.turn), 400)
            if out and is_out(out[-1]):
                return [*up[: start + 1], *over, *out][::-1]
    return None


def until(go_on: Callable[[], bool], seconds: float) -> Callable[[], bool]:
    """Goes on for so many seconds."""
    end = now() + seconds
    return lambda: now() < end and go_on()


def looks(scene: Scene, go_on: Callable[[], bool], most: float) -> Callable[[], bool]:
    """Goes on for so many looks: counted, not timed, so that what is found does not depend on how busy the machine is."""
    end = scene.checks + most
    return lambda: scene.checks < end and go_on()


def _outward(scene: Scene, door: Door, gate: Pose, is_out: Callable[[Pose], bool]) -> list[Pose] | None:
    """From a gate to where all of the tank is outside."""
    goal = Pose(gate.at + door.out * _to_go(scene, door, gate), gate.turn)
    path = [gate, *slid(scene, gate, goal, 400)]
    return path if is_out(path[-1]) else None


def _to_go(scene: Scene, door: Door, pose: Pose) -> float:
    """How far straight out it is until all of the tank is clear of an opening and its lip, mm."""
    return _rim(door) + CLEAR_MM - float((pose.points(scene.corners) @ door.out).min())


def _rim(door: Door) -> float:
    """Where an opening with its lip ends, along its way out."""
    return float(door.middle @ door.out) + door.opening.thickness_mm / 2 + door.opening.lip_mm


def is_outside(scene: Scene, doors: Sequence[Door], plates: Sequence[Door], pose: Pose) -> bool:
    """Whether all of the tank is beyond one of the doors of the space, and beyond every plate outside.

    Args:
        scene: the tank.
        doors: that lead into the space.
        plates: that stand outside of it.
        pose: of the tank.
    """
    return any(beyond(scene, d, pose) for d in doors) and all(beyond(scene, d, pose) for d in plates)


def beyond(scene: Scene, door: Door, pose: Pose) -> bool:
    """Whether all of the tank is outside of an opening and its lip.

    Args:
        scene: the tank.
        door: the opening.
        pose: of the tank.
    """
    return float((pose.points(scene.corners) @ door.out).min()) > _rim(door)
