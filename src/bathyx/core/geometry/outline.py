"""Flat outlines with arcs: what is cut from sheet. Points with bulges, as DXF polylines carry them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

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
        """(lowest, highest) corner, each (2,)."""
        return self.faceted.min(axis=0), self.faceted.max(axis=0)

    def moved(self, shift: Array) -> Outline:
        """The outline shifted by (2,)."""
        return Outline(self.points + shift, self.bulges)


def arc_points(p: Array, q: Array, bulge: float, sagitta_mm: float = 0.02) -> Array:
    """Points (n, 2) from p to q along a bulge arc, chords within `sagitta_mm`."""
    angle = 4 * np.arctan(bulge)
    chord = q - p
    radius = np.linalg.norm(chord) / 2 / abs(np.sin(angle / 2))
    centre = (p + q) / 2 + np.array([-chord[1], chord[0]]) * (1 - bulge**2) / (4 * bulge)
    step = 2 * np.arccos(max(0.0, 1 - sagitta_mm / radius)) if radius > sagitta_mm else np.pi / 2
    count = max(2, int(np.ceil(abs(angle) / step)) + 1)
    turns = np.linspace(0, angle, count)
    cos, sin = np.cos(turns), np.sin(turns)
    x, y = p - centre
    return np.asarray(centre + np.column_stack([cos * x - sin * y, sin * x + cos * y]))


def polygon_area(points: Array) -> float:
    """Signed area of a polygon (n, 2), positive counter-clockwise."""
    x, y = (points - points[0]).T
    return float(0.5 * (x * following(y) - following(x) * y).sum())


def offset_polygon(points: Array, outward_mm: Array) -> Array:
    """The polygon (n, 2) with edge i (from point i to i+1) moved `outward_mm[i]`; corners re-cut.

    Raises OutlineError when two neighbours in one line move by different amounts.
    """
    along = following(points) - points
    length = np.linalg.norm(along, axis=1)
    unit = along / length[:, None]
    out = np.column_stack([unit[:, 1], -unit[:, 0]])
    moved = points + out * outward_mm[:, None]
    corners = np.empty_like(points)
    for i in range(len(points)):
        h = i - 1
        det = unit[h, 0] * unit[i, 1] - unit[h, 1] * unit[i, 0]
        if abs(det) < 1e-9:
            if abs(outward_mm[h] - outward_mm[i]) > 1e-9:
                raise OutlineError("two edges in one line cannot be moved by different amounts")
            corners[i] = moved[i]
            continue
        gap = moved[i] - moved[h]
        corners[i] = moved[h] + unit[h] * ((gap[0] * unit[i, 1] - gap[1] * unit[i, 0]) / det)
    return corners


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
