"""Transition pieces by triangulation: from a rectangle or a circle below to a circle or a rectangle above, laid flat."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from bathyx.core.formula import formula
from bathyx.core.geometry.outline import Outline, polygon_area
from bathyx.core.geometry.shell import Array
from bathyx.core.sheet.flat.blank import BendLine, Blank, Mark, settled
from bathyx.core.units import Said, mm
from bathyx.errors import Refusal

TRIANGULATION = formula(
    "sheet.transition",
    "Transition piece by triangulation",
    "true lengths of both borders and of the lines between them, triangle by triangle; arcs as chords",
    source="Sheet-metal triangulation, e.g. pattern drafting handbooks, from memory",
    valid="one or both ends round, set over by any offset; between a flat side and a corner's cone the surface is developable",
    check="tests/outside/test_transition.py: cone and prism in closed form",
    tolerance="stated with each piece: how much its girth and area grow when the chords are halved twice",
)
STEPS = 12
FLAT_DEG = 1e-3


@dataclass(frozen=True)
class End:
    """An end of the piece: a rectangle `width` × `depth`, or a circle of diameter `width` where `depth` is 0; its middle at
    (x, y) and its height, mm."""

    width_mm: float
    depth_mm: float
    z_mm: float
    x_mm: float = 0.0
    y_mm: float = 0.0

    @property
    def round(self) -> bool:
        """Whether it is a circle."""
        return self.depth_mm == 0


@dataclass(frozen=True, eq=False)
class Transition:
    """The flat, its inside up: its outline (n, 2), lines (k, 4) to bend along with how far each turns (deg, below 0 where it is
    bent down), the share by which the area and the girth that is the further off would still grow with finer chords, and girths
    below and above in mm."""

    outline: Array
    lines: Array
    turns: Array
    area_off: float
    girth_off: float
    below_mm: float
    above_mm: float


def transition(below: End, above: End, thickness_mm: float, steps: int = STEPS) -> Transition:
    """A piece from one end to the other, opened along the line from the middle of its back side.

    Args:
        below: the lower end.
        above: the upper end.
        thickness_mm: of the sheet; the middle of it is laid flat, as far outside of each end as half of it.
        steps: chords in a quarter of a circle.

    Raises:
        Refusal: ends that are no ends, two rectangles (those are flat sides), or one height.
    """
    for end in (below, above):
        if not (math.isfinite(end.width_mm) and end.width_mm > 0 and end.depth_mm >= 0 and math.isfinite(end.depth_mm)):
            raise Refusal(
                f"an end is a circle like 120 or a rectangle like 300x200 in mm, not {end.width_mm:g} × {end.depth_mm:g}"
            )
    if above.z_mm - below.z_mm < 1:
        raise Refusal("the upper end stands at least 1 mm above the lower one")
    if not below.round and not above.round:
        raise Refusal("from one rectangle to another the sides are flat: use the hopper, which bends them")
    if not 0 <= thickness_mm <= 25:
        raise Refusal(f"a sheet of {thickness_mm:g} mm is none; 0 to 25")
    found = _laid(below, above, thickness_mm, steps)
    fine = _laid(below, above, thickness_mm, 4 * steps)
    areas = [abs(polygon_area(one.outline)) for one in (found, fine)]
    return Transition(
        found.outline,
        found.lines,
        found.turns,
        areas[1] / areas[0] - 1,
        max(fine.below_mm / found.below_mm, fine.above_mm / found.above_mm) - 1,
        found.below_mm,
        found.above_mm,
    )


def _ring(end: End, thickness_mm: float, steps: int) -> list[Array]:
    """Four quarters of an end, each (k, 3) from the middle of one side to that of the next, from the back round to the right."""
    off = thickness_mm / 2
    quarters = []
    for q in range(4):
        first = -math.pi / 2 + q * math.pi / 2  # the back, right, front and left
        if end.round:
            turn = first + np.linspace(0, math.pi / 2, steps + 1)
            r = end.width_mm / 2 + off
            spots = np.column_stack([r * np.cos(turn), r * np.sin(turn)])
        else:
            a, b = end.width_mm / 2 + off, end.depth_mm / 2 + off
            corners = [(a, -b), (a, b), (-a, b), (-a, -b)]
            middles = [(0, -b), (a, 0), (0, b), (-a, 0)]
            spots = np.array([middles[q], corners[q], middles[(q + 1) % 4]], float)
        quarters.append(np.column_stack([spots + [end.x_mm, end.y_mm], np.full(len(spots), end.z_mm)]))
    return quarters


def _laid(below: End, above: End, thickness_mm: float, steps: int) -> Transition:
    low, high = _ring(below, thickness_mm, steps), _ring(above, thickness_mm, steps)
    rungs: list[tuple[Array, Array]] = []
    for lower, upper in zip(low, high, strict=True):
        rungs += _rungs(lower, upper)
    rungs.append((low[0][0], high[0][0]))
    flat_low, flat_high = _unrolled(rungs)
    ring = np.array([*flat_low, *flat_high[::-1]])
    keep = [k for k in range(len(ring)) if np.hypot(*(ring[k] - ring[k - 1])) > 1e-9]
    outline = ring[keep]
    turns, lines = [], []
    for k in range(1, len(rungs) - 1):
        turn = _turn(rungs[k - 1], rungs[k], rungs[k + 1])
        if abs(turn) > FLAT_DEG:
            turns.append(turn)
            lines.append([*flat_low[k], *flat_high[k]])
    return Transition(
        outline if polygon_area(outline) > 0 else outline[::-1],
        np.array(lines).reshape(-1, 4),
        np.array(turns),
        0.0,
        0.0,
        float(sum(np.hypot(*(q - p)) for p, q in pairwise(flat_low))),
        float(sum(np.hypot(*(q - p)) for p, q in pairwise(flat_high))),
    )


def _rungs(lower: Array, upper: Array) -> list[tuple[Array, Array]]:
    """Lines from one quarter to the other: a rectangle's corner meets the whole arc, two arcs go step by step."""
    if len(lower) == len(upper):
        return [(lower[k], upper[k]) for k in range(len(lower) - 1)]
    if len(lower) == 3:
        return [(lower[0], upper[0]), *((lower[1], spot) for spot in upper)]
    return [(lower[0], upper[0]), *((spot, upper[1]) for spot in lower)]


