"""Double-curved skins from section templates: a fair surface, flattened by least distortion, with the strain that forming takes."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise

import numpy as np
from pydantic import Field, model_validator

from bathyx.core.formula import formula
from bathyx.core.geometry.outline import Outline, polygon_area
from bathyx.core.geometry.shell import Array
from bathyx.core.sheet.flat.blank import Blank, Mark, settled
from bathyx.core.units.frozen import Frozen, checked
from bathyx.core.units.typed import lines_of
from bathyx.errors import Refusal

FLATTENED = formula(
    "sheet.flattened",
    "Flat pattern of a double-curved skin",
    "least ∫ (σ₁ − 1)² + (σ₂ − 1)² dA over all flat shapes, σ the stretches from the skin's middle surface to the flat",
    source="As-rigid-as-possible parameterization, Liu and others, Computer Graphics Forum 27 (2008); the energy is that of an "
    "elastic sheet without Poisson's effect",
    valid="skins through two or more sections, fair between them",
    check="tests/outside/test_formed.py: cylinder and cone without strain, a shallow cap against the elastic disc in closed form",
    tolerance="a grid of some 25 by 40: strains to 5 % of their value; hammer and wheel decide what the metal does",
)
ACROSS, MOST_ALONG, LEAST_STEP_MM, ROUNDS, SETTLED = 25, 41, 1.0, 400, 1e-9
SPARE_MM, HARD_STRAIN, MOST_STRAIN = 12.0, 0.05, 0.3


class Section(Frozen):
    """A section template: where it stands along the skin (mm from the datum), and places on it (across, height) in mm, from left
    to right."""

    at_mm: float = Field(ge=-20_000, le=20_000)
    points: tuple[tuple[float, float], ...] = Field(min_length=2, max_length=60)

    @model_validator(mode="after")
    def _goes_on(self) -> Section:
        spots = np.array(self.points)
        if not (np.abs(spots) <= 20_000).all():
            raise ValueError("a place is within 20 m of the datum")
        if (np.hypot(*np.diff(spots, axis=0).T) < LEAST_STEP_MM).any():
            raise ValueError(f"at {self.at_mm:g} two places are less than {LEAST_STEP_MM:g} mm apart; leave one out")
        return self


class Reading(Frozen):
    """What stands on a formed half: height over the datum at a place of a section, on the `left` or the `right` one."""

    side: str = Field(pattern="^(left|right)$")
    at_mm: float = Field(ge=-20_000, le=20_000)
    across_mm: float = Field(ge=-20_000, le=20_000)
    height_mm: float = Field(ge=-20_000, le=20_000)


class FormedSkin(Frozen):
    """A skin that is beaten or wheeled to section templates: a saddle's top, a bulged side."""

    name: str = Field(min_length=1, max_length=60)
    thickness_mm: float = Field(gt=0, le=12)
    sections: tuple[Section, ...] = Field(min_length=2, max_length=40)
    spare_mm: float = Field(SPARE_MM, ge=0, le=100)
    readings: tuple[Reading, ...] = Field((), max_length=400)

    @model_validator(mode="after")
    def _in_order(self) -> FormedSkin:
        stations = [section.at_mm for section in self.sections]
        if any(b - a < LEAST_STEP_MM for a, b in pairwise(stations)):
            raise ValueError(f"sections stand in order, {LEAST_STEP_MM:g} mm apart or more; these stand at {stations}")
        return self


@dataclass(frozen=True, eq=False)
class Flattened:
    """A skin laid flat. `places` (n, 3) on it and `flat` (n, 2), rows along and columns across; `triangles` (k, 3); principal
    strains (k, 2) of forming, the larger first: positive where the metal is stretched; `rows`, `columns` of the grid."""

    places: Array
    flat: Array
    triangles: Array
    strains: Array
    rows: int
    columns: int

    @property
    def areal(self) -> Array:
        """(k,) mean strain of each triangle: half of how much its area grows."""
        return np.asarray(np.sqrt(np.maximum((1 + self.strains).prod(axis=1), 0)) - 1)

    @property
    def border(self) -> Array:
        """(n, 2) the flat's border, counter-clockwise."""
        grid = self.flat.reshape(self.rows, self.columns, 2)
        ring = np.concatenate([grid[0], grid[1:, -1], grid[-1, -2::-1], grid[-2:0:-1, 0]])
        return ring if polygon_area(ring) > 0 else ring[::-1]

    def range_of(self) -> tuple[float, float]:
        """(most shrunk, most stretched), shares of length."""
        return float(self.strains.min()), float(self.strains.max())


