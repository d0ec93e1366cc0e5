"""A measured wall as a surface of its own: a grid of points along and round, straight between them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from bathyx.core.geometry.shell import Arc, Array, CurvedFace


@dataclass(frozen=True, eq=False)
class Measured:
    """Points `grid` (m, n, 3): m sections along x, n places round each from the top of the left side down and up to the top of the
    right. u runs along x from the first section, v round the middle section's girth."""

    grid: Array

    @property
    def kind(self) -> str:
        """Always `hull`: its shape is given, no sheet is cut for it."""
        return "hull"

    @cached_property
    def girth(self) -> Array:
        """(n,) v of each place round, mm at the middle section."""
        ring = self.grid[len(self.grid) // 2]
        return np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(ring, axis=0), axis=1))])

    @property
    def _xs(self) -> Array:
        return np.asarray(self.grid[:, 0, 0])

    def _spots(self, u: Array, v: Array) -> tuple[Any, Any, Any, Any]:
        """(section, share to the next, place round, share to the next) of places (k,)."""
        x = u + self._xs[0]
        i = np.clip(np.searchsorted(self._xs, x) - 1, 0, len(self._xs) - 2)
        k = np.clip(np.searchsorted(self.girth, v) - 1, 0, len(self.girth) - 2)
        f = np.clip((x - self._xs[i]) / (self._xs[i + 1] - self._xs[i]), 0, 1)
        g = np.clip((v - self.girth[k]) / np.maximum(self.girth[k + 1] - self.girth[k], 1e-9), 0, 1)
        return i, f, k, g

    def points(self, uv: Array) -> Array:
        """Points at places (n, 2), (n, 3)."""
        i, f, k, g = self._spots(uv[:, 0], uv[:, 1])
        f, g = f[:, None], g[:, None]
        near = self.grid[i, k] * (1 - g) + self.grid[i, k + 1] * g
        far = self.grid[i + 1, k] * (1 - g) + self.grid[i + 1, k + 1] * g
        return np.asarray(near * (1 - f) + far * f)

    def uv(self, points: Array) -> Array:
        """Places (n, 2) of points: the nearest place round the section at their x."""
        i, f, _, _ = self._spots(points[:, 0] - self._xs[0], np.zeros(len(points)))
        ring = self.grid[i] * (1 - f)[:, None, None] + self.grid[i + 1] * f[:, None, None]
        a, d = ring[:, :-1], np.diff(ring, axis=1)
        share = np.clip(((points[:, None] - a) * d).sum(axis=2) / np.maximum((d * d).sum(axis=2), 1e-12), 0, 1)
        away = np.linalg.norm(a + share[..., None] * d - points[:, None], axis=2)
        rows, k = np.arange(len(points)), away.argmin(axis=1)
        v = self.girth[k] + share[rows, k] * (self.girth[k + 1] - self.girth[k])
        return np.column_stack([points[:, 0] - self._xs[0], v])

    def tangents(self, point: Array) -> tuple[Array, Array]:
        """Along, and round, at right angles."""
        place = self.uv(point[None])
        i, f, k, g = (part[0] for part in self._spots(place[:, 0], place[:, 1]))
        along = (self.grid[i + 1, k] - self.grid[i, k]) * (1 - g) + (self.grid[i + 1, k + 1] - self.grid[i, k + 1]) * g
        round_ = (self.grid[i, k + 1] - self.grid[i, k]) * (1 - f) + (self.grid[i + 1, k + 1] - self.grid[i + 1, k]) * f
        along = along / np.linalg.norm(along)
        size = float(np.linalg.norm(round_))
        round_ = round_ / size if size > 1e-9 else np.array([0.0, 1.0, 0.0])
        round_ = round_ - along * (along @ round_)
        return along, round_ / np.linalg.norm(round_)

    def normal_at(self, point: Array) -> Array:
        """Unit normal out of the tank."""
        along, round_ = self.tangents(point)
        n = np.cross(round_, along)
        return np.asarray(n / np.linalg.norm(n))

    def arc(self, points: Array) -> Arc | None:
        """None: its borders run as they were measured."""
        return None


def hull_face(name: str, grid: Array) -> CurvedFace:
    """The face of a grid (m, n, 3), from the top left round below to the top right in each section, front to rear."""
    m, n = grid.shape[:2]
    loop = np.concatenate([grid[0], grid[1:, -1], grid[-1, -2::-1], grid[-2:0:-1, 0]])
    a, b, c, d = grid[:-1, :-1], grid[:-1, 1:], grid[1:, 1:], grid[1:, :-1]
    first = np.stack([a, b, c], axis=2).reshape(-1, 3, 3)
    second = np.stack([a, c, d], axis=2).reshape(-1, 3, 3)
    facets = np.concatenate([first, second])
    size = np.linalg.norm(np.cross(facets[:, 1] - facets[:, 0], facets[:, 2] - facets[:, 0]), axis=1)
    facets = facets[size > 1e-9]
    surface = Measured(grid)
    along = grid[:, 0, 0] - grid[0, 0, 0]
    u = np.concatenate([np.zeros(n), along[1:], np.full(n - 1, along[-1]), along[-2:0:-1]])
    v = np.concatenate([surface.girth, np.full(m - 1, surface.girth[-1]), surface.girth[-2::-1], np.zeros(m - 2)])
    return CurvedFace(
        name, loop, name, "wall", surface=surface, pieces=(facets,), true_area_mm2=float(size.sum() / 2),
        outline_uv=np.column_stack([u, v]),
    )  # fmt: skip
