"""The largest tank of k flat panels in a cavity: two upright ends and k − 2 sides, each one plane from end to end.

A side looks the same way at every section, so it is an angle and its distance from the axis at either end. Its corners run
straight; the outside is held inside the cavity at sections along, each obstacle beyond one panel. For given angles the volume's
cube root is concave in the distances and the walls of a convex cavity are linear: the angles are searched, from several starts.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from bathyx.core.space.cavity import Cavity

Array = npt.NDArray[np.float64]
LEAST_SIDE_MM, LEAST_GAP, MOST_GAP = 20.0, math.radians(14), math.radians(160)
SECTIONS = 9
STEP = 1e-6
RANDOM_STARTS = 5
# (steps, tolerance, sections) of a first climb and of the last; how many of the first are climbed on.
ROUGH, FINE, BEST = (25, 1e-4, 5), (80, 1e-7, SECTIONS), 2
# Ways the sides look, in degrees from the right: what makers build, by number of sides.
STARTS: dict[int, tuple[tuple[float, ...], ...]] = {
    3: ((90, 210, 330),),
    4: ((0, 90, 180, 270), (-20, 90, 200, 270)),
    5: ((0, 90, 180, 235, 305), (0, 45, 90, 180, 270), (0, 90, 180, 220, 320)),
    6: ((0, 90, 180, 225, 270, 315), (-15, 90, 195, 230, 270, 310), (0, 45, 90, 135, 180, 270)),
    7: ((0, 90, 180, 215, 250, 290, 325), (0, 45, 90, 135, 180, 225, 315)),
    8: ((0, 90, 180, 210, 240, 270, 300, 330), (0, 45, 90, 135, 180, 225, 270, 315)),
}


@dataclass(frozen=True, eq=False)
class Keep:
    """Something to stay clear of: its corners (n, 3) and how far."""

    corners: Array
    clear_mm: float


@dataclass(frozen=True, eq=False)
class Prism:
    """The outside: sides' angles (n,), distances from the axis at the front and rear (n,), and where it begins and ends along.

    Many at once with the same leading shape in each: `turn`, `front`, `rear` (…, n), `start`, `end` (…).
    """

    turn: Array
    front: Array
    rear: Array
    start: Any
    end: Any

    @property
    def slope(self) -> Array:
        """(…, n) how much further out each side is for a millimetre along."""
        return np.asarray((self.rear - self.front) / (np.asarray(self.end) - self.start)[..., None])

    @property
    def ways(self) -> Array:
        """(…, n, 2) unit (y, z) that each side looks."""
        return np.stack([np.cos(self.turn), np.sin(self.turn)], axis=-1)

    def corners(self, x: Array, inset_mm: float = 0.0) -> Array:
        """(…, m, n, 2) corners (y, z) at places (…, m) along, sides set in by `inset_mm` square to themselves."""
        slope = self.slope
        off = x - np.asarray(self.start)[..., None]
        d = (self.front - inset_mm * np.sqrt(1 + slope**2))[..., None, :] + slope[..., None, :] * off[..., None]
        a = self.ways
        b = np.roll(a, -1, axis=-2)
        after = np.roll(d, -1, axis=-1)
        det = a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0]
        ay, az, by, bz, det = (part[..., None, :] for part in (a[..., 0], a[..., 1], b[..., 0], b[..., 1], det))
        return np.stack([(d * bz - after * az) / det, (ay * after - d * by) / det], axis=-1)

    def volumes_mm3(self, thickness_mm: float) -> Array:
        """(…) inside the sheet: sections are quadratic along, so three of them are exact (Simpson)."""
        x0, x1 = np.asarray(self.start) + thickness_mm, np.asarray(self.end) - thickness_mm
        spots = self.corners(np.stack([x0, (x0 + x1) / 2, x1], axis=-1), thickness_mm)
        y, z = spots[..., 0], spots[..., 1]
        area = (y * np.roll(z, -1, axis=-1) - z * np.roll(y, -1, axis=-1)).sum(axis=-1) / 2
        return np.asarray((area[..., 0] + 4 * area[..., 1] + area[..., 2]) * (x1 - x0) / 6)

    def volume_mm3(self, thickness_mm: float) -> float:
        """Of one."""
        return float(self.volumes_mm3(thickness_mm))

    def drawn_in(self, by_mm: float) -> Prism:
        """Every panel set in; of one."""
        slope = self.slope
        off = by_mm * np.sqrt(1 + slope**2)
        front, rear = self.front - off + slope * by_mm, self.rear - off - slope * by_mm
        return Prism(self.turn, front, rear, self.start + by_mm, self.end - by_mm)


@dataclass(frozen=True, eq=False)
class Search:
    """What a search is for: the cavity for the outside, obstacles, the sheet, and a size to count in."""

    inner: Cavity
    keeps: tuple[Keep, ...]
    thickness_mm: float
    middle: Array
    size: float
    hollow: bool = True

    def unpacked(self, v: Array) -> Prism:
        """The prisms of scaled numbers (…, 3 n + 2)."""
        n = (v.shape[-1] - 2) // 3
        turn = v[..., :n]
        shift = np.cos(turn) * self.middle[1] + np.sin(turn) * self.middle[2]
        front, rear = v[..., n : 2 * n] * self.size + shift, v[..., 2 * n : 3 * n] * self.size + shift
        x = self.middle[0] + v[..., 3 * n :] * self.size
        return Prism(turn, front, rear, x[..., 0], x[..., 1])

    def packed(self, prism: Prism) -> Array:
        """The scaled numbers of a prism."""
        shift = prism.ways @ self.middle[1:]
        x = (np.array([prism.start, prism.end]) - self.middle[0]) / self.size
        return np.concatenate([prism.turn, (prism.front - shift) / self.size, (prism.rear - shift) / self.size, x])


def largest(
    inner: Cavity,
    low: Array,
    high: Array,
    sides: int,
    thickness_mm: float,
    keeps: tuple[Keep, ...],
    go_on: Callable[[float], bool],
    seed: int = 1,
) -> Prism | None:
    """The largest prism of `sides` sides and two ends that was found; None where not even a small one fits.

    Args:
        inner: what the outside may fill.
        low: (3,) corner of a box that fits, to begin in.
        high: (3,) its other corner.
        sides: 3 to 8.
        thickness_mm: of the sheet; the inside counts.
        keeps: what to stay clear of.
        go_on: called with the share done; False stops with the best so far.
        seed: of the starts that are not usual ones; equal seeds give equal answers.
    """
    search = Search(inner, keeps, thickness_mm, (low + high) / 2, float(np.linalg.norm(high - low)) / 2, _hollow(inner))
    starts = list(_starts(search, low, high, sides, seed))
    rough: list[tuple[float, Array, tuple[int, ...]]] = []
    for k, (start, panels) in enumerate(starts):
        if rough and not go_on(0.8 * k / len(starts)):
            break
        climbed = _climbed(search, start, panels, ROUGH)
        if climbed is not None:
            rough.append((climbed[0], climbed[1], panels))
    rough.sort(key=lambda r: -r[0])
    best: tuple[float, Prism] | None = None
    for k, (_, start, panels) in enumerate(rough[:BEST]):
        if best is not None and not go_on(0.8 + 0.2 * k / BEST):
            break
        climbed = _climbed(search, start, panels, FINE)
        if climbed is not None:
            found = _settled(search, climbed[1], panels)
            if found is not None and (best is None or found[0] > best[0]):
                best = found
    return None if best is None else best[1]


def _hollow(inner: Cavity) -> bool:
    """Whether a section's wall turns inward somewhere: then corners inside do not hold what lies between them."""
    if inner.left.shape[1] < 3:
        return False
    bulge = np.concatenate([np.diff(inner.left, 2, axis=1), -np.diff(inner.right, 2, axis=1)])
    return bool(bulge.min() < -0.3)


