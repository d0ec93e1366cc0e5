"""Readings of a hole that overlap, brought together: the hole that fits all of them best, and the reading that does not fit.

The hole has eight corners. It is a box whose floor may be out of square and whose walls may lean; sides that face one another are
parallel to within a few millimetres, unless it is said that they run together.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import cached_property, lru_cache
from typing import Literal

import numpy as np
import numpy.typing as npt
from pydantic import Field, model_validator

from bathyx.core.formula import formula
from bathyx.core.space.doubt import Doubt, worst
from bathyx.core.units import Reading
from bathyx.core.units.frozen import Frozen
from bathyx.errors import Refusal

Array = npt.NDArray[np.float64]
FIT = formula(
    "space.fit",
    "The hole that fits all readings",
    "least Σ ((reading − distance of its corners) / tape error)² + Σ (shape / its usual size)²",
    source="Weighted least squares with a Gaussian prior on the shape; which reading is wrong by leave-one-out (Baarda's data "
    "snooping, geodesy, from memory)",
    valid="a hole of eight corners; opposite sides parallel to 2 mm unless said; one gross error at a time",
    check="tests/core/test_readings.py: 1,000 made-up holes with 1 mm tape error and one error of 8 mm or more",
    tolerance="the right reading named in 95 % of them, a clean set accused in 5 % at most",
)

ENDS, SIDES, LEVELS = ("front", "rear"), ("left", "right"), ("low", "high")
CORNERS: tuple[str, ...] = tuple(" ".join(c) for c in itertools.product(ENDS, SIDES, LEVELS))
Corner = Literal[
    "front left low", "front left high", "front right low", "front right high",
    "rear left low", "rear left high", "rear right low", "rear right high",
]  # fmt: skip
Slope = Literal["sides", "ends", "roof"]
# x, y, z in halves of the box, in the order of CORNERS.
HALVES = np.array(list(itertools.product((-0.5, 0.5), repeat=3)))
SIZES = ("depth", "width", "height")
# After the three sizes: floor out of square, leans of side and end, then tapers of width (along, up), depth (across, up), height
# (along, across) and the floor's twist.
SQUARE_SD, PARALLEL_SD, SLOPE_SD, TWIST_SD, UNKNOWN_SD = 30.0, 2.0, 150.0, 2.0, 1e4
TAPERS: dict[Slope, tuple[int, ...]] = {"sides": (6, 7), "ends": (8, 9), "roof": (10, 11)}
MODES = 13
LEAST_AGREEING, ROUGHER, GROSS_MM = 8, (1.0, 1.4, 2.0, 2.8, 4.0), 40.0
LIKELY, TAPE_SD, USUAL_SD = 400, 1.0, 10.0  # how far out of square a hole usually is where nobody measured it, mm


class SpaceReading(Frozen):
    """A distance between two corners of the hole, and how far the tape may be off there (one standard deviation, mm)."""

    a: Corner
    b: Corner
    length: Reading
    error_mm: float = Field(1.0, gt=0, le=100)
    left_out: bool = False

    @model_validator(mode="after")
    def _of_two(self) -> SpaceReading:
        if self.a == self.b:
            raise Refusal(f"from {self.a} to itself is no distance; name two corners")
        return self

    @property
    def title(self) -> str:
        """What a maker calls it: "width, rear high", "floor diagonal, front left to rear right"."""
        return title_of(self.a, self.b)


def title_of(a: str, b: str) -> str:
    """What a maker calls the distance of two corners.

    >>> title_of("front left low", "front right low"), title_of("front left low", "rear right low")
    ('width, front low', 'diagonal of the floor, front left to rear right')
    """
    first, second = a.split(), b.split()
    differ = [i for i in range(3) if first[i] != second[i]]
    if len(differ) == 1:
        same = " ".join(first[i] for i in range(3) if i != differ[0])
        return f"{SIZES[differ[0]]}, {same}"
    ends = " to ".join(" ".join(corner[i] for i in differ) for corner in (first, second))
    if len(differ) == 3:
        return f"diagonal through the room, {ends}"
    k = next(i for i in range(3) if i not in differ)
    face = {"low": "floor", "high": "roof", "left": "left side", "right": "right side"}.get(
        first[k], f"{first[k]} wall"
    )
    return f"diagonal of the {face}, {ends}"


@dataclass(frozen=True, eq=False)
class Hole:
    """The hole that fits: its corners (8, 3) mm in the order of CORNERS, floor level at its front left corner.

    `left_mm`: reading less distance, for each reading in its order. `doubt`: the one that does not belong, if any. `shape` (13,)
    and `loose` (13, 13): the shape's numbers and their covariance, as the readings and usual crookedness leave them. `tape_times`:
    how many times as rough as it was said to be the tape is, as the readings agree.
    """

    corners: Array
    left_mm: tuple[float, ...]
    doubt: Doubt | None
    shape: Array = field(default_factory=lambda: np.zeros(MODES))
    loose: Array = field(default_factory=lambda: np.zeros((MODES, MODES)))
    tape_times: float = 1.0

    def distance_mm(self, a: str, b: str) -> float:
        """Between two corners."""
        return float(np.linalg.norm(self.corners[CORNERS.index(a)] - self.corners[CORNERS.index(b)]))

    @cached_property
    def likely(self) -> Array:
        """(LIKELY, 8, 3) corners of holes that the readings and usual crookedness allow, drawn from what is left open."""
        eigen, ways = np.linalg.eigh((self.loose + self.loose.T) / 2)
        dice = np.random.default_rng(1).normal(size=(LIKELY, MODES))
        drawn = self.shape + dice @ (ways * np.sqrt(np.maximum(eigen, 0.0))).T
        return np.asarray([_squared(_corners(p)) for p in drawn])

    @cached_property
    def likely_boxes(self) -> Array:
        """(LIKELY, 3) depth, width and height of the largest upright box in each of them."""
        low = [self.likely[:, HALVES[:, i] < 0, i].max(axis=1) for i in range(3)]
        high = [self.likely[:, HALVES[:, i] > 0, i].min(axis=1) for i in range(3)]
        return np.asarray(np.maximum(np.stack(high, axis=1) - np.stack(low, axis=1), 0.0))

    def helps_most(self, axis: int, known: Iterable[tuple[str, str]]) -> tuple[str, str, float]:
        """The corners of the reading that would tell most of the room one way (0, 1, 2), and the share of its doubt it takes.

        Args:
            axis: depth, width or height.
            known: corners of the readings there are.
        """
        room = self.likely_boxes[:, axis]
        have = {frozenset(pair) for pair in known}
        best = ("", "", 0.0)
        for a, b in itertools.combinations(range(8), 2):
            if frozenset((CORNERS[a], CORNERS[b])) in have:
                continue
            far = np.linalg.norm(self.likely[:, a] - self.likely[:, b], axis=1)
            if far.std() > 1e-6 and room.std() > 1e-6:
                # A wall that leans either way takes room: the reading tells, or how far it is from its middle.
                tells = max(float(np.corrcoef(x, room)[0, 1] ** 2) for x in (far, np.abs(far - np.median(far))))
                share = tells * float(far.var() / (far.var() + TAPE_SD**2))
                if share > best[2] + 1e-9:
                    best = (CORNERS[a], CORNERS[b], share)
        return best

    @cached_property
    def low(self) -> tuple[float, float, float]:
        """Where the upright box begins: x, y, z mm."""
        x, y, z = (float(self.corners[HALVES[:, i] < 0, i].max()) for i in range(3))
        return x, y, z

    @cached_property
    def upright_box(self) -> tuple[float, float, float]:
        """(depth, width, height) of the largest upright box square to the front wall's foot that stands clear of every wall's
        corners; walls run straight between them."""
        high = [float(self.corners[HALVES[:, i] > 0, i].min()) for i in range(3)]
        d, w, h = (max(b - a, 0.0) for a, b in zip(self.low, high, strict=True))
        return d, w, h


def _corners(p: Array) -> Array:
    """(8, 3) of the shape's numbers; see the constants above."""
    i, j, k = HALVES.T
    x = i * (p[0] + p[8] * j + p[9] * k) + p[5] * k
    y = j * (p[1] + p[6] * i + p[7] * k) + p[3] * i + p[4] * k
    z = k * (p[2] + p[10] * i + p[11] * j) + p[12] * i * j
    return np.column_stack([x, y, z])


