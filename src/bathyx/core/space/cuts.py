"""Chamfers and steps along the edges of a measured box: its own shape, not things that stand in it."""

from __future__ import annotations

from typing import Literal

import numpy as np
import numpy.typing as npt
from pydantic import Field

from bathyx.core.space.obstacles import SolidObstacle
from bathyx.core.units.frozen import Frozen
from bathyx.errors import Refusal

Array = npt.NDArray[np.float64]
Edge = Literal[
    "front low", "rear low", "left low", "right low", "front high", "rear high", "left high", "right high",
    "front left", "front right", "rear left", "rear right",
]  # fmt: skip
WALLS: dict[str, tuple[int, int]] = {
    "front": (0, 0), "rear": (0, 1), "left": (1, 0), "right": (1, 1), "low": (2, 0), "high": (2, 1),
}  # fmt: skip
SIDES = {"low": "below", "high": "above"}


class EdgeCut(Frozen):
    """A chamfer or a step along an edge: `first_mm` off the wall named first, `second_mm` off the other.

    A step 130 x 45 along `rear low` fills what lies within 130 mm of the rear wall and 45 mm of the floor.
    """

    name: str = Field("chamfer", min_length=1, max_length=60)
    kind: Literal["chamfer", "step"] = "chamfer"
    edge: Edge
    first_mm: float = Field(ge=1, le=20_000)
    second_mm: float = Field(ge=1, le=20_000)

    @property
    def sides(self) -> tuple[str, str]:
        """The clearances of its two walls."""
        first, second = (SIDES.get(word, word) for word in self.edge.split())
        return first, second

    def solid(self, corners: Array, clearance_mm: float) -> SolidObstacle:
        """The solid it fills in a hole with corners (8, 3), front then rear, left then right, low then high.

        Raises Refusal where it takes a whole wall.
        """
        (a, low_a), (b, low_b) = (WALLS[word] for word in self.edge.split())
        along = 3 - a - b
        grid = corners.reshape(2, 2, 2, 3)
        spots = []
        for end in (0, 1):
            at = [0, 0, 0]
            at[a], at[b], at[along] = low_a, low_b, end
            corner = grid[tuple(at)]
            ways = []
            for axis, size in ((a, self.first_mm), (b, self.second_mm)):
                across = list(at)
                across[axis] = 1 - at[axis]
                run = grid[tuple(across)] - corner
                long = float(np.linalg.norm(run))
                if size > long - 1:
                    raise Refusal(f"{self.name}: {size:g} mm takes all of the {long:.0f} mm there; make it smaller")
                ways.append(run / long * size)
            spots += [corner, corner + ways[0], corner + ways[1]]
            if self.kind == "step":
                spots.append(corner + ways[0] + ways[1])
        rows = [tuple(float(v) for v in np.round(spot, 6)) for spot in spots]
        return SolidObstacle.model_validate(
            {"kind": "solid", "name": self.name, "corners": rows, "clearance_mm": clearance_mm}
        )
