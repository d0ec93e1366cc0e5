"""What is laid on sheets and how it lies there: parts, places, sheets that are used, and how they are cut."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from bathyx.core.geometry.outline import polygon_area
from bathyx.core.geometry.shell import Array
from bathyx.core.sheet.cutting.guillotine import Cut, Rect
from bathyx.core.sheet.flat.blank import Blank

LEAST_OFFCUT_MM = 80.0


@dataclass(frozen=True, eq=False)
class Part:
    """A flat piece: its name and its outline (n, 2) with its lower left corner at (0, 0), mm."""

    name: str
    outline: Array

    @property
    def size(self) -> tuple[float, float]:
        """Width and height."""
        w, h = np.ptp(self.outline, axis=0)
        return float(w), float(h)

    @property
    def area_mm2(self) -> float:
        """Of its outline."""
        return abs(polygon_area(self.outline))


@dataclass(frozen=True)
class Place:
    """Where a part lies: on which sheet, turned about its origin by `turn_deg`, then moved to (x, y)."""

    part: str
    sheet: int
    x_mm: float
    y_mm: float
    turn_deg: float

    def laid(self, outline: Array) -> Array:
        """(n, 2) of the part's outline on its sheet."""
        a = math.radians(self.turn_deg)
        turn = np.array([[math.cos(a), -math.sin(a)], [math.sin(a), math.cos(a)]])
        return np.asarray(outline @ turn.T + [self.x_mm, self.y_mm])


@dataclass(frozen=True)
class Used:
    """A sheet that is cut: its size, whether it is an off-cut, the shear's cuts, and the rectangles left, largest first."""

    size: tuple[float, float]
    offcut: bool
    cuts: tuple[Cut, ...] = ()
    rest: tuple[Rect, ...] = ()

    @property
    def area_mm2(self) -> float:
        """Of the whole sheet."""
        return self.size[0] * self.size[1]

    @property
    def left(self) -> tuple[float, float] | None:
        """Width and height of the largest rectangle that is left."""
        return self.rest[0][2:] if self.rest else None


@dataclass(frozen=True)
class CutPlan:
    """Places on sheets; `density` is the area of the parts over that of the sheets."""

    sheets: tuple[Used, ...]
    places: tuple[Place, ...]
    density: float

    @property
    def new_mm2(self) -> float:
        """Area of new sheets."""
        return sum(s.area_mm2 for s in self.sheets if not s.offcut)

    def on(self, sheet: int) -> tuple[Place, ...]:
        """What lies on a sheet."""
        return tuple(place for place in self.places if place.sheet == sheet)


@dataclass(frozen=True)
class Cutting:
    """How it is cut: `shear` by cuts from edge to edge, else along the outlines; kerf between parts, margin at the edge of a
    sheet, and whether parts may only be turned by half a turn, for the grain."""

    shear: bool = True
    kerf_mm: float = 3.0
    margin_mm: float = 5.0
    grain: bool = False

    def room(self, size: tuple[float, float]) -> tuple[float, float]:
        """(width, height) within the margin of a sheet."""
        return size[0] - 2 * self.margin_mm, size[1] - 2 * self.margin_mm

    def takes(self, size: tuple[float, float], part: Part) -> bool:
        """Whether a sheet takes a part by its rectangle."""
        w, h = part.size
        a, b = self.room(size)[0] + 1e-6, self.room(size)[1] + 1e-6
        return (w <= a and h <= b) or (not self.grain and h <= a and w <= b)


def parts_of(blanks: Sequence[Blank], prefix: str = "") -> tuple[Part, ...]:
    """Blanks as parts."""
    return tuple(Part(prefix + b.name, b.outline.faceted) for b in blanks if b.role != "bought")


def laid_out(sheets: Sequence[Used], places: Sequence[Place], parts: Sequence[Part]) -> CutPlan:
    """A plan of what lies on its sheets: those that took nothing are not among them."""
    kept = sorted({place.sheet for place in places})
    at = {sheet: n for n, sheet in enumerate(kept)}
    moved = tuple(
        Place(place.part, at[place.sheet], place.x_mm, place.y_mm, place.turn_deg)
        for place in sorted(places, key=lambda p: p.sheet)
    )
    used = tuple(sheets[sheet] for sheet in kept)
    return CutPlan(used, moved, sum(part.area_mm2 for part in parts) / sum(sheet.area_mm2 for sheet in used))


def rects_on(places: Sequence[Place], by_name: Mapping[str, Part]) -> list[Rect]:
    """(x, y, width, height) of what lies on one sheet, in the order of its places."""
    return list(_rects(places, by_name))


def _rects(places: Sequence[Place], by_name: Mapping[str, Part]) -> Iterator[Rect]:
    for place in places:
        ring = place.laid(by_name[place.part].outline)
        low, span = ring.min(axis=0), np.ptp(ring, axis=0)
        yield float(low[0]), float(low[1]), float(span[0]), float(span[1])
