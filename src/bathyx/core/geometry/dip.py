"""Exact dip curves: the volume below each level of a closed set of planar faces.

At level z the section's area is, by Green's theorem, a sum over the loop edges that cross z of
+-1/2 (r.u)(r.t), where u is the face's outward direction in the level plane and t runs along the section.
Both factors are linear along an edge, so between vertex levels the area is exactly quadratic and the
volume exactly cubic: one `Pieces`, evaluated for a thousand levels at once.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from bathyx.core.formula import formula
from bathyx.core.geometry.pieces import Pieces
from bathyx.core.geometry.shell import Array, following
from bathyx.errors import Refusal

DIP = formula(
    "capacity.dip",
    "Volume below a level",
    "V(z) = integral of A(z), A = sum over crossing edges of ±½ (r·u)(r·t)",
    source="Green's theorem on the section; exact for planar faces",
    valid="any closed shell of planar facets, any attitude",
    check="tests/outside/test_against_trimesh.py, sliced meshes at random levels, trims and heels",
    tolerance="1e-9 of the full volume; the inverse exact",
)


class LevelError(Refusal):
    """A volume outside what the tank holds."""


@dataclass(frozen=True, eq=False)
class DipCurve:
    """Volume (mm3) against level (mm) as a piecewise cubic; below the first break it is 0, above the last full."""

    volume: Pieces

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
        if wanted.ndim == 0:
            return np.asarray(self._one_level(float(wanted)))
        breaks = self.volume.x
        piece = np.clip(np.searchsorted(self.volume(breaks), wanted, side="right") - 1, 0, len(breaks) - 2)
        c3, c2, c1, c0 = self.volume.c[:, piece]
        low, high = np.zeros_like(wanted), breaks[piece + 1] - breaks[piece]
        for _ in range(50):
            middle = (low + high) / 2
            below = ((c3 * middle + c2) * middle + c1) * middle + c0 < wanted
            low, high = np.where(below, middle, low), np.where(below, high, middle)
        return np.asarray(breaks[piece] + (low + high) / 2)

    def _one_level(self, wanted: float) -> float:
        """`level_for` of one volume, in plain floats."""
        breaks = self.volume.x
        starts = self.volume.c[3]
        piece = min(max(int(np.searchsorted(starts, wanted, side="right")) - 1, 0), len(breaks) - 2)
        c3, c2, c1, c0 = self.volume.c[:, piece].tolist()
        low, high = 0.0, float(breaks[piece + 1] - breaks[piece])
        for _ in range(50):
            middle = (low + high) / 2
            if ((c3 * middle + c2) * middle + c1) * middle + c0 < wanted:
                low = middle
            else:
                high = middle
        return float(breaks[piece]) + (low + high) / 2


def dip_curve(half_edges: tuple[Array, Array, Array]) -> DipCurve:
    """The exact DipCurve of a closed soup of half-edges (p, q, normal), each (n, 3) in mm, z up.

    Edges need no order: caps cut by a plane may be given as loose edges. Raises Refusal for an empty soup.
    """
    p, q, normal = half_edges
    if len(p) == 0:
        raise Refusal("a dip curve needs a closed shell; this one has no faces")
    base = p[:, :2].mean(axis=0)
    across = np.hypot(normal[:, 0], normal[:, 1])
    rise = q[:, 2] - p[:, 2]
    height = float(np.ptp(p[:, 2]))
    breaks = np.unique(np.concatenate([p[:, 2], q[:, 2]]))
    breaks = breaks[np.concatenate([[True], np.diff(breaks) > 1e-10 * max(height, 1.0)])]
    if len(breaks) < 2:
        raise Refusal("a dip curve needs a shell with some height; this one is flat")
    live = (across > 1e-12) & (np.abs(rise) > 1e-12)
    p, rise, slope = p[live], rise[live], (q[live] - p[live]) / rise[live, None]
    u = normal[live, :2] / across[live, None]
    t = np.column_stack([-u[:, 1], u[:, 0]])
    low, high = np.minimum(p[:, 2], p[:, 2] + rise), np.maximum(p[:, 2], p[:, 2] + rise)
    mid = (breaks[:-1] + breaks[1:]) / 2
    first, last = np.searchsorted(mid, low, side="right"), np.searchsorted(mid, high, side="left")
    spans = np.maximum(last - first, 0)
    edge = np.repeat(np.arange(len(p)), spans)
    level = np.arange(len(edge)) - np.repeat(np.cumsum(spans) - spans, spans) + first[edge]
    start = (breaks[level] - p[edge, 2])[:, None] * slope[edge, :2] + (p[edge, :2] - base)
    a0, b0 = (start * u[edge]).sum(axis=1), (start * t[edge]).sum(axis=1)
    a1, b1 = (slope[:, :2] * u).sum(axis=1)[edge], (slope[:, :2] * t).sum(axis=1)[edge]
    sign = 0.5 * np.sign(rise)[edge]
    count = len(mid)
    area: Array = np.stack([np.bincount(level, sign * part, count) for part in (a1 * b1, a0 * b1 + a1 * b0, a0 * b0)])
    return DipCurve(Pieces(area, breaks).antiderivative())


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
    return DipCurve(Pieces(total, breaks))


def ramps(parts: list[tuple[float, float, float]]) -> DipCurve:
    """The sum of (low mm, high mm, volume mm3) parts that each fill evenly between two levels: small parts whose exact
    shape does not matter, such as the rounding of bends."""
    rows = np.array([(low, max(high, low + 1e-6), volume) for low, high, volume in parts])
    low, high, volume = rows.T
    breaks = np.unique(np.concatenate([low, high]))
    inside = (low[:, None] <= breaks[:-1]) & (breaks[1:] <= high[:, None])
    slope = ((volume / (high - low))[:, None] * inside).sum(axis=0)
    start = np.concatenate([[0.0], np.cumsum(slope * np.diff(breaks))[:-1]])
    return DipCurve(Pieces(np.stack([slope, start]), breaks))


def volume_below(half_edges: tuple[Array, Array, Array], level_mm: float) -> float:
    """Volume (mm3) of a closed soup below one level, without building its curve: each edge's quadratic integrated."""
    p, q, normal = half_edges
    across = np.sqrt(normal[:, 0] ** 2 + normal[:, 1] ** 2)
    rise = q[:, 2] - p[:, 2]
    live = (across > 1e-12) & (np.abs(rise) > 1e-12)
    p, q, rise, normal, across = p[live], q[live], rise[live], normal[live], across[live]
    base = p[:, :2].mean(axis=0)
    ux, uy = normal[:, 0] / across, normal[:, 1] / across
    x, y = p[:, 0] - base[0], p[:, 1] - base[1]
    dx, dy = (q[:, 0] - p[:, 0]) / rise, (q[:, 1] - p[:, 1]) / rise
    low = np.minimum(p[:, 2], q[:, 2])
    high = np.minimum(np.maximum(p[:, 2], q[:, 2]), level_mm)
    a0, a1 = x * ux + y * uy, dx * ux + dy * uy
    b0, b1 = y * ux - x * uy, dy * ux - dx * uy
    s0, s1 = low - p[:, 2], np.maximum(high, low) - p[:, 2]
    integral = a0 * b0 * (s1 - s0) + (a0 * b1 + a1 * b0) * (s1**2 - s0**2) / 2 + a1 * b1 * (s1**3 - s0**3) / 3
    return float(0.5 * (np.sign(rise) * integral).sum())


