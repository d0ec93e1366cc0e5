"""The grain of a sheet: bent along it the metal cracks at a larger radius than across."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Array
from bathyx.core.sheet.flat.blank import BendLine

ALONG = 1.5
ACROSS_DEG = 50.0
GRAIN = formula(
    "sheet.grain",
    "Bends along the grain",
    "inside radius ≥ 1.5 × the sheet's own where a bend lies within 50° of the grain, the blank laid as well as it can be",
    source="Press-brake and aluminium handbooks, from memory: across where there is a choice, half as much again along it",
    valid="rolled sheet of aluminium and steel; plastics have none",
    check="tests/core/test_at_the_bench.py",
    tolerance="a rule of thumb: bend a strip both ways",
)


def grain_way(bends: Sequence[BendLine]) -> tuple[Array, tuple[BendLine, ...]]:
    """(the way (2,) that the grain should run on a blank, the bends that then still lie along it).

    Args:
        bends: of a blank; without any the grain may run as it likes, and does so across the page.
    """
    if not bends:
        return np.array([1.0, 0.0]), ()
    turns = np.array([math.atan2(*(b.end - b.start)[::-1]) % math.pi for b in bends])
    long = np.array([math.dist(b.start, b.end) for b in bends])
    best = (math.inf, 0.0)
    for turn in [*(turns + math.pi / 2), *(turns[0] + np.linspace(0, math.pi, 37))]:
        off = np.abs((turns - turn + math.pi / 2) % math.pi - math.pi / 2)
        along = float(long[off < math.radians(ACROSS_DEG)].sum())
        best = min(best, (along, float(turn % math.pi)), key=lambda pair: round(pair[0], 6))
    way = np.array([math.cos(best[1]), math.sin(best[1])])
    off = np.abs((turns - best[1] + math.pi / 2) % math.pi - math.pi / 2)
    return way, tuple(b for b, x in zip(bends, off, strict=True) if x < math.radians(ACROSS_DEG))
