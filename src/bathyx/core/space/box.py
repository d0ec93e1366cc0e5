"""A measured box: width (left to right), depth (front to back) and height, with clearances and floor diagonals.

Width is the tank's y, depth its x, height its z.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import ClassVar

import numpy as np
from pydantic import Field, model_validator

from bathyx.core.formula import Figure, formula
from bathyx.core.space.base import MeasuredSpace
from bathyx.core.space.boxes import room_in
from bathyx.core.space.cavity import Cavity, straight_cavity
from bathyx.core.space.cuts import EdgeCut
from bathyx.core.space.obstacles import AnyObstacle
from bathyx.core.space.reconcile import Corner, Hole, Slope, SpaceReading, fitted
from bathyx.core.space.room import Clearance, Room
from bathyx.core.space.square import Squareness as Squareness
from bathyx.core.units import Reading, mm

MOST_READINGS = 60

SKEW = formula(
    "space.skew",
    "Out of square from two floor diagonals",
    "s = |d1² − d2²| / (4 W)",
    source="Parallelogram: cosine rule on both diagonals; d1² + d2² = 2(W² + D²) (parallelogram law) checks the readings",
    valid="a floor whose opposite sides are equal",
    check="tests/core/test_space.py, a sheared rectangle measured exactly",
    tolerance="exact; readings to 1 mm give s to about 1 mm",
)


@lru_cache(maxsize=32)
def _walls(corners: tuple[tuple[float, float, float], ...]) -> Cavity:
    return straight_cavity(np.array(corners))


class MeasuredBox(MeasuredSpace):
    """The hole as measured. `floor_diagonals` are front-left to rear-right and front-right to rear-left.

    With more `readings` than these all of them are brought together (`reconcile`): width, depth and height then count as those
    along the front, left and front left low edges. `slopes`: which pairs of walls run together.
    `cuts`: chamfers and steps of the hole.
    """

    order: ClassVar[tuple[str, ...]] = ("width", "depth", "height", "clearance", "floor_diagonals")

    width: Reading
    depth: Reading
    height: Reading
    clearance: Clearance = Clearance()
    floor_diagonals: tuple[Reading, Reading] | None = None
    readings: tuple[SpaceReading, ...] = Field((), max_length=MOST_READINGS)
    slopes: tuple[Slope, ...] = Field((), max_length=3)
    cuts: tuple[EdgeCut, ...] = Field((), max_length=12)

    @property
    def plain(self) -> bool:
        """Whether comparing sizes is all there is to fitting."""
        return not (self.readings or self.obstacles or self.cuts or self.reaches or self.way_in) and self.seat is None

    @property
    def things(self) -> tuple[AnyObstacle, ...]:
        """Its chamfers and steps, then what stands in it."""
        if not self.cuts:
            return self.obstacles
        corners, kept = np.array(self.corners_as_measured()), self.kept
        cuts = (cut.solid(corners, max(getattr(kept, f"{side}_mm") for side in cut.sides)) for cut in self.cuts)
        return (*cuts, *self.obstacles)

    @model_validator(mode="after")
    def _cuts_fit(self) -> MeasuredBox:
        if self.cuts:
            _ = self.things
        return self

    def all_readings(self) -> tuple[SpaceReading, ...]:
        """Every reading with the corners it runs between: the box's own, then the others."""
        own: list[tuple[Corner, Corner, Reading]] = [
            ("front left low", "front right low", self.width),
            ("front left low", "rear left low", self.depth),
            ("front left low", "front left high", self.height),
        ]
        if self.floor_diagonals:
            own.append(("front left low", "rear right low", self.floor_diagonals[0]))
            own.append(("front right low", "rear left low", self.floor_diagonals[1]))
        first = (SpaceReading.model_construct(a=a, b=b, length=r, error_mm=1.0, left_out=False) for a, b, r in own)
        return (*first, *self.readings)

    @property
    def hole(self) -> Hole | None:
        """The hole that fits all readings; None where there are no more than the box's own."""
        return fitted(self.all_readings(), self.slopes) if self.readings else None

    @property
    def cavity(self) -> Cavity:
        """Its walls: of the hole that fits, or of the box sheared as its diagonals say."""
        return _walls(self.corners_as_measured())

    def corners_as_measured(self) -> tuple[tuple[float, float, float], ...]:
        """Eight corners, front then rear, left then right, low then high."""
        hole = self.hole
        if hole is not None:
            return tuple((float(x), float(y), float(z)) for x, y, z in hole.corners)
        w, h, skew = self.width.mm, self.height.mm, self._signed_skew_mm
        deep = math.sqrt(max(self.depth.mm**2 - skew**2, 1.0))
        return tuple((x, y + (skew if x else 0.0), z) for x in (0.0, deep) for y in (0.0, w) for z in (0.0, h))

    @property
    def _signed_skew_mm(self) -> float:
        """How far right the rear stands of the front."""
        square = self.squareness
        if square is None or self.floor_diagonals is None:
            return 0.0
        first, second = self.floor_diagonals
        return math.copysign(min(square.skew_mm, self.depth.mm), first.mm - second.mm)

    @property
    def square_diagonal_mm(self) -> float:
        """Both floor diagonals of a floor that is square."""
        return math.hypot(self.width.mm, self.depth.mm)

    @property
    def squareness(self) -> Squareness | None:
        """Squareness of the floor, or None when no diagonals were measured."""
        if self.floor_diagonals is None:
            return None
        first, second = (d.mm for d in self.floor_diagonals)
        width = self.width.mm
        skew = abs(first**2 - second**2) / (4 * width)
        misfit = math.sqrt((first**2 + second**2) / 2) - self.square_diagonal_mm
        working = f"|({mm(first)})² − ({mm(second)})²| / (4 × {mm(width)}) = {mm(skew, 1)}"
        return Squareness(skew, misfit, Figure("Out of square", skew, "length", SKEW, working))

    @property
    def room(self) -> Room:
        """Usable outside size: the largest upright box square to the front, less clearances.

        A floor sheared by s over its depth D loses s of width, and D shortens to sqrt(D² − s²).
        """
        c = self.kept
        if self.obstacles or self.cuts:
            return room_in(self.cavity, c, self.things)
        hole = self.hole
        if hole is not None:
            depth, width, height = hole.upright_box
            low = hole.low
            origin = (low[0] + c.front_mm, low[1] + c.left_mm, low[2] + c.below_mm)
        else:
            skew = self._signed_skew_mm
            width, height = self.width.mm - abs(skew), self.height.mm
            depth = math.sqrt(self.depth.mm**2 - skew**2)
            origin = (c.front_mm, max(skew, 0.0) + c.left_mm, c.below_mm)
        return Room(
            width - c.left_mm - c.right_mm, depth - c.front_mm - c.rear_mm, height - c.below_mm - c.above_mm, origin
        )

    @classmethod
    def around(cls, length_mm: float, width_mm: float, height_mm: float, spare_mm: float = 30.0) -> MeasuredBox:
        """A space round a tank whose inside is given, for a job that begins with the tank; `spare_mm` for its sheet.

        Args:
            length_mm: inside length of the tank.
            width_mm: inside width.
            height_mm: inside height.
            spare_mm: added each way for its sheet.
        """
        c = Clearance()
        return cls(
            width=Reading.of(width_mm + c.left_mm + c.right_mm + spare_mm),
            depth=Reading.of(length_mm + c.front_mm + c.rear_mm + spare_mm),
            height=Reading.of(height_mm + c.below_mm + c.above_mm + spare_mm),
        )
