"""The lofted family: polygons at stations along, joined corner to corner by flat sides. All sizes are inside sizes in mm.

A side that its four corners twist out of a plane is split into two triangles along its shorter diagonal, or refused with its twist.
"""

from __future__ import annotations

import math
from itertools import pairwise
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field, model_validator
from shapely.geometry import Polygon

from bathyx.core.geometry.outline import polygon_area
from bathyx.core.geometry.shell import Array, Face, Role, Shell
from bathyx.core.tank.family import Grip, LiveDim, MakeUpPlan, TankFamily, choice
from bathyx.core.units.frozen import Frozen, checked
from bathyx.errors import Refusal

MOST_CORNERS, MOST_STATIONS = 16, 12
FLAT_MM = 0.01
LEAST_MM = 5.0
LEAST_RISE = 0.05


Coordinate = Annotated[float, Field(ge=-20_000, le=20_000)]


class Section(Frozen):
    """A polygon at `x_mm`: corners (y, z), counter-clockwise seen from the rear, as many in each section."""

    x_mm: float = Field(ge=-100_000, le=100_000)
    corners: tuple[tuple[Coordinate, Coordinate], ...] = Field(min_length=3, max_length=MOST_CORNERS)


class LoftedTank(TankFamily):
    """Sections from front to rear; the first and the last are flat ends. `twisted`: what becomes of a side that is not flat."""

    title: ClassVar[str] = "Lofted"
    words: ClassVar[str] = "polygons at stations along, joined by flat sides: what fits a hull or a crooked hole"

    family: Literal["lofted"] = "lofted"
    twisted: Literal["refuse", "split"] = choice(
        "A twisted side", {"refuse": "is refused", "split": "is split"}, "refuse"
    )
    sections: tuple[Section, ...] = Field(min_length=2, max_length=MOST_STATIONS)

    @model_validator(mode="after")
    def _closes(self) -> LoftedTank:
        sides = {len(s.corners) for s in self.sections}
        if len(sides) > 1:
            raise Refusal(f"sections have {' and '.join(str(n) for n in sorted(sides))} corners; each has as many")
        for a, b in pairwise(self.sections):
            if b.x_mm - a.x_mm < LEAST_MM:
                raise Refusal(
                    f"sections at {a.x_mm:g} and {b.x_mm:g} mm: they run from the front to the rear, {LEAST_MM:g} mm apart or more"
                )
        for s in self.sections:
            shape = Polygon(s.corners)
            if not shape.is_valid or shape.area < 400:
                raise Refusal(
                    f"the section at {s.x_mm:g} mm crosses itself or is as good as flat; put its corners in order"
                )
            for p, q in zip(s.corners, s.corners[1:] + s.corners[:1], strict=True):
                if math.dist(p, q) < 1:
                    raise Refusal(
                        f"the section at {s.x_mm:g} mm has two corners in one place, {p[0]:.0f}, {p[1]:.0f} mm"
                    )
        if self.twisted == "refuse":
            for side, bay, twist in self.twists():
                if twist > FLAT_MM:
                    raise Refusal(
                        f"side {side + 1} between sections {bay + 1} and {bay + 2} is twisted by {twist:.1f} mm: no flat sheet "
                        "lies there; let it be split along a diagonal, or move a corner"
                    )
        return self

    def _spots(self) -> Array:
        """(stations, corners, 3) mm, lowest corner of all at 0, counter-clockwise from the rear."""
        spots = np.array([[(s.x_mm, y, z) for y, z in s.corners] for s in self.sections])
        if polygon_area(spots[0, :, 1:]) < 0:
            spots = spots[:, ::-1]
        return np.asarray(spots - spots.reshape(-1, 3).min(axis=0))

    def twists(self) -> list[tuple[int, int, float]]:
        """(side, bay, mm) for each patch: how far its fourth corner stands off the plane of the other three."""
        spots = self._spots()
        found = []
        for bay in range(len(spots) - 1):
            for side in range(spots.shape[1]):
                a, b, c, d = _patch(spots, side, bay)
                normal = np.cross(b - a, c - a)
                size = float(np.linalg.norm(normal))
                found.append((side, bay, abs(float((d - a) @ normal)) / max(size, 1e-9)))
        return found

    def faces(self, split: str | None = None) -> list[Face]:
        """Sides in order round the section, from bay to bay along each, then the front and the rear end."""
        spots = self._spots()
        names = _names(spots)
        twist = {(side, bay): mm for side, bay, mm in self.twists()}
        faces: list[Face] = []
        bays = len(spots) - 1
        for side, (name, role) in enumerate(names):
            bay = 0
            while bay < bays:
                until = _flat_until(spots, side, bay)
                called = name if (bay, until) == (0, bays) else f"{name}, bay {bay + 1}"
                mine: Role = role if bay == 0 else "wall"
                a, b, c, d = _patch(spots, side, bay)
                if twist[side, bay] > FLAT_MM:
                    first, second = (
                        ((a, b, c), (a, c, d)) if math.dist(a, c) <= math.dist(b, d) else ((a, b, d), (b, c, d))
                    )
                    faces.append(Face(f"{called} a", np.array(first), f"{called} a", mine))
                    faces.append(Face(f"{called} b", np.array(second), f"{called} b", "wall"))
                    bay += 1
                    continue
                near, far = spots[bay : until + 1, side], spots[bay : until + 1, (side + 1) % spots.shape[1]]
                loop = np.concatenate([near[:1], far, near[:0:-1]])
                faces.append(Face(called, loop, called, mine))
                bay = until
        faces.append(Face("front", spots[0][::-1], "front", "end"))
        faces.append(Face("rear", spots[-1], "rear", "end"))
        return faces

    def plan(self, school: str) -> MakeUpPlan | None:
        """Plates: every corner along is welded, folds between bays of a side are bent. Wrap: one seam along, of two
        sections."""
        if school not in self.schools() or (school == "wrap" and len(self.sections) > 2):
            return None
        strips = [f.id for f in self.faces() if f.role != "end"]
        side_of = {name: name.split(", bay")[0].removesuffix(" a").removesuffix(" b") for name in strips}
        sides = list(dict.fromkeys(side_of.values()))
        along = list(pairwise([*sides, sides[0]])) if school == "plates" else [(sides[-1], sides[0])]
        apart = tuple((p, q) for p in strips for q in strips if (side_of[p], side_of[q]) in along)
        return MakeUpPlan(None, (), "choice" if school == "plates" else "ring", welded=apart)

    @classmethod
    def schools(cls) -> tuple[str, ...]:
        """Two."""
        return ("plates", "wrap")

    @classmethod
    def started(cls, box: dict[str, float], sheet: str) -> TankFamily:
        """An upright box of two sections."""
        w, h = box["width"], box["height"]
        corners = [(0.0, 0.0), (w, 0.0), (w, h), (0.0, h)]
        sections = [{"x_mm": x, "corners": corners} for x in (0.0, box["length"])]
        return checked(cls, {"sheet": sheet, "sections": sections})

    def filled(self, box: dict[str, float]) -> dict[str, Any]:
        """The sections stretched to the box. Refusal where that twists a side that was flat."""
        spots = self._spots()
        size = np.array([box["length"], box["width"], box["height"]])
        moved = spots / spots.reshape(-1, 3).max(axis=0) * size
        return {"sections": [_section(rows) for rows in moved]}

    def shortened(self, way: str, by_mm: float) -> dict[str, Any] | None:
        """Stretched the other way."""
        size = dict(zip(("length", "width", "height"), self._spots().reshape(-1, 3).max(axis=0).tolist(), strict=True))
        size[way] = float(math.floor(size[way] - by_mm))
        return self.filled(size) if size[way] > 20 else None

    def grips(self, shell: Shell) -> list[Grip]:
        """Both ends, and every side of the section."""
        spots = self._spots()
        found = [
            Grip("front", spots[0].mean(axis=0), np.array([-1.0, 0, 0])),
            Grip("rear", spots[-1].mean(axis=0), np.array([1.0, 0, 0])),
        ]
        for side, (name, _) in enumerate(_names(spots)):
            a, b, _, d = _patch(spots, side, 0)
            far = _patch(spots, side, len(spots) - 2)
            out = np.cross(b - a, d - a)
            found.append(Grip(name, (a + b + far[2] + far[3]) / 4, out / np.linalg.norm(out)))
        return found

    def pulled(self, name: str, by_mm: float) -> tuple[dict[str, Any], Array]:
        """An end moves along; a side moves square to itself in every section, its neighbours' planes stay."""
        spots = self._spots()
        moved = spots.copy()
        if name in ("front", "rear"):
            moved[0 if name == "front" else -1, :, 0] += by_mm if name == "rear" else -by_mm
        else:
            side = [n for n, _ in _names(spots)].index(name)
            for k, rows in enumerate(spots):
                moved[k, :, 1:] = _side_moved(rows[:, 1:], side, by_mm)
        shift = moved.reshape(-1, 3).min(axis=0)
        return {"sections": [_section(np.round(rows, 4)) for rows in moved]}, np.asarray(shift)

    def dims(self) -> list[LiveDim]:
        """Sizes over all; corners are typed, or come with a proposal."""
        n, w, h = self._spots().reshape(-1, 3).max(axis=0).tolist()
        zero = np.zeros(3)
        return [
            LiveDim("side", np.array([n, 0.0, 0.0]), zero, ""),
            LiveDim("side", zero, np.array([0.0, 0.0, h]), ""),
            LiveDim("end", np.array([0.0, w, 0.0]), zero, ""),
        ]