def _starts(search: Search, low: Array, high: Array, sides: int, seed: int) -> Iterator[tuple[Array, tuple[int, ...]]]:
    """Scaled numbers to begin from, and for each obstacle the panel it shall be beyond (sides, then front and rear)."""
    rng = np.random.default_rng(seed)
    half = (high - low) / 2
    for turns in STARTS[sides]:
        turn = np.radians(np.resize(np.array(turns, float), sides)) if len(turns) == sides else None
        if turn is None:
            continue
        for share in (0.75, 0.5):
            d = share * np.hypot(half[1] * np.cos(turn), half[2] * np.sin(turn))
            u = np.column_stack([np.cos(turn), np.sin(turn)])
            d = d + u @ search.middle[1:]
            prism = Prism(turn, d, d, search.middle[0] - share * half[0], search.middle[0] + share * half[0])
            choices = [_beyond(prism, keep) for keep in search.keeps]
            yield search.packed(prism), tuple(order[0] for order in choices)
            if share == 0.75:
                for i, order in enumerate(choices):
                    for other in order[1:4]:
                        yield search.packed(prism), tuple(other if j == i else c[0] for j, c in enumerate(choices))
    base = np.radians(np.array(STARTS[sides][0], float))
    for _ in range(RANDOM_STARTS):
        turn = np.sort(base + rng.normal(0, 0.25, sides))
        d = 0.5 * np.hypot(half[1] * np.cos(turn), half[2] * np.sin(turn))
        u = np.column_stack([np.cos(turn), np.sin(turn)])
        prism = Prism(
            turn,
            d + u @ search.middle[1:],
            d + u @ search.middle[1:],
            search.middle[0] - half[0] / 2,
            search.middle[0] + half[0] / 2,
        )
        yield search.packed(prism), tuple(_beyond(prism, keep)[0] for keep in search.keeps)


def _gaps(prism: Prism, keep: Keep) -> Array:
    """(…, sides + 2) how far the keep lies beyond each panel: sides, front, rear; mm square to it."""
    slope, start, end = prism.slope, np.asarray(prism.start), np.asarray(prism.end)
    x = keep.corners[:, 0]
    d = prism.front[..., None, :] + slope[..., None, :] * (x - start[..., None])[..., None]
    out = np.einsum("ci,...ni->...cn", keep.corners[:, 1:], prism.ways)
    beyond = ((out - d) / np.sqrt(1 + slope**2)[..., None, :]).min(axis=-2)
    return np.concatenate([beyond, (start - x.max())[..., None], (x.min() - end)[..., None]], axis=-1)


