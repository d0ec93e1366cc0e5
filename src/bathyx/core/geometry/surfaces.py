"""Curved surfaces that faces lie on: where a point of them is, which way they face, how they develop.

A face of a tank is measured in (u, v): on a `Cylinder` u runs along the axis and v round it on the inside; on a
`Revolved` head both are measured across its base, as a maker lays a rule over it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import Literal, Protocol

import numpy as np

from bathyx.core.geometry.vectors import Arc, Array, cross


class Surface(Protocol):
    """What a curved face needs of its surface. Points are (n, 3) mm, places (n, 2) mm."""

    @property
    def kind(self) -> str:
        """`cylinder`, `cone`, `dish`, `ellipse`, `sphere` or `flanged`."""

    def uv(self, points: Array) -> Array:
        """(u, v) of points, (n, 2)."""

    def points(self, uv: Array) -> Array:
        """Points of the true surface at (u, v), (n, 3)."""

    def normal_at(self, point: Array) -> Array:
        """Unit normal out of the tank nearest to a point (3,)."""

    def tangents(self, point: Array) -> tuple[Array, Array]:
        """(along u, along v) at a point, each (3,), at right angles to each other."""

    def arc(self, points: Array) -> Arc | None:
        """The arc that a row of boundary points stands for, or None where they run otherwise."""


@dataclass(frozen=True, eq=False)
class Cylinder:
    """Part of a cylinder: from angle `low` to `high` (radians, right-handed about `axis` from `zero`).

    `origin` (3,): on the axis at u = 0. `outward` 1 where the tank lies inside it, -1 where it lies outside (a tunnel).
    `turn`: v = turn · radius · angle.
    """

    origin: Array
    axis: Array
    zero: Array
    radius: float
    low: float
    high: float
    outward: float = 1.0
    turn: float = 1.0

    @property
    def kind(self) -> str:
        """Always `cylinder`."""
        return "cylinder"

    @cached_property
    def side(self) -> Array:
        """The direction a quarter turn from `zero`."""
        return cross(self.axis, self.zero)

    def angles(self, points: Array) -> Array:
        """Angle of each point, brought into low .. high where it can be, (n,)."""
        d = points - self.origin
        theta = np.arctan2(d @ self.side, d @ self.zero)
        middle = (self.low + self.high) / 2
        return np.asarray(theta + 2 * math.pi * np.round((middle - theta) / (2 * math.pi)))

    def uv(self, points: Array) -> Array:
        """(along the axis, round the inside), (n, 2)."""
        return np.column_stack([(points - self.origin) @ self.axis, self.turn * self.radius * self.angles(points)])

    def points(self, uv: Array) -> Array:
        """Points of the true cylinder, (n, 3)."""
        theta = self.turn * uv[:, 1] / self.radius
        round_ = np.outer(np.cos(theta), self.zero) + np.outer(np.sin(theta), self.side)
        return np.asarray(self.origin + np.outer(uv[:, 0], self.axis) + self.radius * round_)

    def normal_at(self, point: Array) -> Array:
        """Radial direction, out of the tank."""
        d = point - self.origin
        d = d - self.axis * (d @ self.axis)
        return np.asarray(self.outward * d / max(float(np.linalg.norm(d)), 1e-12))

    def tangents(self, point: Array) -> tuple[Array, Array]:
        """Along the axis, and round."""
        return self.axis, np.asarray(self.turn * self.outward * cross(self.axis, self.normal_at(point)))

    def arc(self, points: Array) -> Arc | None:
        """A row of points square to the axis is an arc of the radius."""
        along = (points - self.origin) @ self.axis
        if len(points) < 3 or float(np.ptp(along)) > 1e-6:
            return None
        closed = float(np.linalg.norm(points[0] - points[-1])) < 1e-9
        spread = self.angles(points[[0, -1]])
        sweep = 2 * math.pi if closed else abs(float(spread[1] - spread[0]))
        return Arc(self.origin + self.axis * float(along[0]), self.axis, self.radius, sweep)

    def developed(self, uv: Array, neutral_mm: float) -> Array:
        """Flat places (n, 2) of places (n, 2), seen from inside the tank: x round at the neutral radius, y along the axis."""
        return np.column_stack([-self.outward * self.turn * neutral_mm / self.radius * uv[:, 1], uv[:, 0]])


GAUSS = np.polynomial.legendre.leggauss(40)
Curve = tuple[Literal["arc", "ellipse", "line"], tuple[float, ...]]


@dataclass(frozen=True, eq=False)
class Meridian:
    """Half the section of a head: pieces from the base (radius, 0) to the crown (0, depth), radius falling.

    A piece is an `arc` (centre r, centre h, radius, first angle, last angle), an `ellipse` (a, b) or a `line`
    (r0, h0, r1, h1).
    """

    pieces: tuple[Curve, ...]

    def spots(self, chords: int = 12) -> Array:
        """Points (n, 2) in (r, h), base first, crown last.

        `chords` for a quarter turn; two thirds of that at least for an arc, one for a line.
        """
        found: list[Array] = []
        for kind, numbers in self.pieces:
            count = {"line": 1, "ellipse": chords}.get(kind, 0)
            if kind == "arc":
                count = max(2 * chords // 3, math.ceil(chords * abs(numbers[4] - numbers[3]) / (math.pi / 2) - 1e-9))
            t = np.linspace(0, 1, count + 1)
            piece = _along(kind, numbers, t)[0]
            found.append(piece if not found else piece[1:])
        spots = np.concatenate(found)
        spots[np.abs(spots) < 1e-12] = 0.0
        return spots

    @property
    def depth_mm(self) -> float:
        """Height of the crown over the base."""
        return float(self.spots(4)[-1, 1])

    def _integral(self, what: Literal["volume", "area"], offset_mm: float, core: tuple[float, float]) -> float:
        nodes, weights = GAUSS
        t, total = (nodes + 1) / 2, 0.0
        a, b = core
        for kind, numbers in self.pieces:
            spot, slope = _along(kind, numbers, t)
            speed = np.hypot(slope[:, 0], slope[:, 1])
            r = spot[:, 0] + offset_mm * slope[:, 1] / np.maximum(speed, 1e-300)
            if what == "volume":
                section = math.pi * spot[:, 0] ** 2 + 4 * (a + b) * spot[:, 0] + 4 * a * b
                total += float((weights / 2 * section * slope[:, 1]).sum())
            else:
                girth = 2 * math.pi * r + 4 * (a + b)
                total += float((weights / 2 * girth * speed * (1 + offset_mm * _curvature(kind, numbers, t))).sum())
        return total + (4 * a * b if what == "area" else 0.0)

    def volume_mm3(self, core: tuple[float, float] = (0.0, 0.0)) -> float:
        """Volume between base and head: ∫ A dh, A = π r² + 4 (a + b) r + 4 a b about a core of half sides a, b; Gauss's rule."""
        return self._integral("volume", 0.0, core)

    def area_mm2(self, offset_mm: float = 0.0, core: tuple[float, float] = (0.0, 0.0)) -> float:
        """Area of the surface `offset_mm` outside the head: ∫ (2π r + 4 (a + b)) ds (Pappus), and the core's own."""
        return self._integral("area", offset_mm, core)

    def heights(self, radii: Array) -> Array:
        """Height of the surface over each radius, (n,); the base's rim outside it."""
        found = np.zeros(len(radii))
        for kind, numbers in self.pieces:
            outer, inner = _radius_span(kind, numbers)
            here = (radii <= outer + 1e-9) & (radii >= inner - 1e-9)
            r = radii[here]
            if kind == "line":
                r0, h0, r1, h1 = numbers
                found[here] = h0 + (h1 - h0) * ((r - r0) / (r1 - r0) if abs(r1 - r0) > 1e-12 else 1.0)
            elif kind == "ellipse":
                found[here] = numbers[1] * np.sqrt(np.clip(1 - (r / numbers[0]) ** 2, 0, None))
            else:
                found[here] = numbers[1] + np.sqrt(np.clip(numbers[2] ** 2 - (r - numbers[0]) ** 2, 0, None))
        return found

    def normal_at(self, radius: float) -> tuple[float, float]:
        """(along r, along h) of the unit normal over a radius, outward; square to the axis at the base's rim and outside it."""
        for kind, numbers in self.pieces:
            outer, inner = _radius_span(kind, numbers)
            if not inner - 1e-9 <= radius <= outer + 1e-9:
                continue
            if kind == "line":
                r0, h0, r1, h1 = numbers
                n = (h1 - h0, r0 - r1)
            elif kind == "ellipse":
                a, b = numbers
                share = min(radius / a, 1.0)
                n = (share / a, math.sqrt(1 - share**2) / b)
            else:
                off = min(max((radius - numbers[0]) / numbers[2], -1.0), 1.0)
                n = (off, math.sqrt(1 - off**2))
            size = math.hypot(*n)
            return n[0] / size, n[1] / size
        return 1.0, 0.0


