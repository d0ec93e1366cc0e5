"""The closed inside surface of a tank: faces, planar or curved, that meet in edges. Every family of tanks builds one of these.

x runs along the tank from its front, y across it from its left end, z up; lengths in mm.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from itertools import pairwise
from typing import TYPE_CHECKING, Literal

import numpy as np
from shapely.geometry import Polygon

from bathyx.core.geometry.vectors import Arc as Arc
from bathyx.core.geometry.vectors import Array as Array
from bathyx.core.geometry.vectors import cross as cross
from bathyx.core.geometry.vectors import following as following
from bathyx.errors import Refusal

if TYPE_CHECKING:
    from bathyx.core.geometry.surfaces import Surface


class ShellError(Refusal):
    """The faces do not close to a shell; the message names the open edge."""


Role = Literal["wall", "end", "floor", "roof", "tunnel", "sump"]


def measured_along(n: Array) -> tuple[Array, Array]:
    """(u, v), each (3,), along which places on a face of unit normal `n` (3,) are measured; see `Face.frame`."""
    if abs(n[1]) > 0.7:
        u, v = np.array([1.0, 0, 0]), np.array([0, 0, 1.0])
    elif abs(n[2]) > 0.7:
        u, v = np.array([1.0, 0, 0]), np.array([0, 1.0, 0])
    else:
        u, v = np.array([0, 1.0, 0]), np.array([0, 0, 1.0])
    u = u - n * (u @ n)
    u = u / math.hypot(*u)
    v = v - n * (v @ n) - u * (v @ u)
    return u, v / math.hypot(*v)


@dataclass(frozen=True, eq=False)
class Face:
    """A planar face. `loop` is (n, 3), counter-clockwise seen from outside; `parent` is the face it was cut from.

    `role` says what it is in the tank; those of the ring stand in the shell in order round it. `holes`: loops (n, 3) that run
    the other way round.
    """

    id: str
    loop: Array
    parent: str
    role: Role = "wall"
    holes: tuple[Array, ...] = ()

    @property
    def borders(self) -> tuple[Array, ...]:
        """The loop and the holes."""
        return (self.loop, *self.holes)

    @property
    def kind(self) -> str:
        """Kind of surface: `plane` here."""
        return "plane"

    @cached_property
    def blocks(self) -> tuple[tuple[Array, Array], ...]:
        """Its planar facets in blocks of (loops (m, k, 3), unit normals (m, 3)); the face itself here."""
        return tuple((loop[None], self.normal[None]) for loop in self.borders)

    def normal_at(self, _point: Array) -> Array:
        """Unit normal out of the tank at a point (3,); the same all over a plane."""
        return self.normal

    def tangents(self, _point: Array) -> tuple[Array, Array]:
        """(along u, along v) at a point (3,) of the face."""
        return self.frame[1:]

    def points(self, uv: Array) -> Array:
        """Points (n, 3) at places (n, 2) of the face."""
        origin, u, v = self.frame
        return np.asarray(origin + uv[:, :1] * u + uv[:, 1:] * v)

    def uv(self, points: Array) -> Array:
        """Places (n, 2) of points (n, 3)."""
        origin, u, v = self.frame
        return np.column_stack([(points - origin) @ u, (points - origin) @ v])

    def wrapped(self, u_mm: float, v_mm: float) -> tuple[float, float]:
        """The place as the outline has it; another name for the same spot only where a face closes on itself."""
        return u_mm, v_mm

    @cached_property
    def upper(self) -> tuple[Array, Array] | None:
        """(lowest, highest) place (2,) of what faces up within 45 degrees, or None where nothing does."""
        return (self.outline.min(axis=0), self.outline.max(axis=0)) if self.normal[2] > 0.7 else None

    @cached_property
    def lower(self) -> tuple[Array, Array] | None:
        """(lowest, highest) place (2,) of what faces down within 45 degrees, or None where nothing does."""
        return (self.outline.min(axis=0), self.outline.max(axis=0)) if self.normal[2] < -0.7 else None

    @cached_property
    def area_vector(self) -> Array:
        """Outward normal times area, mm2, shape (3,): half the sum of cross products round the loops."""
        total = np.zeros(3)
        for loop in self.borders:
            base = loop - loop[0]
            total = total + 0.5 * cross(base[1:-1], base[2:]).sum(axis=0)
        return total

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
        total = np.zeros(3)
        for loop in self.borders:
            base = loop - self.loop[0]
            nxt = following(base)
            weights = cross(base, nxt) @ self.normal / 2
            total = total + ((base + nxt) / 3 * weights[:, None]).sum(axis=0)
        return np.asarray(self.loop[0] + total / self.area_mm2)

    @cached_property
    def frame(self) -> tuple[Array, Array, Array]:
        """(origin, u, v) of positions on the face, each shape (3,), as a maker measures them.

        Floors and tops: u from the front, v from the left end. Ends: u from the front, v from below.
        Other faces: u from the left end, v up the face. The origin is where the face begins in both.
        """
        n = self.normal
        u, v = measured_along(n)
        low_u, low_v = (self.loop @ u).min(), (self.loop @ v).min()
        origin = n * (self.loop[0] @ n) + u * low_u + v * low_v
        return origin, u, v

    @cached_property
    def outline(self) -> Array:
        """The loop in the face's own (u, v), shape (n, 2); turns clockwise where the frame faces inward."""
        origin, u, v = self.frame
        return np.column_stack([(self.loop - origin) @ u, (self.loop - origin) @ v])

    @cached_property
    def shape(self) -> Polygon:
        """Its area in (u, v), holes cut out."""
        return Polygon(self.outline, [self.uv(hole) for hole in self.holes])

    def over(self, x_mm: float, y_mm: float, *, below: bool = False) -> tuple[float, float]:
        """(u, v) of the point of the face's plane at plan position (x, y); Refusal for an upright face."""
        n = self.normal
        if abs(n[2]) < 1e-6:
            raise Refusal(f"{self.id} stands upright: a plan position does not say where on it")
        origin, u, v = self.frame
        flat = np.array([x_mm, y_mm, 0.0]) - origin
        flat[2] = -(n[0] * flat[0] + n[1] * flat[1]) / n[2]
        return float(flat @ u), float(flat @ v)

    def place(self, u_mm: float, v_mm: float) -> Array:
        """The point of space at (u, v) on the face, shape (3,)."""
        origin, u, v = self.frame
        return origin + u * u_mm + v * v_mm


