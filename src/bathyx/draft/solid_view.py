"""The tank in the round: walls as glass, fluid to a level, baffles, fittings, seams and leaks, from any side.

A parallel projection painted back to front. Walls that face away come first, then what is inside (split at the fluid
level), then walls that face the eye; right for the planar faces of a tank, sharp at any size, and printable.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from itertools import groupby

import numpy as np
from numpy.typing import NDArray
from shapely import MultiPoint, area, buffer, coverage_union_all, polygons, union_all

from bathyx.core.evaluate import Evaluation
from bathyx.core.geometry.clip import chain, clip_closed, clip_loop
from bathyx.core.geometry.shell import Array, CurvedFace, Face
from bathyx.core.inside.baffles import Plate
from bathyx.core.inside.fittings import Fitting, seat
from bathyx.core.inside.kinds import kind
from bathyx.core.sheet.makeup.rims import outside
from bathyx.core.space import MeasuredBox
from bathyx.core.units import Family, show
from bathyx.draft.fitting_view import STANDING, out_of
from bathyx.draft.fold_view import fold_view
from bathyx.draft.laid_view import laid_solid
from bathyx.draft.picture import Item, Label, Picture, Poly
from bathyx.draft.seam_view import SIGNS

Flatten = Callable[[Array], Array]


@dataclass(frozen=True)
class Eye:
    """Where the tank is looked at from: degrees round from the front left, and above level."""

    turn_deg: float = 32.0
    tilt_deg: float = 24.0

    @property
    def axes(self) -> tuple[Array, Array, Array]:
        """(right, up, into the picture), each (3,)."""
        a, b = math.radians(self.turn_deg), math.radians(self.tilt_deg)
        into = np.array([math.sin(a) * math.cos(b), math.cos(a) * math.cos(b), -math.sin(b)])
        right = np.array([math.cos(a), -math.sin(a), 0.0])
        return right, np.cross(right, into), into


@dataclass(frozen=True)
class Show:
    """What to draw: fluid level (mm, None for empty), state of seams by id, leaks as (seam, share along), what is lit; `moving`:
    triangles (k, 3, 3) mm in the space of the tank on its way in; `fold`: the
    blanks instead, as far folded; `bends`: bent edges, to be picked."""

    level_mm: float | None = None
    seams: Mapping[str, str] = field(default_factory=dict)
    leaks: tuple[tuple[str, float], ...] = ()
    lit: str = ""
    sizes: bool = False
    room: bool = False
    moving: Array | None = None
    fold: float | None = None
    bends: bool = False


def solid_view(e: Evaluation, units: Family, eye: Eye, what: Show) -> Picture:
    """The whole tank.

    Args:
        e: the evaluated job.
        units: metric or US, for every figure shown.
        eye: from where, and what is cut away.
        what: fluid level, states of seams, leaks, what is lit.
    """
    r = e.results
    if what.fold is not None:
        return fold_view(e, eye.axes, what.fold)
    right, up, into = eye.axes

    def flat(points: Array) -> Array:
        return np.stack([points @ right, points @ up], axis=-1)

    items: list[Item] = _room(e, flat) if what.room else []
    for face in r.shell.faces:
        items += _far_side(face, flat, into)
    for fitting in e.job.inside.fittings:
        if _looks(e, fitting, into) > 1e-9:
            items += _opening(e, fitting, flat, "thin")
    wet, dry = _inside(e, flat, into, what)
    surface = _fluid(e, flat, into, what.level_mm) if what.level_mm is not None else []
    items += [*wet, *surface, *dry] if eye.tilt_deg >= 0 else [*dry, *surface, *wet]
    for face in r.shell.faces:
        items += _near_side(face, flat, into, lit=what.lit == f"face:{face.id}")
    items += laid_solid(e, flat, into, what.lit)
    for fitting in e.job.inside.fittings:
        if _looks(e, fitting, into) <= 1e-9:
            items += _opening(e, fitting, flat, "select" if what.lit == f"fitting:{fitting.id}" else "hole")
    if what.bends:
        items += _bent_edges(e, flat, into, what.lit)
    items += _seams(e, flat, into, what)
    if what.moving is not None:
        items.append(_moving(e, flat, what.moving))
    if what.sizes:
        items += _sizes(e, flat, units)
    return Picture(tuple(items))


def _looks(e: Evaluation, fitting: Fitting, into: Array) -> float:
    """How far a fitting's face looks away from the eye where it sits; nothing for one that is on no face."""
    spot = seat(e.results.shell, fitting)
    return math.nan if spot is None else float(e.results.shell.by_id[fitting.face].normal_at(spot) @ into)


