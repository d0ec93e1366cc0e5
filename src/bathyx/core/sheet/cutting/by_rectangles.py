"""Parts laid by their rectangles: the packers of `rectpack` in many orders, then a few sheets at a time packed anew.

Its guillotine packers join free rectangles across cuts that were made: what comes of that is kept for the shear only where it can
be cut from edge to edge, beside the same packers that join nothing.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from functools import cache
from typing import Any

import numpy as np

from bathyx.core.sheet.cutting.guillotine import cuts_of, on_one_sheet
from bathyx.core.sheet.cutting.parts import CutPlan, Cutting, Part, Place, Used, laid_out, rects_on

Size = tuple[float, float]
MOST_TOGETHER, MOST_BY_BUILDING = 3, 60


def plans(parts: Sequence[Part], stocks: Sequence[Size], offcuts: Sequence[Size], how: Cutting) -> Iterator[CutPlan]:
    """Plans by every packer in every usual order, each on one size of stock.

    Args:
        parts: to be cut.
        stocks: (width, length) of stock sheets.
        offcuts: (width, length) of what is on the rack.
        how: they are cut.
    """
    import rectpack

    for sort in (rectpack.SORT_AREA, rectpack.SORT_SSIDE, rectpack.SORT_LSIDE, rectpack.SORT_PERI):
        for algo in _packers(shear=how.shear):
            for stock in stocks:
                plan = _packed(parts, stock, offcuts, how, algo, sort)
                if plan is not None and (not how.shear or cuttable(plan, parts)):
                    yield plan


def repacked(
    plan: CutPlan, parts: Sequence[Part], stocks: Sequence[Size], how: Cutting, dice: np.random.Generator
) -> CutPlan | None:
    """The plan with the parts of a few of its sheets packed anew, mostly the emptiest among them; None where they do not go on.

    Args:
        plan: to be bettered.
        parts: that it lays.
        stocks: (width, length) of stock sheets; the last of the sheets may become another.
        how: they are cut.
        dice: which sheets, which order, which packer.
    """
    by_name = {part.name: part for part in parts}
    filled = [sum(by_name[p.part].area_mm2 for p in plan.on(n)) / s.area_mm2 for n, s in enumerate(plan.sheets)]
    new = [n for n, s in enumerate(plan.sheets) if not s.offcut]
    if not new:
        return None
    last = min(new, key=lambda n: filled[n]) if dice.random() < 0.8 else int(dice.choice(new))
    others = [n for n in range(len(plan.sheets)) if n != last]
    some = dice.permutation(others)[: int(dice.integers(0, MOST_TOGETHER + 1))].tolist()
    chosen = [*sorted(some, key=lambda n: (not plan.sheets[n].offcut, dice.random())), last]
    mine = [by_name[place.part] for n in chosen for place in plan.on(n)]
    sizes = [(plan.sheets[n].size, plan.sheets[n].offcut) for n in chosen]
    if len(stocks) > 1 and dice.random() < 0.5:
        sizes[-1] = (stocks[int(dice.integers(len(stocks)))], False)
    packers = _packers(shear=how.shear)
    wide = float(dice.choice([0.1, 0.3, 0.6]))
    measure = (_area, max, min)[int(dice.integers(3))]
    weight = {part.name: measure(part.size) * float(dice.uniform(1 - wide, 1 + wide)) for part in mine}
    mine.sort(key=lambda part: -weight[part.name])
    found = _filled(mine, sizes, how, packers[int(dice.integers(len(packers)))])
    if found is None:
        return None
    kept = [place for place in plan.places if place.sheet not in chosen]
    here = [replace(place, sheet=len(plan.sheets) + place.sheet) for place in found]
    made = laid_out([*plan.sheets, *(Used(size, offcut) for size, offcut in sizes)], [*kept, *here], parts)
    return made if not how.shear or cuttable(made, parts) else None


def _area(size: Size) -> float:
    return size[0] * size[1]


def cuttable(plan: CutPlan, parts: Sequence[Part]) -> bool:
    """Whether every sheet of a plan can be cut from edge to edge."""
    by_name = {part.name: part for part in parts}
    return all(
        cuts_of(rects_on(plan.on(n), by_name), (0.0, 0.0, *used.size)) is not None for n, used in enumerate(plan.sheets)
    )


@cache
def _packers(*, shear: bool) -> tuple[Any, ...]:
    import rectpack

    joining = (
        rectpack.GuillotineBssfSas,
        rectpack.GuillotineBafLas,
        rectpack.GuillotineBlsfMinas,
        rectpack.GuillotineBafMaxas,
    )
    cutters = (*(_apart(packer) for packer in joining), *joining)
    others = (rectpack.MaxRectsBssf, rectpack.MaxRectsBaf, rectpack.MaxRectsBl, rectpack.MaxRectsBlsf)
    return cutters if shear else (*others, rectpack.SkylineMwfl, *cutters)


def _apart(packer: Any) -> type:
    """A guillotine packer that does not join what its cuts have parted."""

    class Apart(packer):  # type: ignore[misc]
        def __init__(self, width: float, height: float, rot: bool = True, *more: Any, **told: Any) -> None:
            super().__init__(width, height, rot, False, *more, **told)

    return Apart


def _packed(
    parts: Sequence[Part], stock: Size, offcuts: Sequence[Size], how: Cutting, algo: Any, sort: Any
) -> CutPlan | None:
    """Off-cuts one after another, the smallest first, with what goes on each; the rest on stock sheets."""
    left = list(parts)
    sheets: list[Used] = []
    places: list[Place] = []
    for size in sorted(offcuts, key=_area):
        found, left = _laid(left, size, 1, how, algo, sort, len(sheets))
        sheets.append(Used(size, True))
        places += found
    found, left = _laid(left, stock, len(parts), how, algo, sort, len(sheets))
    sheets += [Used(stock, False)] * (1 + max((p.sheet for p in found), default=-1) - len(sheets))
    return None if left else laid_out(sheets, [*places, *found], parts)


def _filled(parts: Sequence[Part], sizes: Sequence[tuple[Size, bool]], how: Cutting, algo: Any) -> list[Place] | None:
    """The parts on the sheets one after another, in the order that they have; None where one is left over."""
    from rectpack import SORT_NONE

    left, places = list(parts), list[Place]()
    for n, (size, _) in enumerate(sizes):
        found, left = _laid(left, size, 1, how, algo, SORT_NONE, n)
        places += found
        if not left:
            return places
    return None


def _laid(
    parts: Sequence[Part], size: Size, many: int, how: Cutting, algo: Any, sort: Any, first: int
) -> tuple[list[Place], list[Part]]:
    """(places on at most so many sheets of a size, numbered from `first`; what found none)."""
    from rectpack import PackingMode, newPacker

    if not parts:
        return [], []
    packer = newPacker(mode=PackingMode.Offline, pack_algo=algo, sort_algo=sort, rotation=not how.grain)
    k, room = how.kerf_mm, how.room(size)
    for i, part in enumerate(parts):
        packer.add_rect(part.size[0] + k, part.size[1] + k, i)
    packer.add_bin(room[0] + k, room[1] + k, count=many)
    packer.pack()
    rows = packer.rect_list()
    bins = sorted({row[0] for row in rows})
    places, gone = list[Place](), set[int]()
    for n, x, y, w, _, i in rows:
        turned = abs(float(w) - k - parts[i].size[0]) > 1e-6
        at = first + bins.index(n)
        places.append(quarter(parts[i], at, float(x) + how.margin_mm, float(y) + how.margin_mm, turned=turned))
        gone.add(i)
    return places, [part for i, part in enumerate(parts) if i not in gone]


def quarter(part: Part, sheet: int, x: float, y: float, *, turned: bool) -> Place:
    """A part with its rectangle's lower left corner at (x, y)."""
    return Place(part.name, sheet, x + part.size[1], y, 90.0) if turned else Place(part.name, sheet, x, y, 0.0)


