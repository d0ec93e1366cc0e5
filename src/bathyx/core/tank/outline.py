"""The outline family: any closed profile of straight runs, corner by corner, carried across a width between upright or leaning
ends. All sizes are inside sizes in mm; x from the front, z up.
"""

from __future__ import annotations

import math
import re
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field, model_validator
from shapely.geometry import Polygon
from shapely.validation import explain_validity

from bathyx.core.geometry.outline import polygon_area
from bathyx.core.geometry.shell import Array, Face, Role
from bathyx.core.tank.family import LiveDim, MakeUpPlan, TankFamily, size
from bathyx.core.tank.section import Cap, Frame, Run, arc, carried, straight
from bathyx.core.units.frozen import Frozen, checked
from bathyx.core.units.typed import lines_of
from bathyx.errors import Refusal

SHORTEST_MM = 5.0
MOST_CORNERS = 60
LINE = re.compile(r"^\s*(-?[\d.]+)\s*[,;\s]\s*(-?[\d.]+)\s*[,;]?\s*(?:([rc])\s*([\d.]+))?\s*$", re.IGNORECASE)


class ProfileCorner(Frozen):
    """A corner of the profile at (x, z); cut off or rounded on the inside by `size_mm` (legs of a chamfer, or the radius)."""

    x_mm: float = Field(ge=-20_000, le=20_000)
    z_mm: float = Field(ge=-20_000, le=20_000)
    cut: Literal["sharp", "chamfer", "radius"] = "sharp"
    size_mm: float = Field(0.0, ge=0, le=5_000)


