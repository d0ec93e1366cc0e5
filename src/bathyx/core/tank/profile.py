"""The profile family: a side profile (box, chamfers, a jog in the bottom) carried across a width.

All sizes are inside sizes in mm. Corners: front is x = 0, rear is x = length.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field, field_validator, model_validator

from bathyx.core.geometry.shell import Array, Shell, close_shell
from bathyx.core.material import parse_sheet
from bathyx.core.units.frozen import Frozen

Corner = Literal["front_bottom", "rear_bottom", "rear_top", "front_top"]
CORNERS: tuple[Corner, ...] = ("front_bottom", "rear_bottom", "rear_top", "front_top")
SHORTEST_FLAT_MM = 5.0


class Chamfer(Frozen):
    """A corner cut off: `along_mm` along the top or bottom, `up_mm` along the front or rear."""

    corner: Corner
    along_mm: float = Field(gt=0, le=10_000)
    up_mm: float = Field(gt=0, le=10_000)


class Jog(Frozen):
    """A step in the bottom: from `end`, the floor stands `rise_mm` higher over `length_mm`; its riser leans by `run_mm`."""

    end: Literal["front", "rear"]
    length_mm: float = Field(gt=0, le=10_000)
    rise_mm: float = Field(gt=0, le=10_000)
    run_mm: float = Field(0.0, ge=0, le=10_000)


class ProfileTank(Frozen):
    """A side profile of length x height (x, z) carried across `width_mm` (y), in `sheet` (material/thickness)."""

    family: Literal["profile"] = "profile"
    length_mm: float = Field(gt=20, le=10_000)
    width_mm: float = Field(gt=20, le=10_000)
    height_mm: float = Field(gt=20, le=10_000)
    sheet: str
    chamfers: tuple[Chamfer, ...] = ()
    jog: Jog | None = None

    @field_validator("sheet")
    @classmethod
    def _sheet_exists(cls, name: str) -> str:
        parse_sheet(name)
        return name

    @model_validator(mode="after")
    def _profile_closes(self) -> ProfileTank:
        corners = [c.corner for c in self.chamfers]
        if len(set(corners)) != len(corners):
            raise ValueError("a corner has two chamfers; give each corner one at most")
        self.profile()
        return self

    def profile(self, split: str | None = None) -> list[tuple[str, float, float]]:
        """(face that starts here, x, z) counter-clockwise seen from the left end, from the lower front.

        `split` names a face to divide at its middle (a seam brought onto the flat): its halves are `face:1`, `face:2`.
        Raises ValueError that says which sizes collide.
        """
        length, height = self.length_mm, self.height_mm
        cut = {c.corner: c for c in self.chamfers}
        jog = self.jog
        floor_front = jog.rise_mm if jog and jog.end == "front" else 0.0
        floor_rear = jog.rise_mm if jog and jog.end == "rear" else 0.0
        points: list[tuple[str, float, float]] = []

        def corner(name: Corner, x: float, z: float, into: str) -> None:
            chamfer = cut.get(name)
            if chamfer is None:
                points.append((into, x, z))
                return
            dx = chamfer.along_mm if "front" in name else -chamfer.along_mm
            dz = chamfer.up_mm if "bottom" in name else -chamfer.up_mm
            label = f"{name.replace('_', ' ')} chamfer"
            on_level, on_upright = (x + dx, z), (x, z + dz)
            first, second = (on_upright, on_level) if name in ("front_bottom", "rear_top") else (on_level, on_upright)
            points.append((label, *first))
            points.append((into, *second))

        corner("front_bottom", 0.0, floor_front, "jog floor" if floor_front else "bottom")
        if jog and jog.end == "front":
            points.append(("jog riser", jog.length_mm - jog.run_mm, jog.rise_mm))
            points.append(("bottom", jog.length_mm, 0.0))
        elif jog:
            points.append(("jog riser", length - jog.length_mm, 0.0))
            points.append(("jog floor", length - jog.length_mm + jog.run_mm, jog.rise_mm))
        corner("rear_bottom", length, floor_rear, "rear")
        corner("rear_top", length, height, "top")
        corner("front_top", 0.0, height, "front")
        self._check_flats(points)
        if split:
            index = next((i for i, p in enumerate(points) if p[0] == split), None)
            if index is not None:
                (_, x0, z0), (_, x1, z1) = points[index], points[(index + 1) % len(points)]
                points[index] = (f"{split}:1", x0, z0)
                points.insert(index + 1, (f"{split}:2", (x0 + x1) / 2, (z0 + z1) / 2))
        return points

    def _check_flats(self, points: list[tuple[str, float, float]]) -> None:
        ways = {"bottom": (1, 0), "jog floor": (1, 0), "rear": (0, 1), "top": (-1, 0), "front": (0, -1)}
        for i, (face, x0, z0) in enumerate(points):
            _, x1, z1 = points[(i + 1) % len(points)]
            way = ways.get(face)
            if way is None:
                continue
            run = (x1 - x0) * way[0] + (z1 - z0) * way[1]
            if run < SHORTEST_FLAT_MM:
                raise ValueError(
                    f"chamfers and jog leave {run:.0f} mm of {face}; at least {SHORTEST_FLAT_MM:.0f} mm must remain: "
                    f"make them smaller by {SHORTEST_FLAT_MM - run:.0f} mm or the tank larger"
                )

    def shell(self, split: str | None = None) -> Shell:
        """The closed inside shell. `split` divides a face for a seam on the flat."""
        return close_shell(self.loops(split))

    def loops(self, split: str | None = None) -> list[tuple[str, str, Array]]:
        """(id, parent, loop) of each inside face: the walls in order round the profile, then the two ends."""
        profile = self.profile(split)
        xz = np.array([(x, z) for _, x, z in profile])
        near = np.column_stack([xz[:, 0], np.zeros(len(xz)), xz[:, 1]])
        far = near + np.array([0.0, self.width_mm, 0.0])
        loops: list[tuple[str, str, Array]] = []
        for i, (face, _, _) in enumerate(profile):
            j = (i + 1) % len(profile)
            loops.append((face, face.split(":")[0], np.array([near[i], far[i], far[j], near[j]])))
        loops.append(("left end", "left end", near))
        loops.append(("right end", "right end", far[::-1]))
        return loops
