"""Flat outlines with arcs: what is cut from sheet. Points with bulges, as DXF polylines carry them."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np

from bathyx.core.geometry.shell import Array, following
from bathyx.errors import Refusal


class OutlineError(Refusal):
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


def arc_of(p: list[float], q: list[float], bulge: float) -> tuple[float, float, float, float, float]:
    """(centre x, y, radius, first angle, sweep) of a bulge arc, radians."""
    dx, dy = q[0] - p[0], q[1] - p[1]
    k = (1 - bulge**2) / (4 * bulge)
    x, y = (p[0] + q[0]) / 2 - dy * k, (p[1] + q[1]) / 2 + dx * k
    return x, y, math.hypot(p[0] - x, p[1] - y), math.atan2(p[1] - y, p[0] - x), 4 * math.atan(bulge)


def _arc_extremes(p: list[float], q: list[float], bulge: float) -> list[list[float]]:
    """Points of the arc where it is furthest left, right, up or down, if it reaches there."""
    x, y, radius, first, sweep = arc_of(p, q, bulge)
    found = []
    for k in range(-4, 8):
        turn = k * math.pi / 2
        if min(first, first + sweep) < turn < max(first, first + sweep):
            found.append([x + radius * math.cos(turn), y + radius * math.sin(turn)])
    return found


def arc_points(p: Array, q: Array, bulge: float, sagitta_mm: float = 0.02) -> Array:
    """Points (n, 2) from one point to another along an arc.

    Args:
        p: (2,), where it begins.
        q: (2,), where it ends.
        bulge: tangent of a quarter of the sweep, above 0 for one that turns left.
        sagitta_mm: how far chords may stay off the arc.

    >>> half = arc_points(np.array([0.0, 0.0]), np.array([100.0, 0.0]), 1.0)
    >>> np.round(half[len(half) // 2], 3).tolist()
    [50.0, -50.0]
    """
    x, y, radius, first, sweep = arc_of(p.tolist(), q.tolist(), bulge)
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


def offset_arcs(outline: Outline, outward_mm: float) -> Outline:
    """The outline with every side moved outward by one amount, mm, arcs kept as arcs about their centres.

    Raises OutlineError where an arc would turn inside out.
    """
    n = len(outline.points)
    sides = [_side(outline, i) for i in range(n)]
    corners = []
    for i in range(n):
        before, after = sides[i - 1], sides[i]
        p = outline.points[i]
        a, b = before.leaves(p), after.leaves(p)
        if abs(a[0] * b[1] - a[1] * b[0]) < 1e-7:
            corners.append(p + outward_mm * np.array([a[1], -a[0]]))
        else:
            corners.append(_meeting(before, after, p, outward_mm))
    bulges = []
    for i, side in enumerate(sides):
        if side.centre is None:
            bulges.append(0.0)
            continue
        if side.radius + side.way * outward_mm <= 0:
            raise OutlineError(f"an arc of radius {side.radius:.1f} mm cannot be moved by {outward_mm:.1f} mm")
        a, b = corners[i] - side.centre, corners[(i + 1) % n] - side.centre
        turn = side.way * math.atan2(a[0] * b[1] - a[1] * b[0], float(a @ b))
        was = 4 * math.atan(abs(float(outline.bulges[i])))
        turn += 2 * math.pi * round((was - turn) / (2 * math.pi))
        bulges.append(side.way * math.tan(turn / 4))
    return Outline(np.array(corners), np.array(bulges))


@dataclass(frozen=True, eq=False)
class _Side:
    """A side of an outline: straight along `unit`, or an arc; `way` 1 counter-clockwise."""

    start: Array
    unit: Array
    centre: Array | None
    radius: float
    way: float

    def leaves(self, p: Array) -> Array:
        """Direction of travel at a point of the side."""
        if self.centre is None:
            return self.unit
        d = (p - self.centre) / self.radius
        return self.way * np.array([-d[1], d[0]])


def _side(outline: Outline, i: int) -> _Side:
    p, q, bulge = outline.points[i], outline.points[(i + 1) % len(outline.points)], float(outline.bulges[i])
    if abs(bulge) < 1e-12:
        return _Side(p, (q - p) / math.dist(p, q), None, 0.0, 1.0)
    x, y, radius, _, _ = arc_of(p.tolist(), q.tolist(), bulge)
    return _Side(p, np.zeros(2), np.array([x, y]), radius, math.copysign(1.0, bulge))


def _meeting(a: _Side, b: _Side, near: Array, out: float) -> Array:
    """Where two sides meet after both are moved outward."""
    if a.centre is None and b.centre is None:
        pa, pb = (s.start + out * np.array([s.unit[1], -s.unit[0]]) for s in (a, b))
        det = a.unit[0] * b.unit[1] - a.unit[1] * b.unit[0]
        d = pb - pa
        return np.asarray(pa + a.unit * (d[0] * b.unit[1] - d[1] * b.unit[0]) / det)
    line, ring = (a, b) if a.centre is None else (b, a)
    assert ring.centre is not None
    if line.centre is not None:
        raise OutlineError("two arcs that meet at a corner cannot be moved; put a straight piece between them")
    p = line.start + out * np.array([line.unit[1], -line.unit[0]])
    radius = ring.radius + ring.way * out
    along = float((ring.centre - p) @ line.unit)
    off = ring.centre - p - along * line.unit
    half = radius**2 - float(off @ off)
    if half < 0:
        raise OutlineError("a straight side no longer meets the arc beside it")
    spots = [p + (along + s * math.sqrt(half)) * line.unit for s in (-1, 1)]
    return np.asarray(min(spots, key=lambda s: math.dist(s, near)))


def split_at(outline: Outline, x: float, *, lower: bool) -> tuple[Outline, int]:
    """The outline with a corner where it crosses the upright line at `x`, lowest or highest, and that corner's number.

    Raises OutlineError where it does not reach there.
    """
    found: list[tuple[float, int, Array, float]] = []
    for i, bulge in enumerate(outline.bulges.tolist()):
        p, q = outline.points[i], outline.points[(i + 1) % len(outline.points)]
        if abs(bulge) < 1e-12:
            if (p[0] - x) * (q[0] - x) <= 0 and abs(p[0] - q[0]) > 1e-9:
                share = (x - p[0]) / (q[0] - p[0])
                spot = p + (q - p) * share
                found.append((float(spot[1]), i, spot, share))
            continue
        cx, cy, radius, first, sweep = arc_of(p.tolist(), q.tolist(), bulge)
        if abs(x - cx) > radius:
            continue
        for turn in (math.acos((x - cx) / radius), -math.acos((x - cx) / radius)):
            share = ((turn - first) * math.copysign(1, sweep)) % (2 * math.pi) / abs(sweep)
            if share <= 1:
                found.append((cy + radius * math.sin(turn), i, np.array([x, cy + radius * math.sin(turn)]), share))
    if not found:
        raise OutlineError(f"the outline does not reach {x:.1f} mm")
    _, i, spot, share = (min if lower else max)(found, key=lambda f: f[0])
    angle = 4 * math.atan(float(outline.bulges[i]))
    bulges = [math.tan(angle * share / 4), math.tan(angle * (1 - share) / 4)]
    return Outline(
        np.concatenate([outline.points[: i + 1], spot[None], outline.points[i + 1 :]]),
        np.concatenate([outline.bulges[:i], bulges, outline.bulges[i + 1 :]]),
    ), i + 1


def part_between(outline: Outline, low: float, high: float) -> Outline | None:
    """What of an outline with arcs stands between two upright lines, in true arcs; None where it is more than one piece.

    >>> disc = Outline(np.array([[100.0, 0.0], [-100.0, 0.0]]), np.array([1.0, 1.0]))
    >>> half = part_between(disc, 0.0, 500.0)
    >>> round(abs(half.area_mm2) / 100**2 * 2 / math.pi, 6)
    1.0
    """
    left, right = outline.faceted[:, 0].min(), outline.faceted[:, 0].max()
    cut = outline
    for x in (low, high):
        if left < x < right:
            for lower in (True, False):
                cut, _ = split_at(cut, x, lower=lower)
    points, bulges, runs = list[Array](), list[float](), 0
    count = len(cut.points)
    kept = [low - 1e-9 <= float(_middle(cut, i)[0]) <= high + 1e-9 for i in range(count)]
    for i in range(count):
        if kept[i]:
            points.append(cut.points[i])
            bulges.append(float(cut.bulges[i]))
            if not kept[(i + 1) % count]:
                points.append(cut.points[(i + 1) % count])
                bulges.append(0.0)
                runs += 1
    if runs > 2 or len(points) < 2:
        return None
    return Outline(np.array(points), np.array(bulges))


def spun(v: Array, angle: float) -> Array:
    """A vector (2,) turned counter-clockwise by an angle in radians."""
    c, s = math.cos(angle), math.sin(angle)
    return np.array([c * v[0] - s * v[1], s * v[0] + c * v[1]])


def corner_taken(outline: Outline, x: float, width: float, deep: float, *, lower: bool) -> tuple[Outline, float] | None:
    """The outline without a square at its corner on the upright side at `x`, and how much of its sides that takes, mm.

    Args:
        outline: counter-clockwise.
        x: of its upright side, leftmost or rightmost.
        width: of the square, away from that side.
        deep: its height.
        lower: whether the lower or the upper corner.

    Returns:
        None where there is no upright side that is longer than the square.
    """
    right = x > float(outline.faceted[:, 0].mean())
    if abs(polygon_area(outline.faceted)) < 1e-9 or width <= 0 or deep <= 0:
        return None
    cut, i = split_at(outline, x - width if right else x + width, lower=lower)
    points, bulges = np.roll(cut.points, -i, axis=0), np.roll(cut.bulges, -i)
    on = np.flatnonzero(np.abs(points[:, 0] - x) < 1e-6).tolist()
    if len(on) < 2:
        return None
    comes_after = right == lower  # round from the cut, the corner comes first and the upright side after it
    corner, beyond = (on[0], on[1]) if comes_after else (on[-1], on[-2])
    level = float(points[corner, 1]) + (deep if lower else -deep)
    if abs(beyond - corner) != 1 or (float(points[beyond, 1]) - level) * (1 if lower else -1) <= 1e-6:
        return None
    start, square = points[0], [[float(points[0, 0]), level], [x, level]]
    if comes_after:
        kept, turned = points[beyond:], bulges[beyond:]
        made = Outline(np.array([start, *square, *kept]), np.array([0.0, 0.0, 0.0, *turned]))
    else:
        kept, turned = points[: beyond + 1], bulges[:beyond]
        made = Outline(np.array([*kept, *square[::-1]]), np.array([*turned, 0.0, 0.0, 0.0]))
    arms = width + abs(level - float(start[1]))
    return made, max(length_of(outline) - (length_of(made) - arms), 0.0)


def _middle(outline: Outline, i: int) -> Array:
    """Half way along a side, on its arc."""
    p, q = outline.points[i], outline.points[(i + 1) % len(outline.points)]
    bulge = float(outline.bulges[i])
    if abs(bulge) < 1e-12:
        return np.asarray((p + q) / 2)
    x, y, radius, first, sweep = arc_of(p.tolist(), q.tolist(), bulge)
    return np.array([x + radius * math.cos(first + sweep / 2), y + radius * math.sin(first + sweep / 2)])


def notched(outline: Outline, x: float, width: float, deep: float, *, lower: bool) -> tuple[Outline, float]:
    """The outline with a square notch in its lower or upper side about `x`, and how much of the side it takes, mm.

    Args:
        outline: of a plate, mm.
        x: middle of the notch, mm.
        width: of the notch, mm.
        deep: of the notch, mm.
        lower: in the lower side, else the upper.
    """
    a, b = (x - width / 2, x + width / 2) if lower else (x + width / 2, x - width / 2)
    one, _ = split_at(outline, a, lower=lower)
    two, _ = split_at(one, b, lower=lower)
    spots = two.points.tolist()
    i = min(range(len(spots)), key=lambda k: abs(spots[k][0] - a) + 1e-3 * (spots[k][1] if lower else -spots[k][1]))
    points, bulges = np.roll(two.points, -i, axis=0), np.roll(two.bulges, -i)
    spots = points.tolist()
    j = min(range(1, len(spots)), key=lambda k: abs(spots[k][0] - b) + 1e-3 * (spots[k][1] if lower else -spots[k][1]))
    taken = Outline(points[: j + 1], np.array([*bulges[:j], 0.0])).faceted[:]
    length = float(np.linalg.norm(np.diff(taken, axis=0), axis=1).sum())
    up = deep if lower else -deep
    level = (max if lower else min)(spots[0][1], spots[j][1]) + up
    corner = np.array([[spots[0][0], level], [spots[j][0], level]])
    return Outline(
        np.concatenate([points[:1], corner, points[j:]]), np.concatenate([[0.0, 0.0, 0.0], bulges[j:]])
    ), length


def length_of(outline: Outline) -> float:
    """Length round the outline, arcs exact, mm."""
    total = 0.0
    for i, bulge in enumerate(outline.bulges.tolist()):
        p, q = outline.points[i], outline.points[(i + 1) % len(outline.points)]
        chord = math.dist(p, q)
        angle = 4 * math.atan(abs(bulge))
        total += chord if abs(bulge) < 1e-12 else chord / 2 / math.sin(angle / 2) * angle
    return total