def _far_side(face: Face, flat: Flatten, into: Array) -> list[Item]:
    """What of a face looks away from the eye: seen from inside, shaded; a curved one in bands of shade."""
    tag = f"face:{face.id}"
    if face.kind == "plane":
        return (
            [Poly(flat(face.loop), "thin", f"wall {_shades(face.normal[None])[0]}", 0.8, tag=tag)]
            if face.normal @ into > 1e-9
            else []
        )
    bands: dict[str, list[Array]] = {}
    for loops, normals in face.blocks:
        away = normals @ into > 1e-9
        for shade in np.unique(_shades(normals[away])).tolist():
            bands.setdefault(f"wall {shade}", []).append(flat(loops[away][_shades(normals[away]) == shade]))
    items: list[Item] = []
    for name, parts in sorted(bands.items()):
        items += [Poly(ring, None, name, 0, tag=tag) for ring in _merged(parts, face)]
    every = [part for parts in bands.values() for part in parts]
    return items + [Poly(ring, "thin", None, 0.8, tag=tag) for ring in _merged(every, face)]


def _near_side(face: Face, flat: Flatten, into: Array, lit: bool) -> list[Item]:
    """What of a face looks at the eye, as glass; the border of a curved one is its true silhouette."""
    fill, tag = "lit" if lit else "glass", f"face:{face.id}"
    if face.kind == "plane":
        return [Poly(flat(face.loop), "ink", fill, 1.2, tag=tag)] if face.normal @ into <= 1e-9 else []
    seen = [flat(loops[normals @ into <= 1e-9]) for loops, normals in face.blocks]
    return [Poly(ring, "ink", fill, 1.2, tag=tag) for ring in _merged(seen, face)]


def _merged(blocks: list[Array], face: Face) -> list[Array]:
    """Outlines (n, 2) round flat facets, in blocks (m, k, 2), of a curved face that share borders.

    Facets of a face that bulges cover one another nowhere, and their union is quick; those of a tunnel may.
    """
    every = [polygons(np.round(block, 6)) for block in blocks if len(block)]
    shapes = np.concatenate(every) if every else np.array([])
    shapes = shapes[area(shapes) > 1e-9]
    if not len(shapes):
        return []
    bulges = isinstance(face, CurvedFace) and getattr(face.on, "outward", 1.0) > 0
    whole = coverage_union_all(shapes) if bulges else union_all(shapes, grid_size=1e-4)
    parts = getattr(whole, "geoms", [whole])
    return [np.array(p.exterior.coords)[:-1] for p in parts if p.geom_type == "Polygon" and p.area > 1e-6]


def _shades(normals: Array) -> NDArray[np.int_]:
    """Shade of each of (n, 3) unit normals, 0 to 3."""
    light = np.abs(normals @ np.array([0.35, 0.5, 0.79]))
    return np.asarray(np.minimum(3, (light * 4).astype(int)))