def _beyond(prism: Prism, keep: Keep) -> list[int]:
    """Panels that the keep could be beyond, the nearest to it first."""
    return [int(k) for k in np.argsort(-_gaps(prism, keep))]


def _climbed(
    search: Search, start: Array, panels: tuple[int, ...], effort: tuple[int, float, int]
) -> tuple[float, Array] | None:
    """(mm3, scaled numbers) climbed to from a start with an effort of (steps, tolerance, sections); None where it leads nowhere."""
    from scipy.optimize import minimize  # not at the start: it takes long to load

    n = (len(start) - 2) // 3
    scale = search.size**3
    steps, tolerance, sections = effort
    shares = np.linspace(0, 1, sections)

    def worth(v: Array) -> Array:
        return -search.unpacked(v).volumes_mm3(search.thickness_mm) / scale

    def held(v: Array) -> Array:
        return _held(search, search.unpacked(v), panels, shares)

    bounds = [(t - 1.2, t + 1.2) for t in start[:n]] + [(None, None)] * (2 * n + 2)
    try:
        found = minimize(
            lambda v: float(worth(v)),
            start,
            method="SLSQP",
            jac=lambda v: _slopes(worth, v),
            constraints=[{"type": "ineq", "fun": held, "jac": lambda v: _slopes(held, v).T}],
            bounds=bounds,
            options={"maxiter": steps, "ftol": tolerance},
        )
    except (ValueError, np.linalg.LinAlgError):
        return None  # a start that the solver could not leave
    if not np.isfinite(found.x).all() or float(held(found.x).min()) < -0.02:
        return None
    return -float(found.fun) * scale, np.asarray(found.x)


def _settled(search: Search, v: Array, panels: tuple[int, ...]) -> tuple[float, Prism] | None:
    """(mm3, prism) drawn in by what it stands out anywhere along; None where nothing is left."""
    prism = search.unpacked(v)
    for _ in range(3):
        room = _held(search, prism, panels, np.linspace(0, 1, 6 * SECTIONS + 1), every=True)
        over = -float(room.min()) * search.size
        if over <= 0:
            break
        prism = prism.drawn_in(over * 1.01 + 1e-6)
    volume = prism.volume_mm3(search.thickness_mm)
    return (volume, prism) if over <= 0 < volume and prism.end > prism.start else None


def _slopes(of: Callable[[Array], Array], v: Array) -> Array:
    """(n, …) forward differences of a function that takes many at once."""
    many = of(np.concatenate([v[None], v + STEP * np.eye(len(v))]))
    return np.asarray((many[1:] - many[0]) / STEP)


def _held(search: Search, prism: Prism, panels: tuple[int, ...], shares: Array, every: bool = False) -> Array:
    """(…, m) what must not fall below zero, in units of the search's size: room to the walls, obstacles, sides' lengths and angles.

    `every`: only the room, at many places of the sides.
    """
    inner = search.inner
    start, end = np.asarray(prism.start)[..., None], np.asarray(prism.end)[..., None]
    x = start + shares * (end - start)
    spots = prism.corners(x)
    after = np.roll(spots, -1, axis=-2)
    # Corners and places on the sides between them: sections may be hollow.
    between = np.linspace(0, 1, 9)[1:-1] if every else (0.25, 0.5, 0.75) if search.hollow else ()
    along = np.concatenate([spots, *(spots * (1 - f) + after * f for f in between)], axis=-2)
    y, z = along[..., 0], along[..., 1]
    places = np.broadcast_to(x[..., None], y.shape)
    left, right, low, high = (part.reshape(y.shape) for part in inner.around(places.ravel(), z.ravel()))
    room = [part.reshape(*y.shape[:-2], -1) for part in (y - left, right - y, z - low, high - z)]
    room += [start - inner.xs[0], inner.xs[-1] - end]
    room += [_gaps(prism, keep)[..., k, None] - keep.clear_mm for keep, k in zip(search.keeps, panels, strict=True)]
    if every:
        return np.concatenate(room, axis=-1) / search.size
    ends = spots[..., [0, -1], :, :]
    u = np.stack([-np.sin(prism.turn), np.cos(prism.turn)], axis=-1)[..., None, :, :]
    lengths = ((ends - np.roll(ends, 1, axis=-2)) * u).sum(axis=-1)
    room += [end - start - LEAST_SIDE_MM, lengths.reshape(*start.shape[:-1], -1) - LEAST_SIDE_MM]
    gaps = np.diff(np.concatenate([prism.turn, prism.turn[..., :1] + 2 * math.pi], axis=-1), axis=-1)
    return np.concatenate([np.concatenate(room, axis=-1) / search.size, gaps - LEAST_GAP, MOST_GAP - gaps], axis=-1)
