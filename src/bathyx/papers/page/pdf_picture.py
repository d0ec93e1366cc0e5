"""Painting a Picture on a PDF page, at a given scale or fitted into a rectangle, in Bathyx's own font."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from reportlab.lib.colors import Color
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from bathyx.core.geometry.shell import Array
from bathyx.draft.palette import rgba
from bathyx.draft.picture import Circle, Dim, Label, Picture, Poly
from bathyx.papers.page.lettering import BOLD, LEAST_READ_PT, REGULAR, draw, fitting, use_fonts, width

GIVES, GIVE = 8, 0.94  # how often, and by how much, a picture gets smaller for words that were moved
MOST_OUT, OUT_PT = 5, 16.0  # how often, and how far, a dimension is moved out


def colour(role: str) -> Color:
    """A role's light colour."""
    return Color(*rgba(role))


def paint(
    canvas: Canvas, picture: Picture, x: float, y: float, w: float, h: float, scale: float | None = None
) -> float:
    """Paint into the rectangle (points, lower left corner) and return the scale, points per mm.

    `scale` fixes it (72/25.4 is full size); without it the picture is as large as it may be with all its words within. Words that
    would stand on one another are moved apart.

    Args:
        canvas: page to paint on.
        picture: in mm.
        x: left of the rectangle, points.
        y: its bottom, points.
        w: its width, points.
        h: its height, points.
        scale: points per mm, 72/25.4 for full size; None fits it with room for words and dimensions.
    """
    use_fonts()
    s = scale or fitted(picture, w, h)
    laid = lay(picture, s)
    left, bottom, right, top = laid.bounds
    dx, dy = x + w / 2 - (left + right) / 2, y + h / 2 - (bottom + top) / 2
    if scale is not None:  # at full size a picture stands where its lines say, not its words
        left, bottom, right, top = picture.bounds
        dx, dy = x + w / 2 - s * (left + right) / 2, y + h / 2 - s * (bottom + top) / 2
    canvas.saveState()
    canvas.translate(dx, dy)
    for item in picture.items:
        if isinstance(item, Poly):
            _poly(canvas, item, s)
        elif isinstance(item, Circle):
            _ink(canvas, item.ink, item.fill, item.width)
            canvas.circle(
                item.centre[0] * s,
                item.centre[1] * s,
                item.radius * s,
                stroke=int(item.ink is not None),
                fill=int(item.fill is not None),
            )
    for dim in laid.dims:
        _dim(canvas, dim, s)
    for word in laid.words:
        draw_word(canvas, word)
    canvas.restoreState()
    return s


def fitted(picture: Picture, w: float, h: float) -> float:
    """Points per mm at which a picture with all its words and dimensions is as large as may be in a rectangle.

    Args:
        picture: in mm.
        w: width there is, points.
        h: height there is, points.
    """
    left, bottom, right, top = picture.bounds
    low, high = 1e-3, max(min(w / max(right - left, 1e-9), h / max(top - bottom, 1e-9)), 1e-3)
    for _ in range(18):
        s = (low + high) / 2
        low, high = (s, high) if _within(lay(picture, s, moved=False), w, h) else (low, s)
    for _ in range(GIVES):  # words that are moved off one another may want more
        if _within(lay(picture, low), w, h):
            break
        low *= GIVE
    return low


def _within(laid: Laid, w: float, h: float) -> bool:
    left, bottom, right, top = laid.bounds
    return right - left <= w and top - bottom <= h


@dataclass(frozen=True)
class Word:
    """Words laid out: their middle, points, how wide and tall they stand, how they are turned, and where they point to when
    they were moved far."""

    text: str
    font: str
    size: float
    x: float
    y: float
    wide: float
    ink: str
    badge: str | None
    turn_deg: float = 0.0
    from_: tuple[float, float] | None = None

    @property
    def box(self) -> tuple[float, float, float, float]:
        """(left, bottom, right, top) of what they cover."""
        a = math.radians(self.turn_deg)
        half_w, half_h = self.wide / 2 + 1.5, self.size * 0.5 + 1.0
        x = abs(half_w * math.cos(a)) + abs(half_h * math.sin(a))
        y = abs(half_w * math.sin(a)) + abs(half_h * math.cos(a))
        return self.x - x, self.y - y, self.x + x, self.y + y


