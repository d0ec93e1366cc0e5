"""Unfolding: faces joined by bent edges laid out in the plane, seen from inside the tank.

Each face's inside polygon is trimmed by the set-back at its bends and extended by the run-past at its welds; two
neighbours lie a bend allowance apart. Generic over shells of planar faces whose bends form a tree.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass

import numpy as np
from shapely import Polygon, union_all

from bathyx.core.geometry.outline import Outline, OutlineError, offset_polygon, polygon_area, rounded
from bathyx.core.geometry.shell import Array, Face, Shell, cross, following
from bathyx.core.sheet.bend import allowance_mm, setback_mm
from bathyx.core.sheet.blank import BendLine
from bathyx.core.sheet.makeup import BendRule, EdgeRole


@dataclass(frozen=True, eq=False)
class Lay:
    """A face laid in the plane: a point P of it lands at `shift` + `axes` P. `axes` (2, 3), `shift` (2,)."""

    axes: Array
    shift: Array

    def point(self, p: Array) -> Array:
        """Flat position (2,) or (n, 2) of a point (3,) or points (n, 3) of the face."""
        return np.asarray(p @ self.axes.T + self.shift)


@dataclass(frozen=True, eq=False)
class FlatPiece:
    """Faces unfolded together: how each lies, the outline, and the bends."""

    lays: dict[str, Lay]
    outline: Outline
    bends: tuple[BendLine, ...]


def unfold(shell: Shell, roles: tuple[EdgeRole, ...], thickness_mm: float, rule: BendRule) -> list[FlatPiece]:
    """One FlatPiece per group of faces joined by bends. OutlineError when bends leave no flat between them."""
    touching: dict[str, list[EdgeRole]] = defaultdict(list)
    for role in roles:
        touching[role.edge.a].append(role)
        touching[role.edge.b].append(role)
    by_face = {face.id: _in_order(face, touching[face.id]) for face in shell.faces}
    pieces: list[FlatPiece] = []
    done: set[str] = set()
    for face in sorted(shell.faces, key=lambda f: -f.area_mm2):
        if face.id in done:
            continue
        piece = _unfold_from(face, shell, by_face, thickness_mm, rule)
        done |= set(piece.lays)
        pieces.append(piece)
    return pieces


def _unfold_from(root: Face, shell: Shell, by_face: dict[str, list[EdgeRole]], t: float, rule: BendRule) -> FlatPiece:
    lays = {root.id: _first_lay(root, by_face[root.id])}
    cores = {root.id: _core(root, lays[root.id], by_face, t, rule)}
    bends: list[BendLine] = []
    strips: list[Array] = []
    queue = [root.id]
    while queue:
        parent = shell.by_id[queue.pop(0)]
        for role in by_face[parent.id]:
            other = role.edge.b if role.edge.a == parent.id else role.edge.a
            if role.kind != "bend" or other in lays:
                continue
            child, edge = shell.by_id[other], role.edge
            allowance = allowance_mm(edge.turn_deg, rule.radius_mm, t, rule.k_factor)
            setback = setback_mm(edge.turn_deg, rule.radius_mm, t, edge.reflex)
            lays[child.id] = _beside(parent, child, lays[parent.id], role, allowance - 2 * setback)
            cores[child.id] = _core(child, lays[child.id], by_face, t, rule)
            near = _side(cores[parent.id], by_face[parent.id], role)
            far = _side(cores[child.id], by_face[child.id], role)
            strips.append(np.array([near[0], far[1], far[0], near[1]]))
            start, end = (near[0] + far[1]) / 2, (near[1] + far[0]) / 2
            bends.append(BendLine(start, end, edge.turn_deg, not edge.reflex, rule.radius_mm, allowance, edge.id))
            queue.append(child.id)
    if len(lays) == 1:
        outline = rounded(cores[root.id], _corner_radii(root, by_face, shell, t, rule))
    else:
        outline = _joined(list(cores.values()) + strips)
    return FlatPiece(lays, outline, tuple(bends))


def _first_lay(face: Face, roles: list[EdgeRole]) -> Lay:
    """Bends run up the sheet; a face without bends lies along its frame."""
    bent = [r.edge for r in roles if r.kind == "bend"]
    if bent:
        up = (bent[0].end - bent[0].start) / bent[0].length_mm
        if up.sum() < 0:
            up = -up
    else:
        up = face.frame[2]
    along = cross(up, -face.normal)
    return Lay(np.stack([along, up]), np.zeros(2))


def _beside(parent: Face, child: Face, lay: Lay, role: EdgeRole, gap: float) -> Lay:
    """The child's lay: its edge parallel to the parent's, `gap` further out."""
    edge = role.edge
    p, q = lay.point(edge.start), lay.point(edge.end)
    direction = (q - p) / edge.length_mm
    out = np.array([direction[1], -direction[0]])
    if (lay.point(parent.centroid) - p) @ out > 0:
        out = -out
    axis = (edge.end - edge.start) / edge.length_mm
    inward = child.centroid - edge.start
    inward = inward - axis * (inward @ axis)
    side = cross(child.normal, axis)
    side = side if side @ inward > 0 else -side
    along = axis * direction[0] + side * out[0]
    up = axis * direction[1] + side * out[1]
    axes = np.stack([along, up])
    return Lay(axes, p + out * gap - axes @ edge.start)


def _core(face: Face, lay: Lay, by_face: dict[str, list[EdgeRole]], t: float, rule: BendRule) -> Array:
    """The face's flat polygon, counter-clockwise in the plane, edge i offset by set-back or run-past."""
    flat = lay.point(face.loop)[::-1]
    offsets = np.zeros(len(flat))
    for i, role in enumerate(by_face[face.id]):
        if role.kind == "bend":
            offsets[i] = -setback_mm(role.edge.turn_deg, rule.radius_mm, t, role.edge.reflex)
        else:
            offsets[i] = role.run_past_mm(face.id, t)
    core = offset_polygon(flat, offsets)
    kept = np.einsum("ij,ij->i", following(core) - core, following(flat) - flat)
    if kept.min() <= 0 or polygon_area(core) <= 0:
        raise OutlineError(
            f"{face.id}: the bends at its edges take more than its whole width; make it wider, "
            f"the bend radius smaller ({rule.radius_mm:g} mm now) or weld one of its edges"
        )
    return core