@dataclass(frozen=True, eq=False)
class CurvedFace(Face):
    """A face on a curved surface: one face, with planar facets inside that stand for it.

    `pieces`: facets in blocks of (m, k, 3), counter-clockwise from outside. `true_area_mm2`: of the surface itself.
    `outline_uv` (n, 2): its border in its own measure. `closes_mm`: girth after which v comes round again, 0 where it does not.
    """

    surface: Surface | None = None
    pieces: tuple[Array, ...] = ()
    true_area_mm2: float = 0.0
    outline_uv: Array = field(default_factory=lambda: np.zeros((0, 2)))
    closes_mm: float = 0.0

    @property
    def on(self) -> Surface:
        """Its surface."""
        assert self.surface is not None
        return self.surface

    @property
    def kind(self) -> str:
        """Kind of its surface."""
        return self.on.kind

    @cached_property
    def blocks(self) -> tuple[tuple[Array, Array], ...]:
        """The planar facets that stand for it, in blocks of (loops (m, k, 3), unit normals (m, 3))."""
        found = []
        for loops, vectors in zip(self.pieces, self.vectors, strict=True):
            found.append((loops, vectors / np.sqrt((vectors * vectors).sum(axis=1))[:, None]))
        return tuple(found)

    @cached_property
    def vectors(self) -> list[Array]:
        """Area vectors of the facets, a block (m, 3) each."""
        found = []
        for loops in self.pieces:
            base = loops - loops[:, :1]
            found.append(0.5 * cross(base[:, 1:-1], base[:, 2:]).sum(axis=1))
        return found

    @cached_property
    def area_vector(self) -> Array:
        """Sum of the facets' area vectors, mm2, (3,); zero for a face that closes on itself."""
        return np.asarray(sum(vectors.sum(axis=0) for vectors in self.vectors))

    @cached_property
    def area_mm2(self) -> float:
        """Area of the true surface."""
        return self.true_area_mm2

    @cached_property
    def normal(self) -> Array:
        """Where the face looks on the whole, (3,): zero length where it closes on itself."""
        n = self.area_vector
        size = float(np.linalg.norm(n))
        return np.asarray(n / size if size > 1e-6 * self.area_mm2 else np.zeros(3))

    @cached_property
    def centroid(self) -> Array:
        """Centroid of the facets' area, (3,)."""
        areas = np.concatenate([np.linalg.norm(vectors, axis=1) for vectors in self.vectors])
        middles = np.concatenate([loops.mean(axis=1) for loops in self.pieces])
        return np.average(middles, axis=0, weights=areas)

    @property
    def outline(self) -> Array:
        """Its border in (u, v), (n, 2)."""
        return self.outline_uv

    def normal_at(self, point: Array) -> Array:
        """Unit normal out of the tank at a point (3,)."""
        return self.on.normal_at(point)

    def tangents(self, point: Array) -> tuple[Array, Array]:
        """(along u, along v) at a point (3,)."""
        return self.on.tangents(point)

    def points(self, uv: Array) -> Array:
        """Points of the true surface at places (n, 2)."""
        return self.on.points(uv)

    def uv(self, points: Array) -> Array:
        """Places (n, 2) of points (n, 3)."""
        return self.on.uv(points)

    def wrapped(self, u_mm: float, v_mm: float) -> tuple[float, float]:
        """The place brought into the outline, where the face closes on itself."""
        if not self.closes_mm:
            return u_mm, v_mm
        low = float(self.outline_uv[:, 1].min())
        return u_mm, low + (v_mm - low) % self.closes_mm

    def place(self, u_mm: float, v_mm: float) -> Array:
        """The point of the true surface at (u, v), shape (3,)."""
        return np.asarray(self.points(np.array([[u_mm, v_mm]]))[0])

    def over(self, x_mm: float, y_mm: float, *, below: bool = False) -> tuple[float, float]:
        """(u, v) of the highest point of the face at plan position (x, y) that looks up, or `below` of the lowest that looks
        down; Refusal where it has none."""
        way = -1.0 if below else 1.0
        best: float | None = None
        for loop, n in facets_of(self):
            if way * n[2] > 1e-6 and covers(loop[:, :2], x_mm, y_mm):
                z = float(loop[0, 2] - ((x_mm - loop[0, 0]) * n[0] + (y_mm - loop[0, 1]) * n[1]) / n[2])
                best = z if best is None or way * z > way * best else best
        if best is None:
            raise Refusal(f"{self.id} has nothing that looks {'down' if below else 'up'} at {x_mm:.0f}, {y_mm:.0f} mm")
        u, v = self.uv(np.array([[x_mm, y_mm, best]]))[0]
        return float(u), float(v)

    @cached_property
    def upper(self) -> tuple[Array, Array] | None:
        """(lowest, highest) place of the facets that face up within 45 degrees."""
        return self._facing(1.0)

    @cached_property
    def lower(self) -> tuple[Array, Array] | None:
        """(lowest, highest) place of the facets that face down within 45 degrees."""
        return self._facing(-1.0)

    def _facing(self, way: float) -> tuple[Array, Array] | None:
        found = [loops[way * normals[:, 2] > 0.7] for loops, normals in self.blocks]
        found = [loops for loops in found if len(loops)]
        if not found:
            return None
        spots = np.concatenate([self.uv(loops.reshape(-1, 3)) for loops in found])
        if self.closes_mm:
            # Facets at the seam have both its names; what is in one piece round the middle of the rest decides.
            middle = np.concatenate([self.uv(loops.mean(axis=1)) for loops in found])
            low, high = middle.min(axis=0), middle.max(axis=0)
            if high[1] - low[1] > self.closes_mm / 2:
                kept = middle[middle[:, 1] < self.outline_uv[:, 1].mean()]  # parted by the seam: one side of it
                low, high = kept.min(axis=0), kept.max(axis=0)
            return np.array([spots[:, 0].min(), low[1]]), np.array([spots[:, 0].max(), high[1]])
        return spots.min(axis=0), spots.max(axis=0)