class OutlineTank(TankFamily):
    """A profile of `corners` (either way round) carried across `width_mm` (y). An end leans in at its top by `left_lean_mm` or
    `right_lean_mm`."""

    title: ClassVar[str] = "Outline"
    words: ClassVar[str] = "any closed profile of straight runs, corner by corner, carried across a width"
    plans: ClassVar[dict[str, MakeUpPlan]] = {"plates": MakeUpPlan(), "wrap": MakeUpPlan(None, (), "ring")}

    family: Literal["outline"] = "outline"
    width_mm: float = size("Width", ways=("width",))
    left_lean_mm: float = size("Left end leans in at the top by", least=-5000.0, most=5000, default=0.0)
    right_lean_mm: float = size("Right end leans in at the top by", least=-5000.0, most=5000, default=0.0)
    corners: tuple[ProfileCorner, ...] = Field(min_length=3, max_length=MOST_CORNERS)

    @model_validator(mode="after")
    def _closes(self) -> OutlineTank:
        self._runs()
        for lean, other in ((self.left_lean_mm, self.right_lean_mm),):
            if max(lean, 0) + max(other, 0) > self.width_mm - 20:
                raise Refusal(f"the ends lean in by more than the width of {self.width_mm:g} mm less 20 mm")
        return self

    def points(self) -> Array:
        """The sharp corners (n, 2), counter-clockwise seen from the left end, lowest and foremost at 0."""
        spots = np.array([(c.x_mm, c.z_mm) for c in self.corners])
        spots = spots - spots.min(axis=0)
        return np.asarray(spots if polygon_area(spots) > 0 else spots[::-1])

    def _in_order(self) -> list[ProfileCorner]:
        spots = np.array([(c.x_mm, c.z_mm) for c in self.corners])
        return list(self.corners) if polygon_area(spots) > 0 else list(self.corners)[::-1]

    def _runs(self) -> list[Run]:
        """The section with its corners cut. Refusal that names the place where it crosses itself or is too short."""
        spots, corners = self.points(), self._in_order()
        n = len(spots)
        for i in range(n):
            if math.dist(spots[i], spots[(i + 1) % n]) < SHORTEST_MM:
                raise Refusal(
                    f"corners {i + 1} and {(i + 1) % n + 1} stand {math.dist(spots[i], spots[(i + 1) % n]):.1f} mm apart at "
                    f"{spots[i][0]:.0f}, {spots[i][1]:.0f} mm; a side is at least {SHORTEST_MM:g} mm: leave one out"
                )
        shape = Polygon(spots)
        if not shape.is_valid:
            at = re.findall(r"-?[\d.]+(?:e-?\d+)?", explain_validity(shape))
            where = f" at {float(at[0]):.0f}, {float(at[1]):.0f} mm" if len(at) >= 2 else ""
            raise Refusal(f"the profile crosses or touches itself{where}; put its corners in order round it")
        if shape.area < 400:
            raise Refusal(f"the profile encloses {shape.area:.0f} mm²; it is as good as flat")
        unit = np.roll(spots, -1, axis=0) - spots
        length = np.hypot(*unit.T)
        unit = unit / length[:, None]
        turn = [math.atan2(_cross(unit[i - 1], unit[i]), float(unit[i - 1] @ unit[i])) for i in range(n)]
        cut = [_taken(corners[i], turn[i]) for i in range(n)]
        for i in range(n):
            left = length[i] - cut[i] - cut[(i + 1) % n]
            if left < SHORTEST_MM - 1e-9:
                raise Refusal(
                    f"chamfers and radii leave {left:.0f} mm of the side from {spots[i][0]:.0f}, {spots[i][1]:.0f} mm, which is "
                    f"{length[i]:.0f} mm long; {SHORTEST_MM:g} mm must remain: make them smaller by {SHORTEST_MM - left:.0f} mm"
                )
        names = _names(unit, spots)
        runs: list[Run] = []
        for i in range(n):
            j = (i + 1) % n
            start, end = spots[i] + unit[i] * cut[i], spots[j] - unit[i] * cut[j]
            runs.append(straight(names[i][0], _pair(start), _pair(end), names[i][1]))
            after = spots[j] + unit[j] * cut[j]
            if cut[j] > 0 and corners[j].cut == "chamfer":
                runs.append(straight(f"chamfer {j + 1}", _pair(end), _pair(after)))
            elif cut[j] > 0:
                way = math.copysign(1.0, turn[j])
                middle = end + way * corners[j].size_mm * np.array([-unit[i][1], unit[i][0]])
                first = math.atan2(end[1] - middle[1], end[0] - middle[0])
                runs.append(arc(f"corner {j + 1}", _pair(middle), corners[j].size_mm, first, first + turn[j]))
        return runs

    def faces(self, split: str | None = None) -> list[Face]:
        """The walls round the profile, then the two ends."""
        height = float(np.ptp(self.points()[:, 1]))
        low, high = max(-self.right_lean_mm, 0.0), max(-self.left_lean_mm, 0.0)
        x, y, z = np.eye(3)
        frame = Frame(np.array([0.0, self.width_mm - low, 0.0]), -y, x, z)
        lean = (self.right_lean_mm / height, -self.left_lean_mm / height)
        return carried(self._runs(), frame, self.width_mm - low - high, Cap("right end"), Cap("left end"), lean=lean)

    def plan(self, school: str) -> MakeUpPlan | None:
        """One wrap has its seam where the profile begins."""
        if school == "wrap":
            return MakeUpPlan(None, (self._runs()[-1].name,), "ring")
        return self.plans.get(school)

    @classmethod
    def started(cls, box: dict[str, float], sheet: str) -> TankFamily:
        """A rectangle, to be drawn on."""
        n, h = box["length"], box["height"]
        corners = [{"x_mm": x, "z_mm": z} for x, z in ((0, 0), (n, 0), (n, h), (0, h))]
        return checked(cls, {"sheet": sheet, "width_mm": box["width"], "corners": corners})

    def filled(self, box: dict[str, float]) -> dict[str, Any]:
        """The profile stretched to the box, its cuts kept."""
        spots = np.array([(c.x_mm, c.z_mm) for c in self.corners])
        low, span = spots.min(axis=0), np.ptp(spots, axis=0)
        moved = (spots - low) / span * [box["length"], box["height"]]
        found = [
            c.model_dump() | {"x_mm": float(x), "z_mm": float(z)} for c, (x, z) in zip(self.corners, moved, strict=True)
        ]
        return {"width_mm": box["width"], "corners": found}

    def shortened(self, way: str, by_mm: float) -> dict[str, Any] | None:
        """Across, the width; the profile is stretched the other ways."""
        if way == "width":
            return super().shortened(way, by_mm)
        size_now = np.ptp(self.points(), axis=0)
        box = {"length": float(size_now[0]), "height": float(size_now[1]), "width": self.width_mm}
        box[way] = float(math.floor(box[way] - by_mm))
        return {"corners": self.filled(box)["corners"]} if box[way] > 20 else None

    def handles(self) -> list[tuple[str, Array]]:
        """A handle at each corner, and one between that makes a new corner."""
        spots = self.points()
        if len(spots) >= MOST_CORNERS:
            middles = []
        else:
            middles = [
                (f"between:{i}", (p + q) / 2)
                for i, (p, q) in enumerate(zip(spots, np.roll(spots, -1, axis=0), strict=True))
            ]
        named = [(f"corner:{i}", p) for i, p in enumerate(spots)] + middles
        return [(name, np.array([p[0], 0.0, p[1]])) for name, p in named]

    def with_handle(self, tag: str, x_mm: float, z_mm: float) -> dict[str, Any]:
        """Changes when a handle is dragged to (x, z): a corner moved, or a new one between two."""
        kind, _, number = tag.partition(":")
        corners = [c.model_dump() for c in self._in_order()]
        low = np.array([(c["x_mm"], c["z_mm"]) for c in corners]).min(axis=0)
        for c in corners:
            c["x_mm"], c["z_mm"] = c["x_mm"] - float(low[0]), c["z_mm"] - float(low[1])
        place = {"x_mm": float(round(x_mm)), "z_mm": float(round(z_mm))}
        if kind == "corner":
            corners[int(number)] |= place
        else:
            corners.insert(int(number) + 1, place)
        return {"corners": corners}

    def dims(self) -> list[LiveDim]:
        """The width; length and height over all. Corners are dragged, or typed in the list."""
        n, h = (float(x) for x in np.ptp(self.points(), axis=0))
        return [
            LiveDim("side", np.array([n, 0.0, 0.0]), np.zeros(3), ""),
            LiveDim("side", np.zeros(3), np.array([0.0, 0.0, h]), ""),
            LiveDim("end", np.array([0.0, self.width_mm, 0.0]), np.zeros(3), "width_mm"),
        ]


