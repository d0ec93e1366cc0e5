"""Unfolding: what is laid beside one another (`laid`) made one outline, with what its joints, reliefs and corners put on it."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np
from shapely import Polygon, union_all

from bathyx.core.geometry.outline import Outline, OutlineError, offset_arcs, polygon_area, rounded, spun
from bathyx.core.geometry.shell import Array, CurvedFace, Edge, Face, Shell
from bathyx.core.geometry.surfaces import Cylinder, Revolved
from bathyx.core.sheet.bending.bend import allowance_mm, setback_mm
from bathyx.core.sheet.bending.rule import BendRule
from bathyx.core.sheet.flat.apart import Part, cut_apart
from bathyx.core.sheet.flat.blank import BendLine, Hole, Mark
from bathyx.core.sheet.flat.eased import Cut, eased
from bathyx.core.sheet.flat.heads import head_blank
from bathyx.core.sheet.flat.laid import BESIDE_MM, FlangeSide, Laid, laid_out, roles_round, side_of, spot_on
from bathyx.core.sheet.flat.lay import Lay, lay_of
from bathyx.core.sheet.makeup.joints import PLAIN, SLOT_SPARE_MM, tabs_along
from bathyx.core.sheet.makeup.roles import APART, EdgeRole
from bathyx.core.sheet.makeup.skins import Skins
from bathyx.core.units import Said, mm

COVERED_MM2, ALONG, SNAPPED_MM, SQUARE = 0.5, 0.9998, 2e-6, 1 - 1e-9


@dataclass(frozen=True, eq=False)
class FlatPiece:
    """Faces unfolded together: how each lies, the outline, and the bends; `stood_in`: (bend, face) where another bend's arc stands
    deeper in a plate of it than a corner that is cut off."""

    lays: dict[str, Lay]
    outline: Outline
    bends: tuple[BendLine, ...]
    marks: tuple[Mark, ...] = ()
    rolled: bool = False
    bought: bool = False
    slots: tuple[Hole, ...] = ()
    thickness_mm: float = 0.0
    stood_in: tuple[tuple[str, str], ...] = ()


def unfold(shell: Shell, roles: tuple[EdgeRole, ...], skins: Skins, rule: BendRule) -> list[FlatPiece]:
    """One FlatPiece per group of faces joined by bends or rolled into one another.

    Args:
        shell: with a face split where a seam lies on its flat.
        roles: what becomes of its edges.
        skins: thickness of its panels.
        rule: radius and K of the bends.

    Raises:
        OutlineError: when bends leave no flat between them.
    """
    by_face = roles_round(shell, roles)
    whole = any(role.kind == "whole" for role in roles)
    ring = {n for r in roles if r.kind in ("roll", "whole") for n in (r.edge.a, r.edge.b)} if whole else set()
    pieces: list[FlatPiece] = []
    flat: dict[int, Cut] = {}
    done: set[str] = set()
    for face in sorted(shell.faces, key=lambda f: -f.area_mm2):
        if face.id in done:
            continue
        if face.kind == "hull":
            done.add(face.id)  # it is there
            continue
        if isinstance(face, CurvedFace) and isinstance(face.on, Revolved):
            t = skins.of(face)
            outline, marks = head_blank(face, t)
            lays = {face.id: lay_of(face, face.on.up, t, rule.k_factor)}
            pieces.append(FlatPiece(lays, outline, (), marks, True, thickness_mm=t))
            done.add(face.id)
            continue
        bought = face.id in ring
        # Nothing was bent where it is bought: the middle of the wall has its mass.
        own = BendRule(rule.radius_mm, 0.5, rule.radii) if bought else rule
        piece, laid = _unfold_from(face, shell, by_face, skins, own)
        done |= set(piece.lays)
        if not piece.rolled and not bought:
            clear = frozenset(_followed(face, by_face, skins) if len(piece.lays) == 1 else ())
            flat[len(pieces)] = Cut(laid, piece.outline, clear)
        pieces.append(replace(piece, bought=bought))
    for k, (outline, deep) in zip(flat, eased(list(flat.values()), shell, rule), strict=True):
        if deep or outline is not pieces[k].outline:
            pieces[k] = replace(pieces[k], outline=outline, stood_in=deep)
    return pieces


def _unfold_from(
    root: Face, shell: Shell, by_face: dict[str, list[EdgeRole]], skins: Skins, rule: BendRule
) -> tuple[FlatPiece, Laid]:
    t = skins.of(root)
    laid = laid_out(root, shell, by_face, t, rule)
    lays, cores, bends = laid.lays, laid.cores, laid.bends
    rims, slots, marks = _at_joints(laid, by_face, rule)
    if rule.trim_mm > 0:
        left, lines = _left_on(laid, by_face, rims, rule.trim_mm)
        rims, marks = [*rims, *left], [*marks, *lines]
    alone = len(lays) == 1 and root.kind == "plane"
    if alone and any(role.edge.arc for role in by_face[root.id]):
        outline = _arced(root, lays[root.id], by_face[root.id])
    elif alone:
        outline = rounded(cores[root.id], _corner_radii(root, by_face, skins, rule))
        if rims:
            outline = _joined([Part(root.id, outline.faceted), *_rim_parts(rims)], root.id)
    else:
        parts = [*_hanging(laid, by_face), *_rim_parts(rims)]
        try:
            outline = _joined(parts, ", ".join(lays))
        except OutlineError as error:
            raise OutlineError(f"{error}{_split_at(laid, shell)}") from None
    if rule.relief_mm > 0 and len(bends) > 1:
        outline = relieved(
            outline, [core for name, core in cores.items() if shell.by_id[name].kind == "plane"], rule.relief_mm
        )
    rolled = any(shell.by_id[name].kind != "plane" for name in lays)
    flanges = tuple(rim.bend for rim in rims if rim.bend is not None)
    said = (*_tangents(shell, lays, by_face, rolled), *marks)
    piece = FlatPiece(lays, outline, (*bends, *flanges), said, rolled, slots=tuple(slots), thickness_mm=t)
    return piece, laid


@dataclass(frozen=True, eq=False)
class Rim:
    """What stands out at a welded edge: polygons (n, 2) of a flange or of tabs, the first sides of which hang at what is before
    them, and the flange's bend."""

    parts: list[Array]
    bend: BendLine | None = None


