"""The metal of a folded piece as convex solids: plates, the arcs of bends, flanges; and what two of them share."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cache
from itertools import combinations

import numpy as np
import shapely
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from bathyx.core.geometry.shell import Array, Face, Shell
from bathyx.core.sheet.bending.bend import allowance_mm, setback_mm
from bathyx.core.sheet.bending.rule import BendRule
from bathyx.core.sheet.flat.laid import FlangeSide, Laid
from bathyx.core.sheet.flat.lay import Lay

SLICE_DEG, LEAST_LONG_MM, LEAST_MM2 = 15.0, 0.1, 1e-3


@dataclass(frozen=True, eq=False)
class Prism:
    """A convex solid: corners (n, 3), its faces' normals (k, 3), the directions of its edges (m, 3), mm.

    `flat` (4, 2): of a slice of a bend, where it lies in the flat; its first two corners are the ends of the side it begins at.
    """

    corners: Array
    normals: Array
    along: Array
    flat: Array | None = None

    @property
    def low(self) -> Array:
        """(3,) least of its corners."""
        return np.asarray(self.corners.min(axis=0))

    @property
    def high(self) -> Array:
        """(3,) greatest of its corners."""
        return np.asarray(self.corners.max(axis=0))

    @property
    def planes(self) -> tuple[Array, Array]:
        """Outward normals (k, 3) of its sides, and how far out each lies."""
        out = np.concatenate([self.normals, -self.normals])
        return out, (self.corners @ out.T).max(axis=0)


@dataclass(frozen=True, eq=False)
class Metal:
    """A plate, a bend or a flange: its name, the faces it belongs to, its parts."""

    kind: str
    name: str
    faces: frozenset[str]
    parts: tuple[Prism, ...]


def metal_of(laid: Laid, shell: Shell, rule: BendRule, outline: BaseGeometry | None = None) -> list[Metal]:
    """Every plate, bend and flange of a piece where the tank has them.

    Args:
        laid: the piece, all its faces flat.
        shell: panelled.
        rule: radius and K.
        outline: of the piece as it is cut, where what was taken off its plates and bends counts.
    """
    found = [plate_of(laid, shell, name, outline) for name in laid.cores]
    found += [bend_of(laid, shell, k, outline) for k in range(len(laid.bends))]
    for side in laid.flanges:
        flange = _flange(shell.by_id[side.face], laid.lays[side.face], side, rule.radius_at(laid.t), laid.t, rule)
        found.append(Metal("flange", side.name, frozenset({side.face}), flange))
    return found


def plate_of(laid: Laid, shell: Shell, name: str, outline: BaseGeometry | None = None) -> Metal:
    """The plate of a face."""
    parts = plate(shell.by_id[name], laid.lays[name], laid.cores[name], laid.t, outline)
    return Metal("plate", name, frozenset({name}), parts)


def bend_of(laid: Laid, shell: Shell, k: int, outline: BaseGeometry | None = None) -> Metal:
    """Bend number `k` of a piece, in slices."""
    strip, bend = laid.strips[k], laid.bends[k]
    edge = next(edge for edge in shell.edges if edge.id == bend.edge)
    name = next(n for n in (edge.a, edge.b) if n in laid.cores and _has(laid.cores[n], strip[[0, 3]]))
    turned = edge.turn_deg, edge.reflex
    arc = _arc(shell.by_id[name], laid.lays[name], strip, bend.radius_mm, laid.t, turned, outline)
    return Metal("bend", bend.edge, frozenset({edge.a, edge.b}), arc)


def plate(face: Face, lay: Lay, core: Array, t: float, outline: BaseGeometry | None = None) -> tuple[Prism, ...]:
    """Convex parts of a plate, from its inside outward by its thickness.

    Args:
        face: of the shell, flat.
        lay: where it lies.
        core: (n, 2) its flat.
        t: thickness, mm.
        outline: of the piece as it is cut; the whole flat without it.
    """
    back = into_space(face, lay)
    shape: BaseGeometry = Polygon(core)
    if outline is not None:
        shape = shape.intersection(outline)
    found = []
    for part in getattr(shape, "geoms", (shape,)):
        if part.geom_type != "Polygon" or part.area < LEAST_MM2:
            continue
        ring = np.array(part.exterior.coords)[:-1]
        if outline is None and _convex(ring):
            found.append(_standing(np.column_stack([ring, np.ones(len(ring))]) @ back, face.normal, t))
            continue
        for triangle in shapely.constrained_delaunay_triangles(part).geoms:
            if triangle.area > LEAST_MM2:
                ring = np.array(triangle.exterior.coords)[:3]
                found.append(_standing(np.column_stack([ring, np.ones(3)]) @ back, face.normal, t))
    return tuple(found)


def into_space(face: Face, lay: Lay) -> Array:
    """(3, 3): takes rows (x, y, 1) of the flat to where the tank's inside is."""
    flat = lay.point(face.loop)
    back, *_ = np.linalg.lstsq(np.column_stack([flat, np.ones(len(flat))]), face.loop, rcond=None)
    return np.asarray(back)