def _inside(e: Evaluation, flat: Flatten, into: Array, what: Show) -> tuple[list[Item], list[Item]]:
    """Baffle plates below and above the fluid level, far ones first."""
    level = what.level_mm if what.level_mm is not None else -1e9
    top = np.array([0.0, 0.0, level])
    z = np.array([0.0, 0.0, 1.0])
    wet: list[tuple[float, Item]] = []
    dry: list[tuple[float, Item]] = []
    for plate in e.results.plates:
        lit = what.lit == f"baffle:{plate.name}"
        loop = _plate_loop(plate)
        far = float(loop.mean(axis=0) @ into)
        for part, where in ((clip_loop(loop, top, z), wet), (clip_loop(loop, top, -z), dry)):
            if len(part):
                where.append(
                    (far, Poly(flat(part), "baffle line", "lit" if lit else "baffle", 1.0, tag=f"baffle:{plate.name}"))
                )
        for x, h, d in plate.holes:
            ring = _plate_points(plate, np.array([x, h]) + d / 2 * _circle())
            (wet if h < level else dry).append((far - 0.01, Poly(flat(ring), "baffle line", "glass", 0.8)))
    ordered = [[item for _, item in sorted(part, key=lambda p: -p[0])] for part in (wet, dry)]
    return ordered[0], ordered[1]


def _plate_points(plate: Plate, flat: Array) -> Array:
    at = np.full(len(flat), plate.at_mm)
    return np.column_stack([at, flat] if plate.axis == "x" else [flat[:, 0], at, flat[:, 1]])


def _plate_loop(plate: Plate) -> Array:
    return _plate_points(plate, plate.outline.faceted)


def _circle(count: int = 28) -> Array:
    turn = np.linspace(0, 2 * math.pi, count, endpoint=False)
    return np.column_stack([np.cos(turn), np.sin(turn)])


def _fluid(e: Evaluation, flat: Flatten, into: Array, level: float) -> list[Item]:
    z = np.array([0.0, 0.0, 1.0])
    items: list[Item] = []
    cap: list[Array] = []
    for face in e.results.shell.faces:
        wet: list[Array] = []
        for loops, normals in face.blocks:
            low, high = loops[:, :, 2].min(axis=1), loops[:, :, 2].max(axis=1)
            crossing = (low <= level + 1e-9) & (high >= level - 1e-9)
            kept, edges = clip_closed(list(zip(loops[crossing], normals[crossing], strict=True)), z * level, z)
            cap.append(edges)
            wet += [flat(p)[None] for p, n in kept if n @ into <= 0]
            wet.append(flat(loops[(high < level - 1e-9) & (normals @ into <= 0)]))
        rings = [loop for block in wet for loop in block] if face.kind == "plane" else _merged(wet, face)
        items += [Poly(loop, "fluid line", "fluid glass", 0.8) for loop in rings]
    items += [Poly(flat(loop), "fluid line", "fluid top", 1.2) for loop in chain(np.concatenate(cap))]
    return items


def _opening(e: Evaluation, fitting: Fitting, flat: Flatten, ink: str) -> list[Item]:
    spot = seat(e.results.shell, fitting)
    face = e.results.shell.by_id.get(fitting.face)
    if spot is None or face is None:
        return []
    u, v = face.tangents(spot)
    out = face.normal_at(spot)
    tag = f"fitting:{fitting.id}"

    def ring(d: float, lift: float) -> Array:
        c = _circle() * d / 2
        return spot + out * lift + np.outer(c[:, 0], u) + np.outer(c[:, 1], v)

    shape, tall = kind(fitting.kind).shape, out_of(fitting)
    if shape in STANDING:
        w, foot = fitting.ring_od_mm / 2, spot + out * e.results.skins.of(fitting.face)
        corners = [foot - u * w, foot + u * w, foot + u * w * 0.6 + out * tall, foot - u * w * 0.6 + out * tall]
        return [Poly(flat(np.array(corners)), ink, "ring", 1.2, tag=tag)]
    if shape not in ("neck", "elbow", "barb"):
        tall = fitting.ring_mm
    items: list[Item] = []
    if fitting.ring_od_mm > fitting.hole_mm:
        items.append(Poly(flat(ring(fitting.ring_od_mm, fitting.ring_mm)), ink, "ring", 1.0, tag=tag))
    if shape in ("elbow", "barb"):
        items.append(Poly(flat(np.array([spot, spot + out * tall])), ink, None, 3.0, False, tag=tag))
    if fitting.hole_mm:
        lift = tall if shape == "neck" else fitting.ring_mm
        items.append(Poly(flat(ring(fitting.hole_mm, lift)), ink, "paper", 1.2, tag=tag))
    return items


