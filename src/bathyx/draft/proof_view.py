"""Why a tank cannot go in: each opening as it is, with the section of the tank that comes nearest to passing over it, to scale."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from bathyx.core.geometry.shell import Array
from bathyx.core.units import Family, show
from bathyx.draft.picture import Dim, Item, Label, Picture, Poly, side_by_side

Ring = Sequence[tuple[float, float]]


def proof_view(clashes: Sequence[tuple[str, Ring, Ring]], units: Family) -> Picture:
    """A picture for each opening, side by side.

    Args:
        clashes: (name of the opening, its outline, outline of the section), mm.
        units: metric or US, for every figure shown.
    """
    pictures = [_clash(name, np.array(hole, float), np.array(section, float), units) for name, hole, section in clashes]
    wide = max(picture.bounds[2] - picture.bounds[0] for picture in pictures)
    return side_by_side(pictures, 0.12 * wide)


def _clash(name: str, hole: Array, section: Array, units: Family) -> Picture:
    low, high = hole.min(axis=0), hole.max(axis=0)
    section = section + (low + high) / 2
    under, over = section.min(axis=0), section.max(axis=0)
    bottom = min(float(low[1]), float(under[1]))
    right = max(float(high[0]), float(over[0]))
    left, top = min(float(low[0]), float(under[0])), max(float(high[1]), float(over[1]))
    size, wide = high - low, over - under

    def said(value: float) -> str:
        return show(float(value), "length", units)

    items: list[Item] = [
        Poly(hole, "accent", "space", 3.0),
        Poly(section, "stop", "stop fill", 2.4),
        Poly(hole, "accent", None, 3.0, dashed=True),
        Dim(np.array([high[0], bottom]), np.array([low[0], bottom]), f"{name} {said(size[0])}", 22),
        Dim(np.array([right, high[1]]), np.array([right, low[1]]), said(size[1]), 22),
        Dim(np.array([under[0], top]), np.array([over[0], top]), f"tank {said(wide[0])}", 22),
        Dim(np.array([left, under[1]]), np.array([left, over[1]]), f"tank {said(wide[1])}", 22),
    ]
    k = int(np.argmax(wide - size))
    spot = np.array([(left + right) / 2, bottom])
    text = f"{said(wide[k] - size[k])} too large {'along' if k == 0 else 'across'} it"
    items.append(Label(spot, text, 13, "stop", bold=True, shift=(0, -60)))
    items.append(Label(spot, "whatever way it is turned", 10, "stop", shift=(0, -80)))
    return Picture(tuple(items))
