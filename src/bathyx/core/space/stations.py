"""A space measured as stations: at distances along, offsets from a centre line to the left and the right wall at heights."""

from __future__ import annotations

from functools import lru_cache
from itertools import pairwise, product
from typing import Literal

import numpy as np
import numpy.typing as npt
from pydantic import Field, model_validator

from bathyx.core.formula import formula
from bathyx.core.space.base import MeasuredSpace, Room
from bathyx.core.space.boxes import room_in
from bathyx.core.space.cavity import Cavity
from bathyx.core.space.doubt import Doubt, likeliest
from bathyx.core.units.frozen import Frozen
from bathyx.errors import Refusal

Array = npt.NDArray[np.float64]
HULL = formula(
    "space.hull",
    "Hull between stations",
    "cubic curves through the offsets of a station, and along through points of equal share of its height, held to 1.5 times the "
    "lesser bend measured at both ends of each run; straight runs by choice",
    source="Interpolating cubics (de Boor, A Practical Guide to Splines); not-a-knot ends, so that a parabola comes back exactly",
    valid="fair surfaces; a knuckle that was measured stays one where two more offsets stand beside it; else choose straight runs",
    check="tests/outside/test_stations.py: Wigley's hull in closed form (Wigley 1926, from memory)",
    tolerance="0.1 % of the volume at 9 stations of a Wigley hull; 3 mm outside a chine that was measured, in 300 random ones",
)
ROWS = 41
BETWEEN, MOST_SECTIONS = 8, 96
MOST_COMPARED = 400
TAPE_MM, SAME_SIDES_MM = 1.0, 3.0
RARE_MM = 1600.0
BORNE_OUT, KNUCKLE_DEG, FAIR_MM, SHARP_DEG = 1.5, 20.0, 0.5, 10.0
REACHES, SCALES = (0.25, 0.5, 1.0, 2.0), (0.3, 1.0, 3.0)


class Offset(Frozen):
    """Offsets at a height: from the centre line to the left and to the right wall; a side that was not measured is None."""

    z_mm: float = Field(ge=-20_000, le=20_000)
    left_mm: float | None = Field(None, ge=0, le=20_000)
    right_mm: float | None = Field(None, ge=0, le=20_000)


class Station(Frozen):
    """A cross section at a distance along."""

    x_mm: float = Field(ge=-100_000, le=100_000)
    rows: tuple[Offset, ...] = Field(min_length=2, max_length=120)

    @model_validator(mode="after")
    def _rises(self) -> Station:
        heights = [row.z_mm for row in self.rows]
        for a, b in pairwise(heights):
            if b - a < 0.5:
                raise Refusal(
                    f"station {self.x_mm:g} mm has heights {a:g} and {b:g} mm after one another; they rise, each once"
                )
        if sum(row.left_mm is not None or row.right_mm is not None for row in self.rows) < 2:
            raise Refusal(f"station {self.x_mm:g} mm has fewer than two offsets; it needs two heights or more")
        return self


