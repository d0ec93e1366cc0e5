"""A path told in moves that a person can follow, from outside to the seat."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from bathyx.core.units import Said, mm
from bathyx.core.wayin.pose import Array, Pose, turn_between

LEAST_MM, LEAST_DEG = 3.0, 1.5
SHIFTS = (("forward", "back"), ("to the left", "to the right"), ("down", "up"))
TURNS = (("left side up", "right side up"), ("nose down", "nose up"), ("nose to the right", "nose to the left"))


@dataclass(frozen=True, eq=False)
class Move:
    """One move: its words, and the pose it ends in."""

    words: Said
    pose: Pose


def moves(path: list[Pose]) -> list[Move]:
    """The moves of a path, in words with their quantities in metric."""
    found = []
    for a, b in pairwise(path):
        said = [*_turned(turn_between(a.turn, b.turn)), *_shifted(b.at - a.at)]
        found.append(Move(Said(", ".join(said) if said else "a little further"), b))
    return found


def _shifted(step: Array) -> list[str]:
    order = sorted(range(3), key=lambda k: -abs(float(step[k])))
    return [
        f"{mm(abs(float(step[k])))} {SHIFTS[k][int(step[k] > 0)]}" for k in order if abs(float(step[k])) >= LEAST_MM
    ]


def _turned(vector: Array) -> list[str]:
    degrees = np.degrees(vector)
    order = sorted(range(3), key=lambda k: -abs(float(degrees[k])))
    return [
        f"{TURNS[k][int(degrees[k] > 0)]} {abs(float(degrees[k])):.0f}°"
        for k in order
        if abs(float(degrees[k])) >= LEAST_DEG
    ]


def told_out(path: list[Pose]) -> tuple[Move, ...]:
    """The moves of a path from the seat to outside."""
    return (Move(Said("hoses, straps and wires off; it stands free where it sits"), path[0]), *moves(path))


def begun(pose: Pose) -> Move:
    """Where the way begins: how it is held, against how it sits."""
    vector = turn_between(np.eye(3), pose.turn)
    said = _turned(vector)
    return Move(Said("hold it " + (", ".join(said) if said else "level, as it sits")), pose)