def _rim_parts(rims: Iterable[Rim]) -> list[Part]:
    """Rims as parts: each polygon hangs by the side from its last corner to its first, the strip of a bend by that across too."""
    parts = []
    for rim in rims:
        for k, ring in enumerate(rim.parts):
            sides = ((0, -1), (1, 2)) if rim.bend is not None and k == 0 else ((0, -1),)
            parts.append(Part("rim", ring, tuple(ring[[a, b]] for a, b in sides)))
    return parts


def _hanging(laid: Laid, by_face: dict[str, list[EdgeRole]]) -> list[Part]:
    """Faces and the strips of the bends between them, with the lines on which they hang together."""
    parts = []
    for name, core in laid.cores.items():
        on = [role for role in by_face[name] if role.kind not in APART]
        parts.append(Part(name, core, tuple(np.array(side_of(core, by_face[name], role)) for role in on)))
    for strip, bend in zip(laid.strips, laid.bends, strict=True):
        parts.append(Part(bend.edge, strip, (strip[[0, 3]], strip[[1, 2]])))
    return parts


def _at_joints(
    laid: Laid, by_face: dict[str, list[EdgeRole]], rule: BendRule
) -> tuple[list[Rim], list[Hole], list[Mark]]:
    """Flanges, tabs, slots and marks that the joints of a piece's welded edges put on it."""
    rims = [_rim(side, laid.t, rule) for side in laid.flanges]
    slots: list[Hole] = []
    marks: list[Mark] = []
    for name, lay in laid.lays.items():
        for role in by_face[name]:
            if role.kind != "weld" or len(role.edge.line) > 2 or (ends := role.ends_of(name)) == PLAIN:
                continue
            other = role.edge.b if role.edge.a == name else role.edge.a
            p, q = lay.point(np.stack([role.edge.start, role.edge.end]))
            near, far = side_of(laid.cores[name], by_face[name], role)
            along = (q - p) / math.dist(p, q)
            side = (far - near) / math.dist(far, near)  # counter-clockwise round the face: outside to its right
            out = np.array([side[1], -side[0]])
            if ends.tab_mm > 0:
                rims.append(
                    Rim(
                        [
                            _block(p + along * at, along, out, long, ends.tab_mm, ends.past_mm)
                            for at, long in tabs_along(role.edge.length_mm, laid.t)
                        ]
                    )
                )
            if ends.slot_mm > 0:
                wide = ends.slot_mm
                for at, long in tabs_along(role.edge.length_mm, ends.stands_mm):
                    border = _block(p + along * at, along, out, long + SLOT_SPARE_MM, wide, ends.slot_at_mm - wide / 2)
                    border = border if polygon_area(border) > 0 else border[::-1]
                    slots.append(Hole(border.mean(axis=0), float(long), "slot", border))
            if ends.stands_mm > 0:
                marks.append(Mark(p, q, f"inside of {other}"))
            bevel = ends.bevel_deg(laid.t)
            if abs(bevel) > 0.5:
                middle = (near + far) / 2
                marks.append(
                    Mark(middle, middle, f"bevel {abs(bevel):.0f}° {'outside' if bevel > 0 else 'inside'} shorter")
                )
    return rims, slots, marks


