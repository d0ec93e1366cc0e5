"""Folding: where every face of a flat piece is in space while its bends are made, from the sheet to the tank.

At a share of a bend the strip between the flats is an arc whose neutral line keeps its length, the bend allowance.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from bathyx.core.geometry.shell import Array, Edge, Face, Shell
from bathyx.core.sheet.bending.bend import allowance_mm, setback_mm
from bathyx.core.sheet.bending.rule import BendRule
from bathyx.core.sheet.flat.laid import FlangeSide, Laid, outward

STEPS, FLAT = 6, 1e-12


@dataclass(frozen=True, eq=False)
class Placed:
    """Where a face is: (3, 3) rows that take flat x, y and height over the inside to space, and (3,) the flat origin's place."""

    turn: Array
    at: Array

    def points(self, flat: Array, over: float = 0.0) -> Array:
        """(n, 3) of flat places (n, 2), `over` mm above the inside."""
        return np.asarray(np.column_stack([flat, np.full(len(flat), over)]) @ self.turn + self.at)


@dataclass(frozen=True, eq=False)
class Folded:
    """A piece while it is folded: where each face is, and the strips of its bends as quadrilaterals (n, 4, 3) of their inside;
    flanges of its joints alike, their flat last."""

    faces: dict[str, Placed]
    strips: dict[str, Array]
    flanges: dict[str, Array]


def folded(laid: Laid, shell: Shell, rule: BendRule, shares: Mapping[str, float]) -> Folded:
    """A piece with its bends made as far as is said.

    Args:
        laid: the flat piece, the tank's inside up; its first face stays where the tank has it.
        shell: of the tank.
        rule: radius and K.
        shares: of each bend, by its edge, and of each flange, by its name: 0 flat, 1 made. What is not named is flat.
    """
    names = list(laid.lays)
    edges = {edge.id: edge for edge in shell.edges}
    faces = {names[0]: _seated(laid, shell, names[0])}
    strips: dict[str, Array] = {}
    beside = [(edges[bend.edge], bend) for bend in laid.bends]
    while len(faces) < len(names) and beside:
        edge, bend = next(pair for pair in beside if pair[0].a in faces or pair[0].b in faces)
        beside.remove((edge, bend))
        parent, child = (edge.a, edge.b) if edge.a in faces else (edge.b, edge.a)
        share = min(max(shares.get(edge.id, 0.0), 0.0), 1.0)
        own = _bent(
            laid, shell.by_id[parent], child, edge, laid.t, rule, share * math.radians(edge.turn_deg), bend.allowance_mm
        )
        base = faces[parent]
        faces[child] = Placed(own[0].turn @ base.turn, own[0].at @ base.turn + base.at)
        strips[edge.id] = own[1] @ base.turn + base.at
    flanges = {
        side.name: _flange(side, laid.t, rule, min(max(shares.get(side.name, 0.0), 0.0), 1.0)) @ faces[side.face].turn
        + faces[side.face].at
        for side in laid.flanges
        if side.face in faces
    }
    return Folded(faces, strips, flanges)


def in_order(laid: Laid) -> list[str]:
    """Bends by their edge in the order they are made: outer flanges first, what they hang on after."""
    return [bend.edge for bend in reversed(laid.bends)]


def _seated(laid: Laid, shell: Shell, name: str) -> Placed:
    """Where the first face's flat lies in the tank: by three of its places, which its lay takes to the plane."""
    face, lay = shell.by_id[name], laid.lays[name]
    spot = face.loop[0]
    axes = np.stack([face.loop[1] - spot, np.cross(face.normal, face.loop[1] - spot)])
    axes /= np.linalg.norm(axes[0])
    flat = lay.point(np.stack([spot, spot + axes[0], spot + axes[1]]))
    plane = np.stack([flat[1] - flat[0], flat[2] - flat[0]])  # rows: where the two axes lie in the flat
    rows = plane.T @ axes
    turn = np.stack([rows[0], rows[1], np.cross(rows[0], rows[1])])
    return Placed(turn, spot - np.array([*flat[0], 0.0]) @ turn)


