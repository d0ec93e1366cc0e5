"""The walls of a measured space as cross sections: at each distance along, the left and the right wall at rising heights.

Between two sections and two heights the wall is the ruled patch through its four corners, split into triangles where a mesh is
asked for.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt

if TYPE_CHECKING:
    from bathyx.core.space.room import Clearance

Array = npt.NDArray[np.float64]
WALLS = ("left side", "right side", "floor", "roof", "front", "rear")


@dataclass(frozen=True, eq=False)
class Cavity:
    """`xs` (m,) rising; `low`, `high` (m,) heights of floor or keel and of the top; `left`, `right` (m, n): y of the walls at n
    heights spread evenly from low to high. All mm."""

    xs: Array
    low: Array
    high: Array
    left: Array
    right: Array

    @property
    def bounds(self) -> tuple[Array, Array]:
        """Lowest and highest x, y, z, each (3,)."""
        return (
            np.array([self.xs[0], self.left.min(), self.low.min()]),
            np.array([self.xs[-1], self.right.max(), self.high.max()]),
        )

    @cached_property
    def shares(self) -> Array:
        """The heights' shares, (n,), 0 at the low line and 1 at the top."""
        return np.linspace(0.0, 1.0, self.left.shape[1])

    def heights(self, i: int) -> Array:
        """z of the rows of section `i`, (n,)."""
        return np.asarray(self.low[i] + self.shares * (self.high[i] - self.low[i]))

    def around(self, x: Array, z: Array) -> tuple[Array, Array, Array, Array]:
        """(left y, right y, low z, high z), each (k,), at places (x, z), each (k,); those of the nearest place in it outside."""
        i = np.clip(np.searchsorted(self.xs, x) - 1, 0, len(self.xs) - 2)
        f = np.clip((x - self.xs[i]) / (self.xs[i + 1] - self.xs[i]), 0.0, 1.0)
        low = self.low[i] * (1 - f) + self.low[i + 1] * f
        high = self.high[i] * (1 - f) + self.high[i + 1] * f
        n = self.left.shape[1]
        t = np.clip((z - low) / np.maximum(high - low, 1e-9), 0.0, 1.0) * (n - 1)
        k = np.minimum(t.astype(int), n - 2)
        g = t - k

        def mixed(side: Array) -> Array:
            near = side[i, k] * (1 - g) + side[i, k + 1] * g
            far = side[i + 1, k] * (1 - g) + side[i + 1, k + 1] * g
            return np.asarray(near * (1 - f) + far * f)

        return mixed(self.left), mixed(self.right), low, high

    def room_at(self, points: Array) -> Array:
        """(k, 6) how far points (k, 3) lie inside, mm along the axes, from the walls in the order of WALLS; negative outside."""
        x, y, z = points.T
        left, right, low, high = self.around(x, z)
        return np.column_stack([y - left, right - y, z - low, high - z, x - self.xs[0], self.xs[-1] - x])

    @cached_property
    def mesh(self) -> dict[str, Array]:
        """Triangles (k, 3, 3) of each wall by name; normals point into the space."""
        n = self.left.shape[1]
        x = np.repeat(self.xs[:, None], n, axis=1)
        z = self.low[:, None] + self.shares * (self.high - self.low)[:, None]
        left, right = np.stack([x, self.left, z], axis=2), np.stack([x, self.right, z], axis=2)

        def patch(a: Array, b: Array, c: Array, d: Array) -> Array:
            quads = np.stack([a, b, c, d], axis=-2).reshape(-1, 4, 3)
            return np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]])

        def side(grid: Array) -> Array:
            return patch(grid[:-1, :-1], grid[1:, :-1], grid[1:, 1:], grid[:-1, 1:])

        found = {
            "left side": side(left)[:, ::-1],
            "right side": side(right),
            "floor": patch(left[:-1, 0], left[1:, 0], right[1:, 0], right[:-1, 0]),
            "roof": patch(left[:-1, -1], right[:-1, -1], right[1:, -1], left[1:, -1]),
            "front": patch(left[0, :-1], right[0, :-1], right[0, 1:], left[0, 1:]),
            "rear": patch(left[-1, :-1], left[-1, 1:], right[-1, 1:], right[-1, :-1]),
        }
        return {name: _with_area(triangles) for name, triangles in found.items()}

    @property
    def volume_mm3(self) -> float:
        """What it holds: sections are quadratic between two of them, so three are exact (prismatoid formula)."""
        wide, high = self.right - self.left, self.high - self.low

        def area(width: Array, height: Array) -> Array:
            return np.asarray((width[:, 1:] + width[:, :-1]).sum(axis=1) / 2 * height / (width.shape[1] - 1))

        ends = area(wide, high)
        middle = area((wide[1:] + wide[:-1]) / 2, (high[1:] + high[:-1]) / 2)
        return float(((ends[:-1] + 4 * middle + ends[1:]) * np.diff(self.xs) / 6).sum())

    def cut(self, axis: int, at_mm: float, keep_above: bool) -> Cavity | None:
        """What lies on one side of an upright or level plane; None where that is nothing.

        Args:
            axis: 0, 1 or 2 for x, y, z.
            at_mm: where the plane crosses it.
            keep_above: the side of larger values.
        """
        xs, low, high, left, right = self.xs, self.low, self.high, self.left, self.right
        if axis == 0:
            a, b = (
                (max(at_mm, float(xs[0])), float(xs[-1])) if keep_above else (float(xs[0]), min(at_mm, float(xs[-1])))
            )
            if b - a < 1:
                return None
            return self._resampled(np.unique(np.clip(np.append(xs, [a, b]), a, b)))
        if axis == 1:
            if keep_above:
                left, right = np.maximum(left, at_mm), np.maximum(right, at_mm)
            else:
                left, right = np.minimum(left, at_mm), np.minimum(right, at_mm)
            return Cavity(xs, low, high, left, right) if (right - left).max() > 1 else None
        bottom, top = (np.maximum(low, at_mm), high) if keep_above else (low, np.minimum(high, at_mm))
        if (top - bottom).min() < 1:
            return None
        return self._resampled(xs, bottom, top)

    def thinned(self, most: int) -> Cavity:
        """The cavity at no more than `most` of its sections."""
        keep = np.unique(np.linspace(0, len(self.xs) - 1, most).round().astype(int))
        return Cavity(self.xs[keep], self.low[keep], self.high[keep], self.left[keep], self.right[keep])

    def _resampled(self, xs: Array, low: Array | None = None, high: Array | None = None) -> Cavity:
        """Its walls at other sections and between other heights."""
        low = np.interp(xs, self.xs, self.low) if low is None else low
        high = np.interp(xs, self.xs, self.high) if high is None else high
        z = low[:, None] + self.shares * (high - low)[:, None]
        left, right, _, _ = self.around(np.repeat(xs, z.shape[1]), z.ravel())
        return Cavity(xs, low, high, left.reshape(z.shape), right.reshape(z.shape))

    def inner(self, clear: Clearance, more_mm: float = 0.0) -> Cavity | None:
        """The cavity less its clearances, kept square to leaning and curved walls; None where nothing is left.

        Args:
            clear: what is kept off each side.
            more_mm: comes off all round besides.

        In each section exactly; along, as a wall that runs off as it does there.
        """
        x0, x1 = self.xs[0] + clear.front_mm + more_mm, self.xs[-1] - clear.rear_mm - more_mm
        if x1 - x0 < 1:
            return None
        here = self._resampled(np.unique(np.clip(np.concatenate([[x0], self.xs, [x1]]), x0, x1)))
        slopes = [
            np.gradient(wall, here.xs, axis=0)
            for wall in (here.left, here.right, here.low[:, None], here.high[:, None])
        ]
        asked = (clear.left_mm, clear.right_mm, clear.below_mm, clear.above_mm)
        off = [
            (mm + more_mm) * np.sqrt(1 + np.abs(slope).max(axis=1) ** 2)
            for mm, slope in zip(asked, slopes, strict=True)
        ]
        found = [
            _eroded(here.left[i], here.right[i], here.heights(i), [float(o[i]) for o in off])
            for i in range(len(here.xs))
        ]
        a, b = _longest_run([row is not None for row in found])
        if b - a < 2:
            return None
        low, high, left, right = (np.array(part) for part in zip(*(row for row in found[a:b] if row), strict=True))
        return Cavity(here.xs[a:b], low, high, left, right)