def _seams(e: Evaluation, flat: Flatten, into: Array, what: Show) -> list[Item]:
    items: list[Item] = []
    labels: list[Item] = []
    shell = e.results.panelled
    apart, named = 0.045 * float(np.ptp(e.results.shell.vertices, axis=0).max()), list[Array]()
    for seam in e.results.seams:
        if seam.line is None or seam.id not in what.seams:
            continue
        parts = []
        for edge in seam.edges:
            sides = [shell.by_id[f] for f in (edge.a, edge.b)]
            middles = (edge.line[:-1] + edge.line[1:]) / 2
            parts.append(
                (edge, middles, [min(float(side.normal_at(p) @ into) for side in sides) <= 1e-9 for p in middles])
            )
        state, lit = what.seams[seam.id], what.lit == f"seam:{seam.id}"
        width = 5.0 if lit else 3.2 if state != "open" else 2.2
        ink = f"seam {state}"
        for edge, _, seen in parts:
            for shown, row in _rows(seen):
                line = flat(edge.line[row[0] : row[-1] + 2])
                items.append(
                    Poly(line, ink, None, width if shown else width * 0.6, False, not shown, f"seam:{seam.id}")
                )
        every = np.concatenate([middles for _, middles, _ in parts])
        spots = [k for k, s in enumerate([s for *_, seen in parts for s in seen]) if s]
        spot = flat(every[[spots[len(spots) // 2] if spots else 0]])[0]
        if lit or (spots and all(math.dist(spot, other) > apart for other in named)):
            named.append(spot)
            said = seam.id + SIGNS[state]
            labels.append(Label(spot, said, 10 if lit else 8.5, "paper", bold=lit, badge=ink, tag=f"seam:{seam.id}"))
    for seam_id, share in what.leaks:
        leaky = next((s for s in (*e.results.seams, *e.results.rings) if s.id == seam_id), None)
        place = leaky.at(share) if leaky is not None else None
        if place is not None:
            spot = flat(place[None])[0]
            labels.append(
                Label(spot, "leak", 10, "paper", bold=True, badge="seam leaks", shift=(0, 12), tag=f"seam:{seam_id}")
            )
            reach = 0.012 * float(np.ptp(shell.vertices, axis=0).max())
            labels.append(Poly(spot + reach * _circle(), "seam leaks", "paper", 3.0))
    return items + labels


def _bent_edges(e: Evaluation, flat: Flatten, into: Array, lit: str) -> list[Item]:
    """Edges that are bent, dashed where they are behind the tank."""
    shell, items = e.results.panelled, list[Item]()
    for role in e.results.roles:
        if role.kind == "bend":
            sides = (shell.by_id[role.edge.a], shell.by_id[role.edge.b])
            seen = min(float(side.normal @ into) for side in sides) <= 1e-9
            tag = f"edge:{role.edge.id}"
            wide = 5.0 if lit == tag else 2.6
            items.append(
                Poly(flat(role.edge.line), "bend up", None, wide if seen else wide * 0.6, False, not seen, tag)
            )
    return items


def _rows(flags: list[bool]) -> list[tuple[bool, list[int]]]:
    """Runs of like flags with their places."""
    return [(flag, [k for k, _ in group]) for flag, group in groupby(enumerate(flags), key=lambda p: p[1])]


def _sizes(e: Evaluation, flat: Flatten, units: Family) -> list[Item]:
    low, high = e.results.shell.bounds
    middle, size = (low + high) / 2, high - low
    spots = [
        ((middle[0], low[1], low[2]), size[0], (6, -16)),
        ((low[0], middle[1], low[2]), size[1], (-18, -12)),
        ((high[0], low[1], middle[2]), size[2], (26, 0)),
    ]
    return [
        Label(flat(np.array([p]))[0], show(float(value), "length", units), 11, "dim", shift=shift, badge="paper")
        for p, value, shift in spots
    ]


def _room(e: Evaluation, flat: Flatten) -> list[Item]:
    """The measured space as a frame round the tank."""
    space, t = e.job.space, e.results.sheet.thickness_mm
    if space.free:
        return []
    if not (isinstance(space, MeasuredBox) and space.plain):
        return _hull(e, flat)
    c = space.kept
    corner = e.results.shell.bounds[0] - t - np.array([c.front_mm, c.left_mm, c.below_mm])
    size = np.array([space.depth.mm, space.width.mm, space.height.mm])
    spots = np.array([[i, j, k] for i in (0, 1) for j in (0, 1) for k in (0, 1)], float)
    items: list[Item] = [Poly(flat(corner + size * spots[[0, 4, 6, 2]]), "clear", "space", 1.0)]
    for a in range(8):
        for axis in (1, 2, 4):
            if not a & axis:
                items.append(Poly(flat(corner + size * spots[[a, a | axis]]), "clear", None, 1.2, False, True))
    return items


def _moving(e: Evaluation, flat: Flatten, triangles: Array) -> Poly:
    """The silhouette of the tank on its way."""
    low = outside(e.results.shell, e.results.skins, e.results.rims).reshape(-1, 3).min(axis=0)
    spots = flat(triangles.reshape(-1, 3) + (low - e.job.space.seated())).reshape(-1, 3, 2)
    shapes = buffer(polygons(spots), 0.05, quad_segs=1)
    whole = union_all(shapes[area(shapes) > 1.0])
    largest = max(getattr(whole, "geoms", [whole]), key=lambda g: float(g.area))
    return Poly(np.array(largest.exterior.coords)[:-1], "brass", "lit", 2.0, dashed=True)


def _openings(e: Evaluation, flat: Flatten, shift: Array) -> list[Item]:
    way = e.job.space.way_in
    if way is None:
        return []
    items: list[Item] = []
    for opening in way.openings:
        ring = flat(opening.placed(opening.border) + shift)
        items.append(Poly(ring, "accent", None, 2.4, dashed=True))
        items.append(Label(ring.mean(axis=0), opening.name, 9, "accent", badge="paper"))
    return items


def _hull(e: Evaluation, flat: Flatten) -> list[Item]:
    """A space that is more than a box: its sections, keel and top lines, and what stands in it, as lines."""
    space = e.job.space
    low = outside(e.results.shell, e.results.skins, e.results.rims).reshape(-1, 3).min(axis=0)
    shift = low - space.seated()
    c = space.cavity
    keep = np.unique(np.linspace(0, len(c.xs) - 1, 9).astype(int))
    items: list[Item] = []
    for i in keep:
        z = c.heights(int(i))
        x = np.full(len(z), c.xs[i])
        ring = np.concatenate([np.column_stack([x, c.left[i], z])[::-1], np.column_stack([x, c.right[i], z])])
        items.append(Poly(flat(ring + shift), "clear", None, 1.0, True, True))
    for side in (c.left, c.right):
        for k, heights in ((0, c.low), (-1, c.high)):
            items.append(Poly(flat(np.column_stack([c.xs, side[:, k], heights]) + shift), "clear", None, 1.2, False))
    bounds = c.bounds
    for thing in space.things:
        corners = flat(np.clip(thing.hull(), bounds[0] - 60, bounds[1] + 60) + shift)
        around = MultiPoint(corners).convex_hull
        if around.geom_type == "Polygon":
            items.append(Poly(np.array(around.exterior.coords)[:-1], "brass", "baffle", 1.0))
    return items + _openings(e, flat, shift)