def _pair(spot: Array) -> tuple[float, float]:
    return float(spot[0]), float(spot[1])


def _cross(a: Array, b: Array) -> float:
    return float(a[0] * b[1] - a[1] * b[0])


def _taken(corner: ProfileCorner, turn: float) -> float:
    """How much of each side a corner's cut takes."""
    if corner.cut == "sharp" or corner.size_mm <= 0 or abs(turn) < 1e-6:
        return 0.0
    return corner.size_mm if corner.cut == "chamfer" else corner.size_mm * math.tan(abs(turn) / 2)


def _names(unit: Array, spots: Array) -> list[tuple[str, Role]]:
    """A name for each side by where it looks, numbered where there are several; the lowest floor and the highest roof first."""
    words = []
    for dx, dz in unit.tolist():
        nx, nz = dz, -dx
        words.append(
            "bottom"
            if nz < -0.999
            else "top"
            if nz > 0.999
            else "rear"
            if nx > 0.7
            else "front"
            if nx < -0.7
            else "slope"
        )
    middles = (spots + np.roll(spots, -1, axis=0)) / 2
    found: list[tuple[str, Role]] = [("", "wall")] * len(words)
    for word in dict.fromkeys(words):
        mine = [i for i, w in enumerate(words) if w == word]
        mine.sort(key=lambda i: (middles[i][1] if word != "top" else -middles[i][1], i))
        for k, i in enumerate(mine):
            role: Role = "floor" if word == "bottom" and k == 0 else "roof" if word == "top" and k == 0 else "wall"
            found[i] = (word + (f" {k + 1}" if k else ""), role)
    return found


def corners_of(text: str) -> list[dict[str, Any]]:
    """The corners that lines of `x, z` stand for; `r20` after one rounds it, `c15` cuts it off. Refusal with the line.

    >>> corners_of("0, 0\\n300, 0 r20\\n300, 200")[1]
    {'x_mm': 300.0, 'z_mm': 0.0, 'cut': 'radius', 'size_mm': 20.0}
    """
    found = []
    for number, line in lines_of(text):
        if not line.strip() or (number == 1 and re.match(r"^\s*[\"a-z]", line, re.IGNORECASE)):
            continue
        match = LINE.match(line)
        try:
            x, z, kind, by = match.groups() if match else ("", "", None, None)
            corner: dict[str, Any] = {"x_mm": float(x), "z_mm": float(z)}
            if kind:
                corner |= {"cut": "radius" if kind.lower() == "r" else "chamfer", "size_mm": float(by or 0)}
        except ValueError:
            raise Refusal(
                f"line {number}, {line.strip()[:40]!r}: write a corner as x, z like 300, 45 or 300, 45 r20"
            ) from None
        found.append(corner)
    if len(found) < 3:
        raise Refusal(f"a profile has three corners or more, one a line as x, z in mm; these are {len(found)}")
    return found
