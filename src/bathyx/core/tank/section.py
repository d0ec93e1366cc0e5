"""A section of straight runs and arcs carried along an axis, closed by flat ends or heads: the body of many families."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np

from bathyx.core.geometry.facets import arc_angles
from bathyx.core.geometry.shell import Array, CurvedFace, Face, Role, following, measured_along
from bathyx.core.geometry.surfaces import Cylinder, Meridian, Revolved

HeadKind = Literal["flat", "cone", "dish", "ellipse", "sphere", "flanged", "pressed"]


@dataclass(frozen=True)
class Run:
    """A side of a section, counter-clockwise seen against the axis: straight from `start` to `end`, or an arc about
    `centre` from angle `first` to `last` (radians from p towards q; falling where the tank lies outside it)."""

    name: str
    start: tuple[float, float]
    end: tuple[float, float]
    role: Role = "wall"
    centre: tuple[float, float] | None = None
    radius: float = 0.0
    first: float = 0.0
    last: float = 0.0


def straight(name: str, start: tuple[float, float], end: tuple[float, float], role: Role = "wall") -> Run:
    """A straight run.

    Args:
        name: of the face it makes.
        start: (p, q) mm.
        end: (p, q) mm.
        role: of the face.
    """
    return Run(name, start, end, role)


def arc(name: str, centre: tuple[float, float], radius: float, first: float, last: float, role: Role = "wall") -> Run:
    """An arc about `centre` (p, q) from angle `first` to `last`, radians.

    Args:
        name: of the face it makes.
        centre: (p, q) mm.
        radius: mm.
        first: angle where it begins, radians from p towards q.
        last: angle where it ends; smaller than `first` where the tank lies outside it.
        role: of the face.
    """
    at = [(centre[0] + radius * math.cos(t), centre[1] + radius * math.sin(t)) for t in (first, last)]
    return Run(name, at[0], at[1], role, centre, radius, first, last)


@dataclass(frozen=True, eq=False)
class Frame:
    """Where a body lies: `origin` (3,) of the section at its low end, and unit (3,) `axis`, p and q, right-handed."""

    origin: Array
    axis: Array
    p: Array
    q: Array

    def at(self, along: float, flat: Array) -> Array:
        """Points (n, 3) of section places (n, 2) at a distance along the axis."""
        found: Array = self.origin + self.axis * along + np.outer(flat[:, 0], self.p) + np.outer(flat[:, 1], self.q)
        return found

    def way(self, flat: tuple[float, float]) -> Array:
        """A direction (3,) of the section's plane."""
        return np.asarray(self.p * flat[0] + self.q * flat[1], float)


@dataclass(frozen=True, eq=False)
class Cap:
    """An end: its name, and its head's kind and meridian (none for a flat plate), the core it runs round (half sides along p and
    q) and its flange."""

    name: str
    kind: HeadKind = "flat"
    meridian: Meridian | None = None
    core: tuple[float, float] = (0.0, 0.0)
    flange_mm: float = 0.0


def run_points(run: Run) -> Array:
    """Points (n, 2) of a run, both ends included, arcs as chords of true area."""
    if run.centre is None:
        return np.array([run.start, run.end])
    angles, shares = arc_angles(run.first, run.last)
    spots: Array = np.array(run.centre) + run.radius * shares[:, None] * np.column_stack(
        [np.cos(angles), np.sin(angles)]
    )
    spots[0], spots[-1] = np.array(run.start), np.array(run.end)
    if abs(abs(run.last - run.first) - 2 * math.pi) < 1e-12:
        spots[-1] = spots[0]
    return spots


def carried(
    runs: list[Run], frame: Frame, length_mm: float, low: Cap, high: Cap, *, lean: tuple[float, float] = (0.0, 0.0)
) -> list[Face]:
    """The faces of a body: its walls in the order of `runs`, then the low and the high end.

    `lean`: how far the low and the high flat end shift along the axis for each mm of q, at q = 0 at their places.

    Args:
        runs: the section, closed, counter-clockwise against the axis.
        frame: where it stands.
        length_mm: between the ends.
        low: the end at the origin.
        high: the end away from it.
        lean: how far the low and the high flat end shift along the axis for each mm of q, at q = 0 at their places.
    """
    rows = [run_points(run) for run in runs]
    faces: list[Face] = [_wall(run, row, frame, length_mm, lean) for run, row in zip(runs, rows, strict=True)]
    rim = np.concatenate([row[:-1] for row in rows])
    faces.append(_end(low, rim, frame, 0.0, -1.0, lean[0]))
    faces.append(_end(high, rim, frame, length_mm, 1.0, lean[1]))
    return faces


def _cut(frame: Frame, along: float, flat: Array, lean: float) -> Array:
    """Points of a section cut by an end that leans."""
    points = frame.at(along, flat)
    return points + np.outer(lean * flat[:, 1], frame.axis) if lean else points