def surface_of(skin: FormedSkin) -> tuple[Array, int, int]:
    """(places (n, 3) as (along, across, height), rows, columns) of a fair surface through the sections.

    Each section is a spline over its arc length, and places at like shares of it are joined along by splines.
    """
    return _surface(skin.sections)


@lru_cache(maxsize=16)
def _surface(said: tuple[Section, ...]) -> tuple[Array, int, int]:
    sections = [_section(section) for section in said]
    at = np.array([section.at_mm for section in said])
    girth = max(float(np.hypot(*np.diff(s, axis=0).T).sum()) for s in sections)
    rows = int(min(MOST_ALONG, max(len(at) * 2 - 1, round((at[-1] - at[0]) / (girth / (ACROSS - 1))) + 1, 5)))
    along = np.linspace(at[0], at[-1], rows)
    grid = _spline(at, np.stack(sections), along)
    places = np.concatenate([np.broadcast_to(along[:, None, None], (rows, ACROSS, 1)), grid], axis=2)
    return np.asarray(places.reshape(-1, 3)), rows, ACROSS


def drawn_section(section: Section) -> Array:
    """(n, 2) a section's fair curve, fine enough to cut a template by."""
    spots = np.array(section.points)
    run = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(spots, axis=0).T))])
    return _spline(run, spots, np.linspace(0, run[-1], 8 * ACROSS))


def _section(section: Section) -> Array:
    """(ACROSS, 2) places of a section at even shares of its length."""
    spots = np.array(section.points)
    run = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(spots, axis=0).T))])
    fine = _spline(run, spots, np.linspace(0, run[-1], 40 * ACROSS))
    true = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(fine, axis=0).T))])
    even = np.linspace(0, true[-1], ACROSS)
    return np.asarray(np.stack([np.interp(even, true, fine[:, k]) for k in range(2)], axis=1))


def _spline(x: Array, y: Array, at: Array) -> Array:
    from scipy.interpolate import make_interp_spline

    return np.asarray(make_interp_spline(x, y, k=min(3, len(x) - 1))(at))


def flattened(skin: FormedSkin) -> Flattened:
    """The middle of a skin's sheet laid flat by least distortion: sections are of its outside, which templates are held to.

    Known again while its sections and its sheet stay, whatever else of it changes.

    Raises:
        Refusal: where the flat folds over itself: the sections turn too far for one piece.
    """
    return _flattened(skin.sections, skin.thickness_mm)


@lru_cache(maxsize=16)
def _flattened(sections: tuple[Section, ...], thickness_mm: float) -> Flattened:
    places, rows, columns = _surface(sections)
    return flatten_grid(middle_of(places, rows, columns, thickness_mm), rows, columns)


def middle_of(places: Array, rows: int, columns: int, thickness_mm: float) -> Array:
    """Places (n, 3) half a sheet under those of its outside, square to it; the outside looks up on the whole, as templates stand.

    Args:
        places: (n, 3) as (along, across, height), rows after one another.
        rows: along.
        columns: across.
        thickness_mm: of the sheet.
    """
    grid = places.reshape(rows, columns, 3)
    normal = np.cross(np.gradient(grid, axis=0, edge_order=2), np.gradient(grid, axis=1, edge_order=2))
    normal /= np.maximum(np.linalg.norm(normal, axis=2, keepdims=True), 1e-12)
    up = 1.0 if float(normal[..., 2].sum()) >= 0 else -1.0
    return np.asarray((grid - normal * up * thickness_mm / 2).reshape(-1, 3))


