"""Parts of one or more tanks on several sheets: off-cuts first, by the shear or as true shapes, with the kerf and the margin."""

from __future__ import annotations

import math
import re
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cache
from typing import Any

import numpy as np
from shapely import union_all
from shapely.geometry import Polygon

from bathyx.core.geometry.outline import polygon_area
from bathyx.core.geometry.shell import Array
from bathyx.core.sheet.cutting.guillotine import Cut, Rect, cuts_of, on_one_sheet
from bathyx.core.sheet.cutting.nest import NestError
from bathyx.core.sheet.flat.blank import Blank

QUARTERS = (0.0, 90.0, 180.0, 270.0)
LEAST_OFFCUT_MM, SLICE_S = 80.0, 2


@dataclass(frozen=True, eq=False)
class Part:
    """A flat piece: its name and its outline (n, 2) with its lower left corner at (0, 0), mm."""

    name: str
    outline: Array

    @property
    def size(self) -> tuple[float, float]:
        """Width and height."""
        w, h = np.ptp(self.outline, axis=0)
        return float(w), float(h)

    @property
    def area_mm2(self) -> float:
        """Of its outline."""
        return abs(polygon_area(self.outline))


@dataclass(frozen=True)
class Place:
    """Where a part lies: on which sheet, turned about its origin by `turn_deg`, then moved to (x, y)."""

    part: str
    sheet: int
    x_mm: float
    y_mm: float
    turn_deg: float

    def laid(self, outline: Array) -> Array:
        """(n, 2) of the part's outline on its sheet."""
        a = math.radians(self.turn_deg)
        turn = np.array([[math.cos(a), -math.sin(a)], [math.sin(a), math.cos(a)]])
        return np.asarray(outline @ turn.T + [self.x_mm, self.y_mm])


@dataclass(frozen=True)
class Used:
    """A sheet that is cut: its size, whether it is an off-cut, the shear's cuts, and the largest rectangle left at its end."""

    size: tuple[float, float]
    offcut: bool
    cuts: tuple[Cut, ...] = ()
    left: tuple[float, float] | None = None


@dataclass(frozen=True)
class CutPlan:
    """Places on sheets; `density` is the area of the parts over that of the sheets."""

    sheets: tuple[Used, ...]
    places: tuple[Place, ...]
    density: float

    @property
    def new_mm2(self) -> float:
        """Area of new sheets."""
        return sum(s.size[0] * s.size[1] for s in self.sheets if not s.offcut)


@dataclass(frozen=True)
class Cutting:
    """How it is cut: `shear` by cuts from edge to edge, else along the outlines; kerf between parts, margin at the edge of a
    sheet, and whether parts may only be turned by half a turn, for the grain."""

    shear: bool = True
    kerf_mm: float = 3.0
    margin_mm: float = 5.0
    grain: bool = False


def offcut_of(text: str) -> tuple[float, float]:
    """An off-cut as it is typed, `600x400`, mm. Refusal for what is none."""
    match = re.fullmatch(r"\s*(\d+(?:\.\d+)?)\s*[x×]\s*(\d+(?:\.\d+)?)\s*", text.lower())
    sizes = tuple(float(v) for v in match.groups()) if match else ()
    if len(sizes) != 2 or not all(10 <= v <= 20_000 for v in sizes):
        raise NestError(f"{text.strip()[:40]!r} is no off-cut; write it in mm like 600x400, 10 to 20,000 each way")
    return sizes[0], sizes[1]


def rack_of(text: str) -> tuple[tuple[tuple[float, float], ...], str]:
    """(off-cuts of a typed rack `600x400; 900x300`, what is wrong with the first that is none)."""
    found: list[tuple[float, float]] = []
    wrong = ""
    for part in filter(None, map(str.strip, re.split(r"[;,]", text))):
        try:
            found.append(offcut_of(part))
        except NestError as error:
            wrong = wrong or str(error)
    return tuple(found), wrong


def parts_of(blanks: Sequence[Blank], prefix: str = "") -> tuple[Part, ...]:
    """Blanks as parts."""
    return tuple(Part(prefix + b.name, b.outline.faceted) for b in blanks if b.role != "bought")


