"""Faces laid beside one another in the plane, seen from inside the tank, before they are one outline.

Each face's inside polygon is trimmed by the set-back at its bends and extended by the run-past at its welds; two
neighbours lie a bend allowance apart. A rolled face lies developed beside its neighbour. Generic over shells whose bends
and rolled edges form a tree.
"""

from __future__ import annotations

import math
from collections import defaultdict
from dataclasses import dataclass, field

import numpy as np

from bathyx.core.geometry.outline import OutlineError, offset_polygon, polygon_area
from bathyx.core.geometry.shell import Array, CurvedFace, Face, Shell, covers, following
from bathyx.core.geometry.surfaces import Cylinder
from bathyx.core.sheet.bending.bend import allowance_mm, setback_mm
from bathyx.core.sheet.bending.rule import BendRule
from bathyx.core.sheet.flat.blank import BendLine
from bathyx.core.sheet.flat.lay import Lay, lay_of
from bathyx.core.sheet.makeup.joints import Flange
from bathyx.core.sheet.makeup.roles import APART, EdgeRole
from bathyx.core.sheet.makeup.skins import Skins

BESIDE_MM = 0.01


def roles_round(shell: Shell, roles: tuple[EdgeRole, ...]) -> dict[str, list[EdgeRole]]:
    """Of each face, the roles of its edges in the order of its flat polygon."""
    touching: dict[str, list[EdgeRole]] = defaultdict(list)
    for role in roles:
        touching[role.edge.a].append(role)
        touching[role.edge.b].append(role)
    by_face = {}
    for face in shell.faces:
        order = _in_order(face, touching[face.id])
        if isinstance(face, CurvedFace) and isinstance(face.on, Cylinder):
            order = [order[i] for i in _kept(face.outline_uv[::-1], order)]
        by_face[face.id] = order
    return by_face


@dataclass(frozen=True, eq=False)
class Laid:
    """Faces laid beside one another: how each lies, its flat part, the strips of the bends between, and the bends."""

    lays: dict[str, Lay]
    cores: dict[str, Array]
    strips: list[Array]
    bends: list[BendLine]
    t: float
    flanges: list[FlangeSide] = field(default_factory=list)


@dataclass(frozen=True, eq=False)
class FlangeSide:
    """A flange of a joint: its name, its face, what it is, and the ends (2,) of the core's side it is bent at, drawn in."""

    name: str
    face: str
    flange: Flange
    near: Array
    far: Array


def laid_out(root: Face, shell: Shell, by_face: dict[str, list[EdgeRole]], t: float, rule: BendRule) -> Laid:
    """A face and those joined to it by bends and rolls, in the plane.

    Args:
        root: that the others are laid beside.
        shell: panelled.
        by_face: roles of each face's edges in the order of its flat polygon.
        t: thickness, mm.
        rule: radius and K of the bends.

    Raises:
        OutlineError: when bends leave no flat between them.
    """
    lays = {root.id: _first_lay(root, by_face[root.id], t, rule)}
    cores = {root.id: _core(root, lays[root.id], by_face, t, rule)}
    bends: list[BendLine] = []
    strips: list[Array] = []
    queue = [root.id]
    while queue:
        parent = shell.by_id[queue.pop(0)]
        for role in by_face[parent.id]:
            other = role.edge.b if role.edge.a == parent.id else role.edge.a
            if role.kind in APART or other in lays:
                continue
            child, edge = shell.by_id[other], role.edge
            if role.kind == "roll":
                lays[child.id] = _beside(parent, child, lays[parent.id], role, 0.0, t, rule)
                cores[child.id] = _core(child, lays[child.id], by_face, t, rule)
                queue.append(child.id)
                continue
            radius = rule.radius_at(t)
            allowance = allowance_mm(edge.turn_deg, radius, t, rule.k_at(t, edge.turn_deg))
            setback = setback_mm(edge.turn_deg, radius, t, edge.reflex)
            lays[child.id] = _beside(parent, child, lays[parent.id], role, allowance - 2 * setback, t, rule)
            cores[child.id] = _core(child, lays[child.id], by_face, t, rule)
            near = side_of(cores[parent.id], by_face[parent.id], role)
            far = side_of(cores[child.id], by_face[child.id], role)
            strips.append(np.array([near[0], far[1], far[0], near[1]]))
            start, end = (near[0] + far[1]) / 2, (near[1] + far[0]) / 2
            bends.append(BendLine(start, end, edge.turn_deg, not edge.reflex, radius, allowance, edge.id))
            queue.append(child.id)
    return Laid(lays, cores, strips, bends, t, _flange_sides(lays, cores, by_face, t, rule))