def flatten_grid(places: Array, rows: int, columns: int) -> Flattened:
    """A grid of places laid flat by least distortion: rotations that fit each triangle best, then the flat that fits them.

    Args:
        places: (rows * columns, 3) mm.
        rows: along.
        columns: across.

    Raises:
        Refusal: where a triangle would be turned over.
    """
    from scipy.sparse import coo_matrix
    from scipy.sparse.linalg import splu

    triangles = _triangles(rows, columns)
    own = _own_frames(places[triangles])
    cot = _cotangents(own)
    n = len(places)
    i, j = triangles[:, [1, 2, 0]].ravel(), triangles[:, [2, 0, 1]].ravel()
    w = cot.ravel() / 2
    laplace = coo_matrix(
        (np.concatenate([w, w, -w, -w]), (np.concatenate([i, j, i, j]), np.concatenate([i, j, j, i]))), (n, n)
    )
    pinned = laplace.tolil()
    pinned[0, :] = 0
    pinned[0, 0] = 1
    solve = splu(pinned.tocsc()).solve
    one, row = np.ones(len(i)), np.arange(len(i))
    gather = coo_matrix(
        (np.concatenate([one, -one]), (np.concatenate([i, j]), np.concatenate([row, row]))), (n, len(i))
    ).tocsr()
    flat = _first_guess(places, rows, columns)
    sides = own[:, [1, 2, 0]] - own[:, [2, 0, 1]]
    before = math.inf
    for _ in range(ROUNDS):
        turn = _rotations(flat, triangles, sides, cot)
        pull = (cot / 2)[:, :, None] * np.einsum("tij,tkj->tki", turn, sides)
        right = gather @ pull.reshape(-1, 2)
        right[0] = 0.0
        flat = solve(right)
        energy = float((_stretches(flat, triangles, own) - 1).__pow__(2).sum())
        if before - energy < SETTLED * max(before, 1e-12):
            break
        before = energy
    flat = _upright(flat, rows, columns)
    corners = flat[triangles]
    area = (corners[:, 1, 0] - corners[:, 0, 0]) * (corners[:, 2, 1] - corners[:, 0, 1]) - (
        corners[:, 1, 1] - corners[:, 0, 1]
    ) * (corners[:, 2, 0] - corners[:, 0, 0])
    if (area <= 0).any():
        raise Refusal("the skin turns too far to be laid flat in one piece: split it at a section, or lengthwise")
    forming = 1 / _stretches(flat, triangles, own) - 1
    most = float(np.abs(forming).max())
    if most > MOST_STRAIN:
        raise Refusal(
            f"laid flat in one piece it would stretch or shrink by {most:.0%} somewhere, which no sheet does: "
            "split it at a section, or lengthwise"
        )
    return Flattened(places, flat, triangles, np.sort(forming, axis=1)[:, ::-1], rows, columns)


def _triangles(rows: int, columns: int) -> Array:
    found = []
    for r in range(rows - 1):
        for c in range(columns - 1):
            a = r * columns + c
            b, d, e = a + 1, a + columns, a + columns + 1
            found += [[a, b, e], [a, e, d]] if (r + c) % 2 else [[a, b, d], [b, e, d]]
    return np.array(found)


def _own_frames(corners: Array) -> Array:
    """(k, 3, 2) corners of each triangle in its own plane."""
    u = corners[:, 1] - corners[:, 0]
    v = corners[:, 2] - corners[:, 0]
    long = np.linalg.norm(u, axis=1)
    x = u / long[:, None]
    along = (v * x).sum(axis=1)
    high = np.linalg.norm(v - along[:, None] * x, axis=1)
    zero = np.zeros(len(u))
    return np.stack([np.stack([zero, zero], 1), np.stack([long, zero], 1), np.stack([along, high], 1)], axis=1)


def _cotangents(own: Array) -> Array:
    """(k, 3) cotangents of the angles at the corners."""
    found = []
    for k in range(3):
        p = own[:, (k + 1) % 3] - own[:, k]
        q = own[:, (k + 2) % 3] - own[:, k]
        found.append((p * q).sum(axis=1) / np.abs(p[:, 0] * q[:, 1] - p[:, 1] * q[:, 0]))
    return np.stack(found, axis=1)