@dataclass(frozen=True)
class Laid:
    """Words of a picture in their places, its dimensions as far out as they stand, (left, bottom, right, top) of all, points."""

    words: tuple[Word, ...]
    dims: tuple[Dim, ...]
    bounds: tuple[float, float, float, float]


def lay(picture: Picture, s: float, *, moved: bool = True) -> Laid:
    """Where each word of a picture stands: dimensions first, the others off them and off one another.

    Args:
        picture: in mm.
        s: points per mm.
        moved: or each where it belongs, which is quicker, to see how much room there is.
    """
    words: list[Word] = []
    reach = [np.array(picture.bounds).reshape(2, 2) * s]
    dims: list[Dim] = []
    for item in picture.items:
        if not isinstance(item, Dim):
            continue
        for step in range(MOST_OUT):  # further out, line and figure, until it stands on no other
            dim = replace(item, offset=item.offset + math.copysign(OUT_PT * step, item.offset))
            ends = _dim_line(dim, s)
            if ends is None:
                break
            word = _dim_word(dim, *ends)
            line = _span(*ends[:2])
            if (
                not any(overlap(word.box, other.box) or overlap(line, other.box) for other in words)
                or step == MOST_OUT - 1
            ):
                words.append(word)
                dims.append(dim)
                reach.append(np.array(ends[:2]))
                break
    for item in picture.items:
        if isinstance(item, Label) and item.text.strip():
            word = _label_word(item, s)
            words.append(moved_clear(word, words) if moved else word)
    reach += [np.array(word.box).reshape(2, 2) for word in words]
    stack = np.concatenate(reach)
    low, high = stack.min(axis=0), stack.max(axis=0)
    return Laid(tuple(words), tuple(dims), (float(low[0]), float(low[1]), float(high[0]), float(high[1])))


def _span(a: Array, b: Array) -> tuple[float, float, float, float]:
    """The box about a line, a point wider than it."""
    low, high = np.minimum(a, b) - 1.0, np.maximum(a, b) + 1.0
    return float(low[0]), float(low[1]), float(high[0]), float(high[1])


def overlap(a: tuple[float, float, float, float], b: tuple[float, float, float, float]) -> bool:
    """Whether two boxes lie on one another."""
    return a[0] < b[2] and b[0] < a[2] and a[1] < b[3] and b[1] < a[3]


def moved_clear(word: Word, placed: list[Word]) -> Word:
    """The word at the nearest of a few rings of places where it stands on none that is placed; where it is when there is none."""
    boxes = np.array([other.box for other in placed]).reshape(-1, 4)
    left, low, right, high = word.box

    def free(x: float, y: float) -> bool:
        dx, dy = x - word.x, y - word.y
        off = (boxes[:, 2] <= left + dx) | (boxes[:, 0] >= right + dx)
        return bool((off | (boxes[:, 3] <= low + dy) | (boxes[:, 1] >= high + dy)).all())

    if free(word.x, word.y):
        return word
    line = word.size * 1.25
    for ring in range(1, 13):
        for turn in range(0, 360, 30):
            x = word.x + ring * 0.7 * line * math.cos(math.radians(turn)) * 1.6
            y = word.y + ring * 0.7 * line * math.sin(math.radians(turn))
            if free(x, y):
                far = math.hypot(x - word.x, y - word.y) > 1.6 * line
                return replace(word, x=x, y=y, from_=(word.x, word.y) if far else None)
    return word


def _label_word(item: Label, s: float) -> Word:
    font = BOLD if item.bold else REGULAR
    scaled = bool(item.tall_mm or item.room_mm)  # letters of the thing that is drawn, not of the drawing
    size = item.tall_mm * s or item.size * 0.8
    if item.room_mm:
        size = fitting(item.text, font, size, item.room_mm * s)
    if not scaled:
        size = max(size, LEAST_READ_PT)
    wide = width(item.text, font, size)
    at = item.at * s
    x = float(at[0]) + item.shift[0] * 0.8 + {"l": 0.5, "c": 0.0, "r": -0.5}[item.anchor] * wide
    return Word(item.text, font, size, x, float(at[1]) + item.shift[1] * 0.8, wide, item.ink, item.badge)


