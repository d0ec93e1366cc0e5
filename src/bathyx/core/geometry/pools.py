"""Pools: what stays in a tilted tank when its pickups have drawn all they can, behind steps and in far corners.

Below a level the fluid may fall apart into pools that a sill parts from each other. Walking down from the top, each
pool that loses touch with every pickup stays as high as the sill that cut it off. Exact for planar faces.
"""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from shapely.geometry import Polygon

from bathyx.core.formula import formula
from bathyx.core.geometry.clip import Loops, clip_loop
from bathyx.core.geometry.dip import volume_below
from bathyx.core.geometry.shell import Array, covers, cross, following, half_edges

POOLS = formula(
    "capacity.pools",
    "What a pickup cannot reach",
    "Σ over pools: up to the inlet where it drinks, up to the sill that cuts it off elsewhere",
    source="Connected parts of the shell below each corner's level, at the attitude; volumes by the dip curve's integral",
    valid="planar facets; baffles drain through their limber holes and cut off nothing; a balance pipe drains a pool to its ends",
    check="tests/core/test_pools.py: a stepped floor by hand, and drained cell by cell",
    tolerance="1e-6 of the volume in the sharp shell; net of baffles in proportion",
)
NUDGE, CLEAR_MM = 1e-6, 1e-7
Key = tuple[float, float, float]
Pipe = tuple[Array, Array]
Left = tuple[float, float, Array]


@dataclass(frozen=True, eq=False)
class _Part:
    """A connected part of the surface below a level: which edges it touches, its clipped loops, its volume."""

    edges: frozenset[tuple[Key, Key]]
    loops: Loops
    volume: float


