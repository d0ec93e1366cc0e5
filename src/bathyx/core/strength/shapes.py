"""The panels that baffles leave of a face, as what they are: rectangles, or other shapes with an equal rectangle.

A shape that is no rectangle is solved by itself, clamped, by finite differences on a grid; the rectangle with the same
proportions that bulges as much in small deflection stands for it in the table of large deflections.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import shapely
from shapely.geometry import Polygon, box

from bathyx.core.formula import formula
from bathyx.core.geometry.outline import polygon_area
from bathyx.core.geometry.shell import Array, CurvedFace, Face
from bathyx.core.inside.baffles import AXIS_INDEX, Baffle

SHAPE = formula(
    "strength.shape",
    "Panel that is no rectangle",
    "∇⁴w = q/D, clamped, by finite differences; a rectangle of the same proportions with the same bulge",
    source="13-point biharmonic, e.g. Timoshenko & Woinowsky-Krieger, art. 83; scaled by the same grid's error on the "
    "rectangle round it",
    valid="any outline without holes; small deflection decides the equal rectangle",
    check="tests/outside/test_plate_tables.py: an L, a triangle and a circle",
    tolerance="bulge 10 % (engineering estimate)",
)
GRID, FINENESS = 16, 30


@dataclass(frozen=True)
class PanelShape:
    """A panel: sides (mm) of the rectangle that stands for it, whether it is one, and its own area (mm2)."""

    short_mm: float
    long_mm: float
    rectangular: bool
    area_mm2: float


@dataclass(frozen=True)
class Level:
    """A level line across upright walls, mm."""

    at_mm: float
    axis: str = "z"


AXES, UPRIGHT = {**AXIS_INDEX, "z": 2}, 1e-3


def strips_of(face: Face | CurvedFace, foot: float, bands: Sequence[float]) -> tuple[tuple[float, float], ...]:
    """(from, to) heights of the strips that bands leave of an upright flat face, mm, the lowest first; nothing where none is.

    Args:
        face: of the inside.
        foot: the tank's lowest, mm.
        bands: heights over that, mm.
    """
    if isinstance(face, CurvedFace) or abs(float(face.normal[2])) > UPRIGHT:
        return ()
    z = np.asarray(face.loop)[:, 2]
    low, top = float(z.min()), float(z.max())
    at = sorted(foot + h for h in bands if low + 1 < foot + h < top - 1)
    return tuple(itertools.pairwise((low, *at, top))) if at else ()


def in_strips(
    shapes: Sequence[PanelShape], strips: Sequence[tuple[float, float]]
) -> list[tuple[PanelShape, tuple[float, float]]]:
    """Panels of a face, each cut into its strips; nothing where one is no rectangle as high as the face.

    Args:
        shapes: without bands.
        strips: `strips_of` the face.
    """
    high = strips[-1][1] - strips[0][0]
    found = []
    for shape in shapes:
        wide = [
            a for a, b in ((shape.long_mm, shape.short_mm), (shape.short_mm, shape.long_mm)) if abs(b - high) < 1e-3
        ]
        if not (shape.rectangular and wide):
            return []
        found += [(_sides(wide[0], b - a, True, wide[0] * (b - a)), (a, b)) for a, b in strips]
    return found


def panels_of(face: Face, baffles: Sequence[Baffle | Level]) -> tuple[PanelShape, ...]:
    """The panels that the baffles leave of a face, in no particular order."""
    _, u, v = face.frame
    outline = face.outline
    low, high = outline.min(axis=0), outline.max(axis=0)
    cuts: list[list[float]] = []
    for k, direction in enumerate((u, v)):
        axis = int(np.argmax(np.abs(direction)))
        slope = float(direction[axis])
        base = float(face.frame[0][axis])
        stops = [float(low[k]), float(high[k])]
        for baffle in baffles:
            if AXES[baffle.axis] == axis and abs(slope) > 1e-6:
                at = (baffle.at_mm - base) / slope
                if low[k] + 1 < at < high[k] - 1:
                    stops.append(at)
        cuts.append(sorted(stops))
    cells = itertools.product(itertools.pairwise(cuts[0]), itertools.pairwise(cuts[1]))
    if _square_to_frame(outline, low, high):
        return tuple(_sides(b - a, d - c, True, (b - a) * (d - c)) for (a, b), (c, d) in cells)
    whole = Polygon(outline)
    found = []
    for (a, b), (c, d) in cells:
        part = whole.intersection(box(a, c, b, d))
        for piece in getattr(part, "geoms", [part]):
            if piece.geom_type == "Polygon" and piece.area > 25:
                found.append(_shape(piece))
    return tuple(found)


def _sides(a: float, b: float, rectangular: bool, area: float) -> PanelShape:
    short, long = sorted((a, b))
    return PanelShape(float(short), float(long), rectangular, float(area))


def _square_to_frame(outline: Array, low: Array, high: Array) -> bool:
    """Whether an outline is the whole of the box round it."""
    area = float((high - low).prod())
    return abs(abs(polygon_area(outline)) - area) < 1e-6 * area


def _rectangle(shape: Polygon) -> tuple[float, float] | None:
    """Sides of the shape when it is a rectangle."""
    around = shape.minimum_rotated_rectangle
    if around.geom_type != "Polygon" or shape.area < around.area * (1 - 1e-6):
        return None
    p = np.array(around.exterior.coords)
    return float(np.hypot(*(p[1] - p[0]))), float(np.hypot(*(p[2] - p[1])))


def _shape(shape: Polygon) -> PanelShape:
    sides = _rectangle(shape)
    if sides is not None:
        return _sides(*sides, True, shape.area)
    around = np.array(shape.minimum_rotated_rectangle.exterior.coords)
    a, b = float(np.hypot(*(around[1] - around[0]))), float(np.hypot(*(around[2] - around[1])))
    turn = np.arctan2(*(around[1] - around[0])[::-1])
    c, s = np.cos(-turn), np.sin(-turn)
    points = (np.array(shape.exterior.coords)[:-1] - around[0]) @ np.array([[c, s], [-s, c]])
    points -= points.min(axis=0)
    scale = equal_scale(_canonical(points))
    return _sides(a * scale, b * scale, False, shape.area)


def _canonical(points: Array) -> tuple[tuple[float, float], ...]:
    """The shape in thirtieths of its longer side, the same for its mirror image, so that like shapes are solved once."""
    size = points.max(axis=0)
    unit = float(size.max()) / FINENESS
    found = []
    for mirrored in (points, np.column_stack([size[0] - points[:, 0], points[:, 1]])[::-1]):
        rounded = [(float(round(x / unit)), float(round(y / unit))) for x, y in mirrored.tolist()]
        start = rounded.index(min(rounded))
        found.append(tuple(rounded[start:] + rounded[:start]))
    return min(found)


@lru_cache(maxsize=256)
def equal_scale(points: tuple[tuple[float, float], ...]) -> float:
    """By how much the rectangle round a clamped polygon shrinks until it bulges as little as the polygon, 0 to 1.

    `points`: corners (x, y) inside the rectangle from (0, 0), in any unit.
    """
    corners = np.array(points)
    width, height = (float(x) for x in corners.max(axis=0))
    if min(width, height) <= 0:
        return 1.0  # a sliver: its own box, which is as narrow as it is
    step = min(width, height) / GRID
    nx, ny = max(6, round(width / step)), max(6, round(height / step))
    hx, hy = width / nx, height / ny
    xs, ys = (np.arange(nx) + 0.5) * hx, (np.arange(ny) + 0.5) * hy
    gx, gy = np.meshgrid(xs, ys, indexing="ij")
    inside = shapely.contains_xy(Polygon(corners), gx.ravel(), gy.ravel()).reshape(gx.shape)
    if not inside.any():
        return 0.2
    own = _clamped_bulge(inside, hx, hy)
    return float(min(1.0, (own / _rectangle_bulge(nx, ny, hx, hy)) ** 0.25))


@lru_cache(maxsize=64)
def _rectangle_bulge(nx: int, ny: int, hx: float, hy: float) -> float:
    return _clamped_bulge(np.ones((nx, ny), dtype=bool), hx, hy)


def _clamped_bulge(inside: np.ndarray[tuple[int, ...], np.dtype[np.bool_]], hx: float, hy: float) -> float:
    """Largest w of the biharmonic equation with unit load on the cells that are inside, zero outside."""
    from scipy.sparse import diags_array, eye_array, kron
    from scipy.sparse.linalg import spsolve

    nx, ny = inside.shape

    def second(n: int, h: float) -> object:
        return diags_array([np.ones(n - 1), -2 * np.ones(n), np.ones(n - 1)], offsets=[-1, 0, 1]) / h**2

    pad = np.pad(inside, 2)
    laplace = kron(second(nx + 4, hx), eye_array(ny + 4)) + kron(eye_array(nx + 4), second(ny + 4, hy))
    matrix = (laplace @ laplace).tocsr()
    live = np.flatnonzero(pad.ravel())
    w = spsolve(matrix[live][:, live].tocsc(), np.ones(len(live)))
    return float(np.max(w))
