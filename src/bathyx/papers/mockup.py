"""The card mock-up: every piece at full size, to print, cut, fold and tape, and try in the space before metal is cut."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np

from bathyx.core.evaluate import Evaluation
from bathyx.core.sheet.flat.mockup import CardPiece, card_pieces
from bathyx.core.units import Family
from bathyx.papers.page.full_size import Drawing, Sketch, write_full_size


def write_mockup(jobs: Sequence[Evaluation], path: Path, paper: str = "a4", units: Family = Family.METRIC) -> Path:
    """One set of pages for one tank, or for several to be tried against one another.

    Args:
        jobs: the evaluated jobs; each piece says whose it is where there are several.
        path: file to write.
        paper: a4, a3, letter or tabloid.
        units: metric or US, for the bar that a ruler is held against.
    """
    drawings = []
    for e in jobs:
        pieces, outside = card_pieces(e.results.panelled, e.job.makeup, e.job.tank, e.results.sheet.thickness_mm)
        whose = f"{e.job.brief.name}: " if len(jobs) > 1 else ""
        drawings += [_drawing(piece, whose, outside) for piece in pieces]
    names = jobs[0].job.brief.name if len(jobs) == 1 else f"{len(jobs)} tanks to be tried"
    return write_full_size(path, f"Card mock-up: {names}", drawings, paper, units)


def _drawing(piece: CardPiece, whose: str, outside: bool) -> Drawing:
    everything = np.concatenate([piece.border, *piece.tabs])

    def paint(page: Sketch) -> None:
        for tab in piece.tabs:
            page.line(tab[[1, 2, 3, 0]], ink="thin", wide=0.5)
            page.line(tab[[0, 1]], ink="bend up", wide=0.5, dashed=True)
        page.line(piece.border, closed=True, wide=0.9)
        for start, end, words in piece.folds:
            page.line(np.array([start, end]), ink="bend up", wide=0.6, dashed=True)
            page.words((start + end) / 2, words, 7, ink="bend up")
        for spot, number in piece.numbers:
            page.words(spot, str(number), 9)
        middle = (piece.border.min(axis=0) + piece.border.max(axis=0)) / 2
        size = "outside" if outside else "inside size: the sheet comes on top"
        page.words(middle, f"{whose}{piece.name}", 11)
        page.words(middle - [0, 5], "a formed head: a disc in card" if piece.formed else size, 7, ink="quiet")

    return Drawing(piece.name, everything.min(axis=0) - 0.5, everything.max(axis=0) + 0.5, paint)
