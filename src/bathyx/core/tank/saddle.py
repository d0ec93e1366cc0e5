"""The saddle family: a body that straddles a backbone, with a box or half-round tunnel along its underside.

All sizes are inside sizes in mm. Its two lobes may be unequal in width and in depth; nose and tail may slope.
"""

from __future__ import annotations

import math
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field, model_validator

from bathyx.core.geometry.shell import Face
from bathyx.core.tank.family import LiveDim, MakeUpPlan, TankFamily, choice, size
from bathyx.core.tank.section import Cap, Frame, Run, arc, carried, straight
from bathyx.core.units.frozen import checked
from bathyx.errors import Refusal

LEAST_MM = 15.0


class SaddleTank(TankFamily):
    """Length x width x height over all, less the tunnel; `left_lobe_mm` 0 puts the tunnel in the middle."""

    title: ClassVar[str] = "Saddle"
    words: ClassVar[str] = "a body that straddles a backbone, with a tunnel along its underside"
    plans: ClassVar[dict[str, MakeUpPlan]] = {
        "plates": MakeUpPlan(),
        "two_l": MakeUpPlan(None, ("right floor", "left side")),
    }
    main_faces: ClassVar[tuple[str, ...]] = ("left floor", "right floor", "top")

    family: Literal["saddle"] = "saddle"
    length_mm: float = size("Length, front to rear", ways=("length",))
    width_mm: float = size("Width", ways=("width",))
    height_mm: float = size("Height", ways=("height",))
    tunnel: Literal["box", "half_round"] = choice("Tunnel", {"box": "box", "half_round": "half-round"}, "box")
    tunnel_width_mm: float = size("Tunnel, width")
    tunnel_height_mm: float = size("Tunnel, height")
    left_lobe_mm: float = size("Left lobe, width (0: as the right)", least=-1, default=0.0)
    right_rise_mm: float = size("Right lobe's floor stands higher by", least=-1, default=0.0)
    nose_mm: float = Field(
        0.0, ge=-5000, le=5000, title="Nose slopes back by", json_schema_extra={"unit": "length", "ways": []}
    )
    tail_mm: float = Field(
        0.0, ge=-5000, le=5000, title="Tail slopes forward by", json_schema_extra={"unit": "length", "ways": []}
    )

    @model_validator(mode="after")
    def _closes(self) -> SaddleTank:
        left, right = self.lobes_mm
        if self.tunnel_width_mm > self.width_mm - 2 * LEAST_MM or min(left, right) < LEAST_MM:
            raise Refusal(
                f"a tunnel of {self.tunnel_width_mm:g} mm leaves lobes of {left:.0f} and {right:.0f} mm of {self.width_mm:g} mm; "
                f"each needs {LEAST_MM:g} mm: make the tunnel narrower, the body wider or move the tunnel"
            )
        if self.tunnel_height_mm > self.height_mm - LEAST_MM:
            raise Refusal(
                f"a tunnel {self.tunnel_height_mm:g} mm high leaves no tank over it: at most {self.height_mm - LEAST_MM:g} mm"
            )
        legs = self.tunnel_height_mm - (self.tunnel_width_mm / 2 if self.tunnel == "half_round" else 0.0)
        if legs < -1e-9:
            raise Refusal(
                f"a half-round tunnel {self.tunnel_width_mm:g} mm wide is at least {self.tunnel_width_mm / 2:g} mm high; "
                f"it is {self.tunnel_height_mm:g} mm"
            )
        over = legs - self.right_rise_mm
        if self.right_rise_mm < 0 or (self.right_rise_mm > 0 and over < 5):
            raise Refusal(
                f"the right lobe's floor can stand 0 to {max(legs - 5, 0):g} mm higher, below where the tunnel's side ends; "
                f"it is {self.right_rise_mm:g} mm"
            )
        if 1e-9 < legs < 5:
            raise Refusal(
                f"the tunnel's sides stand {legs:.1f} mm straight under its round: make it {self.tunnel_width_mm / 2:g} mm "
                f"high, or {self.tunnel_width_mm / 2 + 5:g} mm and more"
            )
        short = self.length_mm - max(self.nose_mm, 0) - max(self.tail_mm, 0)
        if short < 20:
            raise Refusal(f"nose and tail slope by more than the length: {short:.0f} mm of top is left, it needs 20 mm")
        return self

    @property
    def lobes_mm(self) -> tuple[float, float]:
        """Width of the left and the right lobe."""
        both = self.width_mm - self.tunnel_width_mm
        left = self.left_lobe_mm or both / 2
        return left, both - left

    def _runs(self) -> list[Run]:
        """The section from the lower left corner, counter-clockwise seen from the rear."""
        w, h, tw, th, rise = (
            self.width_mm,
            self.height_mm,
            self.tunnel_width_mm,
            self.tunnel_height_mm,
            self.right_rise_mm,
        )
        a, _ = self.lobes_mm
        b = a + tw
        runs = [straight("left floor", (0.0, 0.0), (a, 0.0), "floor")]
        if self.tunnel == "box":
            runs += [
                straight("tunnel left", (a, 0.0), (a, th), "tunnel"),
                straight("tunnel crown", (a, th), (b, th), "tunnel"),
                straight("tunnel right", (b, th), (b, rise), "tunnel"),
            ]
        else:
            leg = th - tw / 2
            if leg > 1e-9:
                runs.append(straight("tunnel left", (a, 0.0), (a, leg), "tunnel"))
            runs.append(arc("tunnel crown", (a + tw / 2, max(leg, 0.0)), tw / 2, math.pi, 0.0, "tunnel"))
            if leg > 1e-9:
                runs.append(straight("tunnel right", (b, leg), (b, rise), "tunnel"))
        return [
            *runs,
            straight("right floor", (b, rise), (w, rise), "floor"),
            straight("right side", (w, rise), (w, h)),
            straight("top", (w, h), (0.0, h), "roof"),
            straight("left side", (0.0, h), (0.0, 0.0)),
        ]

    def faces(self, split: str | None = None) -> list[Face]:
        """The walls round the section from the left floor, then nose and tail."""
        start, end = max(-self.nose_mm, 0.0), max(-self.tail_mm, 0.0)
        frame = Frame(np.array([start, 0.0, 0.0]), *np.eye(3))
        lean = (self.nose_mm / self.height_mm, -self.tail_mm / self.height_mm)
        return carried(self._runs(), frame, self.length_mm - start - end, Cap("nose"), Cap("tail"), lean=lean)

    @classmethod
    def started(cls, box: dict[str, float], sheet: str) -> TankFamily:
        """A box tunnel of a third of the width and half the height."""
        sizes = {f"{way}_mm": mm for way, mm in box.items()}
        tunnel = {
            "tunnel_width_mm": float(round(box["width"] / 3)),
            "tunnel_height_mm": float(round(box["height"] / 2)),
        }
        return checked(cls, {"sheet": sheet, **sizes, **tunnel})

    def switched(self, path: str, value: Any) -> dict[str, Any]:
        """A half-round tunnel is at least half as high as it is wide."""
        changes: dict[str, Any] = {path: value}
        if path == "tunnel" and value == "half_round" and self.tunnel_height_mm < self.tunnel_width_mm / 2 + 5:
            changes["tunnel_height_mm"] = self.tunnel_width_mm / 2
        return changes

    def dims(self) -> list[LiveDim]:
        """The box, and the tunnel."""
        n, w, h, th = self.length_mm, self.width_mm, self.height_mm, self.tunnel_height_mm
        a, _ = self.lobes_mm
        b = a + self.tunnel_width_mm

        def end(y: float, z: float) -> Any:
            return np.array([0.0, y, z])

        return [
            LiveDim("side", np.array([n, 0, 0]), np.zeros(3), "length_mm"),
            LiveDim("side", np.zeros(3), np.array([0, 0, h]), "height_mm"),
            LiveDim("end", end(w, 0), end(0, 0), "width_mm", 46),
            LiveDim("end", end(b, 0), end(a, 0), "tunnel_width_mm", 14),
            LiveDim("end", end(w, th), end(w, 0), "tunnel_height_mm", 20),
        ]