def _distances(p: Array, pairs: Array) -> Array:
    spots = _corners(p)
    return np.asarray(np.linalg.norm(spots[pairs[:, 0]] - spots[pairs[:, 1]], axis=1))


def reconciled(readings: tuple[SpaceReading, ...], slopes: tuple[Slope, ...] = ()) -> Hole:
    """The hole that fits the readings best. A reading that does not belong to the others is named, and not counted.

    Args:
        readings: distances of corners; those left out do not count.
        slopes: which pairs of walls run together: `sides` (left and right), `ends` (front and rear), `roof` (and floor).

    Raises:
        Refusal: where nothing was measured along, across or up.
    """
    used = [k for k, r in enumerate(readings) if not r.left_out]
    _refuse_unmeasured([readings[k] for k in used])
    spread = np.full(MODES, PARALLEL_SD)
    spread[:3], spread[3:6], spread[12] = UNKNOWN_SD, SQUARE_SD, TWIST_SD
    for slope in slopes:
        spread[list(TAPERS[slope])] = SLOPE_SD
    fitted, misfit, cover, loose = _fit([readings[k] for k in used], spread)
    doubt = worst(misfit, cover)
    errors = np.array([readings[k].error_mm for k in used])
    times = _tape_times(misfit, cover, errors, None if doubt is None else doubt.index)
    if times > 1:
        readings = tuple(r.model_copy(update={"error_mm": r.error_mm * times}) for r in readings)
        fitted, misfit, cover, loose = _fit([readings[k] for k in used], spread)
        doubt = worst(misfit, cover)
    if doubt is not None:
        kept = [k for n, k in enumerate(used) if n != doubt.index]
        try:
            _refuse_unmeasured([readings[k] for k in kept])
        except Refusal:
            doubt = None  # the only one of its way: nothing tells it from a wall that is further off
        else:
            fitted, _, _, loose = _fit([readings[k] for k in kept], spread)
            other = None if doubt.or_index is None else used[doubt.or_index]
            first = used[doubt.index]
            off = readings[first].length.mm - float(_distances(fitted, _pairs([readings[first]]))[0])
            doubt = Doubt(first, off, doubt.sd_mm, other)
    lengths = np.array([r.length.mm for r in readings])
    corners = _squared(_corners(fitted))
    left = lengths - _distances(fitted, _pairs(list(readings)))
    return Hole(corners, tuple(left.tolist()), doubt, fitted, loose, times)