def _side_moved(ring: Array, side: int, by_mm: float) -> Array:
    """(n, 2) a ring, counter-clockwise, with one side moved out; its ends slide along its neighbours. Refusal where it vanishes."""
    n = len(ring)
    before, a, b, after = (ring[(side + k) % n] for k in (-1, 0, 1, 2))
    run = (b - a) / np.linalg.norm(b - a)
    out = np.array([run[1], -run[0]])
    moved = ring.copy()
    for index, spot, beyond in ((side, a, before), ((side + 1) % n, b, after)):
        way = (spot - beyond) / np.linalg.norm(spot - beyond)
        rise = float(way @ out)
        if abs(rise) < LEAST_RISE:
            raise Refusal("that side's neighbours run along it: it cannot be moved by itself")
        step = by_mm / rise
        if step < -np.linalg.norm(spot - beyond) + 1:
            raise Refusal("that side would take its neighbour away")
        moved[index] = spot + way * step
    if float((moved[(side + 1) % n] - moved[side]) @ run) < 1:
        raise Refusal("that side would have no width left")
    return moved


def _section(rows: Array) -> dict[str, Any]:
    return {"x_mm": float(rows[0, 0]), "corners": [(float(y), float(z)) for _, y, z in rows]}


def _patch(spots: Array, side: int, bay: int) -> tuple[Array, Array, Array, Array]:
    """The four corners of a side in a bay, in the order of an outward loop."""
    n = spots.shape[1]
    near, far = spots[bay], spots[bay + 1]
    return near[side], near[(side + 1) % n], far[(side + 1) % n], far[side]