def depth_mm(a: Prism, b: Prism) -> float:
    """How far two solids stand in one another, by their separating axes; nothing or less where they do not."""
    crossed = np.cross(a.along[:, None], b.along[None]).reshape(-1, 3)
    size = np.linalg.norm(crossed, axis=1)
    axes = np.concatenate([a.normals, b.normals, crossed[size > 1e-6] / size[size > 1e-6][:, None]])
    p, q = a.corners @ axes.T, b.corners @ axes.T
    return float((np.minimum(p.max(axis=0), q.max(axis=0)) - np.maximum(p.min(axis=0), q.min(axis=0))).min())


def shared(a: Prism, b: Prism) -> Array:
    """(n, 3) corners of the room that two solids share: where three of their planes meet, inside all the others."""
    (n, d), (m, e) = a.planes, b.planes
    normals, off = np.concatenate([n, m]), np.concatenate([d, e])
    three = _threes(len(off))
    spun = normals[three]
    good = np.abs(np.linalg.det(spun)) > 1e-7
    spots = np.linalg.solve(spun[good], off[three[good]][..., None])[..., 0]
    return np.asarray(spots[(spots @ normals.T <= off + 1e-6).all(axis=1)])


@cache
def _threes(n: int) -> Array:
    return np.array(list(combinations(range(n), 3)))


def meeting(a: Metal, b: Metal) -> bool:
    """Whether two are joined by a bend: they touch there as they should."""
    if a.kind == b.kind == "flange":
        return a.name == b.name
    return any(one.kind == "plate" and one.name in other.faces for one, other in ((a, b), (b, a)))


def near(a: Metal, b: Metal, by_mm: float) -> list[tuple[Prism, Prism]]:
    """Pairs of parts whose boxes share more than `by_mm` every way."""
    if not a.parts or not b.parts:
        return []
    (al, ah), (bl, bh) = _boxes(a), _boxes(b)
    room = np.minimum(ah[:, None], bh[None]) - np.maximum(al[:, None], bl[None])
    return [(a.parts[i], b.parts[j]) for i, j in zip(*np.nonzero((room > by_mm).all(axis=2)), strict=True)]


def _boxes(one: Metal) -> tuple[Array, Array]:
    return np.stack([part.low for part in one.parts]), np.stack([part.high for part in one.parts])


def _convex(ring: Array) -> bool:
    out = np.roll(ring, -1, axis=0) - ring
    turns = out[:, 0] * np.roll(out[:, 1], -1) - out[:, 1] * np.roll(out[:, 0], -1)
    return bool((turns > -1e-6).all() or (turns < 1e-6).all())


def _has(core: Array, ends: Array) -> bool:
    return all(np.abs(core - end).sum(axis=1).min() < 1e-6 for end in ends)


def _standing(low: Array, normal: Array, t: float) -> Prism:
    """A flat polygon (n, 3), outward by `t`."""
    sides = np.roll(low, -1, axis=0) - low
    sides /= np.linalg.norm(sides, axis=1)[:, None]
    normals = np.concatenate([np.cross(sides, normal), normal[None]])
    return Prism(np.concatenate([low, low + normal * t]), normals, np.concatenate([sides, normal[None]]))


