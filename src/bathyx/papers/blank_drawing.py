"""A blank to scale with what is measured on it: corners by number, holes by letter, bends and lines by name."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from reportlab.pdfgen.canvas import Canvas

from bathyx.core.geometry.shell import Array
from bathyx.core.sheet.bending.brake_steps import BrakeStep
from bathyx.core.sheet.bending.grain import grain_way
from bathyx.core.sheet.flat.blank import Blank
from bathyx.core.units import Family, show, worded
from bathyx.papers.page.lettering import BOLD, LEAST_READ_PT, REGULAR, width
from bathyx.papers.page.pdf_picture import FULL_SIZE, Word, colour, draw_word, moved_clear
from bathyx.papers.page.sheet_of_paper import Painted

SCALES = (1.0, 2.0, 2.5, 4.0, 5.0, 8.0, 10.0, 15.0, 20.0, 25.0, 50.0, 100.0)
LEADER_PT, BARE_PT = 24.0, 22.0  # from the metal to a figure; room on a side without figures
ROW_PT, MOST_ORDINATES, SAME_MM = 12.5, 34, 0.06
LETTERS = "abcdefghijkmnpqrstuvwxyz"  # without l and o, which are read as figures


def letter(k: int) -> str:
    """Name of the k-th hole: a, b, … z, then aa, ab.

    >>> letter(0), letter(len(LETTERS))
    ('a', 'aa')
    """
    high, low = divmod(k, len(LETTERS))
    return (LETTERS[high - 1] if high else "") + LETTERS[low]


def drawing(
    blank: Blank, steps: Sequence[BrakeStep], units: Family, wide: float, tall: float, *, grained: bool = True
) -> tuple[float, Painted]:
    """(n of its scale 1 : n, the drawing of a blank as a strip of the page).

    Args:
        blank: with its lower left corner at (0, 0).
        steps: its bends in their order.
        units: metric or US, for what is measured.
        wide: of the strip, points.
        tall: at most, points.
        grained: whether its stuff has a grain.
    """
    w, h = blank.size_mm
    rows = _measured(blank)
    long = [
        max(
            (width(show(v, "cut", units, unit=False), REGULAR, LEAST_READ_PT) + LEADER_PT + 6 for v in row),
            default=BARE_PT,
        )
        for *_, row in rows
    ]
    foot, left, top, right = long
    room = (wide - left - right, tall - foot - top)
    need = max(w * FULL_SIZE / room[0], h * FULL_SIZE / room[1])
    n = next((scale for scale in SCALES if scale >= need), math.ceil(need))
    s = FULL_SIZE / n
    height = h * s + foot + top
    left += max(0.0, (room[0] - w * s) / 2)

    def go(canvas: Canvas, _wide: float) -> None:
        canvas.saveState()
        canvas.translate(left, foot)
        _draw(canvas, blank, steps, units, s, grained=grained)
        canvas.restoreState()

    return n, Painted(height, go)


def _draw(canvas: Canvas, blank: Blank, steps: Sequence[BrakeStep], units: Family, s: float, *, grained: bool) -> None:
    _metal(canvas, blank, s)
    words: list[Word] = []
    _ordinates(canvas, blank, units, s, words)
    middle = np.array(blank.size_mm) * s / 2
    points = blank.outline.points * s
    for k, p in enumerate(points):
        out = _outward(points, k)
        words.append(moved_clear(_word(str(k + 1), p + out * 8, "ink", bold=True), words))
    for k, hole in enumerate(blank.holes):
        r = hole.diameter_mm / 2 * s if hole.border is None else float(np.ptp(hole.border[:, 0])) / 2 * s
        c = hole.centre * s
        at = c + (np.array([0.0, 0.0]) if r > 11 else np.array([r + 7, 0.0]))
        words.append(moved_clear(_word(letter(k), at, "hole", bold=True), words))
    for k, step in enumerate(steps, start=1):
        a, b = step.bend.start * s, step.bend.end * s
        angle = math.degrees(math.atan2(*(b - a)[::-1]))
        angle += 180 if angle > 90.01 or angle <= -89.99 else 0
        turned = f"{step.turn_deg:.0f}° {'up' if step.bend.up else 'down'}"
        said = f"bend {k}: {'by hand' if step.hand else turned}"
        ink = "bend up" if step.bend.up else "bend down"
        share = 0.5 if k % 2 else 0.25
        wide = width(said, REGULAR, LEAST_READ_PT)
        x, y = (a + (b - a) * share).tolist()
        word = Word(said, REGULAR, LEAST_READ_PT, x, y, wide, ink, "sheet", angle)
        words.append(moved_clear(word, words))
    for mark in (*blank.lines, *blank.told):
        if mark.text:
            spot = (mark.start * 0.7 + mark.end * 0.3) * s
            words.append(moved_clear(_word(worded(mark.text, units), spot, "mark", badge="sheet"), words))
    way, _ = grain_way(blank.bends)
    if blank.role != "bought" and grained:
        words.append(moved_clear(_word("grain", middle + [0, -12], "quiet", badge="sheet"), words))
        tip = np.array([words[-1].x, words[-1].y]) + [0, 9]
        canvas.setStrokeColor(colour("quiet"))
        canvas.setLineWidth(0.8)
        canvas.line(*(tip - way * 16), *(tip + way * 16))
    for word in words:
        draw_word(canvas, word)


def _metal(canvas: Canvas, blank: Blank, s: float) -> None:
    """Outline, holes with their crosses, bends and lines."""

    def path(ring: Array, *, closed: bool) -> None:
        line = canvas.beginPath()
        line.moveTo(*(ring[0] * s))
        for p in ring[1:]:
            line.lineTo(*(p * s))
        if closed:
            line.close()
        canvas.drawPath(line, stroke=1, fill=int(closed))

    canvas.setFillColor(colour("sheet"))
    canvas.setStrokeColor(colour("ink"))
    canvas.setLineWidth(1.1)
    path(blank.outline.faceted, closed=True)
    canvas.setLineWidth(0.8)
    canvas.setFillColor(colour("paper"))
    canvas.setStrokeColor(colour("hole"))
    for hole in blank.holes:
        if hole.border is not None:
            path(hole.border, closed=True)
        else:
            canvas.circle(*(hole.centre * s), hole.diameter_mm / 2 * s, stroke=1, fill=1)
    canvas.setLineWidth(0.4)
    for hole in blank.holes:
        for way in (np.array([1.0, 0.0]), np.array([0.0, 1.0])):
            reach = way * (hole.diameter_mm / 2 * s + 3)
            canvas.line(*(hole.centre * s - reach), *(hole.centre * s + reach))
    for bend in blank.bends:
        canvas.setStrokeColor(colour("bend up" if bend.up else "bend down"))
        canvas.setDash() if bend.up else canvas.setDash(4, 2)
        canvas.setLineWidth(1.0)
        canvas.line(*(bend.start * s), *(bend.end * s))
    canvas.setDash(2, 2)
    canvas.setStrokeColor(colour("mark"))
    for mark in blank.lines:
        canvas.line(*(mark.start * s), *(mark.end * s))
    canvas.setDash()


def _measured(blank: Blank) -> tuple[tuple[int, float, float, list[float]], ...]:
    """(axis, side, edge mm, places mm) along the foot, left, top and right: of the corners, then of bends that run square."""
    w, h = blank.size_mm
    points = blank.outline.points
    bends = [(b.start + b.end) / 2 for b in blank.bends if abs(b.start[0] - b.end[0]) < SAME_MM]
    level = [(b.start + b.end) / 2 for b in blank.bends if abs(b.start[1] - b.end[1]) < SAME_MM]
    return (
        (0, -1.0, 0.0, _distinct(points, 0)),
        (1, -1.0, 0.0, _distinct(points, 1)),
        (0, 1.0, h, _distinct(np.array(bends).reshape(-1, 2), 0)),
        (1, 1.0, w, _distinct(np.array(level).reshape(-1, 2), 1)),
    )


def _ordinates(canvas: Canvas, blank: Blank, units: Family, s: float, words: list[Word]) -> None:
    """What is measured from 0, each at its place or moved along to where its figure has room."""
    canvas.setLineWidth(0.4)
    canvas.setStrokeColor(colour("dim"))
    size = blank.size_mm
    for axis, side, edge_mm, places in _measured(blank):
        edge, room = edge_mm * s, size[axis] * s
        if len(places) * ROW_PT > room + 2 * ROW_PT:  # no room for them all: the ends, the rest is in the table
            places = [places[0], places[-1]]
        for at, spread in zip(places, _spread([v * s for v in places]), strict=True):
            text = show(at, "cut", units, unit=False)
            true = at * s
            near, bent, far = edge + side * 13, edge + side * 19, edge + side * LEADER_PT
            row = [(true, edge + side * 3), (true, near), (spread, bent), (spread, far)]
            for a, b in pairwise(row):
                canvas.line(*(a if axis == 0 else a[::-1]), *(b if axis == 0 else b[::-1]))
            wide = width(text, REGULAR, LEAST_READ_PT)
            at_text = far + side * (wide / 2 + 3)
            spot = (spread, at_text) if axis == 0 else (at_text, spread)
            words.append(Word(text, REGULAR, LEAST_READ_PT, *spot, wide, "dim", None, 90.0 if axis == 0 else 0.0))


def _distinct(points: Array, axis: int) -> list[float]:
    """Places along an axis, those within `SAME_MM` once; only the ends where there are more than a drawing bears."""
    found: list[float] = []
    for v in sorted(float(p[axis]) for p in points):
        if not found or v - found[-1] > SAME_MM:
            found.append(v)
    return found if len(found) <= MOST_ORDINATES else [found[0], found[-1]]


def _spread(places: list[float]) -> list[float]:
    """Places (sorted) moved apart to `ROW_PT`, about where they were."""
    if not places:
        return []
    groups: list[list[float]] = []  # of [sum of wishes for the first, count, first]
    for k, p in enumerate(places):
        groups.append([p - k * ROW_PT, 1.0])
        while len(groups) > 1 and groups[-2][0] / groups[-2][1] > groups[-1][0] / groups[-1][1]:
            total, count = groups.pop()
            groups[-1][0] += total
            groups[-1][1] += count
    means = [total / count for total, count in groups for _ in range(round(count))]
    return [mean + k * ROW_PT for k, mean in enumerate(means)]


def _outward(points: Array, k: int) -> Array:
    """Unit way out of a corner of a counter-clockwise ring (n, 2), between its two sides."""
    a, b = points[k] - points[k - 1], points[(k + 1) % len(points)] - points[k]
    way = np.zeros(2)
    for v in (a, b):
        long = float(np.linalg.norm(v))
        if long > 1e-9:
            way += np.array([v[1], -v[0]]) / long
    long = float(np.linalg.norm(way))
    return way / long if long > 1e-6 else np.array([0.0, -1.0])


def _word(text: str, at: Array, ink: str, *, bold: bool = False, badge: str | None = None) -> Word:
    font = BOLD if bold else REGULAR
    return Word(text, font, LEAST_READ_PT, float(at[0]), float(at[1]), width(text, font, LEAST_READ_PT), ink, badge)
