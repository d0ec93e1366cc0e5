"""How a face lies in the plane: planar ones turned and shifted, rolled ones developed at their neutral surface."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Array, CurvedFace, Face, cross
from bathyx.core.geometry.surfaces import Cylinder

ROLL = formula(
    "sheet.roll",
    "Flat length of a rolled arc",
    "L = θ (r + K t), K = ½ where r ≥ 5 t, the sheet's own K for tighter arcs; r − K t where the sheet lies inside the arc",
    source="Neutral surface at half the thickness of a gently rolled sheet; geometry",
    valid="cylinders of any sweep; a round body of inside diameter D is π (D + t) long",
    check="tests/outside/test_rolled.py against the closed forms",
    tolerance="formula exact; rolls stretch a little: leave 1 to 2 mm on the last edge and fit the girth to the ends",
)
GENTLE = 5.0


def neutral_mm(radius_mm: float, outward: float, thickness_mm: float, k_factor: float) -> float:
    """Radius of the neutral surface of a rolled sheet, mm.

    Args:
        radius_mm: of the inside face.
        outward: 1 where the metal lies outside that radius, -1 inside it.
        thickness_mm: of the sheet.
        k_factor: for a radius so small that it is a bend; a gentle one lies at half the thickness.

    >>> neutral_mm(200.0, 1.0, 3.0, 0.4), neutral_mm(80.0, -1.0, 3.0, 0.4)
    (201.5, 78.5)
    """
    k = 0.5 if radius_mm >= GENTLE * thickness_mm else k_factor
    return radius_mm + outward * k * thickness_mm


@dataclass(frozen=True, eq=False)
class Lay:
    """A face laid in the plane, seen from inside the tank. `axes` (2, 3) of a planar face; a rolled one has its `surface`.

    `turn` (2, 2) and `shift` (2,) put its own flat places where they belong.
    """

    axes: Array | None
    surface: Cylinder | None
    neutral: float
    turn: Array
    shift: Array

    def local(self, p: Array) -> Array:
        """Flat places (n, 2) of points (n, 3) before they are turned and shifted."""
        if self.axes is not None:
            return np.asarray(p @ self.axes.T)
        assert self.surface is not None
        return self.surface.developed(self.surface.uv(p), self.neutral)

    def point(self, p: Array) -> Array:
        """Flat position (2,) or (n, 2) of a point (3,) or points (n, 3) of the face."""
        flat = self.local(np.atleast_2d(p)) @ self.turn.T + self.shift
        return np.asarray(flat[0] if p.ndim == 1 else flat)

    def border(self, face: Face) -> Array:
        """The face's border in the plane, (n, 2), in the order of its loop."""
        if isinstance(face, CurvedFace) and self.surface is not None:
            return np.asarray(self.surface.developed(face.outline_uv, self.neutral) @ self.turn.T + self.shift)
        return self.point(face.loop)

    def moved(self, turn: Array, shift: Array) -> Lay:
        """The same face put elsewhere."""
        return Lay(self.axes, self.surface, self.neutral, turn, shift)


def lay_of(face: Face, up: Array, thickness_mm: float, k_factor: float) -> Lay:
    """The face in a plane of its own: a planar one with `up` (3,) upward, a rolled one with its axis upward.

    Args:
        face: of the shell.
        up: (3,) direction that shall point up the sheet.
        thickness_mm: of the sheet.
        k_factor: place of the neutral surface for radii that are bends.
    """
    if isinstance(face, CurvedFace) and isinstance(face.on, Cylinder):
        neutral = neutral_mm(face.on.radius, face.on.outward, thickness_mm, k_factor)
        return Lay(None, face.on, neutral, np.eye(2), np.zeros(2))
    up = up - face.normal * (up @ face.normal)
    up = up / math.sqrt(float(up @ up))
    return Lay(np.stack([cross(up, -face.normal), up]), None, 0.0, np.eye(2), np.zeros(2))
