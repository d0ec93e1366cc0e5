"""The bends of a blank in the order they are made: what each is bent to, and what the back gauge reads."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from bathyx.core.geometry.outline import Outline
from bathyx.core.geometry.shell import Array
from bathyx.core.material import Sheet
from bathyx.core.sheet.bending.strips import bent_to
from bathyx.core.sheet.flat.blank import BendLine, Blank
from bathyx.errors import Refusal

PARALLEL, LEAST_EDGE_MM = 0.9998, 20.0


@dataclass(frozen=True, eq=False)
class BrakeStep:
    """A bend: its line in the blank, what it is bent to before it springs back (None where it is rolled), and how far its middle
    lies from the edge that rests against the gauge, mm; `against`: the free edge, the flange bent before, or a marked line where
    there is neither."""

    bend: BendLine
    bent_to_deg: float | None
    gauge_mm: float | None
    against: str


def brake_steps(blank: Blank, sheet: Sheet, order: Sequence[str] = ()) -> tuple[BrakeStep, ...]:
    """The bends of a blank in an order; outer flanges first unless one is given.

    Args:
        blank: with its bends as they were unfolded, outward from its largest face.
        sheet: that it is cut from.
        order: bends by their edge, all of them.
    """
    by_edge = {bend.edge: bend for bend in blank.bends}
    found: list[BrakeStep] = []
    made: list[BendLine] = []
    flanges = [bend for bend in blank.bends if bend.flange]
    for bend in [*flanges, *(by_edge[name] for name in order)] if order else reversed(blank.bends):
        m, t = sheet.material, blank.thickness_mm
        try:
            to, _ = bent_to(bend.turn_deg, bend.radius_mm, t, m.yield_at(t, weld=False), m.modulus)
        except Refusal:  # a radius that is rolled rather than bent: nothing is known of how far it springs back
            to = None
        gauge, against = _gauge(blank.outline, bend, made, t)
        found.append(BrakeStep(bend, to, gauge, against))
        made.append(bend)
    return tuple(found)


def _gauge(outline: Outline, bend: BendLine, made: list[BendLine], t: float) -> tuple[float | None, str]:
    """What rests against the gauge on the side that has less sheet, or a bend that was made before."""
    way = (bend.end - bend.start) / np.linalg.norm(bend.end - bend.start)
    out = np.array([way[1], -way[0]])
    middle = (bend.start + bend.end) / 2
    ring = outline.faceted
    best: tuple[float, str] | None = None
    for sign in (1.0, -1.0):
        standing = [b for b in made if sign * float(((b.start + b.end) / 2 - middle) @ out) > 1.0]
        beside = [b for b in standing if _along(b, way)]
        if beside:
            near = min(beside, key=lambda b: abs(float(((b.start + b.end) / 2 - middle) @ out)))
            if abs(near.turn_deg - 90) > 1.0:
                continue
            # From this bend's middle to the face of the flange that looks away from it: flat up to its bend, then round the corner,
            # a radius and the sheet, whichever way it stands.
            flat = abs(float(((near.start + near.end) / 2 - middle) @ out)) - near.allowance_mm / 2
            reading = (flat + near.radius_mm + t, "the flange bent before")
        elif standing:
            continue
        else:
            edge = _free_edge(ring, middle, way, out * sign)
            if edge is None:
                continue
            reading = (edge, "the free edge")
        best = reading if best is None or reading[0] < best[0] else best
    return best if best is not None else (None, "a line marked on the sheet")


def _along(bend: BendLine, way: Array) -> bool:
    line = bend.end - bend.start
    return abs(float(line @ way)) / float(np.linalg.norm(line)) > PARALLEL


def _free_edge(ring: Array, middle: Array, way: Array, out: Array) -> float | None:
    """How far an edge of the outline parallel to the bend lies from it, the outermost on that side; None where there is none."""
    found = None
    for p, q in zip(ring, np.roll(ring, -1, axis=0), strict=True):
        long = math.dist(p, q)
        if long < LEAST_EDGE_MM or abs(float((q - p) @ way)) / long < PARALLEL:
            continue
        off = float((p - middle) @ out)
        if off > 1.0 and (found is None or off > found):
            found = off
    if found is None or found < float(((ring - middle) @ out).max()) - 0.5:
        return None
    return found