class Drained:
    """The shell's loops at an attitude (z up), ready to be asked what stays behind."""

    def __init__(
        self,
        loops: Loops,
        sills: Sequence[float] | None = None,
        convex: Sequence[bool] | None = None,
        holes: Mapping[int, Sequence[Array]] | None = None,
    ) -> None:
        """Ready `loops`.

        `sills`: heights at which the fluid may part, those of the ends of reflex edges; None tries every corner's.
        `convex`: whether each loop is, where that is known.
        `holes`: rings (n, 3) cut out of a loop, by its number.
        """
        self._holes = dict(holes or {})
        self.loops = loops
        self.heights = np.unique(np.round(np.concatenate([loop[:, 2] for loop, _ in loops]), 6))
        self.sills = self.heights if sills is None else np.unique(np.round(np.array(sills, float), 6))
        self._convex = [is_convex(loop, n) for loop, n in loops] if convex is None else list(convex)
        self._kept: dict[float, tuple[_Part, ...]] = {}
        own = [[loop, *self._holes.get(k, ())] for k, (loop, _) in enumerate(loops)]
        self._borders = [[_Border(ring) for ring in rings] for rings in own]

    @property
    def single(self) -> bool:
        """Whether there is one lowest place only, so that no sill can part the fluid."""
        near: dict[Key, set[Key]] = {}
        for border in itertools.chain.from_iterable(self._borders):
            keys = border.keys
            for a, b in zip(keys, [*keys[1:], keys[0]], strict=True):
                near.setdefault(a, set()).add(b)
                near.setdefault(b, set()).add(a)
        lowest = {key for key, others in near.items() if min(o[2] for o in others) >= key[2] - NUDGE}
        seen: set[Key] = set()
        pools = 0
        for key in lowest:
            if key in seen:
                continue
            flat, stack = True, [key]
            while stack:
                k = stack.pop()
                if k in seen:
                    continue
                seen.add(k)
                for other in near[k]:
                    if abs(other[2] - k[2]) <= NUDGE:
                        flat = flat and other in lowest
                        if other in lowest:
                            stack.append(other)
            pools += flat
        return pools <= 1

    def retained_mm3(self, inlets: Sequence[Array], fill_level: float, pipes: Sequence[Pipe] = ()) -> float:
        """Volume (mm3) left when every inlet (3,) has drawn down to itself, the tank once filled to `fill_level`.

        `pipes`: balance pipes as (end (3,), end (3,)): a pool that no inlet reaches runs off through one to a pool that is drawn.
        """
        return sum(volume for volume, _, _ in self.left(inlets, fill_level, pipes))

    def left(self, inlets: Sequence[Array], fill_level: float, pipes: Sequence[Pipe] = ()) -> list[Left]:
        """(volume mm3, level mm, a point of its surface (3,)) of each pool that stays."""
        every = frozenset(edge for border in itertools.chain.from_iterable(self._borders) for edge in border.edges)
        whole = _Part(every, [], np.inf)
        return self._left(whole, float(self.heights[-1]) + 1.0, list(inlets), fill_level, tuple(pipes))

    def pools(self, level: float) -> list[tuple[float, Array]]:
        """(volume mm3, a point of its surface (3,)) of each pool below a level, largest first."""
        parts = [p for p in self._parts(level) if p.volume > 1.0]
        return sorted(((p.volume, _point_of(p)) for p in parts), key=lambda p: -p[0])

    def _left(
        self, part: _Part, level: float, inlets: list[Array], fill_level: float, pipes: tuple[Pipe, ...]
    ) -> list[Left]:
        if not inlets:
            top = min(level, fill_level)
            return self._leaves(part, top, min(part.volume, self._volume_of(part, top)))
        lowest = min(float(p[2]) for p in inlets)
        below = [h for h in self.sills.tolist() if lowest + NUDGE < h < level - NUDGE]
        while below:
            sill = float(below.pop())
            pieces = [p for p in self._parts(sill - NUDGE) if p.edges & part.edges]
            if len(pieces) > 1:
                shares: list[list[Array]] = [[] for _ in pieces]
                for inlet in inlets:
                    if float(inlet[2]) < sill - NUDGE:
                        shares[self._holding(pieces, inlet)].append(inlet)
                self._run_off(pieces, shares, pipes, sill)
                return [
                    pool
                    for p, own in zip(pieces, shares, strict=True)
                    for pool in self._left(p, sill - NUDGE, own, fill_level, pipes)
                ]
            if pieces:
                part, level = pieces[0], sill
        return self._leaves(part, lowest, self._volume_of(part, lowest))

    def _leaves(self, part: _Part, level: float, volume: float) -> list[Left]:
        """One entry of `left`, or none for a pool of less than a drop."""
        if volume <= 1.0:
            return []
        mine = [p for p in self._parts(level) if p.edges & part.edges] or [part]
        return [(volume, level, _point_of(max(mine, key=lambda p: p.volume)))]

    def _run_off(self, pieces: list[_Part], shares: list[list[Array]], pipes: tuple[Pipe, ...], sill: float) -> None:
        """A pool without an inlet drinks at its end of a pipe, where the other end's pool is drawn."""
        ends = [
            (pipe, tuple(self._holding(pieces, end) for end in pipe))
            for pipe in pipes
            if all(float(end[2]) < sill - NUDGE for end in pipe)
        ]
        for _ in pieces:
            for pipe, (a, b) in ends:
                if a != b and bool(shares[a]) != bool(shares[b]):
                    dry = a if not shares[a] else b
                    own = pipe[0] if dry == a else pipe[1]
                    # It runs off to its own end of the pipe, and no further than the other end stands.
                    shares[dry].append(np.array([own[0], own[1], max(float(pipe[0][2]), float(pipe[1][2]))]))

    def _volume_of(self, part: _Part, level: float) -> float:
        """Volume of the parts of the shell below `level` that belong to `part`."""
        if level <= float(self.heights[0]):
            return 0.0
        return sum(max(p.volume, 0.0) for p in self._parts(level) if p.edges & part.edges)

    def _holding(self, pieces: list[_Part], inlet: Array) -> int:
        """The piece whose floor lies under an inlet; the nearest one where none does."""
        best, height = 0, -np.inf
        for k, piece in enumerate(pieces):
            for loop, normal in piece.loops:
                if normal[2] > -1e-9 or not _under(loop, float(inlet[0]), float(inlet[1])):
                    continue
                z = float(loop[0, 2] - ((inlet[:2] - loop[0, :2]) @ normal[:2]) / normal[2])
                if height < z <= inlet[2] + 1e-3:
                    best, height = k, z
        if height == -np.inf:
            far = [min(float(np.linalg.norm(loop - inlet, axis=1).min()) for loop, _ in p.loops) for p in pieces]
            best = int(np.argmin(far))
        return best

    def _parts(self, level: float) -> tuple[_Part, ...]:
        """Connected parts of the surface below `level`."""
        if level in self._kept:
            return self._kept[level]
        owner: dict[tuple[Key, Key], int] = {}
        group: list[int] = []
        regions: list[tuple[list[Array], Array, list[tuple[Key, Key]]]] = []

        def root(k: int) -> int:
            while group[k] != k:
                k = group[k]
            return k

        up, top = np.array([0.0, 0.0, 1.0]), np.array([0.0, 0.0, level])
        for place, ((loop, normal), convex) in enumerate(zip(self.loops, self._convex, strict=True)):
            borders = self._borders[place]
            if all(border.low >= level - 1e-9 for border in borders):
                continue
            for piece in _pieces(loop, self._holes.get(place, ()), normal, level, convex, top, up):
                touched = [
                    edge for border in borders for part in piece for edge in _edges_touched(border, part, level, convex)
                ]
                if not touched:
                    continue
                number = len(regions)
                regions.append((piece, normal, touched))
                group.append(number)
                for edge in touched:
                    if edge in owner:
                        group[root(number)] = root(owner[edge])
                    else:
                        owner[edge] = number
        gathered: dict[int, list[int]] = {}
        for k in range(len(regions)):
            gathered.setdefault(root(k), []).append(k)
        parts = []
        for members in gathered.values():
            loops = [(ring, regions[k][1]) for k in members for ring in regions[k][0]]
            edges = frozenset(edge for k in members for edge in regions[k][2])
            parts.append(_Part(edges, loops, volume_below(half_edges(loops), level)))
        self._kept[level] = tuple(parts)
        return self._kept[level]