def cut_plan(
    parts: Sequence[Part],
    stocks: Sequence[tuple[float, float]],
    offcuts: Sequence[tuple[float, float]] = (),
    how: Cutting | None = None,
    seconds: float = 10.0,
    heard: Callable[[float, CutPlan | None], bool] = lambda share, best: True,
) -> CutPlan:
    """The plan with the least area of new sheets that was found.

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
    names = [part.name for part in parts]
    twice = next((name for name in names if names.count(name) > 1), None)
    if twice is not None:
        raise NestError(f"two parts are called {twice}; give each a name of its own")
    for part in parts:
        if not any(_fits(part, stock, how) for stock in (*stocks, *offcuts)):
            sizes = ", ".join(f"{w:g} × {h:g}" for w, h in stocks)
            raise NestError(
                f"{part.name} is {part.size[0]:.0f} × {part.size[1]:.0f} mm and no stock sheet takes it with a margin of "
                f"{how.margin_mm:g} mm ({sizes} mm); choose a make-up with smaller pieces"
            )
    end = time.monotonic() + seconds
    best: CutPlan | None = None

    def go_on() -> bool:
        left = max(0.0, end - time.monotonic())
        return heard(1 - left / seconds, best) and left > 0

    for plan in _by_rectangles(parts, stocks, offcuts, how):
        best = plan if best is None or _better(plan, best) else best
        if not go_on():
            break
    if best is None:
        raise NestError("the parts were not laid on the sheets there are; take a larger stock sheet")
    for stock in sorted(stocks, key=lambda s: s[0] * s[1]):
        if not go_on():
            break
        refined = (
            _merged(best, parts, stock, how, go_on) if how.shear else _shaped(parts, stock, offcuts, how, end, go_on)
        )
        if refined is not None and _better(refined, best):
            best = refined
    return _finished(best, parts, how)


def common_mm(plan: CutPlan, parts: Sequence[Part]) -> float:
    """Length of cut that two parts share where they lie edge to edge, mm: one cut does for both.

    Args:
        plan: of the parts.
        parts: with their outlines.
    """
    by_name = {part.name: part for part in parts}
    total = 0.0
    for n in range(len(plan.sheets)):
        shapes = [Polygon(p.laid(by_name[p.part].outline)) for p in plan.places if p.sheet == n]
        whole = union_all(shapes, grid_size=1e-3)
        total += (sum(shape.length for shape in shapes) - whole.length) / 2
    return max(total, 0.0)


def rack_after(plan: CutPlan, rack: Sequence[tuple[float, float]]) -> tuple[tuple[float, float], ...]:
    """The rack when a plan has been cut: off-cuts it took are gone, what it leaves is there; at least 80 mm either way."""
    there = [tuple(sorted(size, reverse=True)) for size in rack]
    for used in plan.sheets:
        size = tuple(sorted(used.size, reverse=True))
        if used.offcut and size in there:
            there.remove(size)
        if used.left is not None:
            there.append((round(max(used.left)), round(min(used.left))))
    return tuple((float(a), float(b)) for a, b in there)


def _better(a: CutPlan, b: CutPlan) -> bool:
    """Less new sheet; of equal ones the one that takes more off the rack, then the fuller."""
    return _worth(a) < _worth(b)


def _worth(plan: CutPlan) -> tuple[float, ...]:
    on_rack = sum(plan.sheets[place.sheet].offcut for place in plan.places)
    return round(plan.new_mm2), -on_rack, -plan.density


def _fits(part: Part, stock: tuple[float, float], how: Cutting) -> bool:
    w, h = part.size
    room = stock[0] - 2 * how.margin_mm + 1e-6, stock[1] - 2 * how.margin_mm + 1e-6
    return (w <= room[0] and h <= room[1]) or (not how.grain and h <= room[0] and w <= room[1])


def _by_rectangles(
    parts: Sequence[Part], stocks: Sequence[tuple[float, float]], offcuts: Sequence[tuple[float, float]], how: Cutting
) -> Iterator[CutPlan]:
    """Plans by the packers of `rectpack`: the guillotine ones for the shear, all of them else.

    Its guillotine packers join free rectangles across cuts that were made: what comes of that is kept for the shear only where
    it can be cut from edge to edge, beside the same packers that join nothing.
    """
    import rectpack

    joining = (
        rectpack.GuillotineBssfSas,
        rectpack.GuillotineBafLas,
        rectpack.GuillotineBlsfMinas,
        rectpack.GuillotineBafMaxas,
    )
    cutters = [*(_apart(packer) for packer in joining), *joining]
    others = [rectpack.MaxRectsBssf, rectpack.MaxRectsBaf, rectpack.SkylineMwfl]
    for stock in stocks:
        for sort in (rectpack.SORT_AREA, rectpack.SORT_SSIDE, rectpack.SORT_LSIDE, rectpack.SORT_PERI):
            for algo in cutters if how.shear else [*cutters, *others]:
                plan = _packed(parts, stock, offcuts, how, algo, sort)
                if plan is not None and (not how.shear or _sheared(plan, parts)):
                    yield plan


@cache
def _apart(packer: Any) -> type:
    """A guillotine packer that does not join what its cuts have parted."""

    class Apart(packer):  # type: ignore[misc]
        def __init__(self, width: float, height: float, rot: bool = True, *more: Any, **told: Any) -> None:
            super().__init__(width, height, rot, False, *more, **told)

    return Apart


def _sheared(plan: CutPlan, parts: Sequence[Part]) -> bool:
    """Whether every sheet of a plan can be cut from edge to edge."""
    by_name = {part.name: part for part in parts}
    return all(
        cuts_of(_rects_on(plan, n, by_name), (0.0, 0.0, *used.size)) is not None for n, used in enumerate(plan.sheets)
    )


def _rects_on(plan: CutPlan, sheet: int, by_name: Mapping[str, Part]) -> list[Rect]:
    """(x, y, width, height) of what lies on a sheet."""
    rects = []
    for place in plan.places:
        if place.sheet == sheet:
            ring = place.laid(by_name[place.part].outline)
            low, span = ring.min(axis=0), np.ptp(ring, axis=0)
            rects.append((float(low[0]), float(low[1]), float(span[0]), float(span[1])))
    return rects


def _packed(
    parts: Sequence[Part],
    stock: tuple[float, float],
    offcuts: Sequence[tuple[float, float]],
    how: Cutting,
    algo: object,
    sort: object,
) -> CutPlan | None:
    """Off-cuts one after another, the smallest first, with what goes on each; the rest on stock sheets."""
    left = list(parts)
    sheets: list[Used] = []
    places: list[Place] = []
    for size, many in [*((s, 1) for s in sorted(offcuts, key=lambda s: s[0] * s[1])), (stock, len(parts))]:
        rows = _rows(left, size, many, how, algo, sort)
        bins = sorted({row[0] for row in rows})
        for n, x, y, w, _, i in rows:
            turned = abs(float(w) - how.kerf_mm - left[i].size[0]) > 1e-6
            at = len(sheets) + bins.index(n)
            places.append(_quarter(left[i], at, float(x) + how.margin_mm, float(y) + how.margin_mm, turned=turned))
        sheets += [Used(size, many == 1 and size in offcuts) for _ in bins]
        gone = {row[5] for row in rows}
        left = [part for i, part in enumerate(left) if i not in gone]
        if not left:
            break
    return None if left else CutPlan(tuple(sheets), tuple(places), _density(sheets, parts))


def _rows(
    parts: Sequence[Part], size: tuple[float, float], many: int, how: Cutting, algo: object, sort: object
) -> list[tuple[int, float, float, float, float, int]]:
    """(sheet, x, y, width, height, part) of what is laid on so many sheets of a size."""
    from rectpack import PackingMode, newPacker

    packer = newPacker(mode=PackingMode.Offline, pack_algo=algo, sort_algo=sort, rotation=not how.grain)
    k = how.kerf_mm
    for i, part in enumerate(parts):
        packer.add_rect(part.size[0] + k, part.size[1] + k, i)
    packer.add_bin(size[0] - 2 * how.margin_mm + k, size[1] - 2 * how.margin_mm + k, count=many)
    packer.pack()
    return list(packer.rect_list())


def _density(sheets: Sequence[Used], parts: Sequence[Part]) -> float:
    return sum(p.area_mm2 for p in parts) / sum(s.size[0] * s.size[1] for s in sheets)


def _quarter(part: Part, sheet: int, x: float, y: float, *, turned: bool) -> Place:
    """A part with its rectangle's lower left corner at (x, y)."""
    return Place(part.name, sheet, x + part.size[1], y, 90.0) if turned else Place(part.name, sheet, x, y, 0.0)


