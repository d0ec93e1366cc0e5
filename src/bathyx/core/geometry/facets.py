"""Facets that stand for curved faces: chords pushed out so that areas and volumes come out exact.

A circle of 64 chords through its own points loses 0.16 % of its area. Here the points between the quarters are pushed
out until the polygon has the circle's area; those at the quarters stay where they are, so that heights stay true.
The largest departure of a facet from its circle is 0.12 % of the radius.
"""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Array

FACETS = formula(
    "geometry.facets",
    "Facets of a curved face",
    "½ sin δ (2 r ρ + (n − 2) ρ²) = ½ r² n δ for the radius ρ of the inner points",
    source="Area of a sector and of the fan of triangles that stands for it; plane geometry",
    valid="arcs of any sweep, quarters by quarters",
    check="tests/outside/test_rolled.py: 50 levels of every body and end against fluids.geometry.TANK",
    tolerance="whole areas and volumes exact; at one level 1e-4 of the full volume; surface within 0.12 % of the radius",
)
STEP = 2 * math.pi / 48


def arc_angles(first: float, last: float) -> tuple[Array, Array]:
    """(angles (n,), share of the radius (n,)) of the chords of an arc, radians, `first` to `last` included, either way.

    Broken at the quarters of the circle; points at breaks and ends lie on the circle (share 1).
    """
    way = 1.0 if last >= first else -1.0
    low, high = min(first, last), max(first, last)
    quarter = math.pi / 2
    breaks = [
        low,
        *(k * quarter for k in range(math.ceil(low / quarter - 1e-9), math.floor(high / quarter + 1e-9) + 1)),
        high,
    ]
    kept = [breaks[0]]
    for angle in breaks[1:]:
        if angle - kept[-1] > 1e-9:
            kept.append(angle)
    kept[-1] = high
    angles, shares = [kept[0]], [1.0]
    for a, b in pairwise(kept):
        n = max(2, math.ceil((b - a) / STEP - 1e-9))
        push = _push(n, (b - a) / n)
        angles += [a + (b - a) * k / n for k in range(1, n)] + [b]
        shares += [push] * (n - 1) + [1.0]
    found, out = np.array(angles), np.array(shares)
    return (found, out) if way > 0 else (found[::-1], out[::-1])


def _push(n: int, step: float) -> float:
    """Radius of the inner points of a fan of n chords, over that of its ends, for the sector's area."""
    # (n - 2) x^2 + 2 x - n step / sin(step) = 0
    c = n * step / math.sin(step)
    return c / 2 if n == 2 else (math.sqrt(1 + (n - 2) * c) - 1) / (n - 2)