def _left_on(
    laid: Laid, by_face: dict[str, list[EdgeRole]], rims: list[Rim], trim_mm: float
) -> tuple[list[Rim], list[Mark]]:
    """Metal left on a bent part's welded edges along its bends, where those come out long or short, and the line to trim to."""
    ways = [(bend.end - bend.start) / math.dist(bend.end, bend.start) for bend in laid.bends]
    there = union_all(
        [Polygon(part) for part in [*laid.cores.values(), *laid.strips, *(p for r in rims for p in r.parts)]]
    )
    found: list[Rim] = []
    marks: list[Mark] = []
    for name, core in laid.cores.items():
        for role in by_face[name]:
            if role.kind != "weld" or len(role.edge.line) > 2 or role.ends_of(name).flange is not None:
                continue
            near, far = side_of(core, by_face[name], role)
            side = (far - near) / math.dist(far, near)
            if not any(abs(float(side @ way)) > ALONG for way in ways):
                continue
            out = np.array([side[1], -side[0]])
            strip = np.array([near, near + out * trim_mm, far + out * trim_mm, far])
            if there.intersection(Polygon(strip)).area < COVERED_MM2:
                found.append(Rim([strip]))
                there = there.union(Polygon(strip))
                marks.append(Mark(near, far, "trim to here after bending"))
    return found, marks


def _rim(side: FlangeSide, t: float, rule: BendRule) -> Rim:
    """A flange in the flat: the strip of its bend and its own flat."""
    flange, a, b = side.flange, side.near, side.far
    radius = rule.radius_at(t)
    allowance = allowance_mm(flange.turn_deg, radius, t, rule.k_at(t, flange.turn_deg))
    flat = flange.length_mm - setback_mm(flange.turn_deg, radius, t, flange.reflex)
    along = (b - a) / math.dist(a, b)
    out = np.array([along[1], -along[0]])
    strip = np.array([a, a + out * allowance, b + out * allowance, b])
    end = allowance + flat
    quad = np.array([a + out * allowance, a + out * end, b + out * end, b + out * allowance])
    middle = out * allowance / 2
    bend = BendLine(
        a + middle, b + middle, flange.turn_deg, not flange.reflex, radius, allowance, side.name, flange=True
    )
    return Rim([strip, quad], bend)


def _block(middle: Array, along: Array, out: Array, long: float, wide: float, start: float) -> Array:
    """(4, 2) a rectangle `long` along an edge and `wide` off it, from `start`."""
    a, b = middle - along * long / 2 + out * start, middle + along * long / 2 + out * start
    return np.array([a, a + out * wide, b + out * wide, b])


def relieved(outline: Outline, cores: list[Array], diameter_mm: float) -> Outline:
    """An outline with round reliefs where bends meet: at corners of its flats that lie in a notch of it.

    Args:
        outline: of the piece.
        cores: (n, 2) flat parts of its faces.
        diameter_mm: of the drill.
    """
    r, spots = diameter_mm / 2, np.concatenate(cores)
    points, bulges = outline.points, outline.bulges
    found: list[Array] = []
    bent: list[float] = []
    n = len(points)
    for i in range(n):
        p, before, after = points[i], points[i - 1] - points[i], points[(i + 1) % n] - points[i]
        inward = after[0] * before[1] - after[1] * before[0] < 0
        straight = bulges[i] == 0.0 == bulges[i - 1]
        room = min(math.hypot(*before), math.hypot(*after)) > 1.05 * r
        if not (inward and straight and room and np.hypot(*(spots - p).T).min() < BESIDE_MM):
            found.append(p)
            bent.append(float(bulges[i]))
            continue
        u, v = before / math.hypot(*before), after / math.hypot(*after)
        outer = math.acos(min(1.0, max(-1.0, float(u @ v))))  # the notch; the arc runs round the rest, in the metal
        half = (2 * math.pi - outer) / 2
        middle = p - (u + v) / max(math.hypot(*(u + v)), 1e-9) * r
        bulge = math.tan(half / 4)
        found += [p + u * r, middle]
        bent += [-bulge, -bulge]
        found.append(p + v * r)
        bent.append(0.0)
    eased = Outline(np.array(found), np.array(bent))
    return eased if Polygon(eased.faceted).is_valid else outline  # two that would run into one another: none is drilled


