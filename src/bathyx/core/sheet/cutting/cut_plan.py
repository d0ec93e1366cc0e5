"""Parts of one or more tanks on several sheets: off-cuts first, by the shear or as true shapes, with the kerf and the margin.

Looked for are, in this order: the least area of new sheets, of which what is left in one piece for the rack counts half; as much as
goes from the rack; and long cuts that two parts share.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial

import numpy as np
from shapely import STRtree, line_merge
from shapely.geometry import Polygon

from bathyx.core.sheet.cutting.by_rectangles import merged, plans, repacked
from bathyx.core.sheet.cutting.by_shapes import SLICE_S, reshaped, shaped
from bathyx.core.sheet.cutting.guillotine import beyond, sheared
from bathyx.core.sheet.cutting.nest import NestError
from bathyx.core.sheet.cutting.parts import LEAST_OFFCUT_MM, CutPlan, Cutting, Part, Place, Used, parts_of, rects_on

__all__ = ["CutPlan", "Cutting", "Part", "Place", "Used", "common_mm", "cut_plan", "parts_of"]
COMMON_MM, LEAST_COMMON_MM, LEFT_WORTH = 0.05, 10.0, 0.5
RECTANGLES_SHARE, STALLED, STALLED_SHAPES, LEAST_TRUE_SHARE = 0.25, 400, 8, 0.995


def cut_plan(
    parts: Sequence[Part],
    stocks: Sequence[tuple[float, float]],
    offcuts: Sequence[tuple[float, float]] = (),
    how: Cutting | None = None,
    seconds: float = 10.0,
    heard: Callable[[float, CutPlan | None], bool] = lambda share, best: True,
) -> CutPlan:
    """The best plan that was found.

    Args:
        parts: to be cut, all of one sheet material and thickness.
        stocks: (width, length) of stock sheets.
        offcuts: (width, length) of what is on the rack; used first.
        how: it is cut.
        seconds: to look.
        heard: called with the share of the time gone and the best so far; False stops.

    Raises:
        NestError: names a part that no sheet takes.
    """
    how = how or Cutting()
    _asked(parts, stocks, offcuts, how)
    search = _Search(parts, stocks, offcuts, how, seconds, heard)
    search.by_rectangles()
    shapes = not how.shear and any(p.area_mm2 < LEAST_TRUE_SHARE * p.size[0] * p.size[1] for p in parts)
    search.anew(seconds * (1 - RECTANGLES_SHARE) if shapes else 0.0)
    if shapes:
        search.by_shapes()
    return search.best


class _Search:
    """The best plan so far, and what is done to better it while there is time."""

    def __init__(
        self,
        parts: Sequence[Part],
        stocks: Sequence[tuple[float, float]],
        offcuts: Sequence[tuple[float, float]],
        how: Cutting,
        seconds: float,
        heard: Callable[[float, CutPlan | None], bool],
    ) -> None:
        self.parts, self.offcuts, self.how = parts, offcuts, how
        self.stocks = sorted(stocks, key=lambda s: s[0] * s[1])
        self.seconds, self._heard, self._end = seconds, heard, time.monotonic() + seconds
        self.found: CutPlan | None = None
        self.dice = np.random.default_rng(1)

    @property
    def best(self) -> CutPlan:
        """NestError where there is none."""
        if self.found is None:
            raise NestError("the parts were not laid on the sheets there are; take a larger stock sheet")
        return self.found

    def left_s(self) -> float:
        """Seconds that are left."""
        return max(0.0, self._end - time.monotonic())

    def go_on(self) -> bool:
        """Tell how it stands; False once it should stop."""
        return self._heard(1 - self.left_s() / self.seconds, self.found) and self.left_s() > 0

    def better(self, plan: CutPlan | None) -> bool:
        """Keep a plan that is worth more, or as much with longer cuts that are shared."""
        if plan is None:
            return False
        plan, best, kerf = _finished(plan, self.parts, self.how), self.found, self.how.kerf_mm
        if best is not None:
            mine, its = _worth(plan), _worth(best)
            if mine > its or (
                mine == its and common_mm(plan, self.parts, kerf) <= common_mm(best, self.parts, kerf) + 1
            ):
                return False
        self.found = plan
        return True

    def by_rectangles(self) -> None:
        """Every packer once; for the shear, two sheets put together on one."""
        for plan in plans(self.parts, self.stocks, self.offcuts, self.how):
            self.better(plan)
            if not self.go_on():
                return
        while self.how.shear and self.better(merged(self.best, self.parts, self.stocks, self.how, self.go_on)):
            pass

    def anew(self, until_s: float) -> None:
        """A few sheets packed anew at a time, until so many seconds are left or nothing has come of it for long."""
        idle = 0
        while idle < STALLED and self.left_s() > until_s and self.go_on():
            made = repacked(self.best, self.parts, self.stocks, self.how, self.dice)
            idle = 0 if self.better(made) else idle + 1

    def by_shapes(self) -> None:
        """All laid as the shapes they are, then two sheets at a time."""
        share = 0.5 * self.left_s() / len(self.stocks)
        for stock in self.stocks:
            until = self.left_s() - share
            if all(self.how.takes(stock, part) for part in self.parts) and self.go_on():
                left_s = partial(self._left_until, until)
                self.better(shaped(self.parts, stock, self.offcuts, self.how, left_s, self.dice))
        idle = 0
        while idle < STALLED_SHAPES and self.left_s() > 1 and self.go_on():
            made = reshaped(self.best, self.parts, self.how, min(2 * SLICE_S, self.left_s()), self.dice)
            idle = 0 if self.better(made) else idle + 1

    def _left_until(self, until_s: float) -> float:
        return self.left_s() - until_s


def _asked(
    parts: Sequence[Part], stocks: Sequence[tuple[float, float]], offcuts: Sequence[tuple[float, float]], how: Cutting
) -> None:
    """NestError for parts that cannot be laid."""
    names = [part.name for part in parts]
    twice = next((name for name in names if names.count(name) > 1), None)
    if twice is not None:
        raise NestError(f"two parts are called {twice}; give each a name of its own")
    for part in parts:
        if not any(how.takes(stock, part) for stock in (*stocks, *offcuts)):
            sizes = ", ".join(f"{w:g} × {h:g}" for w, h in stocks)
            raise NestError(
                f"{part.name} is {part.size[0]:.0f} × {part.size[1]:.0f} mm and no stock sheet takes it with a margin of "
                f"{how.margin_mm:g} mm ({sizes} mm); choose a make-up with smaller pieces"
            )


def common_mm(plan: CutPlan, parts: Sequence[Part], kerf_mm: float = 0.0) -> float:
    """Length of cut that two parts share where they lie edge to edge, a kerf apart, mm: one cut does for both.

    Args:
        plan: of the parts.
        parts: with their outlines.
        kerf_mm: between them.
    """
    by_name = {part.name: part for part in parts}
    total = 0.0
    for n in range(len(plan.sheets)):
        shapes = [Polygon(p.laid(by_name[p.part].outline)) for p in plan.on(n)]
        tree = STRtree(shapes)
        reach = kerf_mm + COMMON_MM
        for a, b in tree.query(shapes, "dwithin", distance=reach).T.tolist():
            if a < b:
                shared = shapes[a].boundary.intersection(shapes[b].buffer(reach))
                whole = line_merge(shared) if shared.geom_type == "MultiLineString" else shared
                pieces = getattr(whole, "geoms", [whole])
                total += sum(length for piece in pieces if (length := piece.length) >= LEAST_COMMON_MM)
    return total


def taken_mm2(plan: CutPlan) -> float:
    """What a plan takes: the area of new sheets, less half of the largest rectangle that is left of each for the rack."""
    left = sum(s.left[0] * s.left[1] for s in plan.sheets if s.left is not None and not s.offcut)
    return plan.new_mm2 - LEFT_WORTH * left


def _worth(plan: CutPlan) -> tuple[float, ...]:
    """The less the better: what it takes, and parts that are not from the rack."""
    on_rack = sum(plan.sheets[place.sheet].offcut for place in plan.places)
    return round(taken_mm2(plan), -2), -on_rack


def _finished(plan: CutPlan, parts: Sequence[Part], how: Cutting) -> CutPlan:
    """With the shear's cuts, and what is left of each sheet."""
    by_name = {part.name: part for part in parts}
    sheets = []
    for n, used in enumerate(plan.sheets):
        rects, region = rects_on(plan.on(n), by_name), (0.0, 0.0, *used.size)
        made = sheared(rects, region, LEAST_OFFCUT_MM) if how.shear else None
        if made is not None:
            sheets.append(replace(used, cuts=made[0], rest=made[1]))
        else:
            sheets.append(replace(used, cuts=(), rest=beyond(rects, region, how.kerf_mm, LEAST_OFFCUT_MM)))
    return replace(plan, sheets=tuple(sheets))