def _radius_span(kind: str, numbers: tuple[float, ...]) -> tuple[float, float]:
    """Outer and inner radius of a piece."""
    if kind == "line":
        return numbers[0], numbers[2]
    if kind == "ellipse":
        return numbers[0], 0.0
    return numbers[0] + numbers[2] * math.cos(numbers[3]), numbers[0] + numbers[2] * math.cos(numbers[4])


def _along(kind: str, numbers: tuple[float, ...], t: Array) -> tuple[Array, Array]:
    """(places (n, 2), derivatives (n, 2)) at shares `t` of a piece."""
    if kind == "line":
        r0, h0, r1, h1 = numbers
        spot = np.column_stack([r0 + (r1 - r0) * t, h0 + (h1 - h0) * t])
        return spot, np.broadcast_to([r1 - r0, h1 - h0], spot.shape)
    if kind == "ellipse":
        a, b = numbers
        phi = t * math.pi / 2
        return (
            np.column_stack([a * np.cos(phi), b * np.sin(phi)]),
            math.pi / 2 * np.column_stack([-a * np.sin(phi), b * np.cos(phi)]),
        )
    r, h, radius, first, last = numbers
    phi = first + (last - first) * t
    return (
        np.column_stack([r + radius * np.cos(phi), h + radius * np.sin(phi)]),
        (last - first) * radius * np.column_stack([-np.sin(phi), np.cos(phi)]),
    )


