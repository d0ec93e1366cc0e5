"""The closed outlines of a drawing of another program, to scale, to choose one."""

from __future__ import annotations

import numpy as np

from bathyx.core.units import Family, show
from bathyx.draft.picture import Item, Label, Picture, Poly
from bathyx.files.loops import Drawn, area, chords
from bathyx.files.profiles import MOST_SHOWN, millimetres

FINE_SHARE = 2e-3


def loops_view(found: Drawn, pick: int, unit: str | None, units: Family) -> Picture:
    """Outlines as they lie in the drawing, the one that is picked filled; each has the tag `loop:K`.

    Args:
        found: what the drawing holds.
        pick: which of its loops, 0 the largest.
        unit: of the drawing, where it does not say it; sizes are said once it is known.
        units: metric or US.
    """
    per = millimetres(found, unit)
    items: list[Item] = []
    names: list[Item] = []
    for k, loop in enumerate(found.loops[:MOST_SHOWN]):
        ring = np.array([p[:2] for p in chords(loop, FINE_SHARE * abs(area(loop)) ** 0.5)]) * (per or 1.0)
        mine = k == pick
        tag = f"loop:{k}"
        items.append(
            Poly(ring, "bend up" if mine else "ink", "sheet" if mine else "paper", 2.6 if mine else 1.0, tag=tag)
        )
        low, high = ring.min(axis=0), ring.max(axis=0)
        said = f"{k + 1}"
        if mine and per is not None:
            said += (
                f": {show(float(high[0] - low[0]), 'length', units)} × {show(float(high[1] - low[1]), 'length', units)}"
            )
        at = np.array([(low[0] + high[0]) / 2, high[1]])
        names.append(Label(at, said, 11 if mine else 10, "ink", bold=mine, shift=(0, 9), tag=tag))
    return Picture((*items, *names))
