"""Flat outlines with arcs: what is cut from sheet. Points with bulges, as DXF polylines carry them."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np

from bathyx.core.geometry.shell import Array, following


class OutlineError(ValueError):
    """An outline that cannot be made, with what stands in the way."""


@dataclass(frozen=True, eq=False)
class Outline:
    """A closed, counter-clockwise outline. `points` (n, 2) mm; `bulges` (n,): tan(arc angle / 4) to the next point."""

    points: Array
    bulges: Array

    @cached_property
    def faceted(self) -> Array:
        """The outline with each arc as chords within 0.02 mm, shape (m, 2)."""
        out: list[Array] = []
        for i, bulge in enumerate(self.bulges):
            p, q = self.points[i], self.points[(i + 1) % len(self.points)]
            out.append(p)
            if abs(bulge) > 1e-12:
                out.extend(arc_points(p, q, float(bulge))[1:-1])
        return np.array(out)

    @cached_property
    def area_mm2(self) -> float:
        """Exact area: the polygon's plus a circular segment for each arc."""
        nxt = following(self.points)
        area = polygon_area(self.points)
        for p, q, bulge in zip(self.points, nxt, self.bulges, strict=True):
            if abs(bulge) > 1e-12:
                angle = 4 * np.arctan(abs(bulge))
                radius = np.linalg.norm(q - p) / 2 / np.sin(angle / 2)
                area += np.sign(bulge) * radius**2 / 2 * (angle - np.sin(angle))
        return float(area)

    @cached_property
    def bounds(self) -> tuple[Array, Array]:
        """(lowest, highest) corner, each (2,), exact over arcs."""
        spots = self.points.tolist()
        for i, bulge in enumerate(self.bulges.tolist()):
            if abs(bulge) > 1e-12:
                spots += _arc_extremes(spots[i], spots[(i + 1) % len(self.points)], bulge)
        xs, ys = zip(*spots, strict=True)
        return np.array([min(xs), min(ys)]), np.array([max(xs), max(ys)])

    def moved(self, shift: Array) -> Outline:
        """The outline shifted by (2,)."""
        return Outline(self.points + shift, self.bulges)


def _arc(p: list[float], q: list[float], bulge: float) -> tuple[float, float, float, float, float]:
    """(centre x, y, radius, first angle, sweep) of a bulge arc, radians."""
    dx, dy = q[0] - p[0], q[1] - p[1]
    k = (1 - bulge**2) / (4 * bulge)
    x, y = (p[0] + q[0]) / 2 - dy * k, (p[1] + q[1]) / 2 + dx * k
    return x, y, math.hypot(p[0] - x, p[1] - y), math.atan2(p[1] - y, p[0] - x), 4 * math.atan(bulge)


def _arc_extremes(p: list[float], q: list[float], bulge: float) -> list[list[float]]:
    """Points of the arc where it is furthest left, right, up or down, if it reaches there."""
    x, y, radius, first, sweep = _arc(p, q, bulge)
    found = []
    for k in range(-4, 8):
        turn = k * math.pi / 2
        if min(first, first + sweep) < turn < max(first, first + sweep):
            found.append([x + radius * math.cos(turn), y + radius * math.sin(turn)])
    return found


def arc_points(p: Array, q: Array, bulge: float, sagitta_mm: float = 0.02) -> Array:
    """Points (n, 2) from p to q along a bulge arc, chords within `sagitta_mm`."""
    x, y, radius, first, sweep = _arc(p.tolist(), q.tolist(), bulge)
    step = 2 * math.acos(1 - sagitta_mm / radius) if radius > sagitta_mm else math.pi / 2
    count = max(1, math.ceil(abs(sweep) / step))
    turns = [first + sweep * k / count for k in range(count + 1)]
    return np.array([[x + radius * math.cos(t), y + radius * math.sin(t)] for t in turns])


def polygon_area(points: Array) -> float:
    """Signed area of a polygon (n, 2), positive counter-clockwise."""
    spots = points.tolist()
    x0, y0 = spots[0]
    total = 0.0
    for (ax, ay), (bx, by) in pairwise(spots[1:]):
        total += (ax - x0) * (by - y0) - (bx - x0) * (ay - y0)
    return total / 2


def offset_polygon(points: Array, outward_mm: Array) -> Array:
    """The polygon (n, 2) with edge i (from point i to i+1) moved `outward_mm[i]`; corners re-cut.

    Raises OutlineError when two neighbours in one line move by different amounts.
    """
    spots, moves = points.tolist(), outward_mm.tolist()
    lines = []
    for i, (x, y) in enumerate(spots):
        nx, ny = spots[(i + 1) % len(spots)]
        length = math.hypot(nx - x, ny - y)
        ux, uy = (nx - x) / length, (ny - y) / length
        lines.append((x + uy * moves[i], y - ux * moves[i], ux, uy))
    corners = []
    for i, (bx, by, bu, bv) in enumerate(lines):
        ax, ay, au, av = lines[i - 1]
        det = au * bv - av * bu
        if abs(det) < 1e-9:
            if abs(moves[i - 1] - moves[i]) > 1e-9:
                raise OutlineError("two edges in one line cannot be moved by different amounts")
            corners.append((bx, by))
            continue
        along = ((bx - ax) * bv - (by - ay) * bu) / det
        corners.append((ax + au * along, ay + av * along))
    return np.array(corners)


def rounded(points: Array, radii: Array) -> Outline:
    """The polygon (n, 2) with corner i rounded to `radii[i]` mm (0 keeps it sharp).

    Raises OutlineError naming the corner when two roundings do not fit on one edge.
    """
    n = len(points)
    cut = np.zeros(n)
    unit = following(points) - points
    length = np.linalg.norm(unit, axis=1)
    unit = unit / length[:, None]
    turn = np.zeros(n)
    for i in range(n):
        before, after = unit[i - 1], unit[i]
        turn[i] = np.arctan2(before[0] * after[1] - before[1] * after[0], before @ after)
        if radii[i] > 0:
            cut[i] = radii[i] * np.tan(abs(turn[i]) / 2)
    for i in range(n):
        if cut[i] + cut[(i + 1) % n] > length[i] + 1e-9:
            raise OutlineError(
                f"an edge of {length[i]:.1f} mm is too short for the bends at its ends, which take {cut[i]:.1f} and "
                f"{cut[(i + 1) % n]:.1f} mm; make it longer or the bend radius smaller"
            )
    out: list[Array] = []
    bulges: list[float] = []
    for i in range(n):
        if cut[i] <= 1e-9:
            out.append(points[i])
            bulges.append(0.0)
            continue
        out += [points[i] - unit[i - 1] * cut[i], points[i] + unit[i] * cut[i]]
        bulges += [float(np.tan(turn[i] / 4)), 0.0]
    return Outline(np.array(out), np.array(bulges))
