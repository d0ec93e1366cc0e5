"""Cutting a closed set of face loops with planes: bays between baffles, fluid below a level, baffle plates."""

from __future__ import annotations

import numpy as np

from bathyx.core.geometry.shell import Array, cross

Loops = list[tuple[Array, Array]]
Soup = tuple[Array, Array, Array]


def clip_loop(loop: Array, point: Array, normal: Array) -> Array:
    """The part of a planar loop (n, 3) on the side that `normal` points away from; (0, 3) where none is left.

    Sutherland and Hodgman (CACM 17, 1974): a loop that falls apart stays joined by edges that cancel in any sum.
    """
    distance = (loop - point) @ normal
    scale = max(1.0, float(np.abs(distance).max(initial=0.0)))
    side = [0.0 if abs(s) < 1e-10 * scale else s for s in distance.tolist()]
    if max(side) <= 0:
        return loop
    if min(side) > 0:
        return np.zeros((0, 3))
    kept: list[Array] = []
    for i in range(len(loop)):
        j = (i + 1) % len(loop)
        if side[i] <= 0:
            kept.append(loop[i])
        if side[i] * side[j] < 0:
            kept.append(loop[i] + (loop[j] - loop[i]) * (side[i] / (side[i] - side[j])))
    return np.array(kept) if len(kept) >= 3 else np.zeros((0, 3))


def clip_closed(loops: Loops, point: Array, normal: Array) -> tuple[Loops, Array]:
    """(loops kept, cap edges (m, 2, 3)) of a closed set of (loop, normal) cut by a plane.

    The cap edges close the cut: with `normal` they bound it, in no particular order.
    """
    kept: Loops = []
    cap: list[Array] = []
    for loop, face_normal in loops:
        if abs(abs(face_normal @ normal) - 1) < 1e-12 and abs((loop[0] - point) @ normal) < 1e-9:
            continue
        piece = clip_loop(loop, point, normal)
        if len(piece) == 0:
            continue
        kept.append((piece, face_normal))
        on = np.abs((piece - point) @ normal) < 1e-8
        nxt = [*range(1, len(piece)), 0]
        for i in np.flatnonzero(on & on[nxt]).tolist():
            cap.append(np.stack([piece[nxt[i]], piece[i]]))
    return kept, np.array(cap).reshape(-1, 2, 3)


def centroid_below(loops: Loops, level_mm: float) -> tuple[float, Array]:
    """(volume mm3, centroid (3,)) of a closed set of loops below a level; the lowest corner where nothing is below it."""
    up = np.array([0.0, 0.0, 1.0])
    spot = np.array([0.0, 0.0, level_mm])
    kept, cap = clip_closed(loops, spot, up)
    low = min((loop[np.argmin(loop[:, 2])] for loop, _ in loops), key=lambda p: float(p[2]))
    if float(low[2]) >= level_mm - 1e-9 or not kept:
        return 0.0, np.asarray(low)
    triangles = [np.stack([np.broadcast_to(p[0], p[1:-1].shape), p[1:-1], p[2:]], axis=1) for p, _ in kept]
    if len(cap):
        middle = np.broadcast_to(cap.reshape(-1, 3).mean(axis=0), (len(cap), 3))
        triangles.append(np.stack([middle, cap[:, 0], cap[:, 1]], axis=1))
    tri = np.concatenate(triangles) - low
    volumes = np.einsum("ij,ij->i", tri[:, 0], cross(tri[:, 1], tri[:, 2])) / 6
    total = float(volumes.sum())
    return total, np.asarray((volumes[:, None] * tri.sum(axis=1)).sum(axis=0) / 4 / total + low)


def chain(edges: Array) -> list[Array]:
    """Closed loops (n, 3) from loose directed edges (m, 2, 3): the outline of a cut, for drawing."""
    left = {i: edge for i, edge in enumerate(edges) if np.linalg.norm(edge[1] - edge[0]) > 1e-9}
    loops: list[Array] = []
    while left:
        _, edge = left.popitem()
        loop = [edge[0], edge[1]]
        while np.linalg.norm(loop[-1] - loop[0]) > 1e-6:
            found = next((i for i, e in left.items() if np.linalg.norm(e[0] - loop[-1]) < 1e-6), None)
            if found is None:
                break
            loop.append(left.pop(found)[1])
        if len(loop) > 3:
            loops.append(np.array(loop[:-1]))
    return loops
