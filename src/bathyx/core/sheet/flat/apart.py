"""Cuts between parts of one blank that touch along a line and are not bent there: a flap that lies exactly in a notch."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from shapely import LineString, Point, Polygon, union_all
from shapely.geometry.base import BaseGeometry

from bathyx.core.formula import formula
from bathyx.core.geometry.outline import polygon_area
from bathyx.core.geometry.shell import Array

APART = formula(
    "sheet.apart",
    "Cut between parts that touch",
    "0.5 mm wide, half off either part, along every line on which two parts of a blank meet and are not bent or rolled",
    source="between the slits that the usual tools cut in sheet: laser 0.2 mm, water jet and a thin disc 1 mm; common practice",
    valid="flat and bent parts",
    check="tests/core/test_apart.py: every line on which two parts meet without a bend is cut, held against the faces folded up",
    tolerance="the slit's own width",
)
SLIT_MM = 0.5
TOUCH_MM, LEAST_MM, BEYOND_MM = 2e-3, 1.0, 0.05


@dataclass(frozen=True, eq=False)
class Part:
    """A part of a blank, (n, 2), and the lines (2, 2) on which it hangs at another."""

    name: str
    ring: Array
    hangs: tuple[Array, ...] = ()


def touching(parts: Sequence[Part]) -> list[tuple[Array, Array]]:
    """Ends (2,) of every stretch on which two parts lie side by side and hang together by nothing."""
    rings = [part.ring if polygon_area(part.ring) > 0 else part.ring[::-1] for part in parts]
    starts = np.concatenate(rings)
    ends = np.concatenate([np.roll(ring, -1, axis=0) for ring in rings])
    owner = np.repeat(np.arange(len(parts)), [len(part.ring) for part in parts])
    along = ends - starts
    long = np.hypot(*along.T)
    keep = long > LEAST_MM
    starts, ends, owner, along, long = starts[keep], ends[keep], owner[keep], along[keep], long[keep]
    along = along / long[:, None]
    # Side by side: the other way round the other part, on one line, over more than a spot.
    opposite = along @ along.T < -1 + 1e-7
    off = starts[None] - starts[:, None]  # (i, j): from the start of i to that of j
    aside = np.abs(along[:, None, 0] * off[..., 1] - along[:, None, 1] * off[..., 0])
    at = np.einsum("ik,ijk->ij", along, off)
    low, high = np.maximum(at - long[None], 0.0), np.minimum(at, long[:, None])
    meet = opposite & (aside < TOUCH_MM) & (high - low > LEAST_MM) & (owner[:, None] < owner[None])
    found = []
    for i, j in zip(*np.nonzero(meet), strict=True):
        p, q = starts[i] + along[i] * low[i, j], starts[i] + along[i] * high[i, j]
        hangs = (*parts[owner[i]].hangs, *parts[owner[j]].hangs)
        if not any(_on((p + q) / 2, line) for line in hangs):
            found.append((p, q))
    return found


def _on(spot: Array, line: Array) -> bool:
    a, b = line
    way = b - a
    share = float(np.clip((spot - a) @ way / max(float(way @ way), 1e-12), 0, 1))
    return float(np.hypot(*(a + share * way - spot))) < 0.05


def cut_apart(whole: BaseGeometry, parts: Sequence[Part]) -> BaseGeometry:
    """The union of the parts with a slit along every line on which they touch and do not hang together.

    Args:
        whole: the union.
        parts: that it is of.
    """
    lines = touching(parts)
    if not lines:
        return whole
    slits = [LineString(_opened(line, whole)).buffer(SLIT_MM / 2, cap_style="flat") for line in lines]
    left = whole.difference(union_all(slits))
    pieces = getattr(left, "geoms", (left,))
    return max(pieces, key=lambda piece: piece.area) if len(pieces) > 1 and _slivers(pieces) else left


def _opened(line: tuple[Array, Array], whole: BaseGeometry) -> list[Array]:
    """A line run on by the slit's width where it ends in the open: a gap that only narrows to a point there is opened with it."""
    p, q = line
    way = (q - p) / float(np.hypot(*(q - p)))
    ends = []
    for end, out in ((p, -way), (q, way)):
        beyond = Point(end + out * BEYOND_MM)
        in_metal = whole.contains(beyond) and whole.boundary.distance(beyond) > TOUCH_MM
        ends.append(end if in_metal else end + out * SLIT_MM)
    return ends


def _slivers(pieces: Sequence[Polygon]) -> bool:
    """Whether all but the largest are crumbs of the cutting."""
    return bool(sorted(piece.area for piece in pieces)[-2] < SLIT_MM)
