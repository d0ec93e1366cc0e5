"""Corners of plates and ends of bends cut clear of another bend's arc: where three faces meet and two of them are bent."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from shapely import MultiPoint, Polygon, union_all
from shapely.geometry.base import BaseGeometry

from bathyx.core.formula import formula
from bathyx.core.geometry.outline import Outline, polygon_area
from bathyx.core.geometry.shell import Array, Edge, Face, Shell
from bathyx.core.sheet.bending.rule import BendRule
from bathyx.core.sheet.flat.laid import Laid
from bathyx.core.sheet.flat.solids import Metal, Prism, bend_of, depth_mm, near, shared

EASED = formula(
    "sheet.eased",
    "Corner eased at a bend",
    "what of a plate's corner, or of a bend's end, lies in another bend's arc is cut off, 0.1 mm clear of it; a weld fills it",
    source="Solids of both, in slices of 15° of the arc; geometry",
    valid="flat faces and rounded bends; no more than 3 (r + t) off a corner of the plate: what stands deeper is a finding",
    check="tests/core/test_eased.py: folded up by `fold`, no point of a bend lies in a plate beside it",
    tolerance="0.05 mm of r at 90° in six slices, on the safe side by the 0.1 mm",
)
DEEP_MM, CLEAR_MM, REACH, SQUARE, LEAST_MM2 = 0.02, 0.1, 3.0, 1e-6, 1e-4
SIDES = np.array(
    [(i, (i + 1) % 4) for i in range(4)] + [(i + 4, (i + 1) % 4 + 4) for i in range(4)] + [(i, i + 4) for i in range(4)]
)


@dataclass(frozen=True, eq=False)
class Cut:
    """A piece to be cut clear: how it is laid, its outline, and the bends that its rounded corners follow already."""

    laid: Laid
    outline: Outline
    followed: frozenset[str] = frozenset()


def eased(pieces: Sequence[Cut], shell: Shell, rule: BendRule) -> list[tuple[Outline, tuple[tuple[str, str], ...]]]:
    """Outlines of pieces of flat faces, clear of one another's bends; with each, (bend, face) where one stands too deep for that.

    Args:
        pieces: all of a tank's, each face flat.
        shell: panelled.
        rule: radius and K of bends.
    """
    where = {name: k for k, piece in enumerate(pieces) for name in piece.laid.lays}
    numbers = {bend.edge: (k, i) for k, piece in enumerate(pieces) for i, bend in enumerate(piece.laid.bends)}
    corners = _corners(shell)
    bends: dict[str, Metal] = {}
    off: dict[int, list[tuple[BaseGeometry, tuple[str, str]]]] = defaultdict(list)
    deep: dict[int, list[tuple[str, str]]] = defaultdict(list)

    def bend_at(edge: Edge) -> Metal:
        k, i = numbers[edge.id]
        if edge.id not in bends:
            bends[edge.id] = bend_of(pieces[k].laid, shell, i)
        return bends[edge.id]

    for edge in shell.edges:
        if edge.id not in numbers:
            continue
        for name in dict.fromkeys(n for end in (edge.start, edge.end) for n in corners[_spot(end)]):
            k = where.get(name)
            if k is None or name in (edge.a, edge.b) or edge.id in pieces[k].followed:
                continue
            cuts = _off_plate(pieces[k].laid, shell.by_id[name], bend_at(edge), rule)
            if cuts is None:
                deep[k].append((edge.id, name))
            off[k] += [(cut, (edge.id, name)) for cut in cuts or ()]
    for edge, other in _oblique(shell, set(numbers)):
        one, two = bend_at(edge), bend_at(other)
        (j, _), (k, _) = numbers[edge.id], numbers[other.id]
        for a, b in near(one, two, DEEP_MM):
            if depth_mm(a, b) > DEEP_MM:
                which, cut = _off_bend((j, a, pieces[j].laid, one), (k, b, pieces[k].laid, two))
                off[which].append((cut, (edge.id, next(iter(two.faces - one.faces)))))
    found = []
    for k, piece in enumerate(pieces):
        outline = _cut(piece.outline, [cut for cut, _ in off[k]]) if off.get(k) else piece.outline
        # What could not be cut away stands in it still.
        left = [pair for _, pair in off[k]] if off.get(k) and outline is piece.outline else []
        found.append((outline, tuple(dict.fromkeys([*deep.get(k, ()), *left]))))
    return found


def _spot(point: Array) -> tuple[int, int, int]:
    x, y, z = np.round(point * 1e3)
    return int(x), int(y), int(z)


def _corners(shell: Shell) -> dict[tuple[int, int, int], list[str]]:
    """Faces that meet at each corner, by where it is."""
    found: dict[tuple[int, int, int], list[str]] = defaultdict(list)
    for face in shell.faces:
        for spot in map(tuple, np.round(face.loop * 1e3).astype(int).tolist()):
            found[spot].append(face.id)
    return found


def _oblique(shell: Shell, bent: set[str]) -> list[tuple[Edge, Edge]]:
    """Pairs of bent edges of a face that meet in a corner which is not square: at a square one their arcs only touch."""
    ends: dict[tuple[int, int, int], list[Edge]] = defaultdict(list)
    for edge in shell.edges:
        if len(edge.line) == 2:
            for end in (edge.start, edge.end):
                ends[_spot(end)].append(edge)
    found = {}
    for edges in ends.values():
        ways = np.array([(edge.end - edge.start) / edge.length_mm for edge in edges])
        level = np.abs(ways @ ways.T - np.eye(len(edges)))
        if level.max() < SQUARE:
            continue
        for a, b in combinations([edge for edge in edges if edge.id in bent], 2):
            if len({a.a, a.b, b.a, b.b}) == 3:
                found[a.id, b.id] = (a, b)
    return list(found.values())


def _off_plate(piece: Laid, face: Face, bend: Metal, rule: BendRule) -> list[BaseGeometry] | None:
    """What of a face's plate lies in a bend's arc, in the flat; None where that is more than its corner."""
    t, lay, core = piece.t, piece.lays[face.id], piece.cores[face.id]
    flat, wide = Polygon(core), None
    most = REACH * (rule.radius_at(t) + t)
    found: list[BaseGeometry] = []
    for arc in bend.parts:
        spots = _in_slab(arc.corners, (arc.corners - face.loop[0]) @ face.normal, t)
        if len(spots) < 4:
            continue
        there = MultiPoint(lay.point(spots)).convex_hull.intersection(flat)
        if there.geom_type != "Polygon" or there.is_empty or there.area < LEAST_MM2:
            continue
        ring = np.array(there.exterior.coords)
        off = np.hypot(*(ring[:, None] - core[None]).transpose(2, 0, 1))
        if off.min(axis=1).max() > most:
            return None
        corner = core[off.min(axis=0).argmin()]
        reached = MultiPoint(np.vstack([ring, corner])).convex_hull.buffer(CLEAR_MM, join_style="mitre")
        wide = wide if wide is not None else flat.buffer(CLEAR_MM, join_style="mitre")
        found.append(reached.intersection(wide))
    return found


def _in_slab(corners: Array, over: Array, t: float) -> Array:
    """(n, 3) corners of what of a slice (8, 3), one end after the other, lies between heights 0 and `t`; none where it is thin."""
    if over.max() < DEEP_MM or over.min() > t - DEEP_MM:
        return np.zeros((0, 3))
    found = [corners[(over >= 0) & (over <= t)]]
    a, b = SIDES.T
    for level in (0.0, t):
        crossing = (over[a] - level) * (over[b] - level) < 0
        i, j = a[crossing], b[crossing]
        share = (level - over[i]) / (over[j] - over[i])
        found.append(corners[i] + (corners[j] - corners[i]) * share[:, None])
    return np.concatenate(found)


def _off_bend(
    first: tuple[int, Prism, Laid, Metal], second: tuple[int, Prism, Laid, Metal]
) -> tuple[int, BaseGeometry]:
    """(which piece, what is cut off it) of two slices that share room: the end of the one that loses less."""
    spots = shared(first[1], second[1])
    best: tuple[float, int, BaseGeometry] | None = None
    for k, slice_, laid, metal in (first, second):
        flat = slice_.flat
        assert flat is not None
        along = slice_.along[-1]
        at = (spots - slice_.corners[0]) @ along
        long = float(np.hypot(*(flat[1] - flat[0])))
        way = (flat[1] - flat[0]) / long
        from_start, from_end = float(at.max()), long - float(at.min())
        lost = min(from_start, from_end) + CLEAR_MM
        beyond = 2.0 * (np.hypot(*(flat[3] - flat[0])) + laid.t)
        begin, end = (flat[[0, 3]], way) if from_start <= from_end else (flat[[1, 2]], -way)
        quad = np.stack(
            [begin[0] - end * beyond, begin[0] + end * lost, begin[1] + end * lost, begin[1] - end * beyond]
        )
        strip = next(s for s, b in zip(laid.strips, laid.bends, strict=True) if b.edge == metal.name)
        cut = Polygon(quad).intersection(Polygon(strip).buffer(1e-3, join_style="mitre"))
        if best is None or lost < best[0]:
            best = lost, k, cut
    assert best is not None
    return best[1], best[2]


def _cut(outline: Outline, off: list[BaseGeometry]) -> Outline:
    """An outline less what is cut off it; as it was where that would part it or leave a hole."""
    whole = Polygon(outline.faceted)
    left = whole.difference(union_all(off))
    pieces = sorted(getattr(left, "geoms", (left,)), key=lambda piece: -piece.area)
    gone = sum(shape.area for shape in off)
    if pieces[0].interiors or sum(piece.area for piece in pieces[1:]) > gone:
        return outline
    points = np.array(pieces[0].exterior.coords)[:-1]
    if polygon_area(points) < 0:
        points = points[::-1]
    before, after = points - np.roll(points, 1, axis=0), np.roll(points, -1, axis=0) - points
    bent = np.abs(before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0]) > 1e-3
    points = points[bent]
    return Outline(points, np.zeros(len(points)))