def _merged(
    plan: CutPlan, parts: Sequence[Part], stock: tuple[float, float], how: Cutting, go_on: Callable[[], bool]
) -> CutPlan | None:
    """New sheets two by two put together on one, where the shear can cut what is on both from one."""
    by_name = {part.name: part for part in parts}
    k, m = how.kerf_mm, how.margin_mm
    room = stock[0] - 2 * m + k, stock[1] - 2 * m + k
    groups = [[by_name[p.part] for p in plan.places if p.sheet == n] for n in range(len(plan.sheets))]
    sheets = list(plan.sheets)
    laid: list[tuple[Place, ...] | None] = [None] * len(sheets)
    changed = False
    for i in range(len(sheets)):
        for j in range(i):
            both = groups[i] + groups[j]
            if sheets[i].offcut or sheets[j].offcut or not groups[i] or not groups[j]:
                continue
            if sum((p.size[0] + k) * (p.size[1] + k) for p in both) > room[0] * room[1] or not go_on():
                continue
            sizes = [(p.size[0] + k, p.size[1] + k) for p in both]
            found = on_one_sheet(sizes, room, 2.0, turn=not how.grain, go_on=go_on)
            if found is None:
                continue
            laid[j] = tuple(_quarter(both[n], j, x + m, y + m, turned=t) for n, x, y, t in found)
            groups[j], groups[i], sheets[j] = both, [], Used(stock, False)
            laid[i], changed = None, True
    if not changed:
        return None
    kept = [n for n in range(len(sheets)) if groups[n]]
    places: list[Place] = []
    for at, n in enumerate(kept):
        mine = laid[n] or tuple(p for p in plan.places if p.sheet == n)
        places += [replace(p, sheet=at) for p in mine]
    used = tuple(sheets[n] for n in kept)
    return CutPlan(used, tuple(places), _density(used, parts))


