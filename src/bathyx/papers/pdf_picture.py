"""Painting a Picture on a PDF page, at a given scale or fitted into a rectangle, in Bathyx's own font."""

from __future__ import annotations

import numpy as np
from reportlab.lib.colors import Color
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from bathyx.draft.palette import rgba
from bathyx.draft.picture import Circle, Dim, Label, Picture, Poly
from bathyx.papers.lettering import BOLD, REGULAR, draw, fitting, use_fonts, width


def colour(role: str) -> Color:
    """A role's light colour."""
    return Color(*rgba(role))


def paint(
    canvas: Canvas, picture: Picture, x: float, y: float, w: float, h: float, scale: float | None = None
) -> float:
    """Paint into the rectangle (points, lower left corner) and return the scale, points per mm.

    `scale` fixes it (72/25.4 is full size); without it the picture is fitted with room for dimensions.

    Args:
        canvas: page to paint on.
        picture: in mm.
        x: left of the rectangle, points.
        y: its bottom, points.
        w: its width, points.
        h: its height, points.
        scale: points per mm, 72/25.4 for full size; None fits it with room for dimensions.
    """
    use_fonts()
    left, bottom, right, top = picture.bounds
    room = 44.0
    fit = min((w - 2 * room) / max(right - left, 1e-9), (h - 2 * room) / max(top - bottom, 1e-9))
    s = scale or max(fit, 1e-3)
    dx, dy = x + w / 2 - s * (left + right) / 2, y + h / 2 - s * (bottom + top) / 2
    canvas.saveState()
    clip = canvas.beginPath()
    clip.rect(x, y, w, h)
    canvas.clipPath(clip, stroke=0)
    for item in picture.items:
        if isinstance(item, Poly):
            _poly(canvas, item, s, dx, dy)
        elif isinstance(item, Circle):
            _ink(canvas, item.ink, item.fill, item.width)
            canvas.circle(
                item.centre[0] * s + dx,
                item.centre[1] * s + dy,
                item.radius * s,
                stroke=int(item.ink is not None),
                fill=int(item.fill is not None),
            )
        elif isinstance(item, Label):
            _label(canvas, item, item.at * s + [dx, dy], s)
        else:
            _dim(canvas, item, s, dx, dy)
    canvas.restoreState()
    return s


def _ink(canvas: Canvas, ink: str | None, fill: str | None, width: float) -> None:
    canvas.setDash()
    canvas.setLineWidth(max(width * 0.6, 0.2))
    if ink:
        canvas.setStrokeColor(colour(ink))
    if fill:
        canvas.setFillColor(colour(fill))


def _poly(canvas: Canvas, item: Poly, s: float, dx: float, dy: float) -> None:
    _ink(canvas, item.ink, item.fill, item.width)
    if item.dashed:
        canvas.setDash(3, 2)
    path = canvas.beginPath()
    points = item.points * s + [dx, dy]
    path.moveTo(*points[0])
    for point in points[1:]:
        path.lineTo(*point)
    if item.closed:
        path.close()
    canvas.drawPath(path, stroke=int(item.ink is not None and item.width > 0), fill=int(item.fill is not None))


def _label(canvas: Canvas, item: Label, at: np.ndarray, s: float) -> None:
    font, size = (BOLD if item.bold else REGULAR), item.tall_mm * s or item.size * 0.8
    if item.room_mm:
        size = fitting(item.text, font, size, item.room_mm * s)
    wide = width(item.text, font, size)
    x = at[0] + item.shift[0] * 0.8 - {"l": 0.0, "c": wide / 2, "r": wide}[item.anchor]
    y = at[1] + item.shift[1] * 0.8 - size * 0.35
    if item.badge:
        canvas.setFillColor(colour(item.badge))
        canvas.roundRect(x - 2, y - 1.8, wide + 4, size + 2.4, 2, stroke=0, fill=1)
    canvas.setFillColor(colour(item.ink))
    draw(canvas, x, y, item.text, font, size)


def _dim(canvas: Canvas, item: Dim, s: float, dx: float, dy: float) -> None:
    p, q = item.p * s + [dx, dy], item.q * s + [dx, dy]
    length = float(np.linalg.norm(q - p))
    if length < 1e-6:
        return
    along = (q - p) / length
    out = np.array([-along[1], along[0]])
    a, b = p + out * item.offset * 0.8, q + out * item.offset * 0.8
    _ink(canvas, item.ink, None, 0.8)
    for start, end in ((p + out * 2, a + out * 2), (q + out * 2, b + out * 2)):
        canvas.line(*start, *end)
    canvas.line(*a, *b)
    for end, way in ((a, 1), (b, -1)):
        canvas.line(*(end + along * way * 4 + out * 1.6), *end)
        canvas.line(*(end + along * way * 4 - out * 1.6), *end)
    angle = np.degrees(np.arctan2(along[1], along[0]))
    if angle > 90 + 1e-6 or angle <= -90 + 1e-6:
        angle += 180
    canvas.saveState()
    canvas.translate(*((a + b) / 2))
    canvas.rotate(angle)
    wide = width(item.text, REGULAR, 8)
    canvas.setFillColor(colour("paper"))
    canvas.rect(-wide / 2 - 1.5, -3.4, wide + 3, 7, stroke=0, fill=1)
    canvas.setFillColor(colour(item.ink))
    draw(canvas, 0, -2.8, item.text, REGULAR, 8, "c")
    canvas.restoreState()


FULL_SIZE = mm