def _under(loop: Array, x: float, y: float) -> bool:
    """Whether (x, y) lies in a loop's plan, its border included within a millionth of a millimetre."""
    (low_x, low_y, _), (high_x, high_y, _) = loop.min(axis=0).tolist(), loop.max(axis=0).tolist()
    if not (low_x - 1e-6 <= x <= high_x + 1e-6 and low_y - 1e-6 <= y <= high_y + 1e-6):
        return False
    return any(covers(loop[:, :2], x + dx, y + dy) for dx, dy in ((0, 0), (1e-6, 0), (-1e-6, 0), (0, 1e-6), (0, -1e-6)))


def _point_of(part: _Part) -> Array:
    """A point (3,) among the part's highest corners, in their middle."""
    spots = np.concatenate([loop for loop, _ in part.loops]) if part.loops else np.zeros((1, 3))
    top = spots[spots[:, 2] > spots[:, 2].max() - NUDGE]
    return np.asarray(top.mean(axis=0))


def _key(point: Sequence[float]) -> Key:
    x, y, z = point
    return (round(x, 5), round(y, 5), round(z, 5))


def is_convex(loop: Array, normal: Array) -> bool:
    """Whether a planar loop (n, 3) turns one way only; four corners of a rectangle and the like."""
    along = (following(loop) - loop).tolist()
    nx, ny, nz = normal.tolist()
    for (ax, ay, az), (bx, by, bz) in zip(along, [*along[1:], along[0]], strict=True):
        if (ay * bz - az * by) * nx + (az * bx - ax * bz) * ny + (ax * by - ay * bx) * nz < -1e-6:
            return False
    return True


def _pieces(
    loop: Array, holes: Sequence[Array], normal: Array, level: float, convex: bool, top: Array, up: Array
) -> list[list[Array]]:
    """The pieces of a face below a level, each a list of its rings (n, 3)."""
    if convex and not holes:
        piece = clip_loop(loop, top, up)
        return [[piece]] if len(piece) >= 3 else []
    return _split(loop, holes, normal, level)


def _split(loop: Array, holes: Sequence[Array], normal: Array, level: float) -> list[list[Array]]:
    """The pieces of a face that is not convex, or has holes, below a level, each a list of rings (n, 3)."""
    if float(loop[:, 2].max()) <= level:
        return [[loop, *holes]]
    if not holes and float(np.abs(loop[:, 2] - level).min()) > CLEAR_MM:
        return [[piece] for piece in _below(loop, level)]
    u = np.array([normal[1], -normal[0], 0.0])
    if float(np.linalg.norm(u)) < 1e-9:
        return [[loop, *holes]] if float(loop[0, 2]) <= level else []
    u = u / np.linalg.norm(u)
    v = cross(normal, u)
    v = v if v[2] > 0 else -v
    base = loop[0]
    flat, *inner = (np.column_stack([(ring - base) @ u, (ring - base) @ v]) for ring in (loop, *holes))
    limit = (level - float(base[2])) / float(v[2])
    low_x, high_x = float(flat[:, 0].min()) - 1, float(flat[:, 0].max()) + 1
    cut = Polygon(flat, inner).intersection(shapely.geometry.box(low_x, float(flat[:, 1].min()) - 1, high_x, limit))
    found = []
    for piece in getattr(cut, "geoms", [cut]):
        if piece.geom_type != "Polygon" or piece.area < 1e-9:
            continue
        rings = []
        for way, ring in ((1.0, piece.exterior), *((-1.0, hole) for hole in piece.interiors)):
            points = np.array(ring.coords)[:-1]
            back = base + points[:, :1] * u + points[:, 1:] * v
            area = cross(back[1:-1] - back[0], back[2:] - back[0]).sum(axis=0)
            rings.append(back if way * float(area @ normal) > 0 else back[::-1])
        found.append(rings)
    return found


