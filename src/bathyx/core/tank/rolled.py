"""The rolled family: a round, obround, D-shaped or radiused body, lying, standing or leaning, with an end of its own kind at
each side; rolled from sheet, or a length of a bought section whose sizes are the table's. All sizes are inside sizes in mm;
the length runs between the lines where the ends begin.
"""

from __future__ import annotations

import math
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import model_validator

from bathyx.core.geometry.outline import polygon_area
from bathyx.core.geometry.shell import Array, Face
from bathyx.core.geometry.surfaces import Meridian
from bathyx.core.material import Section, materials, parse_sheet, section, sections
from bathyx.core.tank.family import LiveDim, MakeUpPlan, Setting, TankFamily, choice, degrees, optional_size, part, size
from bathyx.core.tank.section import Cap, Frame, HeadKind, Run, arc, carried, run_points, straight
from bathyx.core.units.frozen import Frozen, checked
from bathyx.errors import Refusal

EndKind = Literal["flat_on", "flat_in", "flanged", "dished", "elliptical", "hemisphere", "cone"]
END_WORDS = {
    "flat_on": "flat, set on",
    "flat_in": "flat, set in",
    "flanged": "flat, flange turned in",
    "dished": "dished",
    "elliptical": "elliptical 2:1",
    "hemisphere": "hemisphere",
    "cone": "cone",
}
SECTION_WORDS = {"round": "round", "obround": "obround", "d": "D, flat below", "radiused": "rectangle, radiused"}
STOCK_WORDS = {"": "none: rolled from sheet", **{key: found.words for key, found in sections().items()}}
AXIS_WORDS = {"lying": "lying", "standing": "standing", "leaning": "leaning"}
HEADS: dict[str, HeadKind] = {
    "flat_on": "flat",
    "flat_in": "flat",
    "flanged": "flanged",
    "dished": "dish",
    "elliptical": "ellipse",
    "hemisphere": "sphere",
    "cone": "cone",
}
SHORTEST_MM = 5.0
HALF = math.pi / 2


class End(Frozen):
    """One end. `crown_mm`, `knuckle_mm` of a dished one (the diameter and a tenth of it unless given); the knuckle is the
    corner radius of a flanged one; `depth_mm` of a cone (a quarter of the diameter unless given)."""

    kind: EndKind = choice("Kind", END_WORDS, "flat_on")
    crown_mm: float | None = optional_size("Crown radius")
    knuckle_mm: float | None = optional_size("Knuckle or corner radius", 5_000)
    depth_mm: float | None = optional_size("Depth of the cone", 10_000)

    def meridian(self, diameter_mm: float, thickness_mm: float) -> Meridian | None:
        """The head's meridian on a body of this inside diameter; None for a flat plate. Refusal says which radius is wrong."""
        a = diameter_mm / 2
        if self.kind in ("flat_on", "flat_in"):
            return None
        if self.kind == "elliptical":
            return Meridian((("ellipse", (a, a / 2)),))
        if self.kind == "hemisphere":
            return Meridian((("ellipse", (a, a)),))
        if self.kind == "cone":
            return Meridian((("line", (a, 0.0, 0.0, self.depth_mm or diameter_mm / 4)),))
        if self.kind == "flanged":
            corner = self.knuckle_mm or min(max(12.0, 3 * thickness_mm), max(a - 2 * SHORTEST_MM, a / 2))
            least = SHORTEST_MM if a > 2 * SHORTEST_MM else a / 4
            if corner > a - least:
                raise Refusal(
                    f"a corner radius of {corner:g} mm leaves no flat on an end whose rim has {a:g} mm; "
                    f"make it {a - least:g} mm or smaller"
                )
            return Meridian(
                (("arc", (a - corner, 0.0, corner, 0.0, HALF)), ("line", (a - corner, corner, 0.0, corner)))
            )
        crown, knuckle = self.crown_mm or diameter_mm, self.knuckle_mm or diameter_mm / 10
        if crown < a:
            raise Refusal(f"a crown radius of {crown:g} mm does not span {diameter_mm:g} mm; it is at least {a:g} mm")
        if knuckle >= min(crown, a):
            raise Refusal(
                f"a knuckle of {knuckle:g} mm is larger than the crown of {crown:g} mm and the diameter of "
                f"{diameter_mm:g} mm allow; make it smaller than {min(crown, a):g} mm"
            )
        depth = crown - math.sqrt((crown - knuckle) ** 2 - (a - knuckle) ** 2)
        turn = math.acos((a - knuckle) / (crown - knuckle))
        return Meridian(
            (("arc", (a - knuckle, 0.0, knuckle, 0.0, turn)), ("arc", (0.0, depth - crown, crown, turn, HALF)))
        )