def _unrolled(rungs: list[tuple[Array, Array]]) -> tuple[list[Array], list[Array]]:
    """Flat places of both ends of each line, triangle by triangle, as the inside shows them: the next lies to the left."""
    low, high = rungs[0]
    flat_low, flat_high = [np.zeros(2)], [np.array([0.0, math.dist(low, high)])]
    for next_low, next_high in rungs[1:]:
        a, b = flat_low[-1], flat_high[-1]
        p = a if math.dist(low, next_low) < 1e-9 else _beside(a, b, math.dist(low, next_low), math.dist(high, next_low))
        q = (
            b
            if math.dist(high, next_high) < 1e-9
            else _beside(p, b, math.dist(next_low, next_high), math.dist(high, next_high))
        )
        flat_low.append(p)
        flat_high.append(q)
        low, high = next_low, next_high
    return flat_low, flat_high


def _beside(a: Array, b: Array, from_a: float, from_b: float) -> Array:
    """The place at these distances from two others, to the left of the way from the first to the second."""
    long = math.dist(a, b)
    along = (from_a**2 - from_b**2 + long**2) / (2 * long)
    off = math.sqrt(max(from_a**2 - along**2, 0.0))
    way = (b - a) / long
    return np.asarray(a + way * along + np.array([-way[1], way[0]]) * off)


def _turn(before: tuple[Array, Array], at: tuple[Array, Array], after: tuple[Array, Array]) -> float:
    """How far the sheet turns along a line, deg: the angle between the triangles on either side, above 0 where it turns inward."""
    line = at[1] - at[0]

    def side(other: tuple[Array, Array]) -> Array:
        spot = other[0] if math.dist(other[0], at[0]) > 1e-9 else other[1]
        normal = np.cross(line, spot - at[0])
        return normal / max(float(np.linalg.norm(normal)), 1e-12)

    out, beyond = (
        -side(before),
        side(after),
    )  # both look out, since the rungs go round to the right as seen from outside
    turn = math.atan2(float(np.cross(out, beyond) @ line) / float(np.linalg.norm(line)), float(out @ beyond))
    return math.degrees(turn)


def blank_of_transition(name: str, found: Transition, thickness_mm: float) -> Blank:
    """The flat as a blank with its bend lines and what to check it by."""
    lines = tuple(
        BendLine(line[:2], line[2:], abs(float(turn)), bool(turn > 0), thickness_mm, 0.0, f"line {k}")
        for k, (line, turn) in enumerate(zip(found.lines, found.turns, strict=True), start=1)
    )
    middle = found.outline.mean(axis=0)
    marks = (
        Mark(middle, middle, name),
        Mark(middle - [0.0, 12.0], middle - [0.0, 12.0], Said(f"girth {mm(found.below_mm, 1)} below")),
    )
    return settled(
        Blank(name, thickness_mm, Outline(found.outline, np.zeros(len(found.outline))), (), lines, marks, (), "shell")
    )


def end_of(text: str, z_mm: float, x_mm: float = 0.0, y_mm: float = 0.0) -> End:
    """An end as it is typed, `120` round or `300x200`. Refusal for what is none."""
    sides = text.lower().replace("×", "x").split("x")
    try:
        values = [float(side) for side in sides]
    except ValueError:
        values = []
    if len(values) not in (1, 2) or not all(math.isfinite(v) and 0 < v <= 10_000 for v in values):
        raise Refusal(f"{text[:40]!r} is no end; write its diameter like 120, or width and depth like 300x200, mm")
    return End(values[0], values[1] if len(values) == 2 else 0.0, z_mm, x_mm, y_mm)
