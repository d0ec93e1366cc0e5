"""Rectangles on one sheet by cuts from edge to edge, as a shear makes them; and the cuts themselves, in their order."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

from bathyx.core.formula import formula

WANG = formula(
    "sheet.guillotine",
    "Cut by the shear",
    "rectangles are put beside or over one another into larger ones, while what is wasted is no more than the sheet has to spare",
    source="P. Y. Wang, Two algorithms for constrained two-dimensional cutting stock problems, Operations Research 31 (1983), "
    "from memory",
    valid="rectangles that may be turned by a quarter; every cut from edge to edge",
    check="tests/core/test_cut_plan.py: sheets cut into pieces, shuffled and put together again; cuts replayed",
    tolerance="finds what fits in the time there is; none is no proof",
)
SNAP, MOST_BUILT = 1e-6, 6000
Rect = tuple[float, float, float, float]


@dataclass(frozen=True, eq=False)
class Built:
    """A rectangle put together of items (bits of a number): its size, its waste, and where each lies: (item, x, y, turned)."""

    w: float
    h: float
    items: int
    used: float
    places: tuple[tuple[int, float, float, bool], ...]

    @property
    def waste(self) -> float:
        """Area in it that no item covers."""
        return self.w * self.h - self.used


def on_one_sheet(
    sizes: Sequence[tuple[float, float]],
    sheet: tuple[float, float],
    seconds: float = 1.0,
    *,
    turn: bool = True,
    go_on: Callable[[], bool] = lambda: True,
) -> tuple[tuple[int, float, float, bool], ...] | None:
    """Where each item lies on one sheet, (item, x, y, turned by a quarter), by guillotine cuts; None where none was found.

    Args:
        sizes: (width, height) of the items, mm, with the kerf that goes with each.
        sheet: (width, height), with a kerf.
        seconds: to look.
        turn: whether items may be turned.
        go_on: False stops.
    """
    total = sum(w * h for w, h in sizes)
    width, height = sheet
    spare = width * height - total
    if spare < -SNAP * width * height:
        return None
    spare += SNAP * width * height
    everything = (1 << len(sizes)) - 1
    end = time.monotonic() + seconds
    seen: set[tuple[int, float, float]] = set()
    built: list[Built] = []
    waiting: list[Built] = []

    def add(one: Built) -> bool:
        """Keep a rectangle that is new and fits; True where it is all of them."""
        if one.w > width + SNAP or one.h > height + SNAP or one.waste > spare:
            return False
        key = (one.items, round(one.w, 4), round(one.h, 4))
        if key in seen:
            return False
        seen.add(key)
        waiting.append(one)
        return one.items == everything

    for one in _singles(sizes, turn=turn):
        if add(one):
            return one.places
    while waiting and len(built) < MOST_BUILT and time.monotonic() < end and go_on():
        # What wastes least for what it holds is built on first.
        best = min(range(len(waiting)), key=lambda k: (waiting[k].waste / waiting[k].used, -waiting[k].used))
        one = waiting.pop(best)
        for other in [*built]:
            if one.items & other.items:
                continue
            for joined in (_beside(one, other), _over(one, other)):
                if add(joined):
                    return joined.places
        built.append(one)
    return None


def _singles(sizes: Sequence[tuple[float, float]], *, turn: bool) -> Iterator[Built]:
    for k, (w, h) in enumerate(sizes):
        yield Built(w, h, 1 << k, w * h, ((k, 0.0, 0.0, False),))
        if turn and abs(w - h) > SNAP:
            yield Built(h, w, 1 << k, w * h, ((k, 0.0, 0.0, True),))


def _beside(a: Built, b: Built) -> Built:
    moved = tuple((k, x + a.w, y, turned) for k, x, y, turned in b.places)
    return Built(a.w + b.w, max(a.h, b.h), a.items | b.items, a.used + b.used, (*a.places, *moved))


def _over(a: Built, b: Built) -> Built:
    moved = tuple((k, x, y + a.h, turned) for k, x, y, turned in b.places)
    return Built(max(a.w, b.w), a.h + b.h, a.items | b.items, a.used + b.used, (*a.places, *moved))


@dataclass(frozen=True)
class Cut:
    """A cut through a region (x, y, width, height) from edge to edge: `x` or `y`, and where."""

    region: Rect
    axis: str
    at: float

    @property
    def parts(self) -> tuple[Rect, Rect]:
        """(x, y, width, height) on either side."""
        x, y, w, h = self.region
        if self.axis == "x":
            return (x, y, self.at - x, h), (self.at, y, x + w - self.at, h)
        return (x, y, w, self.at - y), (x, self.at, w, y + h - self.at)

    @property
    def ends(self) -> tuple[tuple[float, float], tuple[float, float]]:
        """Where it begins and ends."""
        x, y, w, h = self.region
        return ((self.at, y), (self.at, y + h)) if self.axis == "x" else ((x, self.at), (x + w, self.at))


def cuts_of(rects: Sequence[Rect], region: Rect) -> tuple[Cut, ...] | None:
    """The cuts that part rectangles of a region, in the order they are made; None where no cut from edge to edge does.

    Args:
        rects: (x, y, width, height) of the pieces.
        region: (x, y, width, height) of the sheet.
    """
    if not rects:
        return ()
    x0, y0, w, h = region
    for axis, low, long in ((0, x0, w), (1, y0, h)):
        spans = sorted((r[axis], r[axis] + r[axis + 2]) for r in rects)
        ends = sorted({a for a, _ in spans} | {b for _, b in spans})
        for at in ends:
            if not low + 1e-4 < at < low + long - 1e-4 or any(a < at - 1e-4 and b > at + 1e-4 for a, b in spans):
                continue
            cut = Cut(region, "xy"[axis], at)
            one, two = cut.parts
            first = [r for r in rects if r[axis] + r[axis + 2] <= at + 1e-4]
            rest = [r for r in rects if r[axis] + r[axis + 2] > at + 1e-4]
            below = cuts_of(first, one)
            above = None if below is None else cuts_of(rest, two)
            # What a shear can cut it can cut from any cut that goes through: where the halves cannot be, nothing can.
            return None if below is None or above is None else (cut, *below, *above)
    return () if len(rects) == 1 else None


def sheared(rects: Sequence[Rect], region: Rect, least_mm: float) -> tuple[tuple[Cut, ...], tuple[Rect, ...]] | None:
    """(cuts in their order, rectangles left that are worth keeping, the largest first); None where no shear parts the pieces.

    The first cut frees the largest rectangle beyond the pieces, so that nothing cuts through it.

    Args:
        rects: (x, y, width, height) of the pieces.
        region: (x, y, width, height) of the sheet.
        least_mm: least side of a rectangle that is worth keeping.
    """
    x, y, w, h = region
    first, inner = None, region
    beyond = _beyond(rects, region)
    if beyond is not None and min(beyond[2:]) >= least_mm:
        if beyond[0] > x:
            first, inner = Cut(region, "x", beyond[0]), (x, y, beyond[0] - x, h)
        else:
            first, inner = Cut(region, "y", beyond[1]), (x, y, w, beyond[1] - y)
    cuts = cuts_of(rects, inner)
    if cuts is None:
        return None
    made = (first, *cuts) if first is not None else cuts
    empty = [piece for piece in _pieces(made, region) if not any(_holds(piece, rect) for rect in rects)]
    worth = sorted((r for r in empty if min(r[2:]) >= least_mm), key=lambda r: -r[2] * r[3])
    return made, tuple(worth)


def beyond(rects: Sequence[Rect], region: Rect, kerf_mm: float, least_mm: float) -> tuple[Rect, ...]:
    """The largest rectangle of a sheet right of all pieces or above them, a kerf away; none where it is not worth keeping."""
    x, y, w, h = region
    grown = [(a, b, c + kerf_mm, d + kerf_mm) for a, b, c, d in rects]
    found = _beyond(grown, (x, y, w, h))
    return (found,) if found is not None and min(found[2:]) >= least_mm else ()


def _beyond(rects: Sequence[Rect], region: Rect) -> Rect | None:
    x, y, w, h = region
    right = max((r[0] + r[2] for r in rects), default=x)
    top = max((r[1] + r[3] for r in rects), default=y)
    found = [(right, y, x + w - right, h), (x, top, w, y + h - top)]
    best = max(found, key=lambda r: max(r[2], 0.0) * max(r[3], 0.0))
    return best if min(best[2:]) > SNAP else None


def _pieces(cuts: Sequence[Cut], region: Rect) -> list[Rect]:
    """What a region is parted into by cuts made one after another."""
    there = {region}
    for cut in cuts:
        there.discard(cut.region)
        there.update(cut.parts)
    return list(there)


def _holds(piece: Rect, rect: Rect) -> bool:
    a, b = rect[0] + rect[2] / 2, rect[1] + rect[3] / 2
    return piece[0] <= a <= piece[0] + piece[2] and piece[1] <= b <= piece[1] + piece[3]