class StationSpace(MeasuredSpace):
    """A hull or a curved bay. `runs`: `fair` curves or `straight` lines between the offsets that were measured.

    `scan`: points of the scan it was cut from, whole mm, to be looked at beside them.
    """

    kind: Literal["stations"] = "stations"
    stations: tuple[Station, ...] = Field(min_length=2, max_length=200)
    runs: Literal["fair", "straight"] = "fair"
    scan: str = Field("", max_length=60_000, pattern=r"^(-?\d+ -?\d+ -?\d+(;-?\d+ -?\d+ -?\d+)*)?$")

    @model_validator(mode="after")
    def _in_order(self) -> StationSpace:
        places = [s.x_mm for s in self.stations]
        for a, b in pairwise(places):
            if b <= a:
                what = "stands twice" if b == a else f"comes after {a:g} mm"
                raise Refusal(f"station {b:g} mm {what}; stations run from the front to the rear, each once")
            if b - a < 1:
                raise Refusal(f"stations {a:g} and {b:g} mm are less than 1 mm apart; leave one out")
        return self

    @property
    def scanned(self) -> Array:
        """(n, 3) points of the scan, mm."""
        return _points(self.scan)

    @property
    def off_scan_mm(self) -> tuple[float, float] | None:
        """(half of the scan's points, all but 5 % of them) lie nearer than this to the walls; None without a scan."""
        points = self.scanned
        if not len(points):
            return None
        near = np.abs(self.cavity.room_at(points)).min(axis=1)
        half, most = (float(v) for v in np.quantile(near, (0.5, 0.95)))
        return half, most

    @property
    def cavity(self) -> Cavity:
        """Its walls, fair or straight between the offsets."""
        return _cavity(self.stations, self.runs)

    def doubt_at(self, points: Array) -> Array:
        """(k, 2) how far off the left and the right wall may be at points (k, 3), mm: three standard deviations of the tape, for a
        wall touches at the worst of many offsets, and half of what the curves stand outside straight runs."""
        fair = self.cavity.room_at(points)[:, :2]
        bowed = np.maximum(fair - _cavity(self.stations, "straight").room_at(points)[:, :2], 0.0)
        return np.asarray(np.hypot(3 * TAPE_MM, bowed / 2))

    @property
    def knuckles(self) -> tuple[tuple[int, Literal["left", "right"], int], ...]:
        """(station, side, row) of the offsets at which a wall turns sharply: more than at the offsets beside them and by 10°."""
        return _knuckles(self.stations)

    @property
    def room(self) -> Room:
        """The largest upright box in it, after clearances; sizes 0 where nothing is left."""
        return room_in(_cavity(self.stations, self.runs), self.kept, self.things)

    @property
    def doubt(self) -> tuple[int, Literal["left", "right"], int, Doubt] | None:
        """(station, side, row, by how much) of the offset that breaks fairness most; None where none does or runs are straight."""
        return unfair(self.stations) if self.runs == "fair" else None


@lru_cache(maxsize=8)
def _points(text: str) -> Array:
    return np.array([spot.split() for spot in text.split(";")], float) if text else np.zeros((0, 3))


def _side(stations: tuple[Station, ...], s: int, side: Literal["left", "right"]) -> tuple[Array, Array]:
    """(heights, offsets) measured on a side of station `s`; where the highest or lowest is missing, what the stations beside it
    have there, or the other side."""
    rows = [
        (r.z_mm, r.left_mm, r.right_mm) if side == "left" else (r.z_mm, r.right_mm, r.left_mm) for r in stations[s].rows
    ]
    said = [k for k, row in enumerate(rows) if row[1] is not None or row[2] is not None]
    own = [k for k, row in enumerate(rows) if row[1] is not None]
    found = []
    for k, (z, mine, other) in enumerate(rows):
        if mine is not None:
            found.append((z, mine))
        elif not own and other is not None:
            found.append((z, other))
        elif own and k in (said[0], said[-1], 0, len(rows) - 1):
            guess = _guessed(stations, s, side, rows, k)
            if guess is not None:
                found.append((z, guess))
    z, y = np.array(found, float).T
    return z, y


def _guessed(
    stations: tuple[Station, ...],
    s: int,
    side: Literal["left", "right"],
    rows: list[tuple[float, float | None, float | None]],
    k: int,
) -> float | None:
    """An offset at the end of a station that was not measured: as the nearest stations have it there, to the scale of the next row;
    or the other side's; where both are not alike, as this side's last run goes on. The least of these; None without any."""
    z, _, other = rows[k]
    _, z1, mine = min((abs(a - z), a, m) for a, m, _ in rows if m is not None)
    found = []
    for way in (-1, 1):
        for t in range(s + way, len(stations) if way > 0 else -1, way):
            at = {r.z_mm: getattr(r, f"{side}_mm") for r in stations[t].rows}
            if (here := at.get(z)) is not None and (next_ := at.get(z1)):
                found.append(here * mine / next_)
                break
    both = [m - o for _, m, o in rows if m is not None and o is not None]
    alike = not both or max(map(abs, both)) <= 2 * SAME_SIDES_MM
    if other is not None and (alike or not found):
        found.append(other if alike else min(other, other + min(both)))
    own = sorted((abs(a - z), a, m) for a, m, _ in rows if m is not None)[:2]
    if not alike and len(own) == 2:
        (_, a, m), (_, b, n) = own
        found.append(m + (m - n) / (a - b) * (z - a))
    return max(min(found), 0.0) if found else None


