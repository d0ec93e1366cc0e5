"""The way into a space: openings in its walls, and what stands outside of them."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
import numpy.typing as npt
from pydantic import Field, model_validator
from shapely.geometry import Polygon

from bathyx.core.space.obstacles import AnyObstacle, Axis
from bathyx.core.units.frozen import Frozen
from bathyx.errors import Refusal

Array = npt.NDArray[np.float64]
Coordinate = Annotated[float, Field(ge=-100_000, le=100_000)]
LEAST_MM = 20.0
MOST_WORDS, MOST_MOVES, MOST_MOVE = 1000, 60, 300  # letters of a reason, moves, letters of a move


class Opening(Frozen):
    """A hole in an upright or level plane at `at_mm` along an axis: corners in the other two coordinates, in the order x, y, z.

    `thickness_mm` of the wall, outward from the plane; `lip_mm`: how much further its rim stands out. `on_the_way`: it is in no
    wall of the space but in a plate that has to be passed as well, outside or inside: a door before the hatch, a frame behind it.
    """

    name: str = Field("hatch", min_length=1, max_length=60)
    axis: Axis
    at_mm: Coordinate
    corners: tuple[tuple[Coordinate, Coordinate], ...] = Field(min_length=3, max_length=24)
    thickness_mm: float = Field(4.0, ge=0.5, le=500)
    lip_mm: float = Field(0.0, ge=0, le=500)
    on_the_way: bool = False

    @model_validator(mode="after")
    def _is_a_hole(self) -> Opening:
        shape = Polygon(self.corners)
        if not shape.is_valid or shape.area < LEAST_MM**2:
            raise Refusal(
                f"{self.name}: its corners cross one another or leave less than {LEAST_MM:g} × {LEAST_MM:g} mm; "
                "go round it corner by corner"
            )
        return self

    @property
    def index(self) -> int:
        """0, 1 or 2 for x, y, z."""
        return "xyz".index(self.axis)

    @property
    def others(self) -> tuple[int, int]:
        """The two coordinates of its corners."""
        a, b = (i for i in range(3) if i != self.index)
        return a, b

    @property
    def border(self) -> Array:
        """(n, 2) its corners, counter-clockwise in their two coordinates."""
        ring = np.array(self.corners, float)
        return ring if Polygon(ring).exterior.is_ccw else ring[::-1]

    def placed(self, flat: Array, out_mm: float = 0.0) -> Array:
        """(n, 3) of places (n, 2) in its plane, or beside it."""
        spots = np.full((len(flat), 3), self.at_mm + out_mm)
        spots[:, list(self.others)] = flat
        return spots


class Promise(Frozen):
    """What a search said of the way in, kept with the job: its verdict, words and moves; `of` stands for the tank and the space
    that it was found for; `out`: what was said of the way out, if that was looked for."""

    verdict: Literal["goes_in", "cannot", "not_found"]
    reason: str = Field(max_length=MOST_WORDS)
    moves: tuple[Annotated[str, Field(max_length=MOST_MOVE)], ...] = Field((), max_length=MOST_MOVES)
    tightest_mm: float = Field(0.0, ge=0, le=10_000)
    of: str = Field(max_length=64)
    out: Literal["", "comes_out", "cannot", "not_found"] = ""
    out_reason: str = Field("", max_length=MOST_WORDS)


LATER = ("later", "carried", "tilt_deg", "promise")


class WayIn(Frozen):
    """How a tank gets to its seat: through one of the openings, past what stands outside.

    `after`: fittings that are put on when it is in. `later`: things that come in after the tank, in the way when it comes out.
    `keep_mm`: of air on the way. `carried` by hands or hung from a hoist; `tilt_deg`: how far it may lean from how it sits.
    """

    openings: tuple[Opening, ...] = Field(min_length=1, max_length=8)
    outside: tuple[AnyObstacle, ...] = Field((), max_length=30)
    after: tuple[str, ...] = Field((), max_length=60)
    keep_mm: float = Field(1.0, ge=0, le=50)
    later: tuple[str, ...] = Field((), max_length=60)
    carried: Literal["hands", "hoist"] = "hands"
    tilt_deg: float = Field(0.0, ge=0, le=180)
    promise: Promise | None = None

    @model_validator(mode="after")
    def _opens_on_the_space(self) -> WayIn:
        if all(opening.on_the_way for opening in self.openings):
            raise Refusal(
                f"{self.openings[0].name} is on the way, and no opening is in a wall of the space; say the one that leads into it"
            )
        return self

    @property
    def into(self) -> tuple[Opening, ...]:
        """Openings in the walls of the space, one of which it goes in by."""
        return tuple(opening for opening in self.openings if not opening.on_the_way)

    @property
    def passed(self) -> tuple[Opening, ...]:
        """Those in plates that are passed as well."""
        return tuple(opening for opening in self.openings if opening.on_the_way)

    @property
    def words(self) -> str:
        """Which openings it goes by."""
        by = " or ".join(opening.name for opening in self.into)
        return f"{by}, and through {' and '.join(o.name for o in self.passed)}" if self.passed else by

    @staticmethod
    def written(document: dict[str, Any]) -> dict[str, Any]:
        """Its plain document as a file has it: later fields are left out where they say nothing."""
        openings = document.get("openings")
        if isinstance(openings, list):
            rows = [{k: v for k, v in row.items() if k != "on_the_way" or v} for row in openings]
            document = document | {"openings": rows}
        usual = {name: WayIn.model_fields[name].default or None for name in LATER}
        return {name: v for name, v in document.items() if name not in LATER or (v or None) != usual[name]}