def _bent(
    laid: Laid, face: Face, child: str, edge: Edge, t: float, rule: BendRule, angle: float, allowance: float
) -> tuple[Placed, Array]:
    """(the child's flat in the parent's own flat space, strips (n, 4, 3) of the arc between them).

    The inside lies above the neutral line by K t; at a reflex bend the bend's own inside is the other skin.
    """
    ends = np.stack([edge.start, edge.end])
    p, q = laid.lays[face.id].point(ends)
    a, _ = laid.lays[child].point(ends)
    along = (q - p) / math.dist(p, q)
    out = outward(laid.lays[face.id], face, p, q)
    set_back = setback_mm(edge.turn_deg, rule.radius_at(t), t, edge.reflex)
    k = rule.k_at(t, edge.turn_deg)
    way = -1.0 if edge.reflex else 1.0
    above = (1 - k if edge.reflex else k) * t
    start = np.array([*(p - out * set_back), 0.0])  # where the parent's flat ends
    axes = np.array([[*along, 0.0], [*out, 0.0], [0.0, 0.0, 1.0]])

    x, z = _skin(angle, allowance, way, above)
    c, s = math.cos(angle), way * math.sin(angle)
    turn = axes.T @ np.array([[1.0, 0.0, 0.0], [0.0, c, s], [0.0, -s, c]]) @ axes
    tangent = a + out * set_back  # where the child's flat begins
    origin = np.array([float((tangent - p) @ along), x, z]) @ axes + start
    placed = Placed(turn, origin - np.array([*tangent, 0.0]) @ turn)
    reach = math.dist(p, q)
    rows = []
    for k in np.linspace(0, 1, STEPS + 1):
        x, z = _skin(angle * k, allowance * k, way, above)
        rows.append(np.array([[0.0, x, z], [reach, x, z]]) @ axes + start)
    return placed, np.array([[u[0], u[1], v[1], v[0]] for u, v in pairwise(rows)])


def _skin(turned: float, run: float, way: float, above: float) -> tuple[float, float]:
    """(out, up) of the inside after `run` mm of the neutral line, turned so far: up where `way` is 1; the inside is `above` it."""
    if turned < FLAT:
        return run, 0.0
    rho, s, c = run / turned, math.sin(turned), math.cos(turned)
    return rho * s - way * above * s, -above + way * rho * (1 - c) + above * c


def _flange(side: FlangeSide, t: float, rule: BendRule, share: float) -> Array:
    """Quadrilaterals (n, 4, 3) of a flange in its face's flat space: the arc of its bend, then its flat."""
    flange, radius = side.flange, rule.radius_at(t)
    k = rule.k_at(t, flange.turn_deg)
    allowance = allowance_mm(flange.turn_deg, radius, t, k)
    angle, way = share * math.radians(flange.turn_deg), -1.0 if flange.reflex else 1.0
    above = (1 - k if flange.reflex else k) * t
    along = (side.far - side.near) / math.dist(side.far, side.near)
    axes = np.array([[*along, 0.0], [along[1], -along[0], 0.0], [0.0, 0.0, 1.0]])
    long = flange.length_mm - setback_mm(flange.turn_deg, radius, t, flange.reflex)
    spots = [_skin(angle * s, allowance * s, way, above) for s in np.linspace(0, 1, STEPS + 1)]
    x, z = spots[-1]
    spots.append((x + math.cos(angle) * long, z + way * math.sin(angle) * long))
    reach, start = math.dist(side.near, side.far), np.array([*side.near, 0.0])
    rows = [np.array([[0.0, x, z], [reach, x, z]]) @ axes + start for x, z in spots]
    return np.array([[u[0], u[1], v[1], v[0]] for u, v in pairwise(rows)])
