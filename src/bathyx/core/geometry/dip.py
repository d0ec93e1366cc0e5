"""Exact dip curves: the volume below each level of a closed set of planar faces.

At level z the section's area is, by Green's theorem, a sum over the loop edges that cross z of
+-1/2 (r.u)(r.t), where u is the face's outward direction in the level plane and t runs along the section.
Both factors are linear along an edge, so between vertex levels the area is exactly quadratic and the
volume exactly cubic: one `PPoly`, evaluated for a thousand levels at once.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.interpolate import PPoly

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Array

DIP = formula(
    "capacity.dip",
    "Volume below a level",
    "V(z) = integral of A(z), A = sum over crossing edges of ±½ (r·u)(r·t)",
    source="Green's theorem on the section; exact for planar faces",
    valid="any closed shell of planar faces, any attitude",
    check="tests/outside/test_against_trimesh.py, sliced meshes at random levels, trims and heels",
    tolerance="1e-9 of the full volume; the inverse to 1e-6 mm",
)


class LevelError(ValueError):
    """A volume outside what the tank holds."""


@dataclass(frozen=True, eq=False)
class DipCurve:
    """Volume (mm3) against level (mm) as a piecewise cubic; below the first break it is 0, above the last full."""

    volume: PPoly

    @property
    def low_mm(self) -> float:
        """Level of the lowest point."""
        return float(self.volume.x[0])

    @property
    def high_mm(self) -> float:
        """Level of the highest point."""
        return float(self.volume.x[-1])

    @cached_property
    def full_mm3(self) -> float:
        """Volume at the highest point."""
        return float(self.volume(self.high_mm))

    def at(self, level_mm: Array | float) -> Array:
        """Volume in mm3 below each level, any shape."""
        return np.asarray(self.volume(np.clip(level_mm, self.low_mm, self.high_mm)))

    def area_at(self, level_mm: Array | float) -> Array:
        """Free surface in mm2 at each level inside the tank, any shape."""
        return np.asarray(self.volume.derivative()(np.clip(level_mm, self.low_mm, self.high_mm)))

    def level_for(self, volume_mm3: Array | float) -> Array:
        """Level in mm for each volume, any shape, by bisection inside its cubic.

        Raises LevelError for a volume below zero or above full (beyond rounding).
        """
        wanted = np.asarray(volume_mm3, float)
        slack = 1e-9 * max(self.full_mm3, 1.0)
        if np.any(wanted < -slack) or np.any(wanted > self.full_mm3 + slack):
            raise LevelError(f"the tank holds 0 to {self.full_mm3 / 1e6:.3f} L; asked for {wanted.max() / 1e6:.3f} L")
        wanted = np.clip(wanted, 0, self.full_mm3)
        breaks = self.volume.x
        piece = np.clip(np.searchsorted(self.volume(breaks), wanted, side="right") - 1, 0, len(breaks) - 2)
        c3, c2, c1, c0 = self.volume.c[:, piece]
        low, high = np.zeros_like(wanted), breaks[piece + 1] - breaks[piece]
        for _ in range(50):
            middle = (low + high) / 2
            below = ((c3 * middle + c2) * middle + c1) * middle + c0 < wanted
            low, high = np.where(below, middle, low), np.where(below, high, middle)
        return np.asarray(breaks[piece] + (low + high) / 2)


def dip_curve(half_edges: tuple[Array, Array, Array]) -> DipCurve:
    """The exact DipCurve of a closed soup of half-edges (p, q, normal), each (n, 3) in mm, z up.

    Edges need no order: caps cut by a plane may be given as loose edges. Raises ValueError for an empty soup.
    """
    p, q, normal = half_edges
    if len(p) == 0:
        raise ValueError("a dip curve needs a closed shell; this one has no faces")
    base = p[:, :2].mean(axis=0)
    across = np.hypot(normal[:, 0], normal[:, 1])
    rise = q[:, 2] - p[:, 2]
    height = float(np.ptp(p[:, 2]))
    breaks = np.unique(np.concatenate([p[:, 2], q[:, 2]]))
    breaks = breaks[np.concatenate([[True], np.diff(breaks) > 1e-10 * max(height, 1.0)])]
    if len(breaks) < 2:
        raise ValueError("a dip curve needs a shell with some height; this one is flat")
    live = (across > 1e-12) & (np.abs(rise) > 1e-12)
    p, rise, slope = p[live], rise[live], (q[live] - p[live]) / rise[live, None]
    u = normal[live, :2] / across[live, None]
    t = np.column_stack([-u[:, 1], u[:, 0]])
    low, high = np.minimum(p[:, 2], p[:, 2] + rise), np.maximum(p[:, 2], p[:, 2] + rise)
    mid = (breaks[:-1] + breaks[1:]) / 2
    crossing = (low[:, None] < mid) & (mid < high[:, None])
    start = (breaks[None, :-1] - p[:, 2:3])[:, :, None] * slope[:, None, :2] + (p[:, None, :2] - base)
    a0, b0 = np.einsum("nkj,nj->nk", start, u), np.einsum("nkj,nj->nk", start, t)
    a1, b1 = np.einsum("nj,nj->n", slope[:, :2], u)[:, None], np.einsum("nj,nj->n", slope[:, :2], t)[:, None]
    sign = 0.5 * np.sign(rise)[:, None] * crossing
    area = np.stack([(sign * a1 * b1).sum(0), (sign * (a0 * b1 + a1 * b0)).sum(0), (sign * a0 * b0).sum(0)])
    return DipCurve(PPoly(area, breaks, extrapolate=False).antiderivative())


def combined(parts: list[tuple[float, DipCurve]]) -> DipCurve:
    """The sum of `share` x curve over (share, curve) parts, exact, on the union of their breaks."""
    breaks = np.unique(np.concatenate([curve.volume.x for _, curve in parts]))
    width = np.diff(breaks)
    total = np.zeros((4, len(width)))
    for share, curve in parts:
        poly = curve.volume
        order = poly.c.shape[0]
        inside = (breaks[:-1] >= poly.x[0]) & (breaks[:-1] < poly.x[-1])
        piece = np.clip(np.searchsorted(poly.x, breaks[:-1], side="right") - 1, 0, len(poly.x) - 2)
        shift = breaks[:-1] - poly.x[piece]
        coefficients = np.vstack([np.zeros((4 - order, len(width))), poly.c[:, piece]])
        c3, c2, c1, c0 = coefficients
        moved = np.stack(
            [
                c3,
                c2 + 3 * c3 * shift,
                c1 + 2 * c2 * shift + 3 * c3 * shift**2,
                c0 + c1 * shift + c2 * shift**2 + c3 * shift**3,
            ]
        )
        constant = np.zeros((4, len(width)))
        constant[3] = np.where(breaks[:-1] >= poly.x[-1], curve.full_mm3, 0.0)
        total += share * np.where(inside, moved, constant)
    return DipCurve(PPoly(total, breaks, extrapolate=False))


def ramp(low_mm: float, high_mm: float, volume_mm3: float) -> DipCurve:
    """A curve that takes `volume_mm3` in evenly between two levels: small parts whose exact shape does not matter."""
    high = max(high_mm, low_mm + 1e-6)
    return DipCurve(PPoly(np.array([[volume_mm3 / (high - low_mm)], [0.0]]), np.array([low_mm, high])))
