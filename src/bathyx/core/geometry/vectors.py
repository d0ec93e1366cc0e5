"""Arrays of places and directions, and arcs in space: what faces, surfaces and edges are written with."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


def following(points: Array) -> Array:
    """Each point's successor round a loop, same shape; `np.roll` by -1, faster on short loops."""
    return np.concatenate((points[1:], points[:1]))


def cross(a: Array, b: Array) -> Array:
    """Cross product over the last axis; the same as `np.cross` and several times faster on a few vectors."""
    out = np.empty(np.broadcast_shapes(a.shape, b.shape))
    out[..., 0] = a[..., 1] * b[..., 2] - a[..., 2] * b[..., 1]
    out[..., 1] = a[..., 2] * b[..., 0] - a[..., 0] * b[..., 2]
    out[..., 2] = a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0]
    return out


@dataclass(frozen=True, eq=False)
class Arc:
    """A circular arc in space: centre and axis (3,), radius mm, sweep radians (2 pi for a whole rim)."""

    centre: Array
    axis: Array
    radius: float
    sweep: float

    @property
    def length_mm(self) -> float:
        """True length."""
        return self.radius * self.sweep
