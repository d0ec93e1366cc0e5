"""The order in which a plan is cut.

By the shear: cut after cut, each with what its gauge is set to and what it frees. Along the outlines: part after part, near ones
after one another, and last what goes back to the rack.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from bathyx.core.sheet.cutting.guillotine import Cut, Rect
from bathyx.core.sheet.cutting.parts import CutPlan, Cutting, Part, rects_on

SAME_MM = 1e-3


@dataclass(frozen=True)
class Step:
    """One cut: on which sheet, through which piece (x, y, width, height); `axis` and `at` of a straight one; `gauge_mm` from the
    piece's left or lower edge; parts and rectangles for the rack that it frees."""

    sheet: int
    piece: Rect
    axis: str = ""
    at: float = 0.0
    gauge_mm: float = 0.0
    frees: tuple[str, ...] = ()
    racked: tuple[Rect, ...] = ()

    @property
    def ends(self) -> tuple[tuple[float, float], tuple[float, float]]:
        """Where a straight one begins and ends."""
        return Cut(self.piece, self.axis, self.at).ends


def steps_of(plan: CutPlan, parts: Sequence[Part], how: Cutting) -> tuple[Step, ...]:
    """All cuts of a plan in their order.

    Args:
        plan: to be cut.
        parts: that it lays.
        how: they are cut.
    """
    by_name = {part.name: part for part in parts}
    found: list[Step] = []
    for n, used in enumerate(plan.sheets):
        sheared = how.shear and bool(used.cuts)
        found += _sheared(plan, n, by_name) if sheared else _followed(plan, n, by_name, how)
    return tuple(found)


def _sheared(plan: CutPlan, n: int, by_name: Mapping[str, Part]) -> Iterator[Step]:
    used = plan.sheets[n]
    rects = dict(zip((p.part for p in plan.on(n)), rects_on(plan.on(n), by_name), strict=True))
    for cut in used.cuts:
        frees = tuple(name for name, rect in rects.items() if any(_same(rect, piece) for piece in cut.parts))
        racked = tuple(rest for rest in used.rest if any(_same(rest, piece) for piece in cut.parts))
        low = cut.region[0] if cut.axis == "x" else cut.region[1]
        yield Step(n, cut.region, cut.axis, cut.at, cut.at - low, frees, racked)


def _followed(plan: CutPlan, n: int, by_name: Mapping[str, Part], how: Cutting) -> Iterator[Step]:
    """Part after part, the next the nearest to the last, from the lower left corner; then straight across for the rack."""
    used = plan.sheets[n]
    rects = dict(zip((p.part for p in plan.on(n)), rects_on(plan.on(n), by_name), strict=True))
    at = np.zeros(2)
    while rects:
        name = min(rects, key=lambda name: (float(np.hypot(*(_middle(rects[name]) - at))), name))
        at = _middle(rects[name])
        yield Step(n, rects.pop(name), frees=(name,))
    whole = (0.0, 0.0, *used.size)
    for rest in used.rest:
        axis = "x" if rest[0] > 0 else "y"
        line = max(rest[0], rest[1]) - how.kerf_mm / 2
        yield Step(n, whole, axis, line, line, racked=(rest,))


def _middle(rect: Rect) -> np.ndarray:
    return np.array([rect[0] + rect[2] / 2, rect[1] + rect[3] / 2])


def _same(a: Rect, b: Rect) -> bool:
    return max(abs(x - y) for x, y in zip(a, b, strict=True)) < SAME_MM
