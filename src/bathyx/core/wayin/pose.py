"""Where a rigid body is: a place and a turn, and small moves of it."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Pose:
    """`at` (3,) mm of the body's middle, `turn` (3, 3) rotation from how it sits."""

    at: Array
    turn: Array

    def points(self, body: Array) -> Array:
        """Points (…, 3) of the body, about its middle, where they are now."""
        return np.asarray(body @ self.turn.T + self.at)

    @property
    def quaternion(self) -> tuple[float, float, float, float]:
        """(w, x, y, z), w at least 0."""
        w, v = _angle_axis(self.turn)
        x, y, z = (float(c) for c in math.sin(w / 2) * v)
        return math.cos(w / 2), x, y, z


def turn_of(w: float, x: float, y: float, z: float) -> Array:
    """(3, 3) rotation of a unit quaternion."""
    return np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    )


def turned_by(vector: Array) -> Array:
    """(3, 3) rotation about a vector (3,) by its length in radians (Rodrigues)."""
    angle = math.sqrt(float(vector @ vector))
    if angle < 1e-12:
        return np.eye(3)
    x, y, z = (float(c) / angle for c in vector)
    c, s = math.cos(angle), math.sin(angle)
    t = 1 - c
    return np.array(
        [
            [t * x * x + c, t * x * y - s * z, t * x * z + s * y],
            [t * x * y + s * z, t * y * y + c, t * y * z - s * x],
            [t * x * z - s * y, t * y * z + s * x, t * z * z + c],
        ]
    )


def _angle_axis(turn: Array) -> tuple[float, Array]:
    (a, b, c), (d, e, f), (g, h, i) = turn.tolist()
    cosine = min(1.0, max(-1.0, (a + e + i - 1) / 2))
    x, y, z = h - f, c - g, d - b
    size = math.sqrt(x * x + y * y + z * z)
    if size > 1e-7:
        return math.atan2(size / 2, cosine), np.array([x / size, y / size, z / size])
    if cosine > 0:
        return 0.0, np.array([0.0, 0.0, 1.0])
    # Half a turn: the axis is what the rotation leaves as it is.
    both = turn + np.eye(3)
    axis = both[:, int(np.argmax(np.diag(both)))]
    return math.pi, axis / np.linalg.norm(axis)


def turn_between(a: Array, b: Array) -> Array:
    """(3,) the vector about which `a` is turned, by its length in radians, to become `b`."""
    angle, axis = _angle_axis(b @ a.T)
    return angle * axis


def away(a: Pose, b: Pose, reach: float) -> float:
    """How far a body of this reach, mm, has to move from one pose to the other: no point of it moves further."""
    off = b.at - a.at
    return math.sqrt(float(off @ off)) + reach * _angle_axis(b.turn @ a.turn.T)[0]


def between(a: Pose, b: Pose, share: float) -> Pose:
    """A share of the way: straight, and turned evenly about one axis."""
    return Pose(a.at + share * (b.at - a.at), turned_by(share * turn_between(a.turn, b.turn)) @ a.turn)


def random_turn(rng: np.random.Generator) -> Array:
    """(3, 3) any rotation, all alike (Shoemake 1992)."""
    a, b, c = rng.random(3)
    q = np.array(
        [
            math.sqrt(1 - a) * math.sin(2 * math.pi * b),
            math.sqrt(1 - a) * math.cos(2 * math.pi * b),
            math.sqrt(a) * math.sin(2 * math.pi * c),
            math.sqrt(a) * math.cos(2 * math.pi * c),
        ]
    )
    x, y, z, w = (float(v) for v in q)
    return turn_of(w, x, y, z)