def _arc(
    face: Face,
    lay: Lay,
    strip: Array,
    radius: float,
    t: float,
    turned: tuple[float, bool],
    outline: BaseGeometry | None = None,
) -> tuple[Prism, ...]:
    """Slices of a bend's arc, none of them beyond the metal: `strip` (4, 2) has the ends of the side at `face` first and last."""
    turn_deg, reflex = turned
    back = into_space(face, lay)
    near0, far1, far0, near1 = strip
    start = np.array([*near0, 1.0]) @ back
    long = math.dist(near0, near1)
    flat_along = (near1 - near0) / long
    flat_out = np.array([flat_along[1], -flat_along[0]])
    along, out = flat_along @ back[:2], flat_out @ back[:2]
    wide = float((far1 - near0) @ flat_out)
    low, high = (0.0, float((far1 - near0) @ flat_along)), (long, float((far0 - near0) @ flat_along))
    way = -1.0 if reflex else 1.0
    centre = start - face.normal * radius if not reflex else start + face.normal * (radius + t)
    count = max(1, math.ceil(turn_deg / SLICE_DEG))
    found = []
    for k in range(count):
        shares = np.array([k, k + 1]) / count
        begin = float(np.max(low[0] + (low[1] - low[0]) * shares))
        end = float(np.min(high[0] + (high[1] - high[0]) * shares))
        if outline is not None:
            begin, end = _cut_to(outline, near0, flat_along, flat_out * wide, float(shares.mean()), (begin, end))
        angles = np.radians(turn_deg * shares)
        inner = radius / math.cos((angles[1] - angles[0]) / 2)
        if end - begin < LEAST_LONG_MM or inner >= radius + t:
            continue
        ring = np.stack(
            [
                centre + r * (face.normal * way * math.cos(a) + out * math.sin(a))
                for r, a in ((inner, angles[0]), (radius + t, angles[0]), (radius + t, angles[1]), (inner, angles[1]))
            ]
        )
        sides = np.roll(ring, -1, axis=0) - ring
        sides /= np.linalg.norm(sides, axis=1)[:, None]
        flat = np.stack(
            [
                near0 + flat_along * s + flat_out * wide * w
                for w, s in zip(shares[[0, 0, 1, 1]], (begin, end, end, begin), strict=True)
            ]
        )
        found.append(
            Prism(
                np.concatenate([ring + along * begin, ring + along * end]),
                np.concatenate([np.cross(sides, along), along[None]]),
                np.concatenate([sides, along[None]]),
                flat,
            )
        )
    return tuple(found)


def _cut_to(
    outline: BaseGeometry, origin: Array, along: Array, across: Array, share: float, reach: tuple[float, float]
) -> tuple[float, float]:
    """What of a slice is in the outline: the longest stretch on its middle line."""
    ends = np.stack([origin + across * share + along * s for s in reach])
    left = shapely.LineString(ends).intersection(outline)
    pieces = [g for g in getattr(left, "geoms", (left,)) if g.geom_type == "LineString" and g.length > 0]
    if not pieces:
        return reach[0], reach[0]
    row = (np.array(max(pieces, key=lambda g: g.length).coords) - origin) @ along
    return float(row.min()), float(row.max())


def _flange(face: Face, lay: Lay, side: FlangeSide, radius: float, t: float, rule: BendRule) -> tuple[Prism, ...]:
    """The arc and the flat of a joint's flange."""
    flange = side.flange
    wide = allowance_mm(flange.turn_deg, radius, t, rule.k_at(t, flange.turn_deg))
    flat_along = (side.far - side.near) / math.dist(side.near, side.far)
    flat_out = np.array([flat_along[1], -flat_along[0]])
    strip = np.stack([side.near, side.near + flat_out * wide, side.far + flat_out * wide, side.far])
    arc = _arc(face, lay, strip, radius, t, (flange.turn_deg, flange.reflex))
    back = into_space(face, lay)
    ends = np.column_stack([np.stack([side.near, side.far]), np.ones(2)]) @ back
    out = flat_out @ back[:2]
    angle, way = math.radians(flange.turn_deg), -1.0 if flange.reflex else 1.0
    axis = -face.normal * radius if not flange.reflex else face.normal * (radius + t)
    normal = face.normal * math.cos(angle) + out * way * math.sin(angle)
    run = out * math.cos(angle) - face.normal * way * math.sin(angle)
    base = ends + axis + normal * (radius if not flange.reflex else -(radius + t))
    long = flange.length_mm - setback_mm(flange.turn_deg, radius, t, flange.reflex)
    return (*arc, _standing(np.stack([base[0], base[1], base[1] + run * long, base[0] + run * long]), normal, t))
