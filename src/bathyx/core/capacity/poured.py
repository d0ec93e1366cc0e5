"""A measured filling: litres poured to a level, held against the dip curve, and the curve that follows them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np

from bathyx.core.formula import formula
from bathyx.core.geometry.dip import DipCurve
from bathyx.core.geometry.pieces import Pieces
from bathyx.core.geometry.shell import Array
from bathyx.core.units import Said, litres, mm
from bathyx.errors import Refusal

POURED = formula(
    "capacity.poured",
    "Dip curve by a measured filling",
    "V'(z) = f(V(z)), f straight from (calculated, poured) of one level to the next, on as it took so far",
    source="common practice: a measured capacity beats a calculated one",
    valid="the tank level, filled from empty by a meter or weighed cans; the shape between levels is the calculated one",
    check="tests/core/test_poured.py",
    tolerance="as the meter and the reading of the level",
)
MOST_ROWS, FAR_SHARE, FAR_L = 200, 0.02, 0.5  # what is further off than both is worth a word


@dataclass(frozen=True)
class Pouring:
    """`rows` of (level above the lowest point inside in mm, litres in the tank), rising."""

    rows: tuple[tuple[float, float], ...]

    @classmethod
    def of(cls, rows: Sequence[Sequence[float]]) -> Pouring:
        """Rows in any order. Refusal for rows that do not rise together, or none."""
        made = tuple(sorted((float(z), float(v)) for z, v in rows))
        if not 1 <= len(made) <= MOST_ROWS:
            raise Refusal(f"a measured filling has 1 to {MOST_ROWS} rows of level and litres; these are {len(made)}")
        spots = np.array(made)
        if not np.isfinite(spots).all() or (spots <= 0).any():
            raise Refusal("levels and litres of a filling are above nothing")
        for (z0, v0), (z1, v1) in pairwise(made):
            if z1 - z0 < 1e-6 or v1 - v0 < 1e-9:
                raise Refusal(
                    f"{litres(v1)} at {mm(z1)} do not rise over {litres(v0)} at {mm(z0)}: both rise in a filling"
                )
        return cls(made)

    def held_against(self, curve: DipCurve) -> Held:
        """The curve that follows it. Refusal where a level lies above the tank."""
        spots = np.array(self.rows)
        high = curve.high_mm - curve.low_mm
        if spots[-1, 0] > high + 1.0:
            raise Refusal(f"{mm(spots[-1, 0])} is above the top of the tank, {mm(high)} over its lowest point")
        calculated = curve.at(curve.low_mm + spots[:, 0])
        poured = spots[:, 1] * 1e6
        return Held(self, _following(curve, calculated, poured), tuple(float(x) / 1e6 for x in poured - calculated))


@dataclass(frozen=True, eq=False)
class Held:
    """A filling against the calculated curve: the curve that follows it, and how many litres more each row took."""

    pouring: Pouring
    curve: DipCurve
    more_l: tuple[float, ...]

    @cached_property
    def worst(self) -> int:
        """The row that is furthest off."""
        return int(np.argmax(np.abs(self.more_l)))

    @property
    def far(self) -> bool:
        """Whether it is off by more than a size that is as drawn would be."""
        _, poured = self.pouring.rows[self.worst]
        return abs(self.more_l[self.worst]) > max(FAR_SHARE * poured, FAR_L)

    @property
    def words(self) -> Said:
        """How the filling and the calculation agree."""
        level, poured = self.pouring.rows[self.worst]
        more = self.more_l[self.worst]
        share = more / max(poured - more, 1e-9)
        said = f"at {mm(level)} it took {litres(poured)}, calculated {litres(poured - more)} ({share:+.1%})"
        if not self.far:
            return Said(f"The filling bears the calculation out: furthest off {said}")
        return Said(
            f"Furthest off {said}: it did not stand level, the meter is off, or a size is not as drawn. "
            "The marks follow the filling"
        )


def _following(curve: DipCurve, calculated: Array, poured: Array) -> DipCurve:
    """The curve with its volumes stretched so that it goes through what was poured, mm3; it rises where both do."""
    known, took = np.concatenate([[0.0], calculated]), np.concatenate([[0.0], poured])
    levels = np.concatenate([curve.level_for(np.minimum(calculated, curve.full_mm3))])
    old = curve.volume
    breaks = np.unique(np.concatenate([old.x, levels[(levels > old.x[0]) & (levels < old.x[-1])]]))
    starts, middles = breaks[:-1], (breaks[:-1] + breaks[1:]) / 2
    piece = np.clip(np.searchsorted(old.x, middles, side="right") - 1, 0, old.c.shape[1] - 1)
    d = starts - old.x[piece]
    c3, c2, c1, c0 = old.c[:, piece]
    moved = np.stack([c3, 3 * c3 * d + c2, 3 * c3 * d**2 + 2 * c2 * d + c1, c3 * d**3 + c2 * d**2 + c1 * d + c0])
    row = np.clip(np.searchsorted(levels, middles, side="right"), 0, len(levels))
    share = np.append(np.diff(took) / np.diff(known), took[-1] / known[-1])[row]
    return DipCurve(
        Pieces(moved * share + np.array([[0.0], [0.0], [0.0], [1.0]]) * (took[row] - share * known[row]), breaks)
    )
