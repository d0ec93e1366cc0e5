"""Cutting a closed set of face loops with planes: bays between baffles, fluid below a level, baffle plates."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

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


def centroid_below(triangles: Array, level_mm: float) -> tuple[float, Array]:
    """(volume mm3, centroid (3,)) below a level of a closed set of triangles (n, 3, 3); the lowest corner where nothing is.

    Tetrahedra from a point of the level's own plane: the surface of the fluid adds nothing to them.
    """
    z = triangles[:, :, 2]
    lowest = triangles.reshape(-1, 3)[int(z.argmin())]
    if float(lowest[2]) >= level_mm - 1e-9:
        return 0.0, np.asarray(lowest)
    apex = np.array([lowest[0], lowest[1], level_mm])
    under = z < level_mm
    count = under.sum(axis=1)
    tri = np.concatenate([triangles[count == 3], *_tips(triangles, under, count, level_mm)]) - apex
    volumes = np.einsum("ij,ij->i", tri[:, 0], cross(tri[:, 1], tri[:, 2])) / 6
    total = float(volumes.sum())
    return total, np.asarray((volumes[:, None] * tri.sum(axis=1)).sum(axis=0) / 4 / total + apex)


def _tips(triangles: Array, under: NDArray[np.bool_], count: NDArray[np.int_], level: float) -> list[Array]:
    """What triangles (n, 3, 3) that cross a level have below it: one triangle for one corner below, two for two."""
    found = []
    for below in (1, 2):
        mine = triangles[count == below]
        if not len(mine):
            continue
        odd = (under == (below == 1))[count == below].argmax(axis=1)
        a, b, c = (mine[np.arange(len(mine)), (odd + k) % 3] for k in range(3))
        ab, ca = (a + (x - a) * ((level - a[:, 2]) / (x[:, 2] - a[:, 2]))[:, None] for x in (b, c))
        if below == 1:
            found.append(np.stack([a, ab, ca], axis=1))
        else:
            found += [np.stack([ab, b, c], axis=1), np.stack([ab, c, ca], axis=1)]
    return found


def chain(edges: Array) -> list[Array]:
    """Closed loops (n, 3) from loose directed edges (m, 2, 3): the outline of a cut, for drawing."""
    left = {i: edge for i, edge in enumerate(edges) if np.abs(edge[1] - edge[0]).max() > 1e-9}
    starts: dict[tuple[float, ...], list[int]] = {}
    for i, edge in left.items():
        starts.setdefault(_near(edge[0]), []).append(i)
    loops: list[Array] = []
    while left:
        _, edge = left.popitem()
        loop = [edge[0], edge[1]]
        while np.abs(loop[-1] - loop[0]).max() > 1e-6:
            # Most follow by their rounded start; one that rounds the other way is looked for.
            found = next((i for i in starts.get(_near(loop[-1]), ()) if i in left), None)
            if found is None:
                found = next((i for i, e in left.items() if np.abs(e[0] - loop[-1]).max() < 1e-6), None)
            if found is None:
                break
            loop.append(left.pop(found)[1])
        if len(loop) > 3:
            loops.append(np.array(loop[:-1]))
    return loops


def _near(point: Array) -> tuple[float, ...]:
    x, y, z = point.tolist()
    return round(x, 5), round(y, 5), round(z, 5)
