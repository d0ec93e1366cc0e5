"""A cloud of points: strays left out, its noise found, and the wall at a place, never further out than its points bear out."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from bathyx.core.formula import formula

Array = npt.NDArray[np.float64]
WALL = formula(
    "space.cloud",
    "Wall at a place of a cloud",
    "the nearest sheet of points that face the middle: a plane, or a quadric where they lie on all sides of the place, through "
    "those nearby; no further out than what half of them tell by their own tangent planes (three quarters where it is curved), "
    "nor, where it does not fit them, than those over or those under it; then in by a standard error",
    source="Principal components of neighbours (Hoppe et al. 1992), moving least squares (Lancaster & Salkauskas 1981), memory",
    valid="eight points and more in a patch of a fiftieth of the length; one whose neighbours are four times as far as usual is "
    "a stray and left out",
    check="tests/outside/test_scans.py: clouds of hulls, boxes and chines in closed form, with noise, strays, ends and gaps",
    tolerance="outward no more than the noise that is told (two standard deviations) and 1 mm; inward at edges half a patch",
)
NEIGHBOURS, STRAY, MOST_NORMALS = 8, 4.0, 150_000
LEVEL, AHEAD = 0.985, 0.8  # a point that faces up or down, or along, is no wall
ROUND, LEAST_ROUND, MOST_IN_PATCH = 24, 8, 900


@dataclass(frozen=True, eq=False)
class Cloud:
    """Points (n, 3) mm of surfaces, without strays."""

    points: Array

    @cached_property
    def facing(self) -> tuple[Array, float]:
        """(the normal (n, 3) of the surface at each point, the noise in mm: one standard deviation off it)."""
        return _facing(self.points)

    @property
    def noise_mm(self) -> float:
        """One standard deviation of its points off the surface they lie on."""
        return self.facing[1]


def cleaned(points: Array) -> tuple[Array, int]:
    """(points (n, 3) without strays, how many those were): those whose eighth neighbour is more than four times as far as usual."""
    from scipy.spatial import cKDTree

    few = points
    if len(points) > MOST_NORMALS:
        few = points[np.sort(np.random.default_rng(2).choice(len(points), MOST_NORMALS, replace=False))]
    tree = cKDTree(few)
    k = min(NEIGHBOURS + 1, len(few))
    usual = float(np.median(tree.query(few, k=k)[0][:, -1]))
    far = tree.query(points, k=k)[0][:, -1]
    keep = far <= STRAY * max(usual, 1e-9)
    return (points[keep], int((~keep).sum())) if keep.sum() >= len(points) / 2 else (points, 0)


def one_a_cell(points: Array, low: Array, cell: float) -> npt.NDArray[np.int64]:
    """Places in (n, 3) points of the first in each cell of a grid of `cell` mm from `low`."""
    at = np.floor((points - low) / cell).astype(np.int64)
    wide = at.max(axis=0) + 1
    _, first = np.unique((at[:, 0] * wide[1] + at[:, 1]) * wide[2] + at[:, 2], return_index=True)
    return np.asarray(first, np.int64)


def _facing(points: Array) -> tuple[Array, float]:
    """Normals (n, 3) and noise: patches are made wider until they are four times as wide as they are thick."""
    from scipy.spatial import cKDTree

    rng = np.random.default_rng(3)
    size = float(np.ptp(points, axis=0).max())
    for wide in size * np.array([0.01, 0.02, 0.04, 0.06]):
        cell = wide / 3
        first = one_a_cell(points, points.min(axis=0), cell)
        few = points[rng.permutation(first)]
        tree = cKDTree(few)
        _, near = tree.query(few, k=min(ROUND, len(few)))
        spread = few[near] - few[near].mean(axis=1, keepdims=True)
        values, ways = np.linalg.eigh(np.einsum("nki,nkj->nij", spread, spread) / near.shape[1])
        thick, broad = np.sqrt(np.maximum(np.median(values[:, 0]), 0)), np.sqrt(np.median(values[:, 1]))
        if broad > 4 * thick:
            break
    _, own = tree.query(points)
    return np.asarray(ways[own, :, 0]), float(thick)


def wall_mm(near: Array, facing: Array, way: float, reach: tuple[float, float], noise: float) -> float | None:
    """The offset of a wall at (0, 0), mm; None where too few points tell it.

    Args:
        near: (n, 3) points round the place: along, off the middle, up.
        facing: (n, 3) normals of the surface there.
        way: -1 left, 1 right.
        reach: how far along and up a patch goes, mm.
        noise: of the points, mm.
    """
    side = np.abs(facing[:, 1])
    wall = (np.abs(facing[:, 2]) < LEVEL) & (np.abs(facing[:, 0]) < AHEAD) & (side > 0.1)
    if wall.sum() < LEAST_ROUND:
        return None
    kept = np.flatnonzero(wall)
    if len(kept) > MOST_IN_PATCH:  # more tell no better than these
        kept = kept[np.linspace(0, len(kept) - 1, MOST_IN_PATCH).astype(int)]
    spots, n = near[kept], facing[kept]
    along, up, y = spots[:, 0], spots[:, 2], way * spots[:, 1]
    # What each tells of the place by its own tangent plane: points of one sheet agree, however it leans.
    told = y + way * (n[:, 0] * along + n[:, 2] * up) / n[:, 1]
    mine = _nearest_sheet(told, max(4 * noise, 2.0))
    if mine.sum() < LEAST_ROUND:
        return None
    along, up, y, told = along[mine] / reach[0], up[mine] / reach[1], y[mine], told[mine]
    if np.abs(np.median(up)) > 0.5 or np.abs(np.median(along)) > 0.6:
        return None  # all of them to one side: nothing was seen here
    whole, error, off, curved = _fit(along, up, y, curved=True)
    found = min(whole, float(np.quantile(told, 0.75 if curved else 0.5)) + max(noise, 0.5))
    if off > 1.5 * noise + 0.1:  # more than noise: a knuckle is near, and the lesser of its two sides is the wall
        for half in (up < 0, up > 0):
            if half.sum() >= 2 * LEAST_ROUND:
                part, own, *_ = _fit(along[half], up[half], y[half], curved=False)
                found = part if part < found - 3 * math.hypot(own, error) else found
    low, high = np.quantile(told, (0.02, 0.98))
    # Drawn in by what it may be wrong: a wall is never promised further out than its points bear out.
    found = float(np.clip(found, low - noise, high + noise)) - error
    return found if found >= 0 else None


def _nearest_sheet(told: Array, band: float) -> npt.NDArray[np.bool_]:
    """Which belong to the sheet nearest to the middle that a fifth of them lie on, within a band."""
    order = np.sort(told)
    ahead = np.searchsorted(order, order + 2 * band, side="right") - np.arange(len(order))
    enough = max(LEAST_ROUND, len(order) // 5)
    first = int(np.argmax(ahead >= enough)) if (ahead >= enough).any() else int(np.argmax(ahead))
    # From its first point on, the densest band there.
    window = (order >= order[first]) & (order <= order[first] + 2 * band)
    centre = float(np.median(order[window]))
    return np.abs(told - centre) <= 1.5 * band


def _fit(along: Array, up: Array, y: Array, *, curved: bool) -> tuple[float, float, float, bool]:
    """(value at (0, 0), its standard error, how far points lie off it, whether it is curved) of a plane, or a quadric where points
    lie on all sides of the place and `curved` lets it."""
    sides = [min((v < -0.15).mean(), (v > 0.15).mean()) > 0.2 for v in (along, up)]
    # At the last of many points a quadric runs on a little: a wall that turns into its floor does not end in a plane.
    at_rim = len(y) >= 5 * ROUND and float(np.quantile(np.abs(up), 0.05)) < 0.3
    curved = curved and len(y) >= 3 * LEAST_ROUND and sides[0] and (sides[1] or at_rim)
    flat = [np.ones_like(y), along, up]
    basis = np.column_stack([*flat, along**2, along * up, up**2] if curved else flat)
    near = np.exp(-(along**2) - up**2)
    weight, fit, scale = near.copy(), np.zeros(basis.shape[1]), 0.0
    for _ in range(5):
        root = np.sqrt(weight)[:, None]
        fit = np.linalg.lstsq(basis * root, y * root[:, 0], rcond=1e-4)[0]
        off = np.abs(y - basis @ fit)
        scale = max(1.5 * float(np.median(off)), 0.05)
        weight = near / (1 + (off / (2 * scale)) ** 4)
    error = scale / math.sqrt(max(float(weight.sum()), 1.0))
    return float(fit[0]), error * (2.0 if curved else 1.5), scale, curved
