"""The halves family: two pressed or formed halves with a flange seam between them. All sizes are inside sizes in mm."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numpy as np
from pydantic import model_validator

from bathyx.core.geometry.shell import CurvedFace, Face
from bathyx.core.geometry.surfaces import Meridian
from bathyx.core.material import parse_sheet
from bathyx.core.tank.family import LiveDim, MakeUpPlan, TankFamily, degrees, size
from bathyx.core.tank.section import Cap, Frame, Run, arc, carried, straight
from bathyx.core.units.frozen import checked
from bathyx.errors import Refusal

HALF = math.pi / 2
LEAST_MM = 1.0


class HalvesTank(TankFamily):
    """A rounded rectangle at the seam, pressed `upper_mm` up and `lower_mm` down; its walls draw in by the draft, and run into
    roof and floor by `floor_mm`."""

    title: ClassVar[str] = "Halves"
    words: ClassVar[str] = "two pressed or formed halves with a flange seam"
    plans: ClassVar[dict[str, MakeUpPlan]] = {"pressed": MakeUpPlan()}

    family: Literal["halves"] = "halves"
    length_mm: float = size("Length at the seam", ways=("length",))
    width_mm: float = size("Width at the seam", ways=("width",))
    lower_mm: float = size("Depth of the lower half", ways=("height",))
    upper_mm: float = size("Depth of the upper half", ways=("height",))
    corner_mm: float = size("Corner radius at the seam", least=0, most=5000, default=60.0)
    floor_mm: float = size("Radius to floor and roof", least=0, most=5000, default=25.0)
    draft_deg: float = degrees("Draft of the walls", 3.0, 0, 30)
    flange_mm: float = size("Flange, from the wall", least=0, most=200, default=15.0)

    @model_validator(mode="after")
    def _can_be_pressed(self) -> HalvesTank:
        if 2 * self.corner_mm > min(self.length_mm, self.width_mm) - 10:
            most = (min(self.length_mm, self.width_mm) - 10) / 2
            raise Refusal(
                f"a corner radius of {self.corner_mm:g} mm leaves no straight side; it is at most {most:g} mm"
            )
        if self.flange_mm < parse_sheet(self.sheet)[1]:
            raise Refusal(f"a flange of {self.flange_mm:g} mm is narrower than the sheet is thick")
        for name, depth in (("lower", self.lower_mm), ("upper", self.upper_mm)):
            self._meridian(name, depth)
        return self

    def _meridian(self, name: str, depth: float) -> Meridian:
        """Wall, floor radius and floor, as radius from the corner's middle against depth. Refusal where they do not fit."""
        c, r, draft = self.corner_mm, self.floor_mm, math.radians(self.draft_deg)
        if r > depth - LEAST_MM:
            raise Refusal(
                f"a floor radius of {r:g} mm is deeper than the {name} half of {depth:g} mm allows; at most {depth - 1:g} mm"
            )
        inset = (r + (depth - r) * math.sin(draft)) / math.cos(draft)
        if c - inset < LEAST_MM:
            raise Refusal(
                f"draft and floor radius of the {name} half draw in by {inset:.0f} mm, the corner radius is {c:g} mm; make it at "
                f"least {math.ceil(inset + LEAST_MM)} mm, or the floor radius or draft smaller"
            )
        foot, rise = inset - r * math.cos(draft), depth - r + r * math.sin(draft)
        return Meridian(
            (
                ("line", (c, 0.0, c - foot, rise)),
                ("arc", (c - inset, depth - r, r, draft, HALF)),
                ("line", (c - inset, depth, 0.0, depth)),
            )
        )

    def faces(self, split: str | None = None) -> list[Face]:
        """The lower and the upper half."""
        a, b, c = self.length_mm / 2 - self.corner_mm, self.width_mm / 2 - self.corner_mm, self.corner_mm
        runs: list[Run] = []
        middles = ((a, -b), (a, b), (-a, b), (-a, -b))
        for k, middle in enumerate(middles):
            runs.append(arc(f"corner {k}", middle, c, (k - 1) * HALF, k * HALF))
            ends = [(p + c * math.cos(k * HALF), q + c * math.sin(k * HALF)) for p, q in (middle, middles[(k + 1) % 4])]
            runs.append(straight(f"side {k}", ends[0], ends[1]))
        x, y, z = np.eye(3)
        frame = Frame(np.array([self.length_mm / 2, self.width_mm / 2, self.lower_mm]), z, x, y)
        caps = [
            Cap(f"{name} half", "pressed", self._meridian(name, depth), (a, b), self.flange_mm)
            for name, depth in (("lower", self.lower_mm), ("upper", self.upper_mm))
        ]
        *_, lower, upper = carried(runs, frame, 0.0, caps[0], caps[1])
        assert isinstance(lower, CurvedFace)
        return [lower, upper]

    def overhang_mm(self) -> tuple[float, float, float]:
        """The flange stands out all round."""
        out = self.flange_mm - parse_sheet(self.sheet)[1]
        return out, out, 0.0

    def filled(self, box: dict[str, float]) -> dict[str, object]:
        """The halves share the height as they do now; the flange takes its room."""
        out = 2 * self.overhang_mm()[0]
        share = self.lower_mm / (self.lower_mm + self.upper_mm)
        lower = float(math.floor(box["height"] * share))
        return {
            "length_mm": float(math.floor(box["length"] - out)),
            "width_mm": float(math.floor(box["width"] - out)),
            "lower_mm": lower,
            "upper_mm": box["height"] - lower,
        }

    @classmethod
    def started(cls, box: dict[str, float], sheet: str) -> TankFamily:
        """Two halves of the same depth."""
        half = float(round(box["height"] / 2))
        sizes = {"length_mm": box["length"], "width_mm": box["width"], "lower_mm": half, "upper_mm": half}
        flange = float(max(15.0, math.ceil(1.5 * parse_sheet(sheet)[1])))
        radius = float(max(8, round(min(half, box["width"] / 4, box["length"] / 4) / 4)))
        return checked(
            cls,
            {"sheet": sheet, **sizes, "floor_mm": radius, "corner_mm": 2 * radius + 0.06 * half, "flange_mm": flange},
        )

    def dims(self) -> list[LiveDim]:
        """The seam's rectangle and both depths."""
        n, w, low, high = self.length_mm, self.width_mm, self.lower_mm, self.lower_mm + self.upper_mm
        zero = np.zeros(3)
        return [
            LiveDim("side", np.array([n, 0, 0]), zero, "length_mm"),
            LiveDim("side", zero, np.array([0, 0, low]), "lower_mm"),
            LiveDim("side", np.array([0, 0, low]), np.array([0, 0, high]), "upper_mm"),
            LiveDim("end", np.array([0, w, 0]), zero, "width_mm"),
        ]