@dataclass(frozen=True, eq=False)
class Edge:
    """Where faces `a` and `b` meet. `angle_deg` is measured inside the tank: 90 for a box, over 180 for a reflex edge.

    `line` (n, 3): its points as face `b`'s loop runs them; the first again at the end where it closes. `arc` where it is one.
    """

    id: str
    a: str
    b: str
    line: Array
    angle_deg: float
    arc: Arc | None = None

    @property
    def start(self) -> Array:
        """First point, (3,)."""
        return np.asarray(self.line[0])

    @property
    def end(self) -> Array:
        """Last point, (3,)."""
        return np.asarray(self.line[-1])

    @cached_property
    def length_mm(self) -> float:
        """True length."""
        if self.arc is not None:
            return self.arc.length_mm
        return sum(math.dist(p, q) for p, q in pairwise(self.line.tolist()))

    @cached_property
    def middle(self) -> Array:
        """Middle of its points' span, (3,): the centre of a rim, the middle of a straight edge."""
        return np.asarray((self.line.min(axis=0) + self.line.max(axis=0)) / 2)

    def foot(self, point: Array) -> Array:
        """The nearest point of the edge to `point` (3,); quick for a straight one."""
        if len(self.line) > 2:
            return np.asarray(self.feet(point[None])[0])
        (ax, ay, az), (bx, by, bz) = self.line.tolist()
        px, py, pz = point.tolist()
        dx, dy, dz = bx - ax, by - ay, bz - az
        share = ((px - ax) * dx + (py - ay) * dy + (pz - az) * dz) / (dx * dx + dy * dy + dz * dz)
        share = min(max(share, 0.0), 1.0)
        return np.array([ax + dx * share, ay + dy * share, az + dz * share])

    def feet(self, points: Array) -> Array:
        """The nearest point of the edge to each of `points`, (n, 3)."""
        p, d = self.line[:-1], np.diff(self.line, axis=0)
        share = np.einsum("nkj,kj->nk", points[:, None] - p, d) / (d * d).sum(axis=1)
        spots = p + np.clip(share, 0, 1)[..., None] * d
        nearest = np.linalg.norm(spots - points[:, None], axis=2).argmin(axis=1)
        return np.asarray(spots[np.arange(len(points)), nearest])

    @property
    def smooth(self) -> bool:
        """Whether the faces run into one another without a corner."""
        return abs(self.angle_deg - 180) < 1e-5

    @property
    def reflex(self) -> bool:
        """Whether the tank's inside lies on the outer side of the corner."""
        return self.angle_deg > 180 + 1e-5

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
    def convex(self) -> bool:
        """Whether no corner and no curved face turns inward, so that the fluid never falls apart."""
        inward = any(isinstance(f, CurvedFace) and getattr(f.on, "outward", 1.0) < 0 for f in self.faces)
        return not inward and not any(edge.reflex for edge in self.edges)

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
        """All corners of the facets, shape (n, 3), repeated where they share them."""
        return np.concatenate([loops.reshape(-1, 3) for face in self.faces for loops, _ in face.blocks])

    @cached_property
    def corners(self) -> Array:
        """Points where straight edges end, (n, 3): what stands out as a corner; not those of a rounding's chords."""
        return np.concatenate([edge.line[[0, -1]] for edge in self.edges])

    @cached_property
    def loops(self) -> list[tuple[Array, Array]]:
        """(loop (n, 3), normal (3,)) of every facet."""
        return [facet for face in self.faces for facet in facets_of(face)]

    @cached_property
    def bounds(self) -> tuple[Array, Array]:
        """Lowest and highest corner of the inside, each shape (3,)."""
        return self.vertices.min(axis=0), self.vertices.max(axis=0)

    @cached_property
    def half_edges(self) -> tuple[Array, Array, Array]:
        """(p, q, normal), each (n, 3): all directed loop edges with their face's normal, for dip curves."""
        parts = [(loops, normals) for face in self.faces for loops, normals in face.blocks]
        p = np.concatenate([loops.reshape(-1, 3) for loops, _ in parts])
        q = np.concatenate([np.roll(loops, -1, axis=1).reshape(-1, 3) for loops, _ in parts])
        return p, q, np.concatenate([np.repeat(normals, loops.shape[1], axis=0) for loops, normals in parts])

    @cached_property
    def triangles(self) -> Array:
        """The facets cut into triangles (n, 3, 3) from their first corners; signed where a facet is not convex."""
        found = []
        for face in self.faces:
            for loops, _ in face.blocks:
                first = np.broadcast_to(loops[:, :1], loops[:, 1:-1].shape)
                found.append(np.stack([first, loops[:, 1:-1], loops[:, 2:]], axis=2).reshape(-1, 3, 3))
        return np.concatenate(found)

    @cached_property
    def volume_mm3(self) -> float:
        """Volume by the divergence theorem: a third of the sum of (point of facet) . (area vector)."""
        return faces_volume_mm3(self.faces)

    @cached_property
    def moments(self) -> tuple[Array, Array]:
        """(centroid (3,) mm, inertia about it (3, 3) mm5 at unit density), exact for planar faces.

        Signed tetrahedra from one corner; the second moment of a tetrahedron over its corners a, b, c
        from the apex is V/20 (sum + own), Tonon, J. Math. Stat. 1 (2004) 8-11.
        """
        apex = self.faces[0].loop[0]
        tri = self.triangles - apex
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