def prism(outline: Array, axis: int, low_mm: float, high_mm: float) -> tuple[Array, Array, Array]:
    """Half-edges (p, q, normal), each (m, 3), of a flat outline carried along an axis.

    Args:
        outline: (n, 2) in (across, up), counter-clockwise.
        axis: 0 along x, 1 along y.
        low_mm: where it begins.
        high_mm: where it ends.

    >>> plate = prism(np.array([[0.0, 0.0], [100.0, 0.0], [100.0, 50.0], [0.0, 50.0]]), 0, 10.0, 13.0)
    >>> round(volume_below(plate, 1000.0), 6), round(volume_below(plate, 25.0), 6)
    (15000.0, 7500.0)
    """
    n = len(outline)

    def at(points: Array, place: float) -> Array:
        out = np.empty((len(points), 3))
        out[:, axis], out[:, 1 - axis], out[:, 2] = place, points[:, 0], points[:, 1]
        return out

    after = following(outline)
    along = after - outline
    length = np.sqrt((along**2).sum(axis=1))
    out = np.zeros((n, 3))
    out[:, 1 - axis], out[:, 2] = along[:, 1] / length, -along[:, 0] / length
    # Seen against the axis, (across, up) turns clockwise for y and counter-clockwise for x.
    first, last = (low_mm, high_mm) if axis == 0 else (high_mm, low_mm)
    a, b, c, d = at(outline, first), at(after, first), at(after, last), at(outline, last)
    face = np.zeros((n, 3))
    face[:, axis] = 1.0 if axis == 0 else -1.0
    p = np.concatenate([a, b, c, d, d, b])
    q = np.concatenate([b, c, d, a, c, a])
    normal = np.concatenate([out, out, out, out, face, -face])
    return p, q, normal