def _in_order(face: Face, roles: list[EdgeRole]) -> list[EdgeRole]:
    """The face's roles in the order of its reversed loop, which is the order of its flat polygon's edges."""
    loop = face.loop[::-1]
    middles = (loop + following(loop)) / 2
    ends = np.array([(role.edge.start + role.edge.end) / 2 for role in roles])
    nearest = np.linalg.norm(middles[:, None] - ends[None], axis=2).argmin(axis=1)
    return [roles[i] for i in nearest]


def _side(core: Array, order: list[EdgeRole], role: EdgeRole) -> tuple[Array, Array]:
    """Start and end of the core's edge that belongs to `role`, counter-clockwise round the core."""
    i = order.index(role)
    return core[i], core[(i + 1) % len(core)]


def _corner_radii(face: Face, by_face: dict[str, list[EdgeRole]], shell: Shell, t: float, rule: BendRule) -> Array:
    """Radius at each corner of a plate whose neighbours are bent round it there; 0 where they are welded."""
    order = by_face[face.id]
    radii = np.zeros(len(order))
    for i in range(len(order)):
        before, after = order[i - 1], order[i]
        a = before.edge.b if before.edge.a == face.id else before.edge.a
        b = after.edge.b if after.edge.a == face.id else after.edge.a
        corner = next((r for r in by_face[a] if {r.edge.a, r.edge.b} == {a, b} and r.kind == "bend"), None)
        if corner is None:
            continue
        past = after.run_past_mm(face.id, t)
        radii[i] = rule.radius_mm + (t - past if corner.edge.reflex else past)
    return radii


def _joined(parts: list[Array]) -> Outline:
    """One outline round parts that share edges to rounding."""
    ring = union_all([Polygon(part) for part in parts], grid_size=1e-6)
    points = np.array(ring.exterior.coords)[:-1]
    if polygon_area(points) < 0:
        points = points[::-1]
    keep = []
    for i in range(len(points)):
        a, b, c = points[i - 1], points[i], points[(i + 1) % len(points)]
        if abs((b[0] - a[0]) * (c[1] - b[1]) - (b[1] - a[1]) * (c[0] - b[0])) > 1e-3:
            keep.append(i)
    return Outline(points[keep], np.zeros(len(keep)))
