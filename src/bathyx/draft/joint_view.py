"""A joint cut square to its edge, to scale: both plates as they end, a flange with its bend, the tank's inside named."""

from __future__ import annotations

import math

import numpy as np

from bathyx.core.evaluate import Evaluation
from bathyx.core.geometry.shell import Array, Face
from bathyx.core.sheet.bending.bend import setback_mm
from bathyx.core.sheet.makeup.joints import Ends
from bathyx.core.sheet.makeup.roles import EdgeRole
from bathyx.core.units import Family, show
from bathyx.draft.picture import Dim, Item, Label, Picture, Poly

ARC_STEPS, SHOWN_T = 8, 9.0


def joint_view(e: Evaluation, role: EdgeRole, units: Family) -> Picture:
    """The section of an edge as it stands in the tank: seen along it, up is up; an upright edge from above.

    Args:
        e: the evaluated job.
        role: of a straight edge between flat faces.
        units: for the dimensions.
    """
    r, edge = e.results, role.edge
    along = (edge.end - edge.start) / edge.length_mm
    up = np.array([0.0, 1.0, 0.0]) if abs(along[2]) > 0.9 else np.array([0.0, 0.0, 1.0])
    up = up - along * (up @ along)
    up /= np.linalg.norm(up)
    right = np.cross(up, along)
    right = right if right @ np.array([1.0, 1.0, 0.0]) > -1e-9 else -right
    basis = np.stack([right, up])
    faces = r.panelled.by_id[edge.a], r.panelled.by_id[edge.b]
    ends = [role.ends_of(face.id) for face in faces]
    thick = [r.skins.of(face) for face in faces]
    reach = max(
        SHOWN_T * max(thick), *(1.5 * max(abs(x.past_mm), x.flange.length_mm if x.flange else 0.0) for x in ends)
    )
    items: list[Item] = []
    inward = np.zeros(2)
    for face, end, t in zip(faces, ends, thick, strict=True):
        way, out = _directions(face, edge.start, edge.end, basis)
        inward += way - out
        if role.kind == "bend":
            back = setback_mm(edge.turn_deg, r.rule.radius_at(t), t, edge.reflex)
            end = Ends(-back, -back)
        for part in _plate(way, out, end, t, reach, r.rule.radius_at(t)):
            items.append(Poly(part, "ink", "sheet", 1.4))
        spot = way * reach * 0.85 + out * t / 2
        whole = not units.us and float(t).is_integer()
        thickness = show(t, "length" if whole else "small", units)
        items.append(Label(spot, f"{face.id.split(':')[0]}, {thickness}", 8, "ink", badge="sheet"))
        if role.joint in ("tee", "set in", "tabs", "bolted") and end.past_mm > 0.5:
            a, b = out * t, out * t - way * end.past_mm
            items.append(Dim(a, b, show(end.past_mm, "length", units, places=1), 14))
        if role.joint == "bolted" and end.stands_mm > 0:
            items += _under_lid(way, out, end, t, -min(other.past_mm for other in ends), units)
        if end.tab_mm > 0:
            tab = np.array([[0, 0], -way * end.tab_mm, -way * end.tab_mm + out * t, out * t])
            items.append(Poly(tab, "ink", "lit", 1.0, dashed=True))
    if role.kind == "bend":
        items.insert(0, Poly(_bend(faces, role, basis, r.rule.radius_at(thick[0]), thick[0]), "ink", "sheet", 1.4))
    inside = inward / max(float(np.linalg.norm(inward)), 1e-9) * reach * 0.62
    items.append(Label(inside, "inside", 8, "fluid line"))
    return Picture(tuple(items))


def _under_lid(way: Array, out: Array, end: Ends, t: float, gap: float, units: Family) -> list[Item]:
    """The gasket, the strip of the flange and a screw under a bolted lid, in section."""
    wall = end.stands_mm

    def block(a: float, b: float, high: float, low: float) -> Array:
        return np.array([-way * a + out * high, -way * b + out * high, -way * b + out * low, -way * a + out * low])

    middle = (wall + end.past_mm) / 2
    return [
        Poly(block(0.0, end.past_mm, 0.0, -gap), "ink", "lit", 0.8),
        Poly(block(wall, end.past_mm, -gap, -gap - t), "ink", "sheet", 1.4),
        Poly(np.array([-way * middle + out * 1.6 * t, -way * middle - out * (gap + 1.6 * t)]), "ink", None, 2.4, False),
        Dim(
            -way * wall - out * (gap + t),
            -way * end.past_mm - out * (gap + t),
            show(end.past_mm - wall, "length", units, places=1),
            -30,
        ),
    ]


def _directions(face: Face, start: Array, end: Array, basis: Array) -> tuple[Array, Array]:
    """(from the edge into the face, out of the tank), each (2,) in the section."""
    from shapely.geometry import Point

    along = (end - start) / math.dist(end, start)
    way = np.cross(face.normal, along)
    spot = (start + end) / 2 + way * 1e-3
    if not face.shape.contains(Point(*face.uv(spot[None])[0])):
        way = -way
    return basis @ way, basis @ face.normal


def _plate(way: Array, out: Array, end: Ends, t: float, reach: float, radius: float) -> list[Array]:
    """Polygons (n, 2) of a plate and its flange in the section."""
    if end.flange is None:
        inside, outside = -way * end.inside_mm, out * t - way * end.outside_mm
        return [np.array([inside, way * reach, way * reach + out * t, outside])]
    f = end.flange
    back = setback_mm(f.turn_deg, radius, t, f.reflex)
    turn = math.radians(f.turn_deg) * (1.0 if f.reflex else -1.0)
    core = way * (back - f.sharp_mm)
    parts = [np.array([core, way * reach, way * reach + out * t, core + out * t])]
    hub = core + out * (radius + t if f.reflex else -radius)
    rows_in, rows_out = [], []
    for share in np.linspace(0.0, 1.0, ARC_STEPS + 1):
        c, s = math.cos(turn * share), math.sin(turn * share)
        normal = c * out - s * (-way)
        near, far = (-(radius + t), -radius) if f.reflex else (radius, radius + t)
        rows_in.append(hub + normal * near)
        rows_out.append(hub + normal * far)
    parts.append(np.array(rows_in + rows_out[::-1]))
    run = math.cos(turn) * -way + math.sin(turn) * out
    long = f.length_mm - back
    a, b = rows_in[-1], rows_out[-1]
    parts.append(np.array([a, a + run * long, b + run * long, b]))
    return parts


def _bend(faces: tuple[Face, Face], role: EdgeRole, basis: Array, radius: float, t: float) -> Array:
    """(n, 2) the arc between both flats of a bent edge."""
    (way_a, out_a), (_, out_b) = (_directions(face, role.edge.start, role.edge.end, basis) for face in faces)
    back = setback_mm(role.edge.turn_deg, radius, t, role.edge.reflex)
    inner, outer = [], []
    hub = way_a * back + out_a * (radius + t if role.edge.reflex else -radius)
    for share in np.linspace(0.0, 1.0, ARC_STEPS + 1):
        normal = out_a * (1 - share) + out_b * share
        normal = normal / np.linalg.norm(normal)
        near, far = (-(radius + t), -radius) if role.edge.reflex else (radius, radius + t)
        inner.append(hub + normal * near)
        outer.append(hub + normal * far)
    return np.array(inner + outer[::-1])