class RolledTank(TankFamily):
    """A rolled body of `section` in `sheet`, with `front` and `rear` ends (the lower and the upper one of a standing tank)."""

    title: ClassVar[str] = "Rolled"
    together: ClassVar[dict[str, tuple[str, ...]]] = {
        "ends": ("front.kind", "rear.kind"),
        "crown_mm": ("front.crown_mm", "rear.crown_mm"),
        "knuckle_mm": ("front.knuckle_mm", "rear.knuckle_mm"),
        "depth_mm": ("front.depth_mm", "rear.depth_mm"),
    }
    words: ClassVar[str] = "a round, obround, D-shaped or radiused body with an end of its own kind at each side"

    family: Literal["rolled"] = "rolled"
    section: Literal["round", "obround", "d", "radiused"] = choice("Section", SECTION_WORDS, "round")
    axis: Literal["lying", "standing", "leaning"] = choice("Axis", AXIS_WORDS, "lying")
    stock: str = choice("Bought section", STOCK_WORDS, "")
    length_mm: float = size("Length of the body")
    diameter_mm: float = size("Diameter", least=-1, default=0.0)
    width_mm: float = size("Width of the section", least=-1, default=0.0)
    height_mm: float = size("Height of the section", least=-1, default=0.0)
    corner_mm: float = size("Corner radius", least=-1, most=5000, default=0.0)
    lean_deg: float = degrees("Axis leans, above level", 15.0, 1, 89)
    seam_deg: float = degrees("Seam of the body, from the top to the left", 45.0, 0, 359)
    front: End = part("Front or lower end", End())
    rear: End = part("Rear or upper end", End())

    @model_validator(mode="before")
    @classmethod
    def _shaped_by_stock(cls, given: Any) -> Any:
        """A bought section says its own shape where none is given."""
        if isinstance(given, dict) and "section" not in given and given.get("stock") in sections():
            return given | {"section": "round" if sections()[given["stock"]].kind == "round" else "radiused"}
        return given

    @model_validator(mode="after")
    def _can_be_made(self) -> RolledTank:
        if self.stock:
            self._is_stocked()
        for name in self._sizes_wanted():
            if getattr(self, name) < 20:
                word = {"diameter_mm": "a diameter", "width_mm": "a width", "height_mm": "a height"}[name]
                raise Refusal(f"a {SECTION_WORDS[self.section]} section needs {word} of 20 mm or more ({name})")
        if self.section != "round":
            for where, end in (("front", self.front), ("rear", self.rear)):
                flanged = end.kind == "flanged" and self.section != "d"
                if not end.kind.startswith("flat_") and not flanged:
                    raise Refusal(
                        f"{where}: a {END_WORDS[end.kind]} end needs a round section; take a flat one or make the body round"
                    )
        self._runs(None)
        for end in (self.front, self.rear):
            end.meridian(2 * self._rim_mm, parse_sheet(self.sheet)[1])
        return self

    def _is_stocked(self) -> None:
        """Refusal where the bought section is none, not of this shape, or not to be had in the sheet's metal and wall."""
        found = section(self.stock)
        shape = "round" if found.kind == "round" else "radiused"
        if shape != self.section:
            raise Refusal(
                f"{found.words} is {SECTION_WORDS[shape]}, not {SECTION_WORDS[self.section]}; set the section to {shape}"
            )
        found.refuse_unless(self.sheet)

    @property
    def bought(self) -> Section | None:
        """The section that the body is cut from; None for one rolled from sheet."""
        return section(self.stock) if self.stock else None

    def written(self, document: dict[str, Any]) -> dict[str, Any]:
        """Without the bought section where there is none: files and frozen revisions from before it read the same."""
        return {name: v for name, v in super().written(document).items() if name != "stock" or v}

    def _sizes_wanted(self) -> tuple[str, ...]:
        if self.stock:
            return ()
        return ("diameter_mm",) if self.section == "round" else ("width_mm", "height_mm")

    @property
    def _rim_mm(self) -> float:
        """Radius of the section's corners, which a head's meridian is drawn from: half of what is round all over."""
        if self.section != "radiused":
            return min(self._size) / 2
        return section(self.stock).corner_mm(parse_sheet(self.sheet)[1]) if self.stock else self.corner_mm

    @property
    def _core(self) -> tuple[float, float]:
        """Half sides of what the section's corners run round, along its width and height."""
        w, h = self._size
        return max(w / 2 - self._rim_mm, 0.0), max(h / 2 - self._rim_mm, 0.0)

    @property
    def _size(self) -> tuple[float, float]:
        """Width and height of the section."""
        if self.stock:
            return section(self.stock).inside_mm(parse_sheet(self.sheet)[1])
        return (self.diameter_mm, self.diameter_mm) if self.section == "round" else (self.width_mm, self.height_mm)

    def _names(self) -> tuple[str, str, str, str]:
        """Names of the section's lower, right, upper and left side."""
        return ("rear side", "right side", "front side", "left side") if self.axis == "standing" else (
            "bottom", "right side", "top", "left side"
        )  # fmt: skip

    def _runs(self, split: str | None) -> list[Run]:
        """The section about its middle, from the bottom counter-clockwise. Refusal where sizes collide."""
        w, h = self._size
        low, _, up, _ = self._names()
        if self.section == "round":
            seam = math.radians(90 + self.seam_deg)
            return [arc("wall", (0.0, 0.0), w / 2, seam - 2 * math.pi, seam)]
        if self.section == "d":
            runs = self._d_runs(w, h)
        elif self.section == "obround":
            runs = self._obround_runs(w, h)
        else:
            runs = self._radiused_runs(w, h)
        floor_roof = {low: "floor", up: "roof"} if self.axis != "standing" else {}
        runs = [
            Run(r.name, r.start, r.end, floor_roof.get(r.name, r.role), r.centre, r.radius, r.first, r.last)  # type: ignore[arg-type]
            for r in runs
        ]
        k = next((k for k, r in enumerate(runs) if r.name == split and r.centre is None), None)
        if k is None:
            return runs
        # The ring opens at the seam, so that the body unrolls from it.
        run = runs[k]
        middle = ((run.start[0] + run.end[0]) / 2, (run.start[1] + run.end[1]) / 2)
        halves = straight(f"{split}:1", run.start, middle, run.role), straight(f"{split}:2", middle, run.end, run.role)
        return [halves[1], *runs[k + 1 :], *runs[:k], halves[0]]

    def _d_runs(self, w: float, h: float) -> list[Run]:
        low, right, up, left = self._names()
        a = w / 2
        side = h - a
        if side < -1e-9 or 1e-9 < side < SHORTEST_MM:
            raise Refusal(
                f"a D of {w:g} mm has a round top of {a:g} mm: make it {a:g} mm high, or {a + SHORTEST_MM:g} mm and more "
                f"with upright sides; it is {h:g} mm"
            )
        z = -h / 2
        runs = [straight(low, (-a, z), (a, z))]
        if side > 1e-9:
            runs.append(straight(right, (a, z), (a, z + side)))
        runs.append(arc(up, (0.0, z + side), a, 0.0, math.pi))
        if side > 1e-9:
            runs.append(straight(left, (-a, z + side), (-a, z)))
        return runs

    def _obround_runs(self, w: float, h: float) -> list[Run]:
        low, right, up, left = self._names()
        flat = abs(w - h)
        if flat < SHORTEST_MM:
            raise Refusal(
                f"an obround of {w:g} × {h:g} mm has no flats; make it round, or one size {SHORTEST_MM:g} mm larger"
            )
        a, s = min(w, h) / 2, flat / 2
        if w > h:
            return [
                straight(low, (-s, -a), (s, -a)),
                arc(right, (s, 0.0), a, -HALF, HALF),
                straight(up, (s, a), (-s, a)),
                arc(left, (-s, 0.0), a, HALF, 3 * HALF),
            ]
        return [
            arc(low, (0.0, -s), a, math.pi, 2 * math.pi),
            straight(right, (a, -s), (a, s)),
            arc(up, (0.0, s), a, 0.0, math.pi),
            straight(left, (-a, s), (-a, -s)),
        ]

    def _radiused_runs(self, w: float, h: float) -> list[Run]:
        low, right, up, left = self._names()
        a, b = w / 2, h / 2
        r = section(self.stock).corner_mm(parse_sheet(self.sheet)[1]) if self.stock else self.corner_mm
        most = (min(w, h) - SHORTEST_MM) / 2
        if not 0 < r <= most:
            raise Refusal(
                f"a radiused section of {w:g} × {h:g} mm needs a corner radius between 0 and {most:g} mm; it is {r:g} mm"
            )
        return [
            straight(low, (-a + r, -b), (a - r, -b)),
            arc("lower right corner", (a - r, -b + r), r, -HALF, 0.0),
            straight(right, (a, -b + r), (a, b - r)),
            arc("upper right corner", (a - r, b - r), r, 0.0, HALF),
            straight(up, (a - r, b), (-a + r, b)),
            arc("upper left corner", (-a + r, b - r), r, HALF, math.pi),
            straight(left, (-a, b - r), (-a, -b + r)),
            arc("lower left corner", (-a + r, -b + r), r, math.pi, 3 * HALF),
        ]

    def _caps(self) -> tuple[Cap, Cap]:
        t = parse_sheet(self.sheet)[1]
        names = {
            "lying": ("front end", "rear end"),
            "standing": ("bottom", "top"),
            "leaning": ("lower end", "upper end"),
        }
        low, high = names[self.axis]

        def cap(name: str, end: End) -> Cap:
            meridian = end.meridian(2 * self._rim_mm, t)
            return Cap(name, HEADS[end.kind], meridian, self._core)

        return cap(low, self.front), cap(high, self.rear)

    def faces(self, split: str | None = None) -> list[Face]:
        """Walls in order round the section from the bottom (or from the seam), then the two ends."""
        runs, (low, high) = self._runs(split), self._caps()
        w, h = self._size
        deep = low.meridian.depth_mm if low.meridian else 0.0
        x, y, z = np.eye(3)
        if self.axis == "lying":
            return carried(runs, Frame(np.array([deep, w / 2, h / 2]), x, y, z), self.length_mm, low, high)
        if self.axis == "standing":
            return carried(runs, Frame(np.array([h / 2, w / 2, deep]), z, y, -x), self.length_mm, low, high)
        lean = math.radians(self.lean_deg)
        axis, q = x * math.cos(lean) + z * math.sin(lean), z * math.cos(lean) - x * math.sin(lean)
        first = carried(runs, Frame(np.zeros(3), axis, y, q), self.length_mm, low, high)
        corner = np.concatenate([loops.reshape(-1, 3) for face in first for loops, _ in face.blocks]).min(axis=0)
        return carried(runs, Frame(-corner, axis, y, q), self.length_mm, low, high)

    def volume_mm3(self) -> float:
        """The section's area times the length, and the heads."""
        if self.sump is not None:
            return super().volume_mm3()
        rim = np.concatenate([run_points(run)[:-1] for run in self._runs(None)])
        heads = sum(cap.meridian.volume_mm3(cap.core) for cap in self._caps() if cap.meridian is not None)
        return polygon_area(rim) * self.length_mm + heads

    def plan(self, school: str) -> MakeUpPlan | None:
        """One rolled wall with its seam on a flat where there is one; a D has its floor welded in. A bought one has no seam."""
        if school != "rolled":
            return None
        if self.stock:
            split = None if self.section == "round" else self._names()[3]  # laid open where fittings are rarest
            return MakeUpPlan(split, (), whole="body", bought=section(self.stock).words)
        low, _, up, left = self._names()
        if self.section == "d":
            last = self._runs(None)[-1].name
            return MakeUpPlan(None, (low, last), whole="body")
        if self.section == "round":
            return MakeUpPlan(None, (), whole="body")
        flat = left if self.section == "obround" and self.height_mm > self.width_mm else up
        return MakeUpPlan(flat, (), whole="body")

    @classmethod
    def schools(cls) -> tuple[str, ...]:
        """One school."""
        return ("rolled",)

    def set_in(self, face: str) -> bool | None:
        """Whether a flat end stands inside the body (True) or covers it (False); None for heads, which butt."""
        for cap, end in zip(self._caps(), (self.front, self.rear), strict=True):
            if cap.name == face and cap.meridian is None:
                return end.kind == "flat_in"
        return None

    def head_fields(self, face: str) -> dict[str, str]:
        """Of the front or the rear end."""
        where = dict(zip((cap.name for cap in self._caps()), ("front", "rear"), strict=True)).get(face)
        return {} if where is None else {"crown": f"{where}.crown_mm", "knuckle": f"{where}.knuckle_mm"}

    def main_sizes(self) -> tuple[Setting, ...]:
        """Length, and what the section has."""
        along = "height" if self.axis == "standing" else "length"
        other = ("length", "width") if self.axis == "standing" else ("width", "height")
        ways: dict[str, tuple[str, ...]] = {"length_mm": (along,), "diameter_mm": other}
        if self.stock:
            ways = {"length_mm": (along,)}
        elif self.section != "round":
            ways = {
                "length_mm": (along,),
                "width_mm": ("width",),
                "height_mm": (other[0] if along == "height" else "height",),
            }
        if self.axis == "leaning":
            ways = {name: () for name in ways}
        by_path = {s.path: s for s in self.settings()}
        return tuple(Setting(p, by_path[p].label, "length", (), way, by_path[p].required) for p, way in ways.items())

    def shown(self, path: str) -> bool:
        """Whether a setting means something for this section and axis."""
        if self.stock and path in ("section", "diameter_mm", "seam_deg", "width_mm", "height_mm", "corner_mm"):
            return False
        if path in ("diameter_mm", "seam_deg"):
            return self.section == "round"
        if path in ("width_mm", "height_mm"):
            return self.section != "round"
        if path == "corner_mm":
            return self.section == "radiused"
        where, _, what = path.partition(".")
        if what and what != "kind":
            kind = getattr(self, where).kind
            return kind in {"crown_mm": ("dished",), "knuckle_mm": ("dished", "flanged"), "depth_mm": ("cone",)}[what]
        return self.axis == "leaning" if path == "lean_deg" else True

    def switched(self, path: str, value: Any) -> dict[str, Any]:
        """Changes for a choice: another section takes its sizes from the one before, a bought one its shape and wall."""
        changes: dict[str, Any] = {path: value}
        if path == "stock":
            return changes | self._taken_from_stock(value)
        if path == "section" and value != self.section:
            w, h = self._size
            flat = End().model_dump()
            if value == "round":
                changes["diameter_mm"] = min(w, h)
            else:
                w, h = (w, h) if abs(w - h) > SHORTEST_MM or value == "radiused" else (float(round(1.4 * w)), h)
                if value == "d" and h < w / 2 + SHORTEST_MM:
                    h = w / 2
                changes |= {
                    "width_mm": w,
                    "height_mm": h,
                    **({"front": flat, "rear": flat} if value == "d" else self._fit_for_corners()),
                }
                if value == "radiused":
                    changes["corner_mm"] = float(max(5, round(min(w, h) / 8)))
        return changes

    def _fit_for_corners(self) -> dict[str, Any]:
        """Changes of ends that only a round section can have to flat ones; a flanged one keeps no radius of its own."""
        ends = {name: getattr(self, name).kind for name in ("front", "rear")}
        return {
            name: {"kind": kind if kind == "flanged" else "flat_on"}
            for name, kind in ends.items()
            if not kind.startswith("flat_")
        }

    def _taken_from_stock(self, key: str) -> dict[str, Any]:
        """What else changes with the bought section; back to sheet, the sizes that it had stay."""
        w, h = self._size
        t = parse_sheet(self.sheet)[1]
        if not key:
            corner = section(self.stock).corner_mm(t) if self.stock else self.corner_mm
            return (
                {"diameter_mm": w} if self.section == "round" else {"width_mm": w, "height_mm": h, "corner_mm": corner}
            )
        found = section(key)
        try:
            found.refuse_unless(self.sheet)
            sheet = self.sheet
        except Refusal:
            sheet = found.nearest_sheet(self.sheet)
        changes: dict[str, Any] = {"sheet": sheet, "section": "round" if found.kind == "round" else "radiused"}
        if found.kind == "box":
            flat = {"kind": "flat_on"}
            changes |= {name: flat for name in ("front", "rear") if not getattr(self, name).kind.startswith("flat_")}
        return changes

    @classmethod
    def started(cls, box: dict[str, float], sheet: str) -> TankFamily:
        """A round lying body in the box."""
        return checked(
            cls, {"sheet": sheet, "length_mm": box["length"], "diameter_mm": min(box["width"], box["height"])}
        )

    def filled(self, box: dict[str, float]) -> dict[str, Any]:
        """The body that fills an inside box, heads and all. Refusal for a leaning one."""
        if self.axis == "leaning":
            raise Refusal("a leaning body is not fitted by itself: set its length and diameter, the space is checked")
        standing = self.axis == "standing"
        along = box["height" if standing else "length"]
        w, h = box["width"], box["length" if standing else "height"]
        t = parse_sheet(self.sheet)[1]
        sizes: dict[str, Any] = (
            {"diameter_mm": min(w, h)} if self.section == "round" else {"width_mm": w, "height_mm": h}
        )
        if self.stock:
            largest = self._largest(w, h)
            sizes, (w, h) = {"stock": largest.key}, largest.inside_mm(t)
        deep = 0.0
        for end in (self.front, self.rear):
            meridian = end.meridian(2 * self._rim_mm if self.section == "radiused" else min(w, h), t)
            deep += meridian.depth_mm if meridian else 0.0
        return {"length_mm": float(math.floor(along - deep)), **sizes}

    def _largest(self, w: float, h: float) -> Section:
        """The largest bought section of this kind and sheet within a width and a height. Refusal where there is none."""
        material, t = parse_sheet(self.sheet)
        kind, group = section(self.stock).kind, materials()[material].group
        fits = [
            s
            for s in sections().values()
            if s.kind == kind and t in s.walls_in(group) and s.inside_mm(t)[0] <= w and s.inside_mm(t)[1] <= h
        ]
        if not fits:
            raise Refusal(f"no bought {kind} of {t:g} mm wall goes into {w:.0f} × {h:.0f} mm; roll the body from sheet")
        return max(fits, key=lambda s: s.width_mm * s.height_mm)

    def dims(self) -> list[LiveDim]:
        """Length and diameter, or the section's width and height."""
        w, h = self._size
        low, _ = self._caps()
        deep = low.meridian.depth_mm if low.meridian else 0.0
        n = self.length_mm
        wide = "" if self.stock else "diameter_mm" if self.section == "round" else "width_mm"
        high = "" if self.stock else "diameter_mm" if self.section == "round" else "height_mm"

        def at(x: float, y: float, z: float) -> Array:
            return np.array([x, y, z])

        if self.axis == "leaning":
            return []
        if self.axis == "standing":
            return [
                LiveDim("side", at(h, 0, 0), at(0, 0, 0), high),
                LiveDim("side", at(0, 0, deep), at(0, 0, deep + n), "length_mm"),
                LiveDim("end", at(0, w, 0), at(0, 0, 0), wide),
            ]
        return [
            LiveDim("side", at(deep + n, 0, 0), at(deep, 0, 0), "length_mm"),
            LiveDim("side", at(0, 0, 0), at(0, 0, h), high),
            LiveDim("end", at(0, w, 0), at(0, 0, 0), wide),
        ]
