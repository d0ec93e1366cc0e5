"""The hopper family: two upright rectangles of different size and offset joined by four flat sides, over a level, sloping or V
floor. All sizes are inside sizes in mm.
"""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import model_validator

from bathyx.core.geometry.shell import Array, Face
from bathyx.core.tank.family import LiveDim, MakeUpPlan, TankFamily, choice, size
from bathyx.core.units.frozen import checked
from bathyx.errors import Refusal

SIDES = ("front", "right side", "rear", "left side")


class HopperTank(TankFamily):
    """A top of `top_*` at `height_mm`, a bottom of `bottom_*` `offset_x_mm` behind and `offset_y_mm` to the right of where it
    would stand in the middle. The floor falls by `fall_mm` within the height: to one side, or to a valley along its middle."""

    title: ClassVar[str] = "Hopper"
    words: ClassVar[str] = "two rectangles of different size and offset, over a level, sloping or V floor"
    plans: ClassVar[dict[str, MakeUpPlan]] = {
        "plates": MakeUpPlan(),
        "two_l": MakeUpPlan(None, ("right side", "left side")),
        "wrap": MakeUpPlan(None, ("rear",)),
    }
    main_faces: ClassVar[tuple[str, ...]] = SIDES

    family: Literal["hopper"] = "hopper"
    top_length_mm: float = size("Top, length", ways=("length",))
    top_width_mm: float = size("Top, width", ways=("width",))
    bottom_length_mm: float = size("Bottom, length")
    bottom_width_mm: float = size("Bottom, width")
    height_mm: float = size("Height", ways=("height",))
    offset_x_mm: float = size("Bottom stands further back by", least=-5000.0, default=0.0)
    offset_y_mm: float = size("Bottom stands further right by", least=-5000.0, default=0.0)
    floor: Literal["level", "front", "rear", "v"] = choice(
        "Floor",
        {"level": "level", "front": "falls to the front", "rear": "falls to the rear", "v": "V, valley along"},
        "level",
    )
    fall_mm: float = size("Floor falls by", least=-1, default=0.0)

    @model_validator(mode="after")
    def _closes(self) -> HopperTank:
        if self.floor != "level" and not 0 < self.fall_mm <= self.height_mm - 20:
            raise Refusal(
                f"a floor that falls needs a fall between 0 and {self.height_mm - 20:g} mm, 20 mm of side stay; "
                f"it is {self.fall_mm:g} mm"
            )
        return self

    def corners(self) -> tuple[Array, Array]:
        """(bottom, top) corners, each (4, 3), counter-clockwise from above from the front left; the bottom's at height 0."""
        square = np.array([(-1, -1), (-1, 1), (1, 1), (1, -1)], float)[::-1] / 2
        square = np.roll(square, 1, axis=0)
        top = square * [self.top_length_mm, self.top_width_mm]
        low = square * [self.bottom_length_mm, self.bottom_width_mm] + [self.offset_x_mm, self.offset_y_mm]
        shift = np.minimum(top.min(axis=0), low.min(axis=0))
        top, low = top - shift, low - shift
        return np.column_stack([low, np.zeros(4)]), np.column_stack([top, np.full(4, self.height_mm)])

    def faces(self, split: str | None = None) -> list[Face]:
        """The four sides in order round, then floor and top."""
        low, top = self.corners()
        feet = [self._foot(low[i], top[i], i) for i in range(4)]
        valley = self._valley(low, top) if self.floor == "v" else None
        names = ("left side", "rear", "right side", "front")
        found = []
        for i, name in enumerate(names):
            j = (i + 1) % 4
            under = [feet[i], feet[j]]
            if valley is not None and name in ("rear", "front"):
                under.insert(1, valley[1] if name == "rear" else valley[0])
            found.append(Face(name, np.array([*under, top[j], top[i]]), name))
        if valley is None:
            found.append(Face("floor", np.array(feet)[::-1], "floor", "end"))
        else:
            front, rear = valley
            found.append(Face("floor left", np.array([feet[0], front, rear, feet[1]]), "floor left", "end"))
            found.append(Face("floor right", np.array([feet[2], rear, front, feet[3]]), "floor right", "end"))
        found.append(Face("top", top.copy(), "top", "end"))
        return found

    def _foot(self, low: Array, top: Array, i: int) -> Array:
        """Where the edge between two sides meets the floor."""
        front = i in (0, 3)
        rises = {"level": False, "front": not front, "rear": front, "v": True}[self.floor]
        return low + (top - low) * (self.fall_mm / self.height_mm if rises else 0.0)

    def _valley(self, low: Array, top: Array) -> tuple[Array, Array]:
        """Lowest points of a V floor, on the front and the rear."""
        return (low[0] + low[3]) / 2, (low[1] + low[2]) / 2

    def shown(self, path: str) -> bool:
        """A level floor has no fall."""
        return self.floor != "level" if path == "fall_mm" else True

    def switched(self, path: str, value: object) -> dict[str, object]:
        """A floor that falls begins with a tenth of the height."""
        changes = {path: value}
        if path == "floor":
            changes["fall_mm"] = 0.0 if value == "level" else (self.fall_mm or float(round(self.height_mm / 10)))
        return changes

    def filled(self, box: dict[str, float]) -> dict[str, object]:
        """The top fills the box; the bottom keeps its sizes where they fit."""
        return {
            "top_length_mm": box["length"],
            "top_width_mm": box["width"],
            "height_mm": box["height"],
            "bottom_length_mm": min(self.bottom_length_mm, box["length"]),
            "bottom_width_mm": min(self.bottom_width_mm, box["width"]),
        }

    @classmethod
    def started(cls, box: dict[str, float], sheet: str) -> TankFamily:
        """A bottom of two thirds of the top."""
        n, w = box["length"], box["width"]
        bottom = {"bottom_length_mm": float(round(n * 2 / 3)), "bottom_width_mm": float(round(w * 2 / 3))}
        return checked(
            cls, {"sheet": sheet, "top_length_mm": n, "top_width_mm": w, "height_mm": box["height"], **bottom}
        )

    def dims(self) -> list[LiveDim]:
        """Top and bottom from both sides, and the height."""
        low, top = self.corners()
        h = self.height_mm

        def at(x: float, y: float, z: float) -> Array:
            return np.array([x, y, z])

        found = [LiveDim("side", at(0, 0, 0), at(0, 0, h), "height_mm")]
        for view, axis, word in (("side", 0, "length"), ("end", 1, "width")):
            for spots, z, name, away in ((top, h, "top", 20.0), (low, 0.0, "bottom", 34.0)):
                a, b = float(spots[:, axis].min()), float(spots[:, axis].max())
                p, q = (at(a, 0, z), at(b, 0, z)) if axis == 0 else (at(0, a, z), at(0, b, z))
                ends = (p, q) if name == "top" else (q, p)
                found.append(LiveDim(view, *ends, f"{name}_{word}_mm", away))  # type: ignore[arg-type]
        return found
