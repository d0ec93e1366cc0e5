"""The outside of a tank: its inside facets moved out by the sheet, corners mitred, with what stands out of it."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import shapely
from shapely.geometry import Polygon

from bathyx.core.geometry.shell import Array, CurvedFace, Face, Shell, facets_of
from bathyx.core.geometry.surfaces import Revolved
from bathyx.core.memory import remembered

Own = tuple[tuple[str, float], ...]
LEAST_BEND, ONE_PLACE_MM = 0.05, 1e-4


@remembered()
def outside_of(shell: Shell, thickness_mm: float, own: Own = ()) -> Array:
    """Triangles (k, 3, 3) of the outside skin: every corner moved so that it stands `thickness_mm` off each face that meets in it,
    or as far as `own`, (face, mm), says of panels of other thickness.

    A corner between faces that are nearly one plane moves square to them. Flanges of pressed halves stand out in their plane.
    """
    triangles, _, _ = inside_of(shell)
    skin = corners_moved(shell, thickness_mm, own)(triangles.reshape(-1, 3)).reshape(-1, 3, 3)
    return np.concatenate([skin, *_flanges(shell, thickness_mm)])


def corners_moved(shell: Shell, thickness_mm: float, own: Own = ()) -> Callable[[Array], Array]:
    """A function that moves corners of the shell, (n, 3), to where the outside has them: `thickness_mm` off each face."""
    from scipy.spatial import KDTree  # not at the start: only spaces that are more than a box need it

    triangles, normals, owners = inside_of(shell)
    named = dict(own)
    thick = [named.get(face.parent, thickness_mm) for face in owners]
    corners = triangles.reshape(-1, 3)
    tree = KDTree(corners)
    # Corners are one where they stand in one place, not where they round alike: two faces' figures may differ in the last digit.
    same = tree.query_ball_point(corners, ONE_PLACE_MM)
    off = np.empty_like(corners)
    done = np.zeros(len(corners), bool)
    for k, mine in enumerate(same):
        if done[k]:
            continue
        faces: list[Array] = []
        stands: list[float] = []
        for j in np.array(mine) // 3:
            n, t = normals[j], thick[j]
            like = next((i for i, other in enumerate(faces) if float(n @ other) > 1 - 1e-9), None)
            if like is None:
                faces.append(n)
                stands.append(t)
            else:
                stands[like] = max(stands[like], t)
        off[mine] = _off(np.array(faces), np.array(stands))
        done[mine] = True

    def moved(points: Array) -> Array:
        return np.asarray(points + off[tree.query(points)[1]])

    return moved


def _off(normals: Array, stands: Array) -> Array:
    """(3,) how far a corner moves so that it stands off each of its faces; least squares where they are nearly one."""
    found, *_ = np.linalg.lstsq(normals, stands, rcond=LEAST_BEND)
    return np.asarray(found)


def inside_of(shell: Shell) -> tuple[Array, Array, list[Face]]:
    """(triangles (k, 3, 3), unit normals (k, 3), the face of each) of the inside; faces with corners turned in or holes
    cut properly; every one counter-clockwise from outside."""
    found: list[Array] = []
    ways: list[Array] = []
    faces: list[Face] = []
    for face in shell.faces:
        before = len(found)
        if face.kind == "plane":
            origin, u, v = face.frame
            shape = Polygon(face.outline, [(hole - origin) @ np.column_stack([u, v]) for hole in face.holes])
            for part in shapely.constrained_delaunay_triangles(shape).geoms:
                flat = np.array(part.exterior.coords)[:3]
                corners = origin + np.outer(flat[:, 0], u) + np.outer(flat[:, 1], v)
                outward = float(np.cross(corners[1] - corners[0], corners[2] - corners[0]) @ face.normal) > 0
                found.append((corners if outward else corners[::-1])[None])
                ways.append(face.normal[None])
            faces += [face] * (len(found) - before)
            continue
        for loop, normal in facets_of(face):
            for k in range(1, len(loop) - 1):
                found.append(loop[[0, k, k + 1]][None])
                ways.append(normal[None])
        faces += [face] * (len(found) - before)
    return np.concatenate(found), np.concatenate(ways), faces


def _flanges(shell: Shell, thickness_mm: float) -> list[Array]:
    """Triangles of the rims of flanges."""
    found = []
    for face in shell.faces:
        if isinstance(face, CurvedFace) and isinstance(face.on, Revolved) and face.on.flange_mm > 0:
            lift = face.on.axis * thickness_mm
            rim = face.on.pushed_out(face.loop, face.on.flange_mm)
            after = np.roll(rim, -1, axis=0)
            found.append(np.stack([rim, after, after + lift], axis=1))
            found.append(np.stack([rim, after + lift, rim + lift], axis=1))
    return found


def disc(centre: Array, normal: Array, radius_mm: float, high_mm: float) -> Array:
    """Triangles (k, 3, 3) of a round ring or boss standing on a wall.

    Args:
        centre: (3,) of its foot.
        normal: (3,) unit, away from the wall.
        radius_mm: of its rim.
        high_mm: how far it stands out.
    """
    side = np.cross(normal, np.eye(3)[int(np.argmin(np.abs(normal)))])
    side = side / np.linalg.norm(side)
    turn = np.linspace(0, 2 * np.pi, 24, endpoint=False)
    ring = centre + radius_mm * (np.outer(np.cos(turn), side) + np.outer(np.sin(turn), np.cross(normal, side)))
    top, after = ring + normal * high_mm, np.roll(ring, -1, axis=0)
    over = after + normal * high_mm
    lid = np.stack([np.broadcast_to(centre + normal * high_mm, ring.shape), top, over], axis=1)
    return np.concatenate([np.stack([ring, after, over], axis=1), np.stack([ring, over, top], axis=1), lid])
