"""The largest lying round body in a cavity, by climbing from several middles."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from bathyx.core.propose.panels import Keep
from bathyx.core.space.cavity import Cavity

Array = npt.NDArray[np.float64]
ANGLES, SECTIONS, LEAST_R_MM = 72, 7, 25.0


@dataclass(frozen=True)
class Drum:
    """The outside of a lying round body: its axis (y, z), radius, and where it begins and ends along; mm."""

    y: float
    z: float
    radius: float
    start: float
    end: float

    def volume_mm3(self, thickness_mm: float) -> float:
        """Inside the sheet, flat ends set on."""
        return math.pi * (self.radius - thickness_mm) ** 2 * (self.end - self.start - 2 * thickness_mm)

    def drawn_in(self, by_mm: float) -> Drum:
        """Smaller all round."""
        return Drum(self.y, self.z, self.radius - by_mm, self.start + by_mm, self.end - by_mm)


def largest_drum(inner: Cavity, low: Array, high: Array, thickness_mm: float, keeps: tuple[Keep, ...]) -> Drum | None:
    """The largest lying round body found; None where none fits.

    Args:
        inner: what the outside may fill.
        low: (3,) corner of a box that fits, to begin in.
        high: (3,) its other corner.
        thickness_mm: of the sheet.
        keeps: what to stay clear of.
    """
    from scipy.optimize import minimize

    size = float(np.linalg.norm(high - low)) / 2
    middle, half = (low + high) / 2, (high - low) / 2
    spots = [_sampled(keep) for keep in keeps]
    best: Drum | None = None

    def room(v: Array) -> Array:
        return _room(inner, Drum(*(v * size).tolist()), keeps, spots, ANGLES) / size

    for along in (-0.4, 0.0, 0.4):
        for share in (0.9, 0.5):
            r = share * min(half[1], half[2])
            sideways = (half[1:] - min(half[1], half[2])) * along / 0.4
            start = (
                np.array([*(middle[1:] + sideways), r, middle[0] - share * half[0], middle[0] + share * half[0]]) / size
            )
            found = minimize(
                lambda v: -Drum(*(v * size).tolist()).volume_mm3(thickness_mm) / size**3,
                start,
                method="SLSQP",
                constraints=[
                    {
                        "type": "ineq",
                        "fun": lambda v: _room(inner, Drum(*(v * size).tolist()), keeps, spots, ANGLES) / size,
                    }
                ],
                options={"maxiter": 60, "ftol": 1e-7},
            )
            drum = _inside(inner, Drum(*(found.x * size).tolist()), keeps, spots)
            if drum is not None and (best is None or drum.volume_mm3(thickness_mm) > best.volume_mm3(thickness_mm)):
                best = drum
    return best


def _inside(inner: Cavity, drum: Drum, keeps: tuple[Keep, ...], spots: list[Array]) -> Drum | None:
    """The drum made smaller by what it stands out; None where that leaves too little."""
    over = -float(_room(inner, drum, keeps, spots, 8 * ANGLES).min())
    if over > 0:
        drum = drum.drawn_in(over * 1.05 + 1e-6)
    if drum.radius < LEAST_R_MM or drum.end - drum.start < 2 * LEAST_R_MM:
        return None
    return drum if float(_room(inner, drum, keeps, spots, 8 * ANGLES).min()) > -1e-3 else None


def _room(inner: Cavity, drum: Drum, keeps: tuple[Keep, ...], spots: list[Array], angles: int) -> Array:
    """Room to the walls round the drum, and to what it has to stay clear of, mm."""
    turn = np.arange(angles) * 2 * math.pi / angles
    y = drum.y + drum.radius * np.cos(turn)
    z = drum.z + drum.radius * np.sin(turn)
    x = np.repeat(np.linspace(drum.start, drum.end, SECTIONS), angles)
    ys, zs = np.tile(y, SECTIONS), np.tile(z, SECTIONS)
    left, right, low, high = inner.around(x, zs)
    ends = [
        drum.start - inner.xs[0],
        inner.xs[-1] - drum.end,
        drum.radius - LEAST_R_MM,
        drum.end - drum.start - LEAST_R_MM,
    ]
    clear = []
    for keep, corners in zip(keeps, spots, strict=True):
        out = np.hypot(corners[:, 1] - drum.y, corners[:, 2] - drum.z) - drum.radius
        along = np.maximum(drum.start - corners[:, 0], corners[:, 0] - drum.end)
        clear.append(float(np.maximum(out, along).min()) - keep.clear_mm)
    return np.concatenate([ys - left, right - ys, zs - low, high - zs, ends, clear])


def _sampled(keep: Keep) -> Array:
    """Places all over a convex thing."""
    from scipy.spatial import ConvexHull

    hull = ConvexHull(keep.corners)
    steps = [(i / 6, j / 6) for i in range(7) for j in range(7 - i)]
    a, b, c = (keep.corners[hull.simplices[:, k]] for k in range(3))
    return np.concatenate([a + (b - a) * s + (c - a) * t for s, t in steps])
