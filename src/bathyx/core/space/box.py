"""A measured box: width (left to right), depth (front to back) and height, with clearances and floor diagonals.

Width is the tank's y, depth its x, height its z.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from pydantic import Field

from bathyx.core.formula import Figure, formula
from bathyx.core.units import Reading, mm
from bathyx.core.units.frozen import Frozen

SKEW = formula(
    "space.skew",
    "Out of square from two floor diagonals",
    "s = |d1² − d2²| / (4 W)",
    source="Parallelogram: cosine rule on both diagonals; d1² + d2² = 2(W² + D²) (parallelogram law) checks the readings",
    valid="a floor whose opposite sides are equal",
    check="tests/core/test_space.py, a sheared rectangle measured exactly",
    tolerance="exact; readings to 1 mm give s to about 1 mm",
)


class Clearance(Frozen):
    """Air kept round the outside of the tank on each side, mm, for straps, beads, hoses and hands."""

    left_mm: float = Field(6.0, ge=0, le=2000)
    right_mm: float = Field(6.0, ge=0, le=2000)
    front_mm: float = Field(6.0, ge=0, le=2000)
    rear_mm: float = Field(6.0, ge=0, le=2000)
    below_mm: float = Field(6.0, ge=0, le=2000)
    above_mm: float = Field(25.0, ge=0, le=2000)


@dataclass(frozen=True)
class Squareness:
    """What the floor diagonals say: skew s (mm), the lean of one side over the depth, and how well the readings agree."""

    skew_mm: float
    misfit_mm: float
    figure: Figure


@dataclass(frozen=True)
class Room:
    """What is left for the outside of the tank, mm, after skew and clearances; may be negative when nothing is left."""

    width_mm: float
    depth_mm: float
    height_mm: float


class MeasuredBox(Frozen):
    """The hole as measured. `floor_diagonals` are front-left to rear-right and front-right to rear-left."""

    width: Reading
    depth: Reading
    height: Reading
    clearance: Clearance = Clearance()
    floor_diagonals: tuple[Reading, Reading] | None = None

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
        working = f"|{first:.0f}² − {second:.0f}²| / (4 × {width:.0f}) = {mm(skew, 1)}"
        return Squareness(skew, misfit, Figure("Out of square", skew, "length", SKEW, working))

    @property
    def room(self) -> Room:
        """Usable outside size: the largest upright box square to the front, less clearances.

        A floor sheared by s over its depth D loses s of width, and D shortens to sqrt(D² − s²).
        """
        square = self.squareness
        skew = min(square.skew_mm, self.depth.mm) if square else 0.0
        c = self.clearance
        return Room(
            self.width.mm - skew - c.left_mm - c.right_mm,
            math.sqrt(self.depth.mm**2 - skew**2) - c.front_mm - c.rear_mm,
            self.height.mm - c.below_mm - c.above_mm,
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