def _through(x: Array, y: Array, at: Array, runs: str) -> Array:
    """Values at `at` of the curve through (x, y); y may have further columns."""
    if runs == "straight" or len(x) == 2:
        k = np.clip(np.searchsorted(x, at) - 1, 0, len(x) - 2)
        f = ((at - x[k]) / (x[k + 1] - x[k])).reshape(-1, *[1] * (y.ndim - 1))
        return np.asarray(y[k] * (1 - f) + y[k + 1] * f)
    from scipy.interpolate import CubicSpline  # not at the start: it takes a fifth of a second to load

    return _held(x, y, at, np.asarray(CubicSpline(x, y, axis=0, bc_type="not-a-knot")(at)))


def _held(x: Array, y: Array, at: Array, curve: Array) -> Array:
    """The curve no further off the straight run between two offsets than the bends measured at both its ends bear out.

    A smooth wall bends alike at neighbouring offsets; at a knuckle one end bends and the other does not, and the run is straight.
    """
    h = np.diff(x).reshape(-1, *[1] * (y.ndim - 1))
    slope = np.diff(y, axis=0) / h
    bend = 2 * np.diff(slope, axis=0) / (h[1:] + h[:-1])  # at the offsets between the first and the last
    # What a millimetre of the tape can make of it is no bend: offsets close together must not bow the long run beside them.
    bend = np.sign(bend) * np.maximum(np.abs(bend) - 4 * FAIR_MM / (h[1:] * h[:-1]), 0.0)
    if len(bend) == 1:
        turn = np.abs(np.arctan(slope[1]) - np.arctan(slope[0]))
        ends = np.where(turn < np.radians(KNUCKLE_DEG), bend[0], 0.0)[None]
        first, last = np.repeat(ends, 2, axis=0), np.repeat(ends, 2, axis=0)
    else:
        # An end run has one measured bend; the next one says whether that is a wall's or a knuckle's.
        first = np.concatenate([bend[1:2], bend])
        last = np.concatenate([bend, bend[-2:-1]])
    alike = np.where(first * last > 0, np.where(np.abs(first) < np.abs(last), first, last), 0.0)
    k = np.clip(np.searchsorted(x, at) - 1, 0, len(x) - 2)
    wide = (1, *[1] * (y.ndim - 1))
    along, to_go = (at - x[k]).reshape(-1, *wide[1:]), (x[k + 1] - at).reshape(-1, *wide[1:])
    chord = (y[k] * to_go + y[k + 1] * along) / (along + to_go)
    most = -alike[k] / 2 * along * to_go * BORNE_OUT
    spare = FAIR_MM * np.minimum(1.0, 4 * along * to_go / (along + to_go) ** 2)
    return np.asarray(np.clip(curve, chord + np.minimum(most, 0.0) - spare, chord + np.maximum(most, 0.0) + spare))


@lru_cache(maxsize=16)
def _knuckles(stations: tuple[Station, ...]) -> tuple[tuple[int, Literal["left", "right"], int], ...]:
    found: list[tuple[int, Literal["left", "right"], int]] = []
    sides: tuple[Literal["left", "right"], ...] = ("left", "right")
    for s, station in enumerate(stations):
        for side in sides:
            rows = [(k, r.z_mm, getattr(r, f"{side}_mm")) for k, r in enumerate(station.rows)]
            own = [row for row in rows if row[2] is not None]
            if len(own) < 4:
                continue
            z, y = np.array([r[1:] for r in own]).T
            turn = np.abs(np.diff(np.degrees(np.arctan2(np.diff(y), np.diff(z)))))
            beside = np.concatenate([[0.0], turn, [0.0]])
            beside = np.maximum(beside[:-2], beside[2:])
            if len(turn) == 2:
                beside = turn[::-1]
            found += [(s, side, own[k + 1][0]) for k in np.nonzero((turn > SHARP_DEG) & (turn > 2.5 * beside))[0]]
    return tuple(found)