def _tangents(shell: Shell, lays: dict[str, Lay], by_face: dict[str, list[EdgeRole]], rolled: bool) -> tuple[Mark, ...]:
    """Lines where a rolled part begins, and each rolled part's inside radius."""
    if not rolled:
        return ()
    found: list[Mark] = []
    drawn: set[str] = set()
    for name, lay in lays.items():
        face = shell.by_id[name]
        if not isinstance(face, CurvedFace):
            continue
        surface = face.on
        assert isinstance(surface, Cylinder)
        middle = lay.point(spot_on(face))
        found.append(Mark(middle, middle, Said(f"roll to R {mm(surface.radius, None)} inside")))
        for role in by_face[name]:
            if role.kind == "roll" and role.edge.id not in drawn:
                drawn.add(role.edge.id)
                found.append(Mark(lay.point(role.edge.start), lay.point(role.edge.end), ""))
    return tuple(found)


def _arced(face: Face, lay: Lay, order: list[EdgeRole]) -> Outline:
    """A plate with arcs in its border, moved outward where it laps; every edge of it the same way."""
    flat = lay.point(face.loop)[::-1]
    n = len(flat)
    starts = [i for i in range(n) if order[i] is not order[i - 1]]
    points, bulges = [], []
    for k, i in enumerate(starts or [0]):
        role = order[i]
        end = starts[(k + 1) % len(starts)] if starts else i
        count = (end - i) % n or n
        arc = role.edge.arc
        if arc is None:
            points += [flat[(i + m) % n] for m in range(count)]
            bulges += [0.0] * count
            continue
        centre = lay.point(arc.centre)
        p = flat[i]
        middle = flat[(i + count // 2) % n]
        way = math.copysign(1.0, _cross2(p - centre, middle - centre)) if starts else 1.0
        p = centre + (p - centre) * arc.radius / math.dist(p, centre)
        if not starts:
            points += [p, 2 * centre - p]
            bulges += [way, way]
        else:
            half = centre + arc.radius * spun(p - centre, way * arc.sweep / 2) / arc.radius
            points += [p, half]
            bulges += [way * math.tan(arc.sweep / 8)] * 2
    past = {role.ends_of(face.id).past_mm for role in order}
    outline = Outline(np.array(points), np.array(bulges))
    if len(past) > 1:
        raise OutlineError(f"{face.id}: some of its edges lap and others do not; choose one joint all round it")
    return offset_arcs(outline, past.pop())


def _cross2(a: Array, b: Array) -> float:
    return float(a[0] * b[1] - a[1] * b[0])


def _bent_round(face: Face, by_face: dict[str, list[EdgeRole]]) -> list[tuple[EdgeRole, EdgeRole, EdgeRole] | None]:
    """At each corner of a plate whose neighbours are bent round it there: the plate's two edges and that bend."""
    order = by_face[face.id]
    found: list[tuple[EdgeRole, EdgeRole, EdgeRole] | None] = []
    for i, after in enumerate(order):
        before = order[i - 1]
        a = before.edge.b if before.edge.a == face.id else before.edge.a
        b = after.edge.b if after.edge.a == face.id else after.edge.a
        corner = next((r for r in by_face[a] if {r.edge.a, r.edge.b} == {a, b} and r.kind == "bend"), None)
        found.append(None if corner is None else (before, after, corner))
    return found


def _corner_radii(face: Face, by_face: dict[str, list[EdgeRole]], skins: Skins, rule: BendRule) -> Array:
    """Radius at each corner of a plate whose neighbours are bent round it there; 0 where they are welded."""
    radii = np.zeros(len(by_face[face.id]))
    for i, round_it in enumerate(_bent_round(face, by_face)):
        if round_it is not None:
            _, after, corner = round_it
            past, own = after.ends_of(face.id).past_mm, skins.of(corner.edge.a)
            radii[i] = max(0.0, rule.radius_at(own) + (own - past if corner.edge.reflex else past))
    return radii


def _followed(face: Face, by_face: dict[str, list[EdgeRole]], skins: Skins) -> list[str]:
    """Bends that a plate's rounded corners follow: square to it, with both of its edges alike there."""
    found = []
    for round_it in _bent_round(face, by_face):
        if round_it is not None:
            before, after, corner = round_it
            way = (corner.edge.end - corner.edge.start) / corner.edge.length_mm
            past = before.ends_of(face.id).past_mm, after.ends_of(face.id).past_mm
            if abs(float(way @ face.normal)) > SQUARE and past[0] == past[1]:
                found.append(corner.edge.id)
    return found


def _split_at(laid: Laid, shell: Shell) -> str:
    """Which bend to weld so that neither half covers itself: the shortest that helps, in words; nothing where none does."""
    if any(shell.by_id[name].kind != "plane" for name in laid.lays):
        return ""  # walls that are rolled out of one sheet hang together without a bend
    edges = {edge.id: edge for edge in shell.edges}
    for bend in sorted(laid.bends, key=lambda b: edges[b.edge].length_mm):
        beside: dict[str, set[str]] = defaultdict(set)
        for other in laid.bends:
            if other is not bend:
                a, b = edges[other.edge].a, edges[other.edge].b
                beside[a].add(b)
                beside[b].add(a)
        if all(_covers_once(laid, edges, half) for half in _halves(beside, laid.lays, edges[bend.edge].a)):
            edge = edges[bend.edge]
            return f": {edge.a} to {edge.b} would do, at {edge.length_mm:.0f} mm more weld"
    return ""


def _halves(beside: dict[str, set[str]], names: Iterable[str], start: str) -> tuple[set[str], set[str]]:
    """Faces that hang together with one, and the others."""
    found, queue = {start}, [start]
    while queue:
        for other in beside[queue.pop()] - found:
            found.add(other)
            queue.append(other)
    return found, set(names) - found


def _covers_once(laid: Laid, edges: dict[str, Edge], names: set[str]) -> bool:
    parts = [core for name, core in laid.cores.items() if name in names]
    parts += [
        strip
        for strip, bend in zip(laid.strips, laid.bends, strict=True)
        if {edges[bend.edge].a, edges[bend.edge].b} <= names
    ]
    shapes = [Polygon(part) for part in parts]
    whole = union_all(shapes, grid_size=1e-6)
    return bool(sum(shape.area for shape in shapes) - whole.area <= COVERED_MM2 and whole.geom_type == "Polygon")


def _joined(parts: list[Part], names: str) -> Outline:
    """One outline round parts that share edges to rounding, cut apart where they only touch.

    OutlineError where they cover one another or leave a hole.
    """
    shapes = [Polygon(part.ring) for part in parts]
    ring = union_all(shapes, grid_size=1e-6)
    twice = sum(shape.area for shape in shapes) - ring.area
    ring = cut_apart(ring, parts)
    if twice > COVERED_MM2 or ring.geom_type != "Polygon" or ring.interiors:
        raise OutlineError(
            f"bent so, the flat piece of {names} would "
            + (f"cover itself by {twice:.0f} mm²" if twice > COVERED_MM2 else "close round a hole")
            + "; weld one of its edges"
        )
    points = _as_they_were(np.array(ring.exterior.coords)[:-1], np.concatenate([part.ring for part in parts]))
    if polygon_area(points) < 0:
        points = points[::-1]
    keep = []
    for i in range(len(points)):
        a, b, c = points[i - 1], points[i], points[(i + 1) % len(points)]
        if abs((b[0] - a[0]) * (c[1] - b[1]) - (b[1] - a[1]) * (c[0] - b[0])) > 1e-3:
            keep.append(i)
    return Outline(points[keep], np.zeros(len(keep)))


def _as_they_were(points: Array, spots: Array) -> Array:
    """Points (n, 2) that were snapped to the union's grid, put back on the corners (m, 2) they came from."""
    off = np.abs(points[:, None] - spots[None]).max(axis=2)
    nearest = off.argmin(axis=1)
    near = off[np.arange(len(points)), nearest] < SNAPPED_MM
    return np.where(near[:, None], spots[nearest], points)
