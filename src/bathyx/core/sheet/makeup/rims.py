"""What joints let stand out of a tank's outside: plates that run past a corner, and flanges. Room that the space must have."""

from __future__ import annotations

import math

import numpy as np

from bathyx.core.geometry.shell import Array, Edge, Face, Shell
from bathyx.core.geometry.skin import outside_of
from bathyx.core.sheet.makeup.doublers import Doubler, border_of, seated
from bathyx.core.sheet.makeup.joints import Ends
from bathyx.core.sheet.makeup.roles import EdgeRole
from bathyx.core.sheet.makeup.skins import Skins

Corners = tuple[tuple[float, float, float], ...]


def outside(shell: Shell, skins: Skins, rims: tuple[Corners, ...] = ()) -> Array:
    """Triangles (k, 3, 3) of the outside, each panel as thick as it is, and what stands out of it.

    Args:
        shell: the inside.
        skins: thickness of its panels.
        rims: `stand_outs` of its joints.
    """
    skin = outside_of(shell, skins.base_mm, skins.own)
    blocks = [triangles_of(np.array(corners)) for corners in rims]
    return np.concatenate([skin, *blocks]) if blocks else skin


def stand_outs(
    panelled: Shell, roles: tuple[EdgeRole, ...], skins: Skins, shell: Shell, doublers: tuple[Doubler, ...] = ()
) -> tuple[Corners, ...]:
    """Blocks of eight corners (mm) for plates that run past a corner, for flanges and for doublers outside.

    Args:
        panelled: the shell with its parted faces.
        roles: what becomes of its edges.
        skins: thickness of its panels.
        shell: the inside without parted faces, which doublers are placed on.
        doublers: of the make-up.
    """
    found = []
    for role in roles:
        for name in (role.edge.a, role.edge.b):
            ends = role.ends_of(name)
            if role.kind == "weld" and (ends.stands_mm > 0 or ends.flange is not None):
                block = block_at(panelled.by_id[name], role.edge, ends, skins.of(name))
                found.append(_corners(block))
                if role.joint == "bolted" and ends.stands_mm > 0:  # the flange under the lid, the gasket between
                    t, gap = skins.of(name), -min(end.past_mm for end in role.ends)
                    found.append(_corners(block - panelled.by_id[name].normal * (t + gap)))
    for doubler, face in seated(shell, doublers):
        if not doubler.inside:
            foot = border_of(doubler, face)[[0, 1, 3, 2]] + face.normal * skins.of(face)
            found.append(_corners(np.concatenate([foot, foot + face.normal * doubler.thickness_mm])))
    return tuple(found)


def _corners(block: Array) -> Corners:
    return tuple((float(x), float(y), float(z)) for x, y, z in np.round(block, 6))


def block_at(face: Face, edge: Edge, ends: Ends, t: float) -> Array:
    """(8, 3) corners of what a plate has beyond an edge: the strip that runs past it, or the flat of its flange."""
    along = (edge.end - edge.start) / edge.length_mm
    out = np.cross(along, face.normal)
    beside = edge.middle - out * 1e-3
    inside = _holds(face, beside)
    out = out if inside else -out
    normal, foot, long = face.normal, 0.0, ends.past_mm
    way = out
    if ends.flange is not None:
        turn = math.radians(ends.flange.turn_deg) * (1.0 if ends.flange.reflex else -1.0)
        way = math.cos(turn) * out + math.sin(turn) * face.normal
        normal = math.cos(turn) * face.normal - math.sin(turn) * out
        foot, long = ends.flange.sharp_mm, ends.flange.length_mm
    base = np.stack([edge.start, edge.end]) + out * foot
    rows = [base, base + way * long, base + normal * t, base + way * long + normal * t]
    return np.concatenate(rows)


def _holds(face: Face, spot: Array) -> bool:
    from shapely.geometry import Point

    u, v = face.uv(spot[None])[0]
    return bool(face.shape.contains(Point(u, v)))


def triangles_of(corners: Array) -> Array:
    """Triangles (12, 3, 3) of a block whose eight corners stand as `block_at` gives them, outward."""
    quads = [(0, 1, 3, 2), (4, 5, 7, 6), (0, 1, 5, 4), (2, 3, 7, 6), (0, 2, 6, 4), (1, 3, 7, 5)]
    middle = corners.mean(axis=0)
    found = []
    for quad in quads:
        a, b, c, d = corners[list(quad)]
        for tri in (np.stack([a, b, c]), np.stack([a, c, d])):
            normal = np.cross(tri[1] - tri[0], tri[2] - tri[0])
            found.append(tri if float(normal @ (tri[0] - middle)) > 0 else tri[::-1])
    return np.stack(found)