def _flat_until(spots: Array, side: int, bay: int) -> int:
    """The section up to which a side stays in the plane that it has in a bay."""
    a, b, c, _ = _patch(spots, side, bay)
    normal = np.cross(b - a, c - a)
    normal = normal / np.linalg.norm(normal)
    until = bay + 1
    while until < len(spots) - 1:
        *_, far, near = _patch(spots, side, until)
        if max(abs(float((far - a) @ normal)), abs(float((near - a) @ normal))) > FLAT_MM:
            break
        until += 1
    return until


def _names(spots: Array) -> list[tuple[str, Role]]:
    """A name for each side by where it looks; numbered where there are several."""
    words: list[str] = []
    n = spots.shape[1]
    for side in range(n):
        a, b, _, d = _patch(spots, side, 0)
        out = np.cross(b - a, d - a)
        out = out / max(float(np.linalg.norm(out)), 1e-12)
        words.append(
            "bottom" if out[2] < -0.9 else "top" if out[2] > 0.9 else ("right" if out[1] > 0 else "left")
            + (" bilge" if out[2] < -0.3 else " shoulder" if out[2] > 0.3 else " side")
        )  # fmt: skip
    found: list[tuple[str, Role]] = []
    for k, word in enumerate(words):
        number = words[:k].count(word)
        role: Role = "wall" if number or word not in ("bottom", "top") else "floor" if word == "bottom" else "roof"
        found.append((word + (f" {number + 1}" if number else ""), role))
    return found