def merged(
    plan: CutPlan, parts: Sequence[Part], stocks: Sequence[Size], how: Cutting, go_on: Callable[[], bool]
) -> CutPlan | None:
    """Two new sheets put together on one, where the shear can cut what is on both from one; None where none go.

    Args:
        plan: to be bettered.
        parts: that it lays.
        stocks: (width, length) of stock sheets.
        how: they are cut.
        go_on: False stops.
    """
    by_name = {part.name: part for part in parts}
    k, m = how.kerf_mm, how.margin_mm
    for i, a in enumerate(plan.sheets):
        for j, b in enumerate(plan.sheets[:i]):
            both = [by_name[place.part] for place in (*plan.on(j), *plan.on(i))]
            if a.offcut or b.offcut or len(both) > MOST_BY_BUILDING:
                continue
            sizes = [(p.size[0] + k, p.size[1] + k) for p in both]
            for stock in sorted(stocks, key=_area):
                room = how.room(stock)[0] + k, how.room(stock)[1] + k
                small = _area(stock) >= a.area_mm2 + b.area_mm2
                if small or sum(map(_area, sizes)) > _area(room) or not go_on():
                    continue
                found = on_one_sheet(sizes, room, 2.0, turn=not how.grain, go_on=go_on)
                if found is None:
                    continue
                at = len(plan.sheets)
                here = [quarter(both[n], at, x + m, y + m, turned=t) for n, x, y, t in found]
                kept = [place for place in plan.places if place.sheet not in (i, j)]
                return laid_out([*plan.sheets, Used(stock, False)], [*kept, *here], parts)
    return None