def _first_guess(places: Array, rows: int, columns: int) -> Array:
    """(n, 2) flat places by arc lengths across each row, rows apart by the arc length along the middle."""
    grid = places.reshape(rows, columns, 3)
    middle = columns // 2
    across = np.linalg.norm(np.diff(grid, axis=1), axis=2)
    run = np.concatenate([np.zeros((rows, 1)), np.cumsum(across, axis=1)], axis=1)
    run = run - run[:, [middle]]
    steps = np.linalg.norm(np.diff(grid[:, middle], axis=0), axis=1)
    up = np.concatenate([[0.0], np.cumsum(steps)])
    return np.stack([run, np.broadcast_to(up[:, None], run.shape)], axis=2).reshape(-1, 2)


def _rotations(flat: Array, triangles: Array, sides: Array, cot: Array) -> Array:
    """(k, 2, 2) the rotation of each triangle's own frame that fits its flat best."""
    corners = flat[triangles]
    there = corners[:, [1, 2, 0]] - corners[:, [2, 0, 1]]
    both = np.einsum("tk,tki,tkj->tij", cot, there, sides)
    c, s = both[:, 0, 0] + both[:, 1, 1], both[:, 1, 0] - both[:, 0, 1]
    size = np.maximum(np.hypot(c, s), 1e-12)
    c, s = c / size, s / size
    return np.stack([np.stack([c, -s], 1), np.stack([s, c], 1)], axis=1)


def _stretches(flat: Array, triangles: Array, own: Array) -> Array:
    """(k, 2) singular values of the map from each triangle of the skin to the flat, the larger first."""
    u = own[:, 1:] - own[:, :1]
    v = flat[triangles]
    v = v[:, 1:] - v[:, :1]
    maps = np.einsum("tki,tkj->tij", v, np.linalg.inv(u).transpose(0, 2, 1))
    return np.asarray(np.linalg.svd(maps, compute_uv=False))


