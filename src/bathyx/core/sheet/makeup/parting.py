"""A face parted by a line beside one of its edges: a seam brought from a corner round onto the flat."""

from __future__ import annotations

import math

import numpy as np

from bathyx.core.geometry.shell import Array, Edge, Face, Shell, close_shell, following
from bathyx.errors import Refusal

LEAST_MM = 1.0


def parted(shell: Shell, edge_id: str, onto: str, by_mm: float) -> Shell:
    """The shell with a flat face parted in two, `onto:1` beside the edge and `onto:2` beyond, `by_mm` from it.

    Args:
        shell: of the tank.
        edge_id: whose corner the seam leaves.
        onto: one of the two faces that meet there.
        by_mm: how far the seam lies from it, mm.

    Raises:
        Refusal: for an edge or a face that is not there, a curved one, one parted before, or a line that misses its flat.
    """
    edge = next((e for e in shell.edges if e.id == edge_id), None)
    if edge is None or onto not in (edge.a, edge.b):
        between = ", ".join(e.id for e in shell.edges if onto in (e.a, e.b)) or "none"
        raise Refusal(f"no seam can leave {edge_id!r} for {onto!r}: its edges are {between}")
    face = shell.by_id[onto]
    if (shell.by_id[edge.a].role == "sump") != (shell.by_id[edge.b].role == "sump"):
        raise Refusal(f"{edge_id} goes round the hole of a sump, which is welded in: its seam stays there")
    if face.id != face.parent:
        raise Refusal(f"{face.parent} is parted already; a panel has one seam on its flat")
    beside = [shell.by_id[e.b if e.a == onto else e.a] for e in shell.edges if onto in (e.a, e.b)]
    if face.kind != "plane" or face.holes or len(edge.line) > 2 or any(other.kind != "plane" for other in beside):
        raise Refusal(f"a seam is moved along a flat whose edges are all straight; {onto} has a curve or a hole")
    cut = _cut(face, edge, by_mm)
    spots = [spot for _, spot in cut]
    faces: list[Face] = []
    for other in shell.faces:
        if other is not face:
            faces.append(_with_corners(other, spots))
            continue
        near, far = _halves(face, cut, edge)
        faces += [Face(f"{onto}:1", near, face.parent, face.role), Face(f"{onto}:2", far, face.parent, face.role)]
    return close_shell(faces)


def _cut(face: Face, edge: Edge, by_mm: float) -> list[tuple[int, Array]]:
    """[(side of the loop, (3,) where it is crossed)], the two crossings of a line beside an edge."""
    along = (edge.end - edge.start) / edge.length_mm
    inward = np.cross(face.normal, along)
    loop = face.loop
    mine = next(k for k in range(len(loop)) if _same(loop[k], following(loop)[k], edge))
    if float((following(loop)[mine] - loop[mine]) @ along) < 0:
        inward = -inward
    off = (loop - edge.start) @ inward - by_mm
    found = []
    for k in range(len(loop)):
        p, q = off[k], off[(k + 1) % len(loop)]
        if (p < 0) != (q < 0):
            share = p / (p - q)
            found.append((k, loop[k] + share * (loop[(k + 1) % len(loop)] - loop[k])))
    deep = float(off.max()) + by_mm
    if len(found) != 2 or np.abs(off).min() < LEAST_MM:
        raise Refusal(
            f"a seam {by_mm:g} mm from {edge.id} does not part {face.id} in two: it is {deep:.0f} mm deep there; "
            "take a distance that crosses it once and stays off its corners"
        )
    return found


def _same(p: Array, q: Array, edge: Edge) -> bool:
    return (math.dist(p, edge.start) < 1e-6 and math.dist(q, edge.end) < 1e-6) or (
        math.dist(p, edge.end) < 1e-6 and math.dist(q, edge.start) < 1e-6
    )


def _halves(face: Face, cut: list[tuple[int, Array]], edge: Edge) -> tuple[Array, Array]:
    """(the part with the edge, the other), loops (n, 3) that run as the face's does."""
    (i, p), (j, q) = cut
    loop = face.loop
    inner = np.array([p, *loop[i + 1 : j + 1], q])
    outer = np.array([q, *loop[j + 1 :], *loop[: i + 1], p])
    holds = any(_same(inner[k], inner[k + 1], edge) for k in range(len(inner) - 1))
    return (inner, outer) if holds else (outer, inner)


def _with_corners(face: Face, spots: list[Array]) -> Face:
    """The face with new corners where they lie on its sides."""
    loop = list(face.loop)
    for spot in spots:
        for k in range(len(loop)):
            a, b = loop[k], loop[(k + 1) % len(loop)]
            if abs(math.dist(a, spot) + math.dist(spot, b) - math.dist(a, b)) < 1e-9 * max(1.0, math.dist(a, b)):
                loop.insert(k + 1, spot)
                break
    return face if len(loop) == len(face.loop) else Face(face.id, np.array(loop), face.parent, face.role, face.holes)
