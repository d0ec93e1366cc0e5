"""Patterns of a double-curved skin: its flat blank as DXF and at full size, and a section template for each station."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from bathyx.core.geometry.shell import Array
from bathyx.core.sheet.flat.blank import Blank
from bathyx.core.sheet.flat.formed import FormedSkin, Section, blank_of, drawn_section
from bathyx.papers.folder import file_names
from bathyx.papers.machine.dxf import write_dxf
from bathyx.papers.page.full_size import Drawing, Sketch, laid_best, write_full_size

BACK_MM = 40.0


def write_skin(skin: FormedSkin, folder: Path, paper: str = "a4") -> list[Path]:
    """The blank as DXF, and a PDF at full size of blank and section templates.

    Args:
        skin: with its sections.
        folder: to write into.
        paper: a4, a3, letter, tabloid or a roll.

    Raises:
        Refusal: a skin that cannot be laid flat, a paper that is none, or more pages than anybody would print.
    """
    blank = blank_of(skin)
    (name,) = file_names([skin.name])
    each = [_blank(blank), *(_template(skin, section) for section in skin.sections)]
    drawings = [laid_best(drawing, paper) for drawing in each]
    return [
        write_dxf(blank, folder / f"{name}.dxf"),
        write_full_size(folder / f"{name}-patterns.pdf", f"Patterns: {skin.name}", drawings, paper),
    ]


def _blank(blank: Blank) -> Drawing:
    low, high = blank.outline.bounds

    def paint(page: Sketch) -> None:
        page.line(blank.outline.faceted, closed=True, wide=0.9)
        for mark in blank.marks:
            if np.linalg.norm(mark.end - mark.start) > 0.01:
                page.line(np.array([mark.start, mark.end]), ink="mark", wide=0.5)
            if mark.text:
                page.words(mark.start + [2.0, 2.0], mark.text, 8, "l", ink="mark")
        middle = (low + high) / 2
        page.words(middle, f"{blank.name}, {blank.thickness_mm:g} mm", 11)
        page.words(middle - [0.0, 6.0], "cut outside; the inner line is the finished border", 7, ink="quiet")

    return Drawing(blank.name, low - 0.5, high + 0.5, paint)


def _template(skin: FormedSkin, section: Section) -> Drawing:
    """The template that is held against the outside: its lower edge is the section, its back is straight."""
    curve = drawn_section(section)
    low, high = curve.min(axis=0), curve.max(axis=0)
    top = max(float(high[1]), 0.0) + BACK_MM

    def paint(page: Sketch) -> None:
        back = np.array([[curve[-1, 0], top], [curve[0, 0], top]])
        page.line(np.concatenate([curve, back]), closed=True, wide=0.9)
        for a, b in _lines(low, high, top):
            page.line(np.array([a, b]), ink="mark", wide=0.4, dashed=True)
        page.words(np.array([(low[0] + high[0]) / 2, top - 8.0]), f"{skin.name}, station {section.at_mm:g}", 9)
        page.words(np.array([0.0, top - 14.0]), "centre line", 7, ink="mark")
        page.words(np.array([float(low[0]) + 2.0, 2.0]), "datum", 7, "l", ink="mark")

    bottom = min(float(low[1]), 0.0)
    return Drawing(
        f"station {section.at_mm:g}", np.array([low[0] - 1, bottom - 1]), np.array([high[0] + 1, top + 1]), paint
    )


def _lines(low: Array, high: Array, top: float) -> list[tuple[list[float], list[float]]]:
    """Centre line and datum, where they cross the template."""
    found = []
    if low[0] <= 0 <= high[0]:
        found.append(([0.0, float(low[1])], [0.0, top]))
    return [*found, ([float(low[0]), 0.0], [float(high[0]), 0.0])]