def _upright(flat: Array, rows: int, columns: int) -> Array:
    """The flat turned so that its middle line runs up, its corner at (0, 0)."""
    grid = flat.reshape(rows, columns, 2)
    way = grid[-1, columns // 2] - grid[0, columns // 2]
    c, s = way[1] / math.hypot(*way), way[0] / math.hypot(*way)
    turned = flat @ np.array([[c, s], [-s, c]])
    return np.asarray(turned - turned.min(axis=0))


def blank_of(skin: FormedSkin) -> Blank:
    """The flat blank with metal to spare all round, its finished border, stations, centre line and datum marked."""
    from shapely.geometry import Polygon

    laid = flattened(skin)
    ring = laid.border
    wide = np.array(Polygon(ring).buffer(skin.spare_mm, join_style="mitre", mitre_limit=2.0).exterior.coords)[:-1]
    wide = wide if polygon_area(wide) > 0 else wide[::-1]
    grid = laid.flat.reshape(laid.rows, laid.columns, 2)
    marks = [Mark(a, b, "") for a, b in zip(ring, np.roll(ring, -1, axis=0), strict=True)]
    along = np.linspace(skin.sections[0].at_mm, skin.sections[-1].at_mm, laid.rows)
    for section in skin.sections:
        row = row_at(grid, along, section.at_mm)
        marks += [Mark(a, b, "") for a, b in pairwise(row)]
        marks.append(Mark(row[0], row[0], f"station {section.at_mm:g}"))
    centre = grid[:, laid.columns // 2]
    marks += [Mark(a, b, "") for a, b in pairwise(centre)]
    marks.append(Mark(centre[-1], centre[-1], "centre line"))
    return settled(
        Blank(skin.name, skin.thickness_mm, Outline(wide, np.zeros(len(wide))), (), (), tuple(marks), (), "shell")
    )


def row_at(grid: Array, along: Array, at_mm: float) -> Array:
    """(columns, k) a station's line between rows of a grid (rows, columns, k).

    Args:
        grid: flat places, or places on the skin.
        along: (rows,) where its rows stand, mm.
        at_mm: the station.
    """
    k = int(np.clip(np.searchsorted(along, at_mm) - 1, 0, len(along) - 2))
    share = (at_mm - along[k]) / (along[k + 1] - along[k])
    return np.asarray(grid[k] * (1 - share) + grid[k + 1] * share)


@dataclass(frozen=True)
class Check:
    """A reading against its template: what was wanted and read over the datum, what stands on the other half where it was read."""

    reading: Reading
    wanted_mm: float
    other_mm: float | None

    @property
    def off_mm(self) -> float:
        """Too high where positive."""
        return self.reading.height_mm - self.wanted_mm

    def said(self, within_mm: float) -> str:
        """What to do there."""
        where = f"{self.reading.side}, station {self.reading.at_mm:g}, {self.reading.across_mm:g} across"
        if abs(self.off_mm) <= within_mm:
            return f"{where}: fits"
        do = "take down" if self.off_mm > 0 else "raise"
        return f"{where}: {do} by {abs(self.off_mm):.1f} mm"


def checks_of(skin: FormedSkin) -> tuple[Check, ...]:
    """Every reading against the surface, the worst first. The right half is the left one's mirror image.

    Raises:
        Refusal: a reading off the skin, with where it reaches.
    """
    places, rows, columns = surface_of(skin)
    grid = places.reshape(rows, columns, 3)
    found = []
    for reading in skin.readings:
        mates = [
            other.height_mm
            for other in skin.readings
            if other.side != reading.side and (other.at_mm, other.across_mm) == (reading.at_mm, reading.across_mm)
        ]
        found.append(Check(reading, _height(grid, reading.at_mm, reading.across_mm), mates[0] if mates else None))
    return tuple(sorted(found, key=lambda check: -abs(check.off_mm)))


def _height(grid: Array, at_mm: float, across_mm: float) -> float:
    along = grid[:, 0, 0]
    if not along[0] - 1e-6 <= at_mm <= along[-1] + 1e-6:
        raise Refusal(f"there is no station at {at_mm:g} mm; the skin reaches from {along[0]:g} to {along[-1]:g}")
    row = row_at(grid[:, :, 1:], along, at_mm)
    order = np.argsort(row[:, 0])
    low, high = float(row[:, 0].min()), float(row[:, 0].max())
    if not low - 1e-6 <= across_mm <= high + 1e-6:
        raise Refusal(f"station {at_mm:g} reaches from {low:.1f} to {high:.1f} mm across; {across_mm:g} is off it")
    return float(np.interp(across_mm, row[order, 0], row[order, 1]))


def sections_of(text: str) -> list[dict[str, object]]:
    """Sections of typed lines `station: across height, across height, …`. Refusal that names the line.

    >>> sections_of("0: -100 0, 0 12, 100 0")[0]["at_mm"]
    0.0
    """
    found: list[dict[str, object]] = []
    for number, line in lines_of(text):
        if not line.strip():
            continue
        at, _, rest = line.partition(":")
        try:
            points = [[float(v) for v in pair.split()] for pair in rest.split(",") if pair.strip()]
            given: dict[str, object] = {"at_mm": float(at), "points": points}
            if not all(len(point) == 2 for point in points):
                raise ValueError
            checked(Section, given)
        except Refusal as error:
            raise Refusal(f"line {number}: {error}") from None
        except ValueError:
            raise Refusal(
                f"line {number}, {line.strip()[:40]!r}: write the station and places on it as across height, in mm, like "
                "0: -100 0, 0 12, 100 0"
            ) from None
        found.append(given)
    return found


def readings_of(text: str) -> list[dict[str, object]]:
    """Readings of typed lines `left, station, across, height`. Refusal that names the line."""
    found: list[dict[str, object]] = []
    for number, line in lines_of(text):
        cells = [cell.strip() for cell in line.replace(";", ",").split(",") if cell.strip()]
        if not cells:
            continue
        try:
            side, *values = cells
            at, across, height = map(float, values)
            given = {"side": side.lower(), "at_mm": at, "across_mm": across, "height_mm": height}
            checked(Reading, given)
        except (ValueError, Refusal):
            raise Refusal(
                f"line {number}, {line.strip()[:40]!r}: write left or right, station, across and height in mm, "
                "like left, 100, 40, 12.5"
            ) from None
        found.append(given)
    return found