def _tape_times(misfit: Array, cover: Array, errors: Array, wrong: int | None) -> float:
    """How many times as rough as it is said to be the tape was, as its readings agree: the likeliest of a few. 1 where too few are
    told twice, where it is not e² times as likely, or where one reading that is `wrong` explains it better."""
    if len(errors) < LEAST_AGREEING:
        return 1.0

    def likely(times: float, keep: list[int]) -> float:
        spread = (cover + (times**2 - 1) * np.diag(errors**2))[np.ix_(keep, keep)]
        off = misfit[keep]
        return float(-np.linalg.slogdet(2 * np.pi * spread)[1] - off @ np.linalg.solve(spread, off)) / 2

    every = list(range(len(errors)))
    best = max(ROUGHER, key=lambda times: likely(times, every))
    other = likely(1.0, every) + 2
    if wrong is not None:
        other = max(other, likely(1.0, [k for k in every if k != wrong]) - float(np.log(GROSS_MM)))
    return best if likely(best, every) > other else 1.0


@lru_cache(maxsize=64)
def fitted(readings: tuple[SpaceReading, ...], slopes: tuple[Slope, ...] = ()) -> Hole:
    """`reconciled`, kept."""
    return reconciled(readings, slopes)


def _refuse_unmeasured(readings: list[SpaceReading]) -> None:
    for i, size in enumerate(SIZES):
        along = [r for r in readings if r.a.split()[i] != r.b.split()[i]]
        if not along:
            raise Refusal(f"no reading runs along the {size}; measure one {size} or more")


def _pairs(readings: list[SpaceReading]) -> Array:
    return np.array([(CORNERS.index(r.a), CORNERS.index(r.b)) for r in readings])


def _fit(readings: list[SpaceReading], spread: Array) -> tuple[Array, Array, Array, Array]:
    """(shape, misfits to the prior's middle (n,), their covariance (n, n), the shape's own (13, 13)), linear about the best fit."""
    pairs = _pairs(readings)
    lengths = np.array([r.length.mm for r in readings])
    tape = np.diag([r.error_mm**2 for r in readings])
    middle = _first_guess(readings)
    p = middle.copy()
    slope = np.zeros((len(readings), MODES))
    for _ in range(12):
        now = _distances(p, pairs)
        for m in range(MODES):
            moved = p.copy()
            moved[m] += 1e-3
            slope[:, m] = (_distances(moved, pairs) - now) / 1e-3
        misfit = lengths - now + slope @ (p - middle)
        cover = slope * spread**2 @ slope.T + tape
        new = middle + spread**2 * (slope.T @ np.linalg.solve(cover, misfit))
        step = float(np.abs(new - p).max())
        p = new
        if step < 1e-6:
            break
    usual = np.concatenate([spread[:3], np.minimum(spread[3:6], USUAL_SD), spread[6:]])
    told = usual**2 * slope
    loose = np.diag(usual**2) - told.T @ np.linalg.solve(slope * usual**2 @ slope.T + tape, told)
    return p, misfit, cover, loose


def _first_guess(readings: list[SpaceReading]) -> Array:
    """A box: the middle of what was measured along each way, or what its diagonals leave for it."""
    sizes: list[list[float]] = [[], [], []]
    for r in readings:
        differ = [i for i in range(3) if r.a.split()[i] != r.b.split()[i]]
        if len(differ) == 1:
            sizes[differ[0]].append(r.length.mm)
    found = np.array([float(np.median(s)) if s else np.nan for s in sizes])
    for r in sorted(readings, key=lambda r: sum(x != y for x, y in zip(r.a.split(), r.b.split(), strict=True))):
        differ = [i for i in range(3) if r.a.split()[i] != r.b.split()[i]]
        open_ = [i for i in differ if np.isnan(found[i])]
        if open_:
            left = r.length.mm**2 - float(np.nansum(found[differ] ** 2))
            found[open_] = max(left, 100.0) ** 0.5 / len(open_) ** 0.5
    return np.concatenate([found, np.zeros(MODES - 3)])


def _squared(corners: Array) -> Array:
    """Turned and moved so that the front wall's foot runs along y from (0, 0, 0) and the left floor edge lies level."""
    origin, across, along = (corners[CORNERS.index(c)] for c in ("front left low", "front right low", "rear left low"))
    y = (across - origin) / np.linalg.norm(across - origin)
    z = np.cross(along - origin, y)
    z = z / np.linalg.norm(z)
    return np.asarray((corners - origin) @ np.stack([np.cross(y, z), y, z]).T)
