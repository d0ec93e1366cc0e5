"""Pages at full size: drawings in millimetres cut into pages that overlap, with marks to join them and a bar to check the scale."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol

import numpy as np
from reportlab.lib.units import mm as POINTS
from reportlab.pdfgen.canvas import Canvas

from bathyx.core.geometry.shell import Array
from bathyx.core.units import Family
from bathyx.errors import Refusal
from bathyx.papers.page.lettering import BOLD, REGULAR, draw, fitting, use_fonts, width
from bathyx.papers.page.pdf_picture import colour
from bathyx.papers.page.stationery import SHEETS_MM

MARGIN_MM, FOOT_MM, OVERLAP_MM, GAP_MM, BAR_MM = 10.0, 14.0, 10.0, 6.0, 100.0
MOST_PAGES = 400
ROLL_MM, LEAST_ROLL_MM, LONGEST_ROLL_MM = (297, 1600), 210.0, 5000.0
Paint = Callable[["Sketch"], None]


@dataclass(frozen=True, eq=False)
class Drawing:
    """Something to draw at full size: its name, its lower left and upper right corner, mm, and what paints it."""

    name: str
    low: Array
    high: Array
    paint: Paint


class Sketch(Protocol):
    """What a drawing is painted on: lines and words at their places in mm."""

    def line(
        self, points: Array, *, closed: bool = False, ink: str = "ink", wide: float = 0.6, dashed: bool = False
    ) -> None:
        """A row of places joined by lines."""

    def words(
        self,
        at: Sequence[float] | Array,
        text: str,
        size: float = 9,
        anchor: str = "c",
        ink: str = "ink",
        up_mm: float = 0.0,
    ) -> None:
        """Words at a place."""


class Page:
    """A page with its own place in a drawing. Lengths are mm of the drawing; they are full size on paper."""

    def __init__(self, canvas: Canvas, at: Array, origin: Array, size: Array) -> None:
        self.canvas, self._at, self._origin, self._size = canvas, at, origin, size

    def spot(self, point: Sequence[float] | Array) -> tuple[float, float]:
        """Points on the page of a place in the drawing."""
        x, y = (np.asarray(point, float) - self._origin + self._at) * POINTS
        return float(x), float(y)

    def line(
        self, points: Array, *, closed: bool = False, ink: str = "ink", wide: float = 0.6, dashed: bool = False
    ) -> None:
        """A row of places joined by lines.

        Args:
            points: (n, 2) mm of the drawing.
            closed: back to the first.
            ink: name of its colour.
            wide: of the line, points.
            dashed: or drawn through.
        """
        c = self.canvas
        c.setStrokeColor(colour(ink))
        c.setLineWidth(wide)
        c.setDash([4, 3] if dashed else [])
        path = c.beginPath()
        path.moveTo(*self.spot(points[0]))
        for point in points[1:]:
            path.lineTo(*self.spot(point))
        if closed:
            path.close()
        c.drawPath(path)

    def words(
        self,
        at: Sequence[float] | Array,
        text: str,
        size: float = 9,
        anchor: str = "c",
        ink: str = "ink",
        up_mm: float = 0.0,
    ) -> None:
        """Words at a place that lies on this page, moved in where they would run off it.

        Args:
            at: (2,) mm of the drawing.
            text: one line.
            size: points.
            anchor: l, c or r: the end that stands there.
            ink: name of its colour.
            up_mm: how far above the place, on the page.
        """
        self.canvas.setFillColor(colour(ink))
        x, y = self.spot(at)
        low, high = self._at * POINTS, (self._at + self._size) * POINTS
        if not (low[0] <= x <= high[0] and low[1] <= y <= high[1]):
            return
        wide = width(text, REGULAR, size)
        back = {"l": 0.0, "c": wide / 2, "r": wide}[anchor]
        x = min(max(x - back, float(low[0]) + 1), max(float(high[0]) - wide - 1, float(low[0]) + 1))
        y = min(max(y + up_mm * POINTS - size * 0.35, float(low[1]) + 1), float(high[1]) - size)
        draw(self.canvas, x, y, text, REGULAR, size, "l")


class TurnedPage:
    """A page for a drawing that lies on its side: what is drawn at (x, y) stands at (top − y, x − left)."""

    def __init__(self, page: Sketch, low: Array, high: Array) -> None:
        self._page, self._low, self._high = page, low, high

    def _at(self, points: Sequence[float] | Array) -> Array:
        spots = np.asarray(points, float)
        return np.stack([self._high[1] - spots[..., 1], spots[..., 0] - self._low[0]], axis=-1)

    def line(
        self, points: Array, *, closed: bool = False, ink: str = "ink", wide: float = 0.6, dashed: bool = False
    ) -> None:
        """As `Page.line`."""
        self._page.line(self._at(points), closed=closed, ink=ink, wide=wide, dashed=dashed)

    def words(
        self,
        at: Sequence[float] | Array,
        text: str,
        size: float = 9,
        anchor: str = "c",
        ink: str = "ink",
        up_mm: float = 0.0,
    ) -> None:
        """As `Page.words`; they stay upright."""
        self._page.words(self._at(at), text, size, anchor, ink, up_mm)


def laid_best(drawing: Drawing, paper: str) -> Drawing:
    """The drawing, or the drawing on its side where that takes fewer pages; its `paint` may only draw lines and words.

    Args:
        drawing: at full size.
        paper: one of SHEETS_MM, or a roll.
    """
    wide, tall = size_of(paper)
    room = np.array([wide - 2 * MARGIN_MM, tall - 2 * MARGIN_MM - FOOT_MM])
    size = drawing.high - drawing.low
    if math.prod(_count(size[::-1], room)) >= math.prod(_count(size, room)):
        return drawing

    def paint(page: Sketch) -> None:
        drawing.paint(TurnedPage(page, drawing.low, drawing.high))

    return Drawing(drawing.name, np.zeros(2), size[::-1], paint)


def _count(size: Array, room: Array) -> list[int]:
    """Pages across and up that a drawing of this size takes."""
    if not (size > room).any():
        return [1, 1]
    return [max(1, math.ceil((float(s) - OVERLAP_MM) / float(d))) for s, d in zip(size, room - OVERLAP_MM, strict=True)]


def write_full_size(
    path: Path, title: str, drawings: Sequence[Drawing], paper: str = "a4", units: Family = Family.METRIC
) -> Path:
    """A PDF of drawings at full size.

    Args:
        path: file to write.
        title: on every page.
        drawings: those that fit share a page, larger ones run over several.
        paper: one of SHEETS_MM, or a roll by its width, like `roll-610`.
        units: metric or US, for the bar that a ruler is held against.

    Raises:
        Refusal: for a paper that is none, or more pages than anybody would print.
    """
    wide, tall = size_of(paper)
    roll = paper not in SHEETS_MM
    use_fonts()
    room = np.array([wide - 2 * MARGIN_MM, tall - 2 * MARGIN_MM - FOOT_MM])
    pages = _pages(drawings, room)
    if len(pages) > MOST_PAGES:
        raise Refusal(f"{title} takes {len(pages)} pages of {paper.upper()}; take a larger paper or a smaller tank")
    part = path.with_name(path.name + ".part")
    canvas = Canvas(str(part), pagesize=(wide * POINTS, tall * POINTS), pageCompression=1)
    canvas.setTitle(title)
    canvas.setAuthor("Bathyx")
    for number, items in enumerate(pages, start=1):
        if roll:  # a page as long as what is on it
            most = max(float(origin[1] * (not label) + min((d.high - d.low)[1], room[1])) for d, origin, label in items)
            tall = max(LEAST_ROLL_MM, most + 2 * MARGIN_MM + FOOT_MM)
            canvas.setPageSize((wide * POINTS, tall * POINTS))
        _frame(canvas, title, f"page {number} of {len(pages)}", (wide, tall), units)
        for drawing, origin, label in items:
            canvas.saveState()
            corner = np.array([MARGIN_MM, MARGIN_MM + FOOT_MM])
            size = room if label else drawing.high - drawing.low
            place = corner if label else corner + origin
            start = drawing.low + origin if label else drawing.low
            clip = canvas.beginPath()
            clip.rect(*(float(v) * POINTS for v in (place - 0.5)), *(float(v) * POINTS for v in size + 1))
            canvas.clipPath(clip, stroke=0, fill=0)
            page = Page(canvas, place, start, size)
            drawing.paint(page)
            if label:
                _joints(page, start, room, drawing)
            canvas.restoreState()
            if label:
                canvas.setFillColor(colour("quiet"))
                draw(canvas, (wide - MARGIN_MM) * POINTS, 5.5 * POINTS, f"{drawing.name}, {label}", REGULAR, 8, "r")
        canvas.showPage()
    canvas.save()
    part.replace(path)
    return path


def size_of(paper: str) -> tuple[float, float]:
    """(width, height) mm of a paper; of a roll its width and the longest page that a file may have. Refusal for none."""
    if paper in SHEETS_MM:
        return SHEETS_MM[paper]
    match = re.fullmatch(r"roll-(\d{3,4})", paper)
    if match is None or not ROLL_MM[0] <= int(match.group(1)) <= ROLL_MM[1]:
        raise Refusal(
            f"no paper {paper!r}; there are {', '.join(SHEETS_MM)}, and rolls by their width, like roll-610 "
            f"({ROLL_MM[0]} to {ROLL_MM[1]})"
        )
    return float(match.group(1)), LONGEST_ROLL_MM


def _pages(drawings: Sequence[Drawing], room: Array) -> list[list[tuple[Drawing, Array, str]]]:
    """For each page (drawing, place, label): small drawings share pages at their places; of a large one each page has a part."""
    shared: list[list[tuple[Drawing, Array, str]]] = []
    large: list[list[tuple[Drawing, Array, str]]] = []
    x = y = row = 0.0
    for drawing in sorted(drawings, key=lambda d: -float((d.high - d.low)[1])):
        size = drawing.high - drawing.low
        if (size > room).any():
            step = room - OVERLAP_MM
            count = _count(size, room)
            for j in range(count[1]):
                for i in range(count[0]):
                    large.append([(drawing, step * [i, j], f"column {i + 1} of {count[0]}, row {j + 1} of {count[1]}")])
            continue
        if x + float(size[0]) > room[0]:
            x, y, row = 0.0, y + row + GAP_MM, 0.0
        if not shared or y + float(size[1]) > room[1]:
            shared.append([])
            x = y = row = 0.0
        shared[-1].append((drawing, np.array([x, y]), ""))
        x, row = x + float(size[0]) + GAP_MM, max(row, float(size[1]))
    return shared + large


def _frame(canvas: Canvas, title: str, number: str, size_mm: tuple[float, float], units: Family) -> None:
    """Title, and a bar to hold a ruler against."""
    wide, tall = size_mm
    bar, said = (4 * 25.4, '4"') if units.us else (BAR_MM, f"{BAR_MM:g} mm")
    canvas.setFillColor(colour("ink"))
    size = fitting(title, BOLD, 9, (wide - 2 * MARGIN_MM) * POINTS)
    draw(canvas, MARGIN_MM * POINTS, (tall - 7) * POINTS, title, BOLD, size)
    y = MARGIN_MM * POINTS + 2
    canvas.setStrokeColor(colour("ink"))
    canvas.setDash([])
    canvas.setLineWidth(0.8)
    x0, x1 = MARGIN_MM * POINTS, (MARGIN_MM + bar) * POINTS
    canvas.line(x0, y, x1, y)
    for x in (x0, x1):
        canvas.line(x, y - 4, x, y + 4)
    draw(canvas, x0, 5.5 * POINTS, f"{said}: check with a ruler, print at 100 %. {number}", REGULAR, 8)


def _joints(page: Page, start: Array, room: Array, drawing: Drawing) -> None:
    """Where pages meet: dashed lines in the middle of the overlap, crosses where they cross."""
    low, high = start, start + room
    middle = OVERLAP_MM / 2
    xs = [
        x
        for x, inner in ((low[0] + middle, low[0] > drawing.low[0]), (high[0] - middle, high[0] < drawing.high[0]))
        if inner
    ]
    ys = [
        y
        for y, inner in ((low[1] + middle, low[1] > drawing.low[1]), (high[1] - middle, high[1] < drawing.high[1]))
        if inner
    ]
    for x in xs:
        page.line(np.array([[x, low[1]], [x, high[1]]]), ink="quiet", wide=0.4, dashed=True)
    for y in ys:
        page.line(np.array([[low[0], y], [high[0], y]]), ink="quiet", wide=0.4, dashed=True)
