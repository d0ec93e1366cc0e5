"""The closed inside surface of a tank: planar faces that meet in edges. Every family of tanks builds one of these.

x runs along the tank from its front, y across it from its left end, z up; lengths in mm.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


class ShellError(ValueError):
    """The faces do not close to a shell; the message names the open edge."""


def following(points: Array) -> Array:
    """Each point's successor round a loop, same shape; `np.roll` by -1, faster on short loops."""
    return np.concatenate((points[1:], points[:1]))


def cross(a: Array, b: Array) -> Array:
    """Cross product over the last axis; the same as `np.cross` and several times faster on a few vectors."""
    out = np.empty(np.broadcast_shapes(a.shape, b.shape))
    out[..., 0] = a[..., 1] * b[..., 2] - a[..., 2] * b[..., 1]
    out[..., 1] = a[..., 2] * b[..., 0] - a[..., 0] * b[..., 2]
    out[..., 2] = a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0]
    return out


@dataclass(frozen=True, eq=False)
class Face:
    """A planar face. `loop` is (n, 3), counter-clockwise seen from outside; `parent` is the face it was cut from."""

    id: str
    loop: Array
    parent: str

    @cached_property
    def area_vector(self) -> Array:
        """Outward normal times area, mm2, shape (3,): half the sum of cross products round the loop."""
        base = self.loop - self.loop[0]
        return np.asarray(0.5 * cross(base[1:-1], base[2:]).sum(axis=0))

    @cached_property
    def area_mm2(self) -> float:
        """Area of the inside face."""
        x, y, z = self.area_vector
        return math.sqrt(x * x + y * y + z * z)

    @cached_property
    def normal(self) -> Array:
        """Unit normal, pointing out of the tank, shape (3,)."""
        return self.area_vector / self.area_mm2

    @cached_property
    def centroid(self) -> Array:
        """Centroid of the area, shape (3,)."""
        base = self.loop - self.loop[0]
        nxt = following(base)
        weights = cross(base, nxt) @ self.normal / 2
        return np.asarray(self.loop[0] + ((base + nxt) / 3 * weights[:, None]).sum(axis=0) / self.area_mm2)

    @cached_property
    def frame(self) -> tuple[Array, Array, Array]:
        """(origin, u, v) of positions on the face, each shape (3,), as a maker measures them.

        Floors and tops: u from the front, v from the left end. Ends: u from the front, v from below.
        Other faces: u from the left end, v up the face. The origin is where the face begins in both.
        """
        n = self.normal
        if abs(n[1]) > 0.7:
            u, v = np.array([1.0, 0, 0]), np.array([0, 0, 1.0])
        elif abs(n[2]) > 0.7:
            u, v = np.array([1.0, 0, 0]), np.array([0, 1.0, 0])
        else:
            u, v = np.array([0, 1.0, 0]), np.array([0, 0, 1.0])
        u = u - n * (u @ n)
        u = u / math.hypot(*u)
        v = v - n * (v @ n) - u * (v @ u)
        v = v / math.hypot(*v)
        low_u, low_v = (self.loop @ u).min(), (self.loop @ v).min()
        origin = n * (self.loop[0] @ n) + u * low_u + v * low_v
        return origin, u, v

    @cached_property
    def outline(self) -> Array:
        """The loop in the face's own (u, v), shape (n, 2); turns clockwise where the frame faces inward."""
        origin, u, v = self.frame
        return np.column_stack([(self.loop - origin) @ u, (self.loop - origin) @ v])

    def over(self, x_mm: float, y_mm: float) -> tuple[float, float]:
        """(u, v) of the point of the face's plane at plan position (x, y); ValueError for an upright face."""
        n = self.normal
        if abs(n[2]) < 1e-6:
            raise ValueError(f"{self.id} stands upright: a plan position does not say where on it")
        origin, u, v = self.frame
        flat = np.array([x_mm, y_mm, 0.0]) - origin
        flat[2] = -(n[0] * flat[0] + n[1] * flat[1]) / n[2]
        return float(flat @ u), float(flat @ v)

    def place(self, u_mm: float, v_mm: float) -> Array:
        """The point of space at (u, v) on the face, shape (3,)."""
        origin, u, v = self.frame
        return origin + u * u_mm + v * v_mm


@dataclass(frozen=True, eq=False)
class Edge:
    """Where faces `a` and `b` meet. `angle_deg` is measured inside the tank: 90 for a box, over 180 for a reflex edge."""

    id: str
    a: str
    b: str
    start: Array
    end: Array
    angle_deg: float

    @cached_property
    def length_mm(self) -> float:
        """True length."""
        return math.dist(self.start, self.end)

    @property
    def reflex(self) -> bool:
        """Whether the tank's inside lies on the outer side of the corner."""
        return self.angle_deg > 180 + 1e-9

    @property
    def turn_deg(self) -> float:
        """How far a sheet turns when this edge is bent, 90 for a box."""
        return abs(180.0 - self.angle_deg)


