"""The tank in the round: walls as glass, fluid to a level, baffles, fittings, seams and leaks, from any side.

A parallel projection painted back to front. Walls that face away come first, then what is inside (split at the fluid
level), then walls that face the eye; right for the planar faces of a tank, sharp at any size, and printable.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

import numpy as np

from bathyx.core.evaluate import Evaluation
from bathyx.core.geometry.clip import chain, clip_closed, clip_loop
from bathyx.core.geometry.shell import Array, Face
from bathyx.core.inside.baffles import Plate
from bathyx.core.inside.fittings import Fitting, seat
from bathyx.core.units import Family, show
from bathyx.draft.picture import Item, Label, Picture, Poly

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
    """What to draw: fluid level (mm, None for empty), state of seams by id, leaks as (seam, share along), what is lit."""

    level_mm: float | None = None
    seams: Mapping[str, str] = field(default_factory=dict)
    leaks: tuple[tuple[str, float], ...] = ()
    lit: str = ""
    sizes: bool = False
    room: bool = False


def solid_view(e: Evaluation, units: Family, eye: Eye, what: Show) -> Picture:
    """The whole tank."""
    r = e.results
    right, up, into = eye.axes

    def flat(points: Array) -> Array:
        return np.stack([points @ right, points @ up], axis=-1)

    back = [f for f in r.shell.faces if f.normal @ into > 1e-9]
    front = [f for f in r.shell.faces if f.normal @ into <= 1e-9]
    items: list[Item] = _room(e, flat) if what.room else []
    for face in back:
        items.append(Poly(flat(face.loop), "thin", _shade(face), 0.8, tag=f"face:{face.id}"))
    for fitting in e.job.inside.fittings:
        if any(f.id == fitting.face for f in back):
            items += _opening(e, fitting, flat, "thin")
    wet, dry = _inside(e, flat, into, what)
    surface = _fluid(e, flat, into, what.level_mm) if what.level_mm is not None else []
    items += [*wet, *surface, *dry] if eye.tilt_deg >= 0 else [*dry, *surface, *wet]
    for face in front:
        lit = what.lit == f"face:{face.id}"
        items.append(Poly(flat(face.loop), "ink", "lit" if lit else "glass", 1.2, tag=f"face:{face.id}"))
    for fitting in e.job.inside.fittings:
        if any(f.id == fitting.face for f in front):
            items += _opening(e, fitting, flat, "select" if what.lit == f"fitting:{fitting.id}" else "hole")
    items += _seams(e, flat, into, what)
    if what.sizes:
        items += _sizes(e, flat, units)
    return Picture(tuple(items))


def _shade(face: Face) -> str:
    light = abs(float(face.normal @ np.array([0.35, 0.5, 0.79])))
    return f"wall {min(3, int(light * 4))}"


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
    return _plate_points(plate, plate.outline.points)


def _circle(count: int = 28) -> Array:
    turn = np.linspace(0, 2 * math.pi, count, endpoint=False)
    return np.column_stack([np.cos(turn), np.sin(turn)])


def _fluid(e: Evaluation, flat: Flatten, into: Array, level: float) -> list[Item]:
    loops = [(f.loop, f.normal) for f in e.results.shell.faces]
    z = np.array([0.0, 0.0, 1.0])
    kept, cap = clip_closed(loops, z * level, z)
    items: list[Item] = [Poly(flat(loop), "fluid line", "fluid glass", 0.8) for loop, n in kept if n @ into <= 0]
    items += [Poly(flat(loop), "fluid line", "fluid top", 1.2) for loop in chain(cap)]
    return items


def _opening(e: Evaluation, fitting: Fitting, flat: Flatten, ink: str) -> list[Item]:
    spot = seat(e.results.shell, fitting)
    face = e.results.shell.by_id.get(fitting.face)
    if spot is None or face is None:
        return []
    _, u, v = face.frame
    tag = f"fitting:{fitting.id}"

    def ring(d: float, lift: float) -> Array:
        c = _circle() * d / 2
        return spot + face.normal * lift + np.outer(c[:, 0], u) + np.outer(c[:, 1], v)

    tall = 22.0 if fitting.kind == "filler" else fitting.ring_mm
    items: list[Item] = []
    if fitting.ring_od_mm > fitting.hole_mm:
        items.append(Poly(flat(ring(fitting.ring_od_mm, fitting.ring_mm)), ink, "ring", 1.0, tag=tag))
    items.append(Poly(flat(ring(fitting.hole_mm, tall)), ink, "paper", 1.2, tag=tag))
    return items


def _seams(e: Evaluation, flat: Flatten, into: Array, what: Show) -> list[Item]:
    items: list[Item] = []
    labels: list[Item] = []
    shell = e.results.panelled
    for seam in e.results.seams:
        if seam.start is None or seam.end is None or seam.id not in what.seams:
            continue
        edge = next(x for x in shell.edges if x.id == seam.edge)
        seen = min(float(shell.by_id[f].normal @ into) for f in (edge.a, edge.b)) <= 1e-9
        state, lit = what.seams[seam.id], what.lit == f"seam:{seam.id}"
        ends = flat(np.stack([seam.start, seam.end]))
        width = 5.0 if lit else 3.2 if state != "open" else 2.2
        ink = f"seam {state}"
        items.append(Poly(ends, ink, None, width if seen else width * 0.6, False, not seen, f"seam:{seam.id}"))
        if seen or lit:
            labels.append(
                Label(
                    ends.mean(axis=0), seam.id, 10 if lit else 8.5, "paper", bold=lit, badge=ink, tag=f"seam:{seam.id}"
                )
            )
    for seam_id, share in what.leaks:
        seam = next((s for s in e.results.seams if s.id == seam_id), None)
        if seam is not None and seam.start is not None and seam.end is not None:
            spot = flat((seam.start + (seam.end - seam.start) * share)[None])[0]
            labels.append(
                Label(spot, "leak", 10, "paper", bold=True, badge="seam leaks", shift=(0, 12), tag=f"seam:{seam_id}")
            )
            reach = 0.012 * float(np.ptp(shell.vertices, axis=0).max())
            labels.append(Poly(spot + reach * _circle(), "seam leaks", "paper", 3.0))
    return items + labels


def _sizes(e: Evaluation, flat: Flatten, units: Family) -> list[Item]:
    tank = e.job.tank
    low = min(0.0, float(e.results.shell.bounds[0][2]))
    spots = [
        ((tank.length_mm / 2, 0.0, low), tank.length_mm, (6, -16)),
        ((0.0, tank.width_mm / 2, low), tank.width_mm, (-18, -12)),
        ((tank.length_mm, 0.0, tank.height_mm / 2), tank.height_mm, (26, 0)),
    ]
    return [
        Label(flat(np.array([p]))[0], show(value, "length", units), 11, "dim", shift=shift, badge="paper")
        for p, value, shift in spots
    ]


def _room(e: Evaluation, flat: Flatten) -> list[Item]:
    """The measured space as a frame round the tank."""
    space, t = e.job.space, e.results.sheet.thickness_mm
    c = space.clearance
    corner = np.array([-t - c.front_mm, -t - c.left_mm, -t - c.below_mm])
    size = np.array([space.depth.mm, space.width.mm, space.height.mm])
    spots = np.array([[i, j, k] for i in (0, 1) for j in (0, 1) for k in (0, 1)], float)
    items: list[Item] = [Poly(flat(corner + size * spots[[0, 4, 6, 2]]), "clear", "space", 1.0)]
    for a in range(8):
        for axis in (1, 2, 4):
            if not a & axis:
                items.append(Poly(flat(corner + size * spots[[a, a | axis]]), "clear", None, 1.2, False, True))
    return items
