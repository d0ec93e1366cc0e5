"""What stands in a space, and room that is kept in it: boxes, tubes, half-spaces and solids with corners, each with its own
clearance; and what is kept with the tank: room straight out of a fitting, and layers on its sides."""

from __future__ import annotations

import math
from typing import Annotated, Literal

import numpy as np
import numpy.typing as npt
from pydantic import Field, model_validator

from bathyx.core.units.frozen import Frozen
from bathyx.errors import Refusal

Array = npt.NDArray[np.float64]
Coordinate = Annotated[float, Field(ge=-100_000, le=100_000)]
Axis = Literal["x", "y", "z"]
Side = Literal["left", "right", "front", "rear", "below", "above"]
MOST_CORNERS, FLAT_MM = 200, 0.5
SIDES_OF_ROUND = 32
FAR_MM = 30_000.0


class _Thing(Frozen):
    """`name` as it is called on drawings; `clearance_mm` of air kept round it."""

    name: str = Field("obstacle", min_length=1, max_length=60)
    clearance_mm: float = Field(10.0, ge=0, le=2000)

    def hull(self) -> Array:
        """Its corners (n, 3) mm; a round one by a polygon outside it."""
        raise NotImplementedError

    def moved(self, step: Array) -> _Thing:
        """The thing shifted by (3,) mm."""
        raise NotImplementedError


class BoxObstacle(_Thing):
    """An upright box from its front left low corner."""

    kind: Literal["box"] = "box"
    x_mm: float = Field(ge=-100_000, le=100_000)
    y_mm: float = Field(ge=-100_000, le=100_000)
    z_mm: float = Field(ge=-100_000, le=100_000)
    length_mm: float = Field(ge=1, le=100_000)
    width_mm: float = Field(ge=1, le=100_000)
    height_mm: float = Field(ge=1, le=100_000)

    def hull(self) -> Array:
        """Its eight corners."""
        low = np.array([self.x_mm, self.y_mm, self.z_mm])
        size = np.array([self.length_mm, self.width_mm, self.height_mm])
        spots: Array = low + size * np.array([[i, j, k] for i in (0, 1) for j in (0, 1) for k in (0, 1)], float)
        return spots

    def moved(self, step: Array) -> BoxObstacle:
        """Shifted by (3,) mm."""
        x, y, z = (float(v) for v in step)
        return self.model_copy(update={"x_mm": self.x_mm + x, "y_mm": self.y_mm + y, "z_mm": self.z_mm + z})


class TubeObstacle(_Thing):
    """A cylinder or tube between the middles of its ends."""

    kind: Literal["tube"] = "tube"
    from_mm: tuple[Coordinate, Coordinate, Coordinate]
    to_mm: tuple[Coordinate, Coordinate, Coordinate]
    diameter_mm: float = Field(ge=1, le=20_000)

    @model_validator(mode="after")
    def _has_length(self) -> TubeObstacle:
        if math.dist(self.from_mm, self.to_mm) < 1:
            raise Refusal(f"{self.name}: both ends of the tube are one place; say where it begins and where it ends")
        return self

    def hull(self) -> Array:
        """Corners of the prism outside it."""
        start, end = np.array(self.from_mm), np.array(self.to_mm)
        axis = (end - start) / np.linalg.norm(end - start)
        side = np.cross(axis, np.eye(3)[int(np.argmin(np.abs(axis)))])
        side = side / np.linalg.norm(side)
        turn = np.arange(SIDES_OF_ROUND) * 2 * np.pi / SIDES_OF_ROUND
        r = self.diameter_mm / 2 / math.cos(math.pi / SIDES_OF_ROUND)
        ring = r * (np.outer(np.cos(turn), side) + np.outer(np.sin(turn), np.cross(axis, side)))
        return np.concatenate([start + ring, end + ring])

    def moved(self, step: Array) -> TubeObstacle:
        """Shifted by (3,) mm."""
        ends = (tuple(float(v) for v in np.array(end) + step) for end in (self.from_mm, self.to_mm))
        return self.model_copy(update=dict(zip(("from_mm", "to_mm"), ends, strict=True)))


class HalfSpace(_Thing):
    """Everything beyond `at_mm` along an axis: a floor, a bulkhead, the reach of a lid."""

    kind: Literal["beyond"] = "beyond"
    axis: Axis
    side: Literal["above", "below"] = "above"
    at_mm: float = Field(ge=-100_000, le=100_000)

    def hull(self) -> Array:
        """A box larger than any space."""
        i = "xyz".index(self.axis)
        low, high = np.full(3, -FAR_MM), np.full(3, FAR_MM)
        if self.side == "above":
            low[i] = self.at_mm
        else:
            high[i] = self.at_mm
        spots: Array = low + (high - low) * np.array([[a, b, c] for a in (0, 1) for b in (0, 1) for c in (0, 1)], float)
        return spots

    def moved(self, step: Array) -> HalfSpace:
        """Shifted by (3,) mm along its axis."""
        return self.model_copy(update={"at_mm": self.at_mm + float(step["xyz".index(self.axis)])})


class SolidObstacle(_Thing):
    """A solid by its corners, taken as convex: what is hollow in it counts as full."""

    kind: Literal["solid"] = "solid"
    corners: tuple[tuple[Coordinate, Coordinate, Coordinate], ...] = Field(min_length=4, max_length=MOST_CORNERS)

    @model_validator(mode="after")
    def _has_volume(self) -> SolidObstacle:
        spots = np.array(self.corners)
        least = np.linalg.svd(spots - spots.mean(axis=0), compute_uv=False)[-1]
        if least < FLAT_MM:
            raise Refusal(f"{self.name}: its corners lie in one plane; a solid has volume, give it thickness")
        return self

    def hull(self) -> Array:
        """Its corners."""
        return np.array(self.corners, float)

    def moved(self, step: Array) -> SolidObstacle:
        """Shifted by (3,) mm."""
        spots = tuple(tuple(float(v) for v in np.round(np.array(c) + step, 3)) for c in self.corners)
        return self.model_copy(update={"corners": spots})


AnyObstacle = Annotated[BoxObstacle | TubeObstacle | HalfSpace | SolidObstacle, Field(discriminator="kind")]


class Reach(Frozen):
    """Room kept straight out of a fitting: a sender drawn out, a spanner, a hose's bend. It goes where the tank goes."""

    name: str = Field("room", min_length=1, max_length=60)
    fitting: str = Field(min_length=1, max_length=40)
    length_mm: float = Field(ge=1, le=10_000)
    diameter_mm: float = Field(ge=1, le=2_000)


class Layer(Frozen):
    """What lies on sides of the tank and takes room there: foam, straps, beads, a guard plate."""

    name: str = Field("layer", min_length=1, max_length=60)
    sides: tuple[Side, ...] = Field(min_length=1, max_length=6)
    mm: float = Field(gt=0, le=500)
