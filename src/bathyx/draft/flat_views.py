"""Blanks laid out to scale with bend lines, holes, marks and dimensions, and the nest on its sheets."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise

import numpy as np

from bathyx.core.evaluate import Evaluation
from bathyx.core.geometry.shell import Array
from bathyx.core.sheet.cutting.nest import Nest
from bathyx.core.sheet.flat.blank import Blank
from bathyx.core.units import Family, show, worded
from bathyx.draft.bend_view import bend_strip
from bathyx.draft.picture import Circle, Dim, Item, Label, Picture, Poly, box, line

NARROW_PX, STRIP, WIDER = 300.0, 0.19, 1.7


FORMING = ("roll ", "front ", "rear ", "lower ", "upper ")


def blank_picture(blank: Blank, units: Family, *, close: bool = True) -> Picture:
    """One blank, inside face up. `close` adds dimensions, bend angles and the place of each hole; else only its size."""
    tag = f"blank:{blank.name}"
    width, height = blank.size_mm
    items: list[Item] = [Poly(blank.outline.faceted, "ink", "sheet", 1.4, tag=tag)]
    for mark in blank.marks:
        if mark.text.startswith(FORMING) and close:
            items.append(Label((mark.start + mark.end) / 2, worded(mark.text, units), 8, "mark", badge="sheet"))
        if np.linalg.norm(mark.end - mark.start) > 0.01:
            items.append(line(mark.start, mark.end, "mark", 0.8, dashed=True))
    for bend in blank.bends:
        ink = "bend up" if bend.up else "bend down"
        items.append(
            line(bend.start, bend.end, ink, 1.6, dashed=not bend.up, tag="" if bend.flange else f"edge:{bend.edge}")
        )
    for hole in blank.holes:
        if hole.border is not None:
            items.append(Poly(hole.border, "hole", "paper", 1.0))
        else:
            items.append(Circle(hole.centre, hole.diameter_mm / 2, "hole", "paper", 1.0))
    items.append(Label(np.array([width / 2, height]), blank.name, 10, "ink", bold=True, shift=(0, 11), tag=tag))
    if close:
        items += _close_words(blank, units)
    else:
        size = " × ".join(show(side, "length", units, unit=False) for side in (width, height))
        if blank.role == "bought":
            size = f"{blank.stock}, cut {show(height, 'length', units)} long; laid open {size}"
        items.append(Label(np.array([width / 2, 0.0]), size, 9, "dim", shift=(0, -10)))
    return Picture(tuple(items))


def _close_words(blank: Blank, units: Family) -> list[Item]:
    """Outside dimensions, running dimensions from bend to bend (staggered), angles, and holes by their place."""
    width, height = blank.size_mm
    corners = [np.array(p) for p in ((0.0, 0.0), (width, 0.0), (0.0, height))]
    items: list[Item] = [
        Dim(corners[1], corners[0], show(width, "length", units, places=1), 20),
        Dim(corners[0], corners[2], show(height, "length", units, places=1), 14),
    ]
    for k, bend in enumerate(blank.bends):
        words = f"{bend.turn_deg:.0f}° {'up' if bend.up else 'down'}"
        share = (0.5, 0.62, 0.38)[k % 3]
        spot = bend.start + (bend.end - bend.start) * share
        items.append(Label(spot, words, 8, "bend up" if bend.up else "bend down", badge="sheet"))
    stops = [0.0, *sorted(float(b.start[0] + b.end[0]) / 2 for b in blank.bends), width]
    if len(stops) > 2:
        for k, (a, b) in enumerate(pairwise(stops)):
            ends = np.array([a, height]), np.array([b, height])
            items.append(Dim(*ends, show(b - a, "length", units, places=1), 30 if k % 2 else 46))
    placed = [hole for hole in blank.holes if hole.label != "flow"]
    for hole in placed:
        x, y = (show(float(v), "length", units, places=1, unit=False) for v in hole.centre)
        right = hole.centre[0] > 0.6 * width
        rim = hole.centre + np.array([-hole.diameter_mm / 2 if right else hole.diameter_mm / 2, 0.0])
        words = f"{worded(hole.size, units)} at {x}, {y}"
        items.append(
            Label(rim, words, 8, "hole", "r" if right else "l", shift=(-3, 0) if right else (3, 0), badge="sheet")
        )
    if placed:
        items.append(Label(corners[0], "holes at (across, up) from the lower left", 8, "quiet", "l", shift=(0, -38)))
    return items


def blanks_view(e: Evaluation, units: Family, chosen: str = "") -> Picture:
    """All blanks in rows with their sizes, or one of them large with every dimension."""
    large = next((b for b in e.results.blanks if b.name == chosen), None)
    if large is not None:
        made, (w, h) = blank_picture(large, units), large.size_mm
        strip = bend_strip(e, large, units, WIDER * w).moved((1 - WIDER) / 2 * w, -STRIP * max(w, h))
        # Dimensions stand over the blank in rows: room for them that is fitted to.
        above = Poly(np.array([[0.0, h], [0.0, h + STRIP * max(w, h)]]), None, None, closed=False)
        return Picture((*made.items, *strip.items, above)) if strip.items else made
    if e.results.uncut:
        return Picture((Label(np.zeros(2), "Nothing can be cut as it is; what is wrong stands below.", 12, "stop"),))
    pictures = [blank_picture(b, units, close=False) for b in e.results.blanks]
    sizes = [b.size_mm for b in e.results.blanks]
    gap = 0.14 * max(max(size) for size in sizes)
    row = max(max(w for w, _ in sizes), 1.1 * sum((w + gap) * (h + 1.6 * gap) for w, h in sizes) ** 0.5)
    per_px = row / NARROW_PX  # in a narrow window: a name must not run into its neighbour's, nor into the size above it
    between = max(1.6 * gap, 34 * per_px)
    room = {b.name: max(b.size_mm[0], 6.6 * per_px * max(len(b.name), 11)) for b in e.results.blanks}
    row = max(row, *room.values())
    items: list[Item] = []
    x = y = tall = 0.0
    laid = sorted(zip(pictures, e.results.blanks, strict=True), key=lambda p: -p[1].size_mm[1])
    for picture, blank in laid:
        w, h = room[blank.name], blank.size_mm[1]
        if x > 0 and x + w > row:
            x, y, tall = 0.0, y - tall - between, 0.0
        items += picture.moved(x + (w - blank.size_mm[0]) / 2, y - h).items
        x, tall = x + w + gap, max(tall, h)
    return Picture(tuple(items))


def nest_view(nest: Nest, blanks: tuple[Blank, ...], units: Family) -> Picture:
    """Blanks on their stock sheets, turned as nested."""
    by_name = {b.name: b for b in blanks}
    items: list[Item] = []
    width, height = nest.stock
    long = max(width, height)
    size = f"{show(width, 'length', units)} × {show(height, 'length', units)}"
    for sheet in range(nest.sheets):
        # Upright sheets stand in a row, lying ones under one another.
        x0, y0 = (sheet * (width + 0.12 * long), 0.0) if height > width else (0.0, -sheet * (height + 0.12 * long))
        items.append(box(x0, y0, width, height, "ink", "space", 1.6))
        name = f"sheet {sheet + 1}" if height > width and nest.sheets > 1 else f"sheet {sheet + 1}: {size}"
        items.append(Label(np.array([x0, y0]), name, 10, "ink", "l", bold=True, shift=(0, -10)))
        for spot in nest.spots:
            if spot.sheet != sheet:
                continue
            blank = by_name[spot.blank]
            place = _turn(blank.size_mm[1]) if spot.turned else _stay
            tag = f"blank:{blank.name}"
            corner = np.array([x0 + spot.x_mm, y0 + spot.y_mm])
            items.append(Poly(place(blank.outline.faceted) + corner, "ink", "sheet", 1.0, tag=tag))
            for bend in blank.bends:
                ends = place(np.stack([bend.start, bend.end])) + corner
                items.append(line(ends[0], ends[1], "bend up" if bend.up else "bend down", 1.0, dashed=not bend.up))
            for hole in blank.holes:
                if hole.border is not None:
                    items.append(Poly(place(hole.border) + corner, "hole", "space", 0.8))
                    continue
                items.append(Circle(place(hole.centre[None])[0] + corner, hole.diameter_mm / 2, "hole", "space", 0.8))
            items.append(Label(corner + [spot.width_mm / 2, spot.height_mm / 2], blank.name, 8, "ink", tag=tag))
    return Picture(tuple(items))


def _stay(points: Array) -> Array:
    return points


def _turn(height: float) -> Callable[[Array], Array]:
    """A quarter turn that keeps the blank in the first quadrant."""
    return lambda points: np.column_stack([height - points[:, 1], points[:, 0]])
