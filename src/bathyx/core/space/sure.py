"""How much of the spare room is sure: what readings and usual crookedness, or the curves between offsets, leave open."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from bathyx.core.formula import formula
from bathyx.core.space.base import MeasuredSpace
from bathyx.core.space.box import MeasuredBox
from bathyx.core.space.cavity import Array
from bathyx.core.space.stations import StationSpace

BAND = formula(
    "space.band",
    "Doubt of a wall between offsets",
    "doubt = √((3 mm)² + (b / 2)²), b as far as the fair curve stands outside straight runs between the offsets",
    source="three standard deviations of a tape that reads to 1 mm: a tank touches at the worst of many offsets; half the bow is "
    "Bathyx's own",
    valid="hulls of stations; where the tank's outside stands nearer to a wall than its doubt, the clearance does not cover it",
    check="tests/core/test_sure.py: hulls with hidden truth; of 500 (tools/space_study.py) the box that clears the doubt goes into "
    "98.4 %",
    tolerance="a share of hulls, not a promise for one",
)
SURE, FINE = 0.975, 4


@dataclass(frozen=True, eq=False)
class Sure:
    """How much less than the spare room is sure, mm; and of a hull, where the tank stands furthest within a wall's doubt: the air
    to it, its doubt, (3,) the place. None where all of it stands clear."""

    less_mm: float
    within: tuple[float, float, Array] | None = None


def sure_of(space: MeasuredSpace, sizes: Array, skin: Array) -> Sure | None:
    """What is sure of the spare room; None where nothing is left open that Bathyx knows of.

    Args:
        space: as measured.
        sizes: (3,) outside of the tank along, across and up, mm.
        skin: triangles (k, 3, 3) of its outside where it sits in the space.
    """
    if isinstance(space, MeasuredBox) and space.hole is not None:
        spare = (space.hole.likely_boxes - sizes).min(axis=1)
        best = float((np.array(space.hole.upright_box) - sizes).min())
        return Sure(max(best - float(np.quantile(spare, 1 - SURE)), 0.0))
    if isinstance(space, StationSpace):
        points = _spread(skin)
        room, doubt = space.cavity.room_at(points)[:, :2], space.doubt_at(points)
        k, side = np.unravel_index(int(np.argmin(room - doubt)), room.shape)
        air, known = float(room[k, side]), float(doubt[k, side])
        return Sure(max(float(room.min()) - (air - known), 0.0), (air, known, points[k]) if air < known else None)
    return None


def _spread(skin: Array) -> Array:
    """Points (n, 3) all over triangles (k, 3, 3), their corners among them."""
    shares = np.array([(i, j, FINE - i - j) for i in range(FINE + 1) for j in range(FINE + 1 - i)]) / FINE
    return np.asarray(np.einsum("sc,kcd->ksd", shares, skin).reshape(-1, 3))