Segment = tuple[int, Array]


def close_shell(faces: Sequence[Face]) -> Shell:
    """The Shell of `faces`; ShellError where a piece of border has no partner running the other way.

    Rows of border between the same two faces, one of them curved, are one edge. Two faces that share several edges have
    them as `a/b`, `a/b#2`, in the order of the second one's loop.
    """
    waiting: dict[tuple[tuple[float, ...], tuple[float, ...]], Face] = {}
    found: dict[tuple[str, str], list[Segment]] = {}
    for face in faces:
        for loop in face.borders:
            keys = [(round(x, 6), round(y, 6), round(z, 6)) for x, y, z in loop.tolist()]
            for i, start in enumerate(keys):
                end = keys[(i + 1) % len(keys)]
                other = waiting.pop((end, start), None)
                if other is None:
                    waiting[(start, end)] = face
                    continue
                found.setdefault((other.id, face.id), []).append((i, loop))
    if waiting:
        face = next(iter(waiting.values()))
        raise ShellError(f"face {face.id!r} has an edge that no other face shares; the shell is not closed")
    by_id = {face.id: face for face in faces}
    edges: list[Edge] = []
    for (a, b), segments in found.items():
        joined = by_id[a].kind != "plane" or by_id[b].kind != "plane"
        for k, row in enumerate(_rows(segments, joined)):
            name = edge_id(a, b) + (f"#{k + 1}" if k else "")
            edges.append(_edge(name, by_id[a], by_id[b], *row))
    order = {face.id: k for k, face in enumerate(faces)}
    edges.sort(key=lambda e: order[e.b])
    return Shell(tuple(faces), tuple(edges))