def _flange_sides(
    lays: dict[str, Lay], cores: dict[str, Array], by_face: dict[str, list[EdgeRole]], t: float, rule: BendRule
) -> list[FlangeSide]:
    """Where flanges are bent, drawn in at both ends clear of the neighbours. OutlineError where a side is too short for one."""
    found = []
    clear = rule.radius_at(t) + t
    for name in lays:
        for role in by_face[name]:
            if role.kind != "weld" or (flange := role.ends_of(name).flange) is None:
                continue
            near, far = side_of(cores[name], by_face[name], role)
            long = math.dist(near, far)
            if long < 4 * clear:
                raise OutlineError(f"{role.edge.id}: {long:.0f} mm is too short for a flange; weld it without one")
            side = (far - near) / long
            found.append(
                FlangeSide(f"{role.edge.id} flange {name}", name, flange, near + side * clear, far - side * clear)
            )
    return found


def laid_pieces(shell: Shell, roles: tuple[EdgeRole, ...], skins: Skins, rule: BendRule) -> list[Laid]:
    """Every piece of flat faces laid out; what is rolled or formed is left out.

    Args:
        shell: panelled.
        roles: what becomes of its edges.
        skins: thickness of its panels.
        rule: radius and K of the bends.
    """
    by_face = roles_round(shell, roles)
    found: list[Laid] = []
    done: set[str] = set()
    for face in sorted(shell.faces, key=lambda f: -f.area_mm2):
        if face.id in done or face.kind != "plane" or any(r.kind in ("roll", "whole") for r in by_face[face.id]):
            continue
        laid = laid_out(face, shell, by_face, skins.of(face), rule)
        done |= set(laid.lays)
        if all(shell.by_id[name].kind == "plane" for name in laid.lays):
            found.append(laid)
    return found


def _first_lay(face: Face, roles: list[EdgeRole], t: float, rule: BendRule) -> Lay:
    """Bends run up the sheet; a face without bends lies along its frame."""
    bent = [r.edge for r in roles if r.kind not in APART]
    if bent:
        up = (bent[0].end - bent[0].start) / bent[0].length_mm
        if up.sum() < 0:
            up = -up
    else:
        up = face.frame[2] if face.kind == "plane" else np.zeros(3)
    return lay_of(face, up, t, rule.k_factor)


def _beside(parent: Face, child: Face, lay: Lay, role: EdgeRole, gap: float, t: float, rule: BendRule) -> Lay:
    """The child's lay: its edge on the parent's, `gap` further out."""
    edge = role.edge
    ends = np.stack([edge.start, edge.end])
    p, q = lay.point(ends)
    direction = (q - p) / math.dist(p, q)
    out = outward(lay, parent, p, q)
    own = lay_of(child, (edge.end - edge.start) / edge.length_mm, t, rule.k_factor)
    a, b = own.local(ends)
    u = (b - a) / math.dist(a, b)
    c, s = float(u @ direction), float(u[0] * direction[1] - u[1] * direction[0])
    turn = np.array([[c, -s], [s, c]])
    return own.moved(turn, p + out * gap - turn @ a)


