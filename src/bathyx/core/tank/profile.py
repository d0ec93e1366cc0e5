"""The profile family: a side profile (box, chamfers, a jog in the bottom) carried across a width.

All sizes are inside sizes in mm. Corners: front is x = 0, rear is x = length.
"""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field, model_validator

from bathyx.core.geometry.shell import Array, Face, Role
from bathyx.core.tank.family import LiveDim, MakeUpPlan, TankFamily, size
from bathyx.core.units.frozen import Frozen
from bathyx.errors import Refusal

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


ROLES: dict[str, Role] = {"bottom": "floor", "top": "roof"}
SPOTS = {"front_bottom": (0, 0), "rear_bottom": (1, 0), "rear_top": (1, 1), "front_top": (0, 1)}


class ProfileTank(TankFamily):
    """A side profile of length x height (x, z) carried across `width_mm` (y), in `sheet` (material/thickness)."""

    title: ClassVar[str] = "Profile"
    words: ClassVar[str] = "a side profile (box, chamfers, a step in the bottom) carried across a width"
    plans: ClassVar[dict[str, MakeUpPlan]] = {
        "plates": MakeUpPlan(),
        "two_l": MakeUpPlan(None, ("rear", "front")),
        "wrap": MakeUpPlan(None, ("rear",), "ring"),
        "perimeter": MakeUpPlan("top", (), "always", "perimeter"),
    }
    main_faces: ClassVar[tuple[str, ...]] = ("bottom", "rear", "top", "front")

    order: ClassVar[tuple[str, ...]] = ("family", "length_mm", "width_mm", "height_mm", "sheet")  # as first released

    family: Literal["profile"] = "profile"
    length_mm: float = size("Length, front to rear", ways=("length",))
    width_mm: float = size("Width", ways=("width",))
    height_mm: float = size("Height", ways=("height",))
    chamfers: tuple[Chamfer, ...] = Field((), max_length=4)
    jog: Jog | None = None

    @model_validator(mode="after")
    def _profile_closes(self) -> ProfileTank:
        corners = [c.corner for c in self.chamfers]
        if len(set(corners)) != len(corners):
            raise Refusal("a corner has two chamfers; give each corner one at most")
        self.profile()
        return self

    def profile(self, split: str | None = None) -> list[tuple[str, float, float]]:
        """(face that starts here, x, z) counter-clockwise seen from the left end, from the lower front.

        `split` names a face to divide at its middle (a seam brought onto the flat): its halves are `face:1`, `face:2`.
        Raises Refusal that says which sizes collide.
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
                raise Refusal(
                    f"chamfers and jog leave {run:.0f} mm of {face}; at least {SHORTEST_FLAT_MM:.0f} mm must remain: "
                    f"make them smaller by {SHORTEST_FLAT_MM - run:.0f} mm or the tank larger"
                )

    def chamfers_left(self, by_mm: float) -> dict[str, dict[str, Any]]:
        """At each corner of the profile that has none yet."""
        there = [c.model_dump() for c in self.chamfers]
        return {
            corner.replace("_", " "): {"chamfers": [*there, {"corner": corner, "along_mm": by_mm, "up_mm": by_mm}]}
            for corner in CORNERS
            if all(c.corner != corner for c in self.chamfers)
        }

    def faces(self, split: str | None = None) -> list[Face]:
        """The walls in order round the profile, then the two ends."""
        profile = self.profile(split)
        xz = np.array([(x, z) for _, x, z in profile])
        near = np.column_stack([xz[:, 0], np.zeros(len(xz)), xz[:, 1]])
        far = near + np.array([0.0, self.width_mm, 0.0])
        found: list[Face] = []
        for i, (name, _, _) in enumerate(profile):
            j = (i + 1) % len(profile)
            parent = name.split(":")[0]
            found.append(Face(name, np.array([near[i], far[i], far[j], near[j]]), parent, ROLES.get(parent, "wall")))
        found.append(Face("left end", near, "left end", "end"))
        found.append(Face("right end", far[::-1], "right end", "end"))
        return found

    def dims(self) -> list[LiveDim]:
        """The box, each chamfer and the jog; the length stands further off where smaller ones are below it."""
        n, h, w = self.length_mm, self.height_mm, self.width_mm
        crowded = self.jog is not None or any("bottom" in c.corner for c in self.chamfers)

        def at(x: float, z: float) -> Array:
            return np.array([x, 0.0, z])

        found = [
            LiveDim("side", at(n, 0), at(0, 0), "length_mm", 50 if crowded else 34),
            LiveDim("side", at(0, 0), at(0, h), "height_mm"),
            LiveDim("end", np.array([0.0, w, 0.0]), np.zeros(3), "width_mm"),
        ]
        for i, c in enumerate(self.chamfers):
            right, top = SPOTS[c.corner]
            x, z = right * n, top * h
            if self.jog and not top and (self.jog.end == "front") == (right == 0):
                z += self.jog.rise_mm
            inx, inz = (x - c.along_mm if right else x + c.along_mm), (z - c.up_mm if top else z + c.up_mm)
            level = (at(min(x, inx), z), at(max(x, inx), z))
            upright = (at(x, min(z, inz)), at(x, max(z, inz)))
            found.append(LiveDim("side", *(level if top else level[::-1]), f"chamfers.{i}.along_mm", 16))
            found.append(LiveDim("side", *(upright[::-1] if right else upright), f"chamfers.{i}.up_mm", 16))
        if self.jog:
            jog = self.jog
            x0, x1 = (0.0, jog.length_mm) if jog.end == "front" else (n - jog.length_mm, n)
            x = n if jog.end == "rear" else 0.0
            foot, head = at(x, 0), at(x, jog.rise_mm)
            found.append(LiveDim("side", at(x1, 0), at(x0, 0), "jog.length_mm", 14))
            found.append(LiveDim("side", *((head, foot) if jog.end == "rear" else (foot, head)), "jog.rise_mm", 16))
        return found