def draw_word(canvas: Canvas, word: Word) -> None:
    """Draw words where they were laid, with a line to where they belong when they were moved far."""
    canvas.saveState()
    if word.from_ is not None:
        canvas.setStrokeColor(colour("quiet"))
        canvas.setLineWidth(0.4)
        canvas.line(*word.from_, word.x, word.y)
    canvas.translate(word.x, word.y)
    canvas.rotate(word.turn_deg)
    if word.badge or word.from_ is not None:
        canvas.setFillColor(colour(word.badge or "paper"))
        canvas.roundRect(-word.wide / 2 - 2, -word.size * 0.5, word.wide + 4, word.size, 2, stroke=0, fill=1)
    canvas.setFillColor(colour(word.ink))
    draw(canvas, 0, -word.size * 0.35, word.text, word.font, word.size, "c")
    canvas.restoreState()


def _ink(canvas: Canvas, ink: str | None, fill: str | None, width: float) -> None:
    canvas.setDash()
    canvas.setLineWidth(max(width * 0.6, 0.2))
    if ink:
        canvas.setStrokeColor(colour(ink))
    if fill:
        canvas.setFillColor(colour(fill))


def _poly(canvas: Canvas, item: Poly, s: float) -> None:
    _ink(canvas, item.ink, item.fill, item.width)
    if item.dashed:
        canvas.setDash(3, 2)
    path = canvas.beginPath()
    points = item.points * s
    path.moveTo(*points[0])
    for point in points[1:]:
        path.lineTo(*point)
    if item.closed:
        path.close()
    canvas.drawPath(path, stroke=int(item.ink is not None and item.width > 0), fill=int(item.fill is not None))


def _dim_line(item: Dim, s: float) -> tuple[Array, Array, Array, Array] | None:
    """(both ends of the dimension line, the way along it, the way out), points; None where the two places are one."""
    p, q = item.p * s, item.q * s
    length = float(np.linalg.norm(q - p))
    if length < 1e-6:
        return None
    along = (q - p) / length
    out = np.array([-along[1], along[0]])
    return p + out * item.offset * 0.8, q + out * item.offset * 0.8, along, out


def _dim_word(item: Dim, a: Array, b: Array, along: Array, out: Array) -> Word:
    """The figure on its line; beside it, on the side away from what is measured, where the line is too short for it."""
    wide = width(item.text, REGULAR, LEAST_READ_PT)
    middle = (a + b) / 2
    if float(np.linalg.norm(b - a)) < wide + 14:
        middle = middle + out * (LEAST_READ_PT * 0.75 + 2) * (1 if item.offset >= 0 else -1)
    angle = float(np.degrees(np.arctan2(along[1], along[0])))
    if angle > 90 + 1e-6 or angle <= -90 + 1e-6:
        angle += 180
    return Word(item.text, REGULAR, LEAST_READ_PT, float(middle[0]), float(middle[1]), wide, item.ink, "paper", angle)


def _dim(canvas: Canvas, item: Dim, s: float) -> None:
    found = _dim_line(item, s)
    if found is None:
        return
    a, b, along, out = found
    p, q = item.p * s, item.q * s
    _ink(canvas, item.ink, None, 0.8)
    beyond = 2.0 if item.offset >= 0 else -2.0
    for start, end in ((p + out * beyond, a + out * beyond), (q + out * beyond, b + out * beyond)):
        canvas.line(*start, *end)
    canvas.line(*a, *b)
    inward = 4.0 if float(np.linalg.norm(b - a)) > 12 else -4.0  # arrows from outside where there is no room within
    for end, way in ((a, inward), (b, -inward)):
        canvas.line(*(end + along * way + out * 1.6), *end)
        canvas.line(*(end + along * way - out * 1.6), *end)


FULL_SIZE = mm