@dataclass(frozen=True, eq=False)
class Shell:
    """A closed shell. `edges` join faces by id; built by `close_shell`."""

    faces: tuple[Face, ...]
    edges: tuple[Edge, ...]

    @cached_property
    def by_id(self) -> dict[str, Face]:
        """Faces by id."""
        return {face.id: face for face in self.faces}

    @cached_property
    def edges_of(self) -> dict[str, tuple[Edge, ...]]:
        """Edges by parent face."""
        found: dict[str, list[Edge]] = {face.parent: [] for face in self.faces}
        for edge in self.edges:
            for parent in {self.by_id[edge.a].parent, self.by_id[edge.b].parent}:
                found[parent].append(edge)
        return {parent: tuple(edges) for parent, edges in found.items()}

    @cached_property
    def vertices(self) -> Array:
        """All loop points, shape (n, 3), repeated where faces share them."""
        return np.concatenate([face.loop for face in self.faces])

    @cached_property
    def bounds(self) -> tuple[Array, Array]:
        """Lowest and highest corner of the inside, each shape (3,)."""
        return self.vertices.min(axis=0), self.vertices.max(axis=0)

    @cached_property
    def half_edges(self) -> tuple[Array, Array, Array]:
        """(p, q, normal), each (n, 3): all directed loop edges with their face's normal, for dip curves."""
        return half_edges((face.loop, face.normal) for face in self.faces)

    @cached_property
    def volume_mm3(self) -> float:
        """Volume by the divergence theorem: a third of the sum of (point of face) . (area vector)."""
        base = self.faces[0].loop[0]
        return float(sum((face.loop[0] - base) @ face.area_vector for face in self.faces) / 3)

    @cached_property
    def moments(self) -> tuple[Array, Array]:
        """(centroid (3,) mm, inertia about it (3, 3) mm5 at unit density), exact for planar faces.

        Signed tetrahedra from one corner; the second moment of a tetrahedron over its corners a, b, c
        from the apex is V/20 (sum + own), Tonon, J. Math. Stat. 1 (2004) 8-11.
        """
        apex = self.faces[0].loop[0]
        triangles = []
        for face in self.faces:
            base = face.loop - apex
            triangles.append(np.stack([np.broadcast_to(base[0], base[1:-1].shape), base[1:-1], base[2:]], axis=1))
        tri = np.concatenate(triangles)
        volumes = np.einsum("ij,ij->i", tri[:, 0], cross(tri[:, 1], tri[:, 2])) / 6
        total = volumes.sum()
        sums = tri.sum(axis=1)
        centroid = (volumes[:, None] * sums).sum(axis=0) / 4 / total
        products = np.einsum("i,ikj,ikl->jl", volumes, tri, tri) + np.einsum("i,ij,il->jl", volumes, sums, sums)
        second = products / 20 - total * np.outer(centroid, centroid)
        return centroid + apex, np.trace(second) * np.eye(3) - second


def half_edges(loops: Iterable[tuple[Array, Array]]) -> tuple[Array, Array, Array]:
    """(p, q, normal), each (n, 3), of (loop, normal) pairs."""
    pairs = [(loop, following(loop), np.broadcast_to(n, loop.shape)) for loop, n in loops]
    if not pairs:
        empty = np.zeros((0, 3))
        return empty, empty, empty
    p, q, normal = (np.concatenate(part) for part in zip(*pairs, strict=True))
    return p, q, normal


def close_shell(loops: Sequence[tuple[str, str, Array]]) -> Shell:
    """A Shell of (id, parent, loop) faces; ShellError where an edge has no partner running the other way."""
    faces = tuple(Face(id_, np.asarray(loop, float), parent) for id_, parent, loop in loops)
    waiting: dict[tuple[tuple[float, ...], tuple[float, ...]], Face] = {}
    edges: list[Edge] = []
    for face in faces:
        keys = [(round(x, 6), round(y, 6), round(z, 6)) for x, y, z in face.loop.tolist()]
        for i, start in enumerate(keys):
            end = keys[(i + 1) % len(keys)]
            other = waiting.pop((end, start), None)
            if other is None:
                waiting[(start, end)] = face
                continue
            p, q = face.loop[i], face.loop[(i + 1) % len(keys)]
            edges.append(Edge(edge_id(other.id, face.id), other.id, face.id, p, q, _angle(face, other, q - p)))
    if waiting:
        face = next(iter(waiting.values()))
        raise ShellError(f"face {face.id!r} has an edge that no other face shares; the shell is not closed")
    return Shell(faces, tuple(edges))


def edge_id(a: str, b: str) -> str:
    """The name of the edge between two faces, the same whichever comes first."""
    return "/".join(sorted((a, b)))


def _angle(face: Face, other: Face, along: Array) -> float:
    """Angle inside the tank between two faces, degrees; `along` is the edge as `face`'s loop runs it."""
    ax, ay, az = face.normal.tolist()
    bx, by, bz = other.normal.tolist()
    x, y, z = along.tolist()
    sine = ((ay * bz - az * by) * x + (az * bx - ax * bz) * y + (ax * by - ay * bx) * z) / math.hypot(x, y, z)
    return 180.0 - math.degrees(math.atan2(sine, ax * bx + ay * by + az * bz))


def turned(half: tuple[Array, Array, Array], rotation: Array) -> tuple[Array, Array, Array]:
    """Half-edges turned by a (3, 3) rotation: a tank at trim, heel or in apparent gravity."""
    p, q, normal = half
    return p @ rotation.T, q @ rotation.T, normal @ rotation.T


def loops_volume_mm3(loops: Sequence[tuple[str, str, Array]]) -> float:
    """Volume inside (id, parent, loop) faces that are known to close, without building the shell."""
    ox, oy, oz = loops[0][2][0].tolist()
    total = 0.0
    for _, _, loop in loops:
        spots = [(x - ox, y - oy, z - oz) for x, y, z in loop.tolist()]
        px, py, pz = spots[0]
        for (ax, ay, az), (bx, by, bz) in pairwise(spots[1:]):
            total += px * (ay * bz - az * by) + py * (az * bx - ax * bz) + pz * (ax * by - ay * bx)
    return total / 6