def _rows(segments: list[Segment], joined: bool) -> list[tuple[list[int], Array]]:
    """(places in a loop, the loop): runs of places that follow one another, where they may be joined."""
    rows: list[tuple[list[int], Array]] = []
    for i, loop in segments:
        if joined and rows and rows[-1][1] is loop and rows[-1][0][-1] + 1 == i:
            rows[-1][0].append(i)
        else:
            rows.append(([i], loop))
    first, last = rows[0], rows[-1]
    if joined and len(rows) > 1 and first[1] is last[1] and first[0][0] == 0 and last[0][-1] == len(last[1]) - 1:
        rows[0] = (last[0] + first[0], first[1])
        rows.pop()
    return rows


def _edge(name: str, other: Face, face: Face, row: list[int], loop: Array) -> Edge:
    line = loop[[*row, (row[-1] + 1) % len(loop)]]
    k = len(row) // 2
    p, q = line[k], line[k + 1]
    surface = next((f.on for f in (face, other) if isinstance(f, CurvedFace)), None)
    arc = surface.arc(line) if surface is not None else None
    return Edge(name, other.id, face.id, line, _angle(face.normal_at(p), other.normal_at(p), q - p), arc)


def edge_id(a: str, b: str) -> str:
    """The name of the edge between two faces, the same whichever comes first."""
    return "/".join(sorted((a, b)))


def _angle(normal: Array, other: Array, along: Array) -> float:
    """Angle inside the tank between faces of these normals, degrees; `along` is the edge as the first one's loop runs it."""
    ax, ay, az = normal.tolist()
    bx, by, bz = other.tolist()
    x, y, z = along.tolist()
    sine = ((ay * bz - az * by) * x + (az * bx - ax * bz) * y + (ax * by - ay * bx) * z) / math.hypot(x, y, z)
    return 180.0 - math.degrees(math.atan2(sine, ax * bx + ay * by + az * bz))


def turned(half: tuple[Array, Array, Array], rotation: Array) -> tuple[Array, Array, Array]:
    """Half-edges turned by a (3, 3) rotation: a tank at trim, heel or in apparent gravity."""
    p, q, normal = half
    return p @ rotation.T, q @ rotation.T, normal @ rotation.T


def faces_volume_mm3(faces: Sequence[Face]) -> float:
    """Volume inside faces that are known to close, without building the shell."""
    base = faces[0].loop[0]
    total = 0.0
    for face in faces:
        if isinstance(face, CurvedFace):
            for loops, vectors in zip(face.pieces, face.vectors, strict=True):
                total += float(((loops[:, 0] - base) * vectors).sum())
        else:
            total += float((face.loop[0] - base) @ face.area_vector)
    return total / 3


def facets_of(face: Face) -> list[tuple[Array, Array]]:
    """(loop (n, 3), unit normal (3,)) of each facet of a face."""
    return [(loop, n) for loops, normals in face.blocks for loop, n in zip(loops, normals, strict=True)]


def covers(loop: Array, x: float, y: float) -> bool:
    """Whether a polygon (n, 2) holds a point: even-odd rule, edges included on the low side."""
    nxt = following(loop)
    straddle = (loop[:, 1] > y) != (nxt[:, 1] > y)
    rise = np.where(straddle, nxt[:, 1] - loop[:, 1], 1.0)
    at = loop[:, 0] + (y - loop[:, 1]) / rise * (nxt[:, 0] - loop[:, 0])
    return bool(np.count_nonzero(straddle & (x < at)) % 2)