def _below(loop: Array, level: float) -> list[Array]:
    """What a planar loop (n, 3) that crosses itself nowhere has below a level that none of its corners lies at.

    Along the level the loop's inside runs between crossings one and two, three and four and so on; so each run of border that
    comes up goes on at the other end of its stretch.
    """
    spots = loop.tolist()
    under = [p[2] < level for p in spots]
    runs: list[list[list[float]]] = []
    count = len(spots)
    first = next(i for i in range(count) if not under[i - 1] and under[i]) if any(under) and not all(under) else 0
    if not any(under):
        return []
    for k in range(count):
        i = (first + k) % count
        if not under[i]:
            continue
        if not under[i - 1]:
            runs.append([_crossing(spots[i - 1], spots[i], level)])
        runs[-1].append(spots[i])
        if not under[(i + 1) % count]:
            runs[-1].append(_crossing(spots[i], spots[(i + 1) % count], level))
    ends = [(run[-1], k, False) for k, run in enumerate(runs)] + [(run[0], k, True) for k, run in enumerate(runs)]
    way = max(range(2), key=lambda axis: max(e[0][axis] for e in ends) - min(e[0][axis] for e in ends))
    ends.sort(key=lambda end: end[0][way])
    goes_on = {}
    for (_, a, a_begins), (_, b, b_begins) in zip(ends[::2], ends[1::2], strict=True):
        if a_begins == b_begins:
            return [
                clip_loop(loop, np.array([0.0, 0.0, level]), np.array([0.0, 0.0, 1.0]))
            ]  # touches itself: left in one
        goes_on[a if b_begins else b] = b if b_begins else a
    pieces, left = [], set(range(len(runs)))
    while left:
        k = start = left.pop()
        ring = list(runs[k])
        while (k := goes_on[k]) != start:
            left.discard(k)
            ring += runs[k]
        pieces.append(np.array(ring))
    return pieces


def _crossing(p: list[float], q: list[float], level: float) -> list[float]:
    share = (level - p[2]) / (q[2] - p[2])
    return [p[0] + (q[0] - p[0]) * share, p[1] + (q[1] - p[1]) * share, level]


class _Border:
    """A ring of a face with what is asked of it at every level: its corners, their keys, its edges."""

    def __init__(self, ring: Array) -> None:
        self.spots: list[list[float]] = ring.tolist()
        self.keys = [_key(p) for p in self.spots]
        self.low = min(p[2] for p in self.spots)
        self.edges = [
            (a, b) if a <= b else (b, a) for a, b in zip(self.keys, [*self.keys[1:], self.keys[0]], strict=True)
        ]


def _edges_touched(border: _Border, piece: Array, level: float, whole: bool) -> list[tuple[Key, Key]]:
    """Edges of a ring (as unordered pairs of corners) that have a part below the level in this piece."""
    spots, part, found = border.spots, [] if whole else piece.tolist(), []
    for i, edge in enumerate(border.edges):
        p, q = spots[i], spots[(i + 1) % len(spots)]
        low, high = (p, q) if p[2] <= q[2] else (q, p)
        if low[2] >= level - 1e-9:
            continue
        if whole:
            found.append(edge)
            continue
        rise = high[2] - low[2]
        share = 1.0 if rise < 1e-12 else min(1.0, (level - low[2]) / rise)
        if _on_border(part, [a + (b - a) * share / 2 for a, b in zip(low, high, strict=True)]):
            found.append(edge)
    return found


def _on_border(piece: list[list[float]], point: list[float]) -> bool:
    """Whether a point lies on one of a loop's edges, within a ten-thousandth of a millimetre."""
    px, py, pz = point
    x, y, z = piece[-1]
    for nx, ny, nz in piece:
        dx, dy, dz = nx - x, ny - y, nz - z
        wx, wy, wz = px - x, py - y, pz - z
        length2 = dx * dx + dy * dy + dz * dz
        t = min(max((wx * dx + wy * dy + wz * dz) / length2, 0.0), 1.0) if length2 > 1e-18 else 0.0
        if (wx - t * dx) ** 2 + (wy - t * dy) ** 2 + (wz - t * dz) ** 2 < 1e-8:
            return True
        x, y, z = nx, ny, nz
    return False
