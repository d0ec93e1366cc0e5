"""Blanks laid out to scale with bend lines, holes, marks and dimensions, and the nest on its sheets."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise

import numpy as np

from bathyx.core.evaluate import Evaluation
from bathyx.core.geometry.shell import Array
from bathyx.core.sheet.blank import Blank
from bathyx.core.sheet.nest import Nest
from bathyx.core.units import Family, show
from bathyx.draft.picture import Circle, Dim, Item, Label, Picture, Poly, box, line


def blank_picture(blank: Blank, units: Family, *, close: bool = True) -> Picture:
    """One blank, inside face up; `close` adds angles and hole sizes."""
    tag = f"blank:{blank.name}"
    items: list[Item] = [Poly(blank.outline.faceted, "ink", "sheet", 1.4, tag=tag)]
    for mark in blank.marks:
        if np.linalg.norm(mark.end - mark.start) > 0.01:
            items.append(line(mark.start, mark.end, "mark", 0.8, dashed=True, tag=tag))
    for bend in blank.bends:
        ink = "bend up" if bend.up else "bend down"
        items.append(line(bend.start, bend.end, ink, 1.6, dashed=not bend.up, tag=tag))
        if close:
            items.append(
                Label(
                    (bend.start + bend.end) / 2,
                    f"{bend.turn_deg:.0f}° {'up' if bend.up else 'down'}",
                    8,
                    ink,
                    badge="sheet",
                )
            )
    for hole in blank.holes:
        items.append(Circle(hole.centre, hole.diameter_mm / 2, "hole", "paper", 1.0, tag=tag))
        if close and hole.label != "flow":
            items.append(Label(hole.centre, f"ø{hole.diameter_mm:g}", 8, "hole"))
    low, high = blank.outline.bounds
    across = (low[0] + high[0]) / 2
    items += [
        Label(np.array([across, high[1]]), blank.name, 10, "ink", bold=True, shift=(0, 10), tag=tag),
        Dim(np.array([high[0], low[1]]), np.array([low[0], low[1]]), show(high[0] - low[0], "length", units), 13),
        Dim(np.array([low[0], low[1]]), np.array([low[0], high[1]]), show(high[1] - low[1], "length", units), 9),
    ]
    return Picture(tuple(items))


def blanks_view(e: Evaluation, units: Family, chosen: str = "") -> Picture:
    """All blanks in rows, or one of them large."""
    if chosen:
        blank = next((b for b in e.results.blanks if b.name == chosen), None)
        if blank is not None:
            return _detailed(blank, units)
    pictures = [blank_picture(b, units, close=False) for b in e.results.blanks]
    sizes = [b.size_mm for b in e.results.blanks]
    gap = 0.27 * max(max(size) for size in sizes)
    row = max(max(w for w, _ in sizes), 1.1 * sum((w + gap) * (h + gap) for w, h in sizes) ** 0.5)
    items: list[Item] = []
    x = y = tall = 0.0
    for picture, (w, h) in sorted(zip(pictures, sizes, strict=True), key=lambda p: -p[1][1]):
        if x > 0 and x + w > row:
            x, y, tall = 0.0, y - tall - gap, 0.0
        items += picture.moved(x, y - h).items
        x, tall = x + w + gap, max(tall, h)
    return Picture(tuple(items))


def _detailed(blank: Blank, units: Family) -> Picture:
    """One blank with running dimensions to each bend and hole."""
    items = list(blank_picture(blank, units).items)
    width, height = blank.size_mm
    stations = sorted(
        {round(float((b.start[0] + b.end[0]) / 2), 2) for b in blank.bends if abs(b.start[0] - b.end[0]) < 0.5}
    )
    stops = [0.0, *stations, width]
    if stations:
        for a, b in pairwise(stops):
            items.append(Dim(np.array([a, height]), np.array([b, height]), show(b - a, "length", units, places=1), 28))
    for k, hole in enumerate(h for h in blank.holes if h.label != "flow"):
        items.append(line([hole.centre[0], 0], hole.centre, "dim", 0.5, dashed=True))
        items.append(line([0, hole.centre[1]], hole.centre, "dim", 0.5, dashed=True))
        items.append(
            Dim(
                np.array([hole.centre[0], 0.0]),
                np.array([0.0, 0.0]),
                show(float(hole.centre[0]), "length", units, places=1),
                30 + 16 * k,
            )
        )
        items.append(
            Dim(
                np.array([0.0, 0.0]),
                np.array([0.0, hole.centre[1]]),
                show(float(hole.centre[1]), "length", units, places=1),
                30 + 16 * k,
            )
        )
    return Picture(tuple(items))


def nest_view(nest: Nest, blanks: tuple[Blank, ...], units: Family) -> Picture:
    """Blanks on their stock sheets, turned as nested."""
    by_name = {b.name: b for b in blanks}
    items: list[Item] = []
    width, height = nest.stock
    long = max(width, height)
    size = f"{show(width, 'length', units)} × {show(height, 'length', units)}"
    for sheet in range(nest.sheets):
        y0 = -sheet * (height + 0.08 * long)
        items.append(box(0, y0, width, height, "ink", "space", 1.6))
        items.append(
            Label(np.array([0.0, y0]), f"sheet {sheet + 1}: {size}", 10, "ink", "l", bold=True, shift=(0, -10))
        )
        for spot in nest.spots:
            if spot.sheet != sheet:
                continue
            blank = by_name[spot.blank]
            place = _turn(blank.size_mm[1]) if spot.turned else _stay
            tag = f"blank:{blank.name}"
            corner = np.array([spot.x_mm, y0 + spot.y_mm])
            items.append(Poly(place(blank.outline.faceted) + corner, "ink", "sheet", 1.0, tag=tag))
            for bend in blank.bends:
                ends = place(np.stack([bend.start, bend.end])) + corner
                items.append(line(ends[0], ends[1], "bend up" if bend.up else "bend down", 1.0, dashed=not bend.up))
            for hole in blank.holes:
                items.append(Circle(place(hole.centre[None])[0] + corner, hole.diameter_mm / 2, "hole", "space", 0.8))
            items.append(Label(corner + [spot.width_mm / 2, spot.height_mm / 2], blank.name, 8, "ink", tag=tag))
    return Picture(tuple(items))


def _stay(points: Array) -> Array:
    return points


def _turn(height: float) -> Callable[[Array], Array]:
    """A quarter turn that keeps the blank in the first quadrant."""
    return lambda points: np.column_stack([height - points[:, 1], points[:, 0]])
