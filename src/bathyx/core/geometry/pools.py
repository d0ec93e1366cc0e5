"""Pools: what stays in a tilted tank when its pickups have drawn all they can, behind steps and in far corners.

Below a level the fluid may fall apart into pools that a sill parts from each other. Walking down from the top, each
pool that loses touch with every pickup stays as high as the sill that cut it off. Exact for planar faces.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from shapely.geometry import Polygon

from bathyx.core.formula import formula
from bathyx.core.geometry.clip import Loops, clip_loop
from bathyx.core.geometry.dip import volume_below
from bathyx.core.geometry.shell import Array, cross, following, half_edges

POOLS = formula(
    "capacity.pools",
    "What a pickup cannot reach",
    "Σ over pools: up to the inlet where it drinks, up to the sill that cuts it off elsewhere",
    source="Connected parts of the shell below each corner's level, at the attitude; volumes by the dip curve's integral",
    valid="planar faces; baffles drain through their limber holes and cut off nothing",
    check="tests/core/test_pools.py: a stepped floor by hand, and drained cell by cell",
    tolerance="1e-6 of the volume in the sharp shell; net of baffles in proportion",
)
NUDGE = 1e-6
Key = tuple[float, float, float]


@dataclass(frozen=True, eq=False)
class _Part:
    """A connected part of the surface below a level: which edges it touches, its clipped loops, its volume."""

    edges: frozenset[tuple[Key, Key]]
    loops: Loops
    volume: float


class Drained:
    """The shell's loops at an attitude (z up), ready to be asked what stays behind."""

    def __init__(
        self, loops: Loops, sills: Sequence[float] | None = None, convex: Sequence[bool] | None = None
    ) -> None:
        """Ready `loops`.

        `sills`: heights at which the fluid may part, those of the ends of reflex edges; None tries every corner's.
        `convex`: whether each loop is, where that is known.
        """
        self.loops = loops
        self.heights = np.unique(np.round(np.concatenate([loop[:, 2] for loop, _ in loops]), 6))
        self.sills = self.heights if sills is None else np.unique(np.round(np.array(sills, float), 6))
        self._convex = [is_convex(loop, n) for loop, n in loops] if convex is None else list(convex)
        self._kept: dict[float, tuple[_Part, ...]] = {}

    @property
    def single(self) -> bool:
        """Whether there is one lowest place only, so that no sill can part the fluid."""
        lower: dict[Key, bool] = {}
        near: dict[Key, set[Key]] = {}
        for loop, _ in self.loops:
            keys = [_key(p) for p in loop.tolist()]
            for a, b in zip(keys, [*keys[1:], keys[0]], strict=True):
                near.setdefault(a, set()).add(b)
                near.setdefault(b, set()).add(a)
        for key, others in near.items():
            lower[key] = any(o[2] < key[2] - NUDGE for o in others)
        lowest = {key for key, falls in lower.items() if not falls}
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

    def retained_mm3(self, inlets: Sequence[Array], fill_level: float) -> float:
        """Volume (mm3) left when every inlet (3,) has drawn down to itself, the tank once filled to `fill_level`."""
        every = frozenset(edge for loop, _ in self.loops for edge in _edges_touched(loop, loop, np.inf, True))
        whole = _Part(every, [], np.inf)
        return self._left(whole, float(self.heights[-1]) + 1.0, list(inlets), fill_level)

    def _left(self, part: _Part, level: float, inlets: list[Array], fill_level: float) -> float:
        if not inlets:
            return min(part.volume, self._volume_of(part, min(level, fill_level)))
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
                return sum(self._left(p, sill - NUDGE, own, fill_level) for p, own in zip(pieces, shares, strict=True))
            if pieces:
                part, level = pieces[0], sill
        return self._volume_of(part, lowest)

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
                if normal[2] > -1e-9 or not shapely.contains_xy(Polygon(loop[:, :2]).buffer(1e-6), inlet[0], inlet[1]):
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
        regions: list[tuple[Array, Array, list[tuple[Key, Key]]]] = []

        def root(k: int) -> int:
            while group[k] != k:
                k = group[k]
            return k

        up, top = np.array([0.0, 0.0, 1.0]), np.array([0.0, 0.0, level])
        for (loop, normal), convex in zip(self.loops, self._convex, strict=True):
            for piece in [clip_loop(loop, top, up)] if convex else _split(loop, normal, level):
                if len(piece) < 3:
                    continue
                touched = _edges_touched(loop, piece, level, convex)
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
            loops = [(regions[k][0], regions[k][1]) for k in members]
            edges = frozenset(edge for k in members for edge in regions[k][2])
            parts.append(_Part(edges, loops, volume_below(half_edges(loops), level)))
        self._kept[level] = tuple(parts)
        return self._kept[level]


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


def _split(loop: Array, normal: Array, level: float) -> list[Array]:
    """The pieces of a loop that is not convex below a level, each (n, 3)."""
    if float(loop[:, 2].max()) <= level:
        return [loop]
    u = np.array([normal[1], -normal[0], 0.0])
    if float(np.linalg.norm(u)) < 1e-9:
        return [loop] if float(loop[0, 2]) <= level else []
    u = u / np.linalg.norm(u)
    v = cross(normal, u)
    v = v if v[2] > 0 else -v
    base = loop[0]
    flat = np.column_stack([(loop - base) @ u, (loop - base) @ v])
    limit = (level - float(base[2])) / float(v[2])
    low_x, high_x = float(flat[:, 0].min()) - 1, float(flat[:, 0].max()) + 1
    cut = Polygon(flat).intersection(shapely.geometry.box(low_x, float(flat[:, 1].min()) - 1, high_x, limit))
    found = []
    for piece in getattr(cut, "geoms", [cut]):
        if piece.geom_type != "Polygon" or piece.area < 1e-9:
            continue
        points = np.array(piece.exterior.coords)[:-1]
        back = base + points[:, :1] * u + points[:, 1:] * v
        area = cross(back[1:-1] - back[0], back[2:] - back[0]).sum(axis=0)
        found.append(back if float(area @ normal) > 0 else back[::-1])
    return found


def _edges_touched(loop: Array, piece: Array, level: float, whole: bool) -> list[tuple[Key, Key]]:
    """Edges of a loop (as unordered pairs of corners) that have a part below the level in this piece."""
    spots = loop.tolist()
    keys = [_key(p) for p in spots]
    border = piece.tolist()
    found = []
    for i, a in enumerate(keys):
        j = (i + 1) % len(keys)
        b = keys[j]
        low, high = (spots[i], spots[j]) if spots[i][2] <= spots[j][2] else (spots[j], spots[i])
        if low[2] >= level - 1e-9:
            continue
        rise = high[2] - low[2]
        share = 1.0 if rise < 1e-12 or level == np.inf else min(1.0, (level - low[2]) / rise)
        if whole or _on_border(border, [p + (q - p) * share / 2 for p, q in zip(low, high, strict=True)]):
            found.append((a, b) if a <= b else (b, a))
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