def outward(lay: Lay, face: Face, p: Array, q: Array) -> Array:
    """(2,) the way off a face at one of its flat edges, from `p` to `q`: looked at beside the edge, for it may be in a notch."""
    direction = (q - p) / math.dist(p, q)
    out = np.array([direction[1], -direction[0]])
    middle = (p + q) / 2
    if face.kind == "plane":
        inside = covers(lay.border(face), *(float(v) for v in middle + out * BESIDE_MM))
    else:
        inside = bool((lay.point(spot_on(face)) - p) @ out > 0)
    return -out if inside else out


def spot_on(face: Face) -> Array:
    """A point well inside a face, (3,)."""
    if face.kind == "plane":
        return face.centroid
    low, high = face.outline.min(axis=0), face.outline.max(axis=0)
    return np.asarray(face.points(((low + high) / 2)[None])[0])


def _core(face: Face, lay: Lay, by_face: dict[str, list[EdgeRole]], t: float, rule: BendRule) -> Array:
    """The face's flat polygon, counter-clockwise in the plane, edge i offset by set-back or run-past."""
    flat = lay.border(face)[::-1]
    order = by_face[face.id]
    if face.kind != "plane":  # by_face has the corners only
        flat = flat[_kept(flat, _in_order(face, list(dict.fromkeys(order))))]
    offsets = np.zeros(len(flat))
    for i, role in enumerate(order):
        if role.kind == "roll":
            continue
        if role.kind == "bend":
            offsets[i] = -setback_mm(role.edge.turn_deg, rule.radius_at(t), t, role.edge.reflex)
        elif (flange := role.ends_of(face.id).flange) is not None:
            offsets[i] = flange.sharp_mm - setback_mm(flange.turn_deg, rule.radius_at(t), t, flange.reflex)
        else:
            offsets[i] = role.ends_of(face.id).past_mm
    try:
        core = offset_polygon(flat, offsets)
    except OutlineError:
        names = ", ".join(dict.fromkeys(role.edge.id for role in order))
        raise OutlineError(
            f"{face.id}: two of its edges lie in one line but end differently; give the parts of a parted panel's edge the same "
            f"joint ({names})"
        ) from None
    kept = np.einsum("ij,ij->i", following(core) - core, following(flat) - flat)
    if kept.min() <= 0 or polygon_area(core) <= 0:
        raise OutlineError(
            f"{face.id}: the bends at its edges take more than its whole width; make it wider, "
            f"the bend radius smaller ({rule.radius_at(t):g} mm now) or weld one of its edges"
        )
    return core


def _kept(flat: Array, order: list[EdgeRole]) -> list[int]:
    """Points of a developed border that are corners of it: not those in the middle of its straight sides."""
    into, out = flat - np.roll(flat, 1, axis=0), following(flat) - flat
    bent = np.abs(into[:, 0] * out[:, 1] - into[:, 1] * out[:, 0]) > 1e-9 * np.hypot(*out.T) * np.hypot(*into.T)
    return [i for i in range(len(flat)) if bent[i] or order[i] is not order[i - 1]]


def _in_order(face: Face, roles: list[EdgeRole]) -> list[EdgeRole]:
    """The face's roles in the order of its reversed loop, which is the order of its flat polygon's edges."""
    loop = face.loop[::-1]
    middles = (loop + following(loop)) / 2
    ends = np.concatenate([(role.edge.line[:-1] + role.edge.line[1:]) / 2 for role in roles])
    owner = np.repeat(np.arange(len(roles)), [len(role.edge.line) - 1 for role in roles])
    nearest = owner[np.linalg.norm(middles[:, None] - ends[None], axis=2).argmin(axis=1)]
    return [roles[i] for i in nearest]


def side_of(core: Array, order: list[EdgeRole], role: EdgeRole) -> tuple[Array, Array]:
    """Start and end of the core's edge that belongs to `role`, counter-clockwise round the core."""
    i = order.index(role)
    return core[i], core[(i + 1) % len(core)]
