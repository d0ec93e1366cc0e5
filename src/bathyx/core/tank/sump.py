"""A sump: a well, square or round, under a level part of the floor of any family."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field
from shapely.geometry import Point, Polygon
from shapely.geometry import box as rectangle

from bathyx.core.geometry.shell import Array, Face
from bathyx.core.tank.section import Cap, Frame, arc, carried
from bathyx.core.units.frozen import Frozen
from bathyx.errors import Refusal

RIM_MM = 10.0
FLOOR, WALL = "sump floor", "sump wall"


class Sump(Frozen):
    """A well of `depth_mm` under the floor about (x, y): `length_mm` along and `width_mm` across, or round of that length."""

    kind: Literal["box", "round"] = "box"
    x_mm: float = Field(ge=0, le=10_000)
    y_mm: float = Field(ge=0, le=10_000)
    length_mm: float = Field(gt=20, le=5_000)
    width_mm: float = Field(gt=20, le=5_000)
    depth_mm: float = Field(gt=5, le=2_000)


def with_sump(faces: list[Face], sump: Sump) -> list[Face]:
    """The faces with the sump's: its floor has a hole now. Refusal where the sump does not stand on one level floor."""
    place = Point(sump.x_mm, sump.y_mm)
    x0, y0 = sump.x_mm - sump.length_mm / 2, sump.y_mm - sump.width_mm / 2
    need = (
        place.buffer(sump.length_mm / 2 + RIM_MM)
        if sump.kind == "round"
        else rectangle(x0 - RIM_MM, y0 - RIM_MM, x0 + sump.length_mm + RIM_MM, y0 + sump.width_mm + RIM_MM)
    )
    level = [f for f in faces if f.kind == "plane" and f.role != "tunnel" and f.normal[2] < -1 + 1e-9]
    k = next((k for k, f in enumerate(level) if Polygon(f.loop[:, :2]).contains(need)), None)
    if k is None:
        why = "the tank has no level floor to hang a sump under" if not level else (
            f"the sump at {sump.x_mm:g}, {sump.y_mm:g} mm stands off the floor: it and {RIM_MM:g} mm round it lie within one "
            f"level floor ({', '.join(f.id for f in level)})"
        )  # fmt: skip
        raise Refusal(why)
    floor = level[k]
    z = float(floor.loop[0, 2])
    if sump.kind == "round":
        frame = Frame(np.array([sump.x_mm, sump.y_mm, z - sump.depth_mm]), *np.eye(3)[[2, 0, 1]])
        wall, bottom, top = carried(
            [arc(WALL, (0.0, 0.0), sump.length_mm / 2, -math.pi, math.pi, "sump")],
            frame,
            sump.depth_mm,
            Cap(FLOOR),
            Cap(""),
        )
        found, rim = [wall, replace(bottom, role="sump")], top.loop
    else:
        found, rim = _box(sump, x0, y0, z)
    drilled = replace(floor, holes=(*floor.holes, rim))
    return [drilled if f is floor else f for f in faces] + found


def _box(sump: Sump, x0: float, y0: float, z: float) -> tuple[list[Face], Array]:
    plan = np.array([(0, 0), (1, 0), (1, 1), (0, 1)], float) * [sump.length_mm, sump.width_mm] + [x0, y0]
    top = np.column_stack([plan, np.full(4, z)])
    low = top - [0, 0, sump.depth_mm]
    names = ("sump left", "sump rear", "sump right", "sump front")
    found = [
        Face(name, np.array([low[i], low[(i + 1) % 4], top[(i + 1) % 4], top[i]]), name, "sump")
        for i, name in enumerate(names)
    ]
    return [*found, Face(FLOOR, low[::-1], FLOOR, "sump")], top