def _shaped(
    parts: Sequence[Part],
    stock: tuple[float, float],
    offcuts: Sequence[tuple[float, float]],
    how: Cutting,
    end: float,
    go_on: Callable[[], bool],
) -> CutPlan | None:
    """True shapes sheet by sheet: as many of the parts as go on each, off-cuts first."""
    left = sorted(parts, key=lambda p: -p.area_mm2)
    sheets: list[Used] = []
    places: list[Place] = []
    rack = sorted(offcuts, key=lambda s: s[0] * s[1])
    while left:
        size = rack.pop(0) if rack else stock
        can = [p for p in left if _fits(p, size, how)]
        laid = _most_on(can, size, how, len(sheets), end, go_on)
        if laid:
            sheets.append(Used(size, len(sheets) < len(offcuts) and size != stock))
            places += laid
            gone = {p.part for p in laid}
            left = [p for p in left if p.name not in gone]
        elif size == stock:
            return None
        if not go_on() and left:
            return None
    return CutPlan(tuple(sheets), tuple(places), _density(sheets, parts)) if sheets else None


def _most_on(
    parts: Sequence[Part], size: tuple[float, float], how: Cutting, sheet: int, end: float, go_on: Callable[[], bool]
) -> list[Place]:
    """As many of the parts, the largest first, as are found to go on one sheet."""
    room = size[0] - 2 * how.margin_mm, size[1] - 2 * how.margin_mm
    area, count, taken = 0.0, 0, list[Part]()
    for part in parts:
        if area + part.area_mm2 <= 0.97 * room[0] * room[1]:
            taken.append(part)
            area += part.area_mm2
    for count in range(len(taken), 0, -1):
        if not go_on():
            break
        left = max(1, min(SLICE_S * 2, int(end - time.monotonic())))
        found = _strip(taken[:count], room, how, left)
        if found is not None:
            return [replace(p, sheet=sheet, x_mm=p.x_mm + how.margin_mm, y_mm=p.y_mm + how.margin_mm) for p in found]
    return []


def _strip(parts: Sequence[Part], room: tuple[float, float], how: Cutting, seconds: int) -> list[Place] | None:
    """The parts in a strip as high as the sheet, by `spyrrow`; None where it is longer than the sheet."""
    import spyrrow

    turns = (0.0, 180.0) if how.grain else QUARTERS
    items = [
        spyrrow.Item(str(k), [(float(x), float(y)) for x, y in p.outline], 1, list(turns)) for k, p in enumerate(parts)
    ]
    try:
        strip = spyrrow.StripPackingInstance("sheet", room[1] + 1e-6, items)
        config = spyrrow.StripPackingConfig(
            min_items_separation=how.kerf_mm or None, total_computation_time=seconds, num_workers=1, seed=1
        )
        found = strip.solve(config)
    except ValueError:
        return None
    except (
        BaseException
    ) as error:  # the library's own panic, where a part as high as the strip leaves no room for the kerf
        if type(error).__name__ != "PanicException":
            raise
        return None
    if found.width > room[0] + 1e-6:
        return None
    return [
        Place(parts[int(p.id)].name, 0, float(p.translation[0]), float(p.translation[1]), float(p.rotation))
        for p in found.placed_items
    ]


def _finished(plan: CutPlan, parts: Sequence[Part], how: Cutting) -> CutPlan:
    """With the shear's cuts, and what is left of each sheet."""
    by_name = {part.name: part for part in parts}
    sheets = []
    for n, used in enumerate(plan.sheets):
        rects = _rects_on(plan, n, by_name)
        right, top = max(r[0] + r[2] for r in rects) + how.kerf_mm, max(r[1] + r[3] for r in rects) + how.kerf_mm
        rest = [(used.size[0] - right, used.size[1]), (used.size[0], used.size[1] - top)]
        largest = max(rest, key=lambda s: s[0] * s[1])
        cuts = cuts_of(rects, (0.0, 0.0, *used.size)) if how.shear else ()
        sheets.append(replace(used, cuts=cuts or (), left=largest if min(largest) >= LEAST_OFFCUT_MM else None))
    return CutPlan(tuple(sheets), plan.places, plan.density)
