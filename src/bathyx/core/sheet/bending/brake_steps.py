"""The bends of a blank in the order they are made: what each is bent to, and what the back gauge reads."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from bathyx.core.geometry.outline import Outline
from bathyx.core.geometry.shell import Array
from bathyx.core.material import Sheet, SheetMaterial, plastic, plastics
from bathyx.core.sheet.bending.on_brake import Made
from bathyx.core.sheet.bending.strips import bent_to
from bathyx.core.sheet.flat.blank import BendLine, Blank
from bathyx.errors import Refusal

PARALLEL, LEAST_EDGE_MM = 0.9998, 20.0


@dataclass(frozen=True, eq=False)
class BrakeStep:
    """A bend: its line in the blank, what it is bent to before it springs back (None where it is rolled), and how far its middle
    lies from the edge that rests against the gauge, mm; `against`: the free edge, the flange bent before, or a marked line where
    there is neither. `turn_deg`: what it has turned after the step; `hand`: closed by hand from what the brake left."""

    bend: BendLine
    bent_to_deg: float | None
    gauge_mm: float | None
    against: str
    turn_deg: float
    hand: bool = False

    @property
    def bent_to(self) -> str:
        """How far the brake bends it, in words."""
        if self.hand:
            return "by template"
        return "rolled: try" if self.bent_to_deg is None else f"{self.bent_to_deg:.1f}°"


def brake_steps(blank: Blank, sheet: Sheet, order: Sequence[Made] = ()) -> tuple[BrakeStep, ...]:
    """The bends of a blank in an order; outer flanges first unless one is given.

    Args:
        blank: with its bends as they were unfolded, outward from its largest face.
        sheet: that it is cut from.
        order: its steps, all of them.
    """
    by_edge = {bend.edge: bend for bend in blank.bends}
    flanges = [bend for bend in blank.bends if bend.flange]
    steps = [(bend, Made(bend.edge)) for bend in (flanges if order else reversed(blank.bends))]
    steps += [(by_edge[made.edge], made) for made in order]
    found: list[BrakeStep] = []
    before: dict[str, tuple[BendLine, float]] = {}
    for bend, made in steps:
        m, t, turn = sheet.material, blank.thickness_mm, made.share * bend.turn_deg
        try:
            to = _bent_to(m, turn, bend.radius_mm, t)
        except Refusal:  # a radius that is rolled rather than bent: nothing is known of how far it springs back
            to = None
        if made.hand:
            found.append(BrakeStep(bend, None, None, "by hand, over a bar", turn, hand=True))
        else:
            gauge, against = _gauge(blank.outline, bend, list(before.values()), t)
            found.append(BrakeStep(bend, to, gauge, against, turn))
        before[bend.edge] = bend, turn
    return tuple(found)


def _bent_to(m: SheetMaterial, turn: float, radius_mm: float, t: float) -> float:
    """How far it is bent so that it stands at its angle: by springback, or bent hot by how far the plastic comes back."""
    if m.key in plastics():
        return turn + plastic(m.key).overbend_deg
    to, _ = bent_to(turn, radius_mm, t, m.yield_at(t, weld=False), m.modulus)
    return to


def _gauge(outline: Outline, bend: BendLine, made: list[tuple[BendLine, float]], t: float) -> tuple[float | None, str]:
    """What rests against the gauge on the side that has less sheet, or a bend that was made before."""
    way = (bend.end - bend.start) / np.linalg.norm(bend.end - bend.start)
    out = np.array([way[1], -way[0]])
    middle = (bend.start + bend.end) / 2
    ring = outline.faceted
    best: tuple[float, str] | None = None
    for sign in (1.0, -1.0):
        standing = [(b, turn) for b, turn in made if sign * float(((b.start + b.end) / 2 - middle) @ out) > 1.0]
        beside = [(b, turn) for b, turn in standing if _along(b, way)]
        if beside:
            near, turn = min(beside, key=lambda b: abs(float(((b[0].start + b[0].end) / 2 - middle) @ out)))
            if abs(turn - 90) > 1.0:
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
