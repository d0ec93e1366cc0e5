"""Cloth on its rolls, to scale, as it is cut: each roll along the page, its pieces numbered, the length that goes off it."""

from __future__ import annotations

import re
from collections.abc import Sequence

import numpy as np

from bathyx.core.laminate.day import OnRoll
from bathyx.core.laminate.stuff import cloths
from bathyx.core.units import Family, show, worded
from bathyx.draft.picture import Dim, Item, Label, Picture, box, line

APART, WARP = 0.11, 0.3


def cloth_view(rolls: Sequence[OnRoll], units: Family, only: int | None = None) -> Picture:
    """The rolls under one another.

    Args:
        rolls: with their pieces.
        units: metric or US.
        only: the one that is drawn; None for all.
    """
    items: list[Item] = []
    long = max((roll.length_mm for roll in rolls), default=1.0)
    y = 0.0
    for number, roll in enumerate(rolls):
        if only is not None and number != only:
            continue
        y -= roll.roll_mm + (APART * long if items else 0.0)
        items.append(box(0, y, roll.length_mm, roll.roll_mm, "ink", "space", 1.4))
        for k, (piece, along, across, turned) in enumerate(roll.places, start=1):
            w, h = (piece.w_mm, piece.h_mm) if turned else (piece.h_mm, piece.w_mm)
            items.append(box(along, y + across, w, h, "ink", "sheet", 0.9))
            middle = np.array([along + w / 2, y + across + h / 2])
            items.append(Label(middle, str(k), 9, "ink", bold=True))
        title = f"{cloths()[roll.cloth].name}, {show(roll.roll_mm, 'length', units)} wide, {roll.used:.0%} of it used"
        items.append(Label(np.array([0.0, y + roll.roll_mm]), title, 9, "ink", "l", bold=True, shift=(0, 9)))
        a, b = np.array([0.0, y]), np.array([roll.length_mm, y])
        items.append(Dim(b, a, show(roll.length_mm, "length", units), 15))
        shaft = np.array([[0.0, y + roll.roll_mm / 2], [WARP * roll.roll_mm, y + roll.roll_mm / 2]])
        items.append(line(shaft[0], shaft[1], "accent", 0.6, dashed=True))
    return Picture(tuple(items))


def piece_lines(roll: OnRoll, units: Family) -> list[tuple[str, str, str]]:
    """(number, what it is, its size) of the pieces of a roll, those that are alike together."""
    alike: dict[tuple[str, float, float], list[int]] = {}
    for k, (piece, *_) in enumerate(roll.places, start=1):
        name = re.split(r", (?:ply|strip|side) ", worded(piece.name, units))[0]
        alike.setdefault((name, piece.w_mm, piece.h_mm), []).append(k)
    return [
        (
            ", ".join(map(str, numbers)),
            name,
            f"{len(numbers)} of {show(w, 'length', units)} × {show(h, 'length', units)}",
        )
        for (name, w, h), numbers in alike.items()
    ]