def _curvature(kind: str, numbers: tuple[float, ...], t: Array) -> Array:
    """Curvature along the piece, 1/mm, (n,)."""
    if kind == "line":
        return np.zeros(len(t))
    if kind == "ellipse":
        a, b = numbers
        phi = t * math.pi / 2
        return np.asarray(a * b / (a**2 * np.sin(phi) ** 2 + b**2 * np.cos(phi) ** 2) ** 1.5)
    return np.full(len(t), 1 / numbers[2])


@dataclass(frozen=True, eq=False)
class Revolved:
    """A head: a meridian turned about `axis` (unit, out of the tank) through `centre`, the middle of its base.

    `across`, `up`: the directions u and v are measured in, from the lower left corner of the base's square. `core`: half sides of
    a rectangle that the meridian runs round instead of a point: a pressed half. `flange_mm`: sheet that stands out at its rim.
    """

    kind: Literal["cone", "dish", "ellipse", "sphere", "flanged", "pressed"]
    centre: Array
    axis: Array
    across: Array
    up: Array
    radius: float
    meridian: Meridian
    core: tuple[float, float] = (0.0, 0.0)
    flange_mm: float = 0.0

    @property
    def reach(self) -> Array:
        """Half the base's size along u and v, (2,)."""
        return np.array(self.core) + self.radius

    def area_mm2(self, offset_mm: float = 0.0) -> float:
        """Area of its surface, or of one `offset_mm` outside it, with its flange."""
        a, b = self.core
        rim = self.radius + self.flange_mm
        flange = math.pi * (rim**2 - self.radius**2) + 4 * (a + b) * self.flange_mm
        return self.meridian.area_mm2(offset_mm, self.core) + flange

    def pushed_out(self, points: Array, by_mm: float) -> Array:
        """Points (n, 3) of its rim moved out in the plane of its base: where a flange ends."""
        off = self._off_core(self._flat(points))
        off = off / np.maximum(np.hypot(*off.T), 1e-12)[:, None] * by_mm
        return np.asarray(points + np.outer(off[:, 0], self.across) + np.outer(off[:, 1], self.up))

    def _flat(self, points: Array) -> Array:
        d = points - self.centre
        return np.column_stack([d @ self.across, d @ self.up])

    def _off_core(self, flat: Array) -> Array:
        """From the nearest place of the core, (n, 2)."""
        reach = np.array(self.core)
        return np.asarray(flat - np.clip(flat, -reach, reach))

    def uv(self, points: Array) -> Array:
        """(across, up) over the base from its lower left corner, (n, 2)."""
        return self._flat(points) + self.reach

    def points(self, uv: Array) -> Array:
        """Points of the head over places of its base, (n, 3)."""
        flat = uv - self.reach
        away = np.hypot(*self._off_core(flat).T)
        high = self.meridian.heights(np.minimum(away, self.radius))
        return np.asarray(
            self.centre + np.outer(flat[:, 0], self.across) + np.outer(flat[:, 1], self.up) + np.outer(high, self.axis)
        )

    def normal_at(self, point: Array) -> Array:
        """Normal of the meridian, turned to where the point is."""
        a, b = self._off_core(self._flat(point[None]))[0]
        r = math.hypot(a, b)
        nr, nh = self.meridian.normal_at(min(r, self.radius))
        out = (self.across * a + self.up * b) / r if r > 1e-9 else np.zeros(3)
        n = out * nr + self.axis * nh
        return np.asarray(n / max(float(np.linalg.norm(n)), 1e-12))

    def tangents(self, point: Array) -> tuple[Array, Array]:
        """Across and up, laid onto the surface."""
        n = self.normal_at(point)
        u = self.across - n * (self.across @ n)
        u = u / max(float(np.linalg.norm(u)), 1e-12)
        v = self.up - n * (self.up @ n) - u * (self.up @ u)
        return u, np.asarray(v / max(float(np.linalg.norm(v)), 1e-12))

    def arc(self, points: Array) -> Arc | None:
        """The rim of the base; its middle radius stands for the girth of one that is not round."""
        along = (points - self.centre) @ self.axis
        if len(points) < 3 or float(np.abs(along).max()) > 1e-6:
            return None
        closed = float(np.linalg.norm(points[0] - points[-1])) < 1e-9
        if not closed:
            flat = self._flat(points[[0, -1]])
            a, b = self._off_core(flat)
            turn = abs(math.atan2(a[0] * b[1] - a[1] * b[0], float(a @ b)))
            if turn < 1e-9:
                return None  # a straight side of a head about a core
            heart = flat[0] - a
            middle = self.centre + self.across * heart[0] + self.up * heart[1]
            return Arc(middle, self.axis, self.radius, turn)
        return Arc(self.centre, self.axis, self.radius + 2 * sum(self.core) / math.pi, 2 * math.pi)