def _longest_run(there: list[bool]) -> tuple[int, int]:
    """(first, after last) of the longest run of what is there: a pointed end leaves nothing at its tip."""
    best = start = 0
    until = 0
    for k, is_there in enumerate([*there, False]):
        if is_there:
            continue
        if k - start > until - best:
            best, until = start, k
        start = k + 1
    return best, until


def _eroded(left: Array, right: Array, z: Array, off: list[float]) -> tuple[float, float, Array, Array] | None:
    """(low, high, left, right) of what a section leaves `off` its left wall, right wall, floor and roof; None where nothing."""
    from shapely import LineString, Polygon, bounds, intersection, linestrings

    if float((right - left).max()) < 1:
        return None
    walls = [np.column_stack([left, z]), np.column_stack([right, z])]
    for k in (0, -1):
        if right[k] - left[k] > 1e-6:
            walls.append(np.array([[left[k], z[k]], [right[k], z[k]]]))
        else:
            walls.append(np.array([[left[k] - 1e-6, z[k]], [right[k] + 1e-6, z[k]]]))
    area = Polygon(np.concatenate([walls[0], walls[1][::-1]])).buffer(0)
    for wall, by in zip(walls, off, strict=True):
        if by > 0:
            area = area.difference(LineString(wall).buffer(by, quad_segs=16))
    area = max(getattr(area, "geoms", [area]), key=lambda part: part.area)
    if area.is_empty or area.area < 1:
        return None
    y0, low, y1, high = area.bounds
    rows = low + np.linspace(0.0, 1.0, len(z)) * (high - low)
    cuts = np.clip(rows, low + 1e-7, high - 1e-7)
    across = linestrings([[(y0 - 1, c), (y1 + 1, c)] for c in cuts])
    found = bounds(intersection(area, across))
    return low, high, found[:, 0], found[:, 2]


def _with_area(triangles: Array) -> Array:
    across = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    return np.asarray(triangles[np.linalg.norm(across, axis=1) > 1e-9])


def straight_cavity(corners: Array) -> Cavity:
    """The cavity of a hole of eight corners (8, 3): front then rear, left then right, low then high in each. Its ends stand
    upright where the corners of each come furthest in.

    >>> box = np.array([[x, y, z] for x in (0, 600) for y in (0, 400) for z in (0, 300)], float)
    >>> round(straight_cavity(box).volume_mm3)
    72000000
    """
    front, rear = corners[:4].reshape(2, 2, 3), corners[4:].reshape(2, 2, 3)
    xs = np.array([front[..., 0].max(), rear[..., 0].min()])
    # The walls run straight from front to rear: each line of corners is cut at both ends.
    share = (xs[:, None, None] - front[None, ..., 0]) / (rear[..., 0] - front[..., 0])[None]
    spots = front[None] + share[..., None] * (rear - front)[None]
    low, high = spots[:, :, 0, 2].max(axis=1), spots[:, :, 1, 2].min(axis=1)
    return Cavity(xs, low, high, spots[:, 0, :, 1], spots[:, 1, :, 1])