def _wall(run: Run, row: Array, frame: Frame, length: float, lean: tuple[float, float]) -> Face:
    near, far = _cut(frame, 0.0, row, lean[0]), _cut(frame, length, row, lean[1])
    loop = np.concatenate([near, far[::-1]])
    parent = run.name.split(":")[0]
    if run.centre is None:
        return Face(run.name, loop, parent, run.role)
    sweep = run.last - run.first
    whole = abs(abs(sweep) - 2 * math.pi) < 1e-9
    way = 1.0 if sweep > 0 else -1.0
    origin = frame.at(0.0, np.array([run.centre]))[0]
    if whole:
        # Measured from the top line, positive to the right; the body opens at its seam.
        zero, first, turn = frame.q, run.first - math.pi / 2, -1.0
    else:
        zero, first, turn = frame.way((math.cos(run.first), math.sin(run.first))), 0.0, way
    low, high = sorted((first, first + sweep))
    surface = Cylinder(origin, frame.axis, zero, run.radius, low, high, way, turn)
    angles = arc_angles(run.first, run.last)[0]
    around = turn * run.radius * (first + angles - run.first)
    up = run.centre[1] + run.radius * np.sin(angles)
    starts, ends = lean[0] * up, length + lean[1] * up
    outline = np.concatenate([np.column_stack([starts, around]), np.column_stack([ends, around])[::-1]])
    pieces = (np.stack([near[:-1], near[1:], far[1:], far[:-1]], axis=1),)
    middle = run.centre[1] * sweep - run.radius * (
        math.cos(run.last) - math.cos(run.first)
    )  # the integral of q round it
    area = run.radius * abs(sweep * length + (lean[1] - lean[0]) * middle)
    return CurvedFace(
        run.name,
        loop,
        parent,
        run.role,
        surface=surface,
        pieces=pieces,
        true_area_mm2=area,
        outline_uv=outline,
        closes_mm=2 * math.pi * run.radius if whole else 0.0,
    )


def _end(cap: Cap, rim: Array, frame: Frame, along: float, way: float, lean: float) -> Face:
    ring = _cut(frame, along, rim if way > 0 else rim[::-1], lean)
    if cap.meridian is None:
        return Face(cap.name, ring, cap.name, "end")
    meridian, axis = cap.meridian, frame.axis * way
    spots = meridian.spots()
    radius = float(spots[0, 0])
    stretch = _ring_share(spots, meridian.volume_mm3(cap.core), cap.core)
    centre = frame.at(along, np.zeros((1, 2)))[0]
    across, up = measured_along(axis)
    assert cap.kind != "flat"
    a, b = cap.core
    core = (a, b) if abs(float(across @ frame.p)) > 0.5 else (b, a)
    surface = Revolved(cap.kind, centre, axis, across, up, radius, meridian, core, cap.flange_mm)
    off = surface.uv(ring) - surface.reach
    heart = np.clip(off, -np.array(core), core)
    base = centre + np.outer(heart[:, 0], across) + np.outer(heart[:, 1], up)
    out = (ring - base) / radius
    tip = centre + axis * meridian.depth_mm
    rings = [ring, *(base + axis * h + out * r * stretch for r, h in spots[1:-1])]
    n = len(ring)
    pieces: list[Array] = []
    for outer, inner in pairwise(rings):
        pieces.append(np.stack([outer, following(outer), following(inner), inner], axis=1))
    last = rings[-1]
    if abs(float(spots[-2, 1] - spots[-1, 1])) < 1e-9:
        pieces.append(last[None])
    else:
        pieces.append(np.stack([last, following(last), np.broadcast_to(tip, last.shape)], axis=1))
    loop = ring
    if cap.kind == "cone":
        k = n // 2  # its seam stands opposite the body's
        loop = np.concatenate([ring[k:], ring[: k + 1], tip[None]])
    return CurvedFace(
        cap.name,
        loop,
        cap.name,
        "end",
        surface=surface,
        pieces=tuple(pieces),
        true_area_mm2=meridian.area_mm2(0.0, cap.core),
        outline_uv=surface.uv(ring),
    )


def _ring_share(spots: Array, volume: float, core: tuple[float, float]) -> float:
    """What the inner rings' radii are multiplied by so that the facets hold the head's volume; 1 without inner rings."""
    inner = np.ones(len(spots))
    inner[[0, -1]] = 0.0
    if not inner.any():
        return 1.0
    a, b = core

    def over(share: float) -> float:
        r = spots[:, 0] * (1 + (share - 1) * inner)
        low, high, middle = r[:-1], r[1:], (r[:-1] + r[1:]) / 2
        section = [math.pi * x**2 + 4 * (a + b) * x + 4 * a * b for x in (low, middle, high)]
        return float((np.diff(spots[:, 1]) / 6 * (section[0] + 4 * section[1] + section[2])).sum()) - volume

    # The volume is a quadratic of the share: three values give it, and its root near 1.
    low, middle, high = over(0.5), over(1.0), over(1.5)
    square, linear = 2 * (high + low - 2 * middle), high - low
    if abs(square) < 1e-12 * abs(linear):
        return 1.0 - middle / linear
    return 1.0 + (-linear + math.sqrt(linear**2 - 4 * square * middle)) / (2 * square)