@lru_cache(maxsize=16)
def _cavity(stations: tuple[Station, ...], runs: str) -> Cavity:
    """The walls as a grid: rows at shares of each station's height, and sections between the stations where they are fair."""
    x = np.array([s.x_mm for s in stations])
    low, high = np.array([_span(stations, k) for k in range(len(stations))]).T
    shares = _row_shares(stations, runs)
    sides = []
    for side in ("left", "right"):
        walls = []
        for k, (a, b) in enumerate(zip(low, high, strict=True)):
            z, y = _side(stations, k, side)
            walls.append(_through(z, y, a + shares * (b - a), runs))
        sides.append(np.array(walls))
    between = min(BETWEEN, max(MOST_SECTIONS // (len(x) - 1), 1))
    parts = [np.linspace(a, b, between + 1) for a, b in pairwise(x)]
    fine = x if runs == "straight" else np.unique(np.concatenate(parts))
    left, right = (np.maximum(_through(x, wall, fine, runs), 0.0) for wall in sides)
    lows, highs = _through(x, low, fine, runs), _through(x, high, fine, runs)
    # A keel that a fair curve would drop below what was measured at both sides of it is no measured keel.
    lows = np.clip(lows, low.min(), None)
    return Cavity(fine, lows, np.clip(highs, lows + 0.5, high.max()), -left, right)


def _row_shares(stations: tuple[Station, ...], runs: str) -> Array:
    """Evenly spread shares of the height; fine enough that straight runs keep their knuckles within a thousandth of the height."""
    return np.linspace(0.0, 1.0, ROWS if runs == "fair" else 4 * (ROWS - 9) + 1)


def _span(stations: tuple[Station, ...], s: int) -> tuple[float, float]:
    """Lowest and highest height at which a station's walls are known, or told by those beside it."""
    ends = [_side(stations, s, side)[0][[0, -1]] for side in ("left", "right")]
    return float(min(end[0] for end in ends)), float(max(end[1] for end in ends))


@lru_cache(maxsize=16)
def unfair(stations: tuple[Station, ...]) -> tuple[int, Literal["left", "right"], int, Doubt] | None:
    """The offset that does not lie fair with its neighbours, and where both sides were measured with the other side.

    A smooth surface through all offsets (a Gaussian process over distance and height, both sides alike to 3 mm) tells each from the
    others. Its reach is the one that tells them best.
    """
    spots: list[tuple[int, Literal["left", "right"], int, float, float, float]] = []
    for s, station in enumerate(stations):
        for k, row in enumerate(station.rows):
            both = row.left_mm is not None and row.left_mm == row.right_mm
            if row.left_mm is not None:
                spots.append((s, "left", k, station.x_mm, row.z_mm, row.left_mm))
            if row.right_mm is not None and not both:
                spots.append((s, "right", k, station.x_mm, row.z_mm, row.right_mm))
    if not 6 <= len(spots) <= MOST_COMPARED:
        return None
    place = np.array([(x, z) for *_, x, z, _ in spots])
    y = np.array([spot[5] for spot in spots])
    span = np.maximum(np.ptp(place, axis=0), 1.0)
    away = (place[:, None] - place[None]) / span
    way = np.array([1.0 if spot[1] == "left" else -1.0 for spot in spots])
    apart = SAME_SIDES_MM**2 * np.outer(way, way) * np.exp(-0.5 * (away**2).sum(axis=2)) if len(set(way)) > 1 else 0.0
    size = max(float(np.ptp(y)), 10.0)
    covers = (
        (scale * size) ** 2 * (np.exp(-0.5 * (away[..., 0] / reach_x) ** 2 - 0.5 * (away[..., 1] / reach_z) ** 2) + 1.0)
        + apart
        + TAPE_MM**2 * np.eye(len(y))
        for reach_x, reach_z, scale in product(REACHES, REACHES, SCALES)
    )
    doubt = likeliest(y - y.mean(), covers, RARE_MM)
    if doubt is None:
        return None
    s, side, k, *_ = spots[doubt.index]
    return s, side, k, doubt
