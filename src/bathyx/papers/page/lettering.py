"""Letters on paper: every one is drawn in a font that has it, or stands as its number. None is lost, none is a box.

The shipped family covers Western Europe; a second shipped family takes what it lacks of Latin, Greek and Cyrillic. Letters
of other scripts (and those written from right to left, which need shaping) stand as [U+6C34], and the paper says so.
"""

from __future__ import annotations

import unicodedata
from functools import cache
from importlib.resources import files

from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas

REGULAR, BOLD = "B612", "B612-Bold"
FALLBACK = {REGULAR: "DejaVuSans", BOLD: "DejaVuSans-Bold"}
FILES = {
    REGULAR: "B612-Regular.ttf",
    BOLD: "B612-Bold.ttf",
    "DejaVuSans": "DejaVuSans.ttf",
    "DejaVuSans-Bold": "DejaVuSans-Bold.ttf",
}
LEAST_PT = 4.0
LEAST_READ_PT = 9.5  # capitals of 2.5 mm in this family, whose capitals are 0.75 of its size
NUMBERED = "Letters that the fonts of this paper lack stand as their Unicode number, like [U+6C34]."


@cache
def use_fonts() -> None:
    """Make the shipped fonts known to reportlab, once."""
    for name in (REGULAR, BOLD):
        _register(name)


@cache
def _register(name: str) -> frozenset[int]:
    """Make a font known; returns the code points it has."""
    with files("bathyx.fonts").joinpath(FILES[name]).open("rb") as file:
        font = TTFont(name, file)
    pdfmetrics.registerFont(font)
    return frozenset(font.face.charToGlyph)


def spelled(text: str) -> str:
    """`text` with every letter that no shipped font has, or that would need shaping, as its number."""
    if text.isascii() and text.isprintable():
        return text
    return "".join(c if _drawn_by(c, REGULAR) else f"[U+{ord(c):04X}]" for c in unicodedata.normalize("NFC", text))


def _drawn_by(letter: str, font: str) -> str:
    """The font that draws a letter, or nothing."""
    if unicodedata.bidirectional(letter) in ("R", "AL") or unicodedata.category(letter) in (
        "Cc",
        "Cf",
        "Cs",
        "Co",
        "Cn",
    ):
        return ""
    if ord(letter) in _register(font):
        return font
    return FALLBACK[font] if ord(letter) in _register(FALLBACK[font]) else ""


def runs(text: str, font: str) -> list[tuple[str, str]]:
    """(font, text) of each run of letters that one font draws: all of it in one font where one has them all."""
    text = spelled(text)
    for one in (font, FALLBACK[font]):
        if text.isascii() or all(ord(letter) in _register(one) for letter in text):
            return [(one, text)]
    found: list[tuple[str, str]] = []
    for letter in text:
        by = _drawn_by(letter, font) or font
        if found and found[-1][0] == by:
            found[-1] = (by, found[-1][1] + letter)
        else:
            found.append((by, letter))
    return found


def width(text: str, font: str, size: float) -> float:
    """How wide `text` is drawn, points."""
    return float(sum(pdfmetrics.stringWidth(part, by, size) for by, part in runs(text, font)))


def draw(canvas: Canvas, x: float, y: float, text: str, font: str, size: float, anchor: str = "l") -> None:
    """Draw `text` at (x, y), its left end, middle or right end there (`anchor` l, c or r).

    Args:
        canvas: page to draw on.
        x: points.
        y: points.
        text: one line.
        font: family that is asked for; others step in for letters it lacks.
        size: points.
        anchor: l, c or r: the end that stands at x.
    """
    if anchor != "l":
        x -= width(text, font, size) * (0.5 if anchor == "c" else 1.0)
    for by, part in runs(text, font):
        canvas.setFont(by, size)
        canvas.drawString(x, y, part)
        x += pdfmetrics.stringWidth(part, by, size)


def fitting(text: str, font: str, size: float, room: float) -> float:
    """The size, no larger than `size`, at which `text` is at most `room` wide; never below 4 pt.

    Args:
        text: one line.
        font: its family.
        size: largest, points.
        room: points.
    """
    wide = width(text, font, size)
    return size if wide <= room else max(size * room / wide, LEAST_PT)


def split(text: str, font: str, size: float, room: float) -> list[str]:
    """`text` in lines of at most `room` points; a word that is longer than a line is broken.

    Args:
        text: a paragraph.
        font: its family.
        size: points.
        room: length of a line, points.
    """
    lines = []
    for paragraph in spelled(text).split("\n"):
        line = ""
        for word in paragraph.split():
            longer = f"{line} {word}" if line else word
            if width(longer, font, size) <= room:
                line = longer
                continue
            if line:
                lines.append(line)
            while width(word, font, size) > room and len(word) > 1:
                keep = next(k for k in range(len(word) - 1, 0, -1) if k == 1 or width(word[:k], font, size) <= room)
                lines.append(word[:keep])
                word = word[keep:]
            line = word
        lines.append(line)
    return lines
