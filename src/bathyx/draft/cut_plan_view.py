"""Blanks on sheets and off-cuts as they are cut, whole or up to one of the cuts, and each cut in words."""

from __future__ import annotations

import string
from collections.abc import Callable, Iterator, Sequence
from functools import partial

import numpy as np

from bathyx.core.geometry.shell import Array
from bathyx.core.sheet.cutting.order import Step
from bathyx.core.sheet.cutting.parts import CutPlan, Place
from bathyx.core.sheet.flat.blank import Blank
from bathyx.core.units import Family, show
from bathyx.draft.picture import Circle, Dim, Item, Label, Picture, Poly, box, line

MOST_NUMBERED, SHEETS_APART = 24, 0.09
MARKS = string.ascii_uppercase  # of what goes back on the rack
Lie = Callable[[Array], Array]


def cut_plan_view(
    plan: CutPlan,
    blanks: Sequence[Blank],
    units: Family,
    steps: Sequence[Step] = (),
    made: int | None = None,
    only: int | None = None,
) -> Picture:
    """The sheets under one another, each with its long side along the page.

    Args:
        plan: of the blanks.
        blanks: that lie on the sheets.
        units: metric or US.
        steps: its cuts in their order.
        made: how many of them are made, the last of which is shown with its gauge; None for the whole plan.
        only: the one sheet that is drawn, without its title; None for all.
    """
    by_name = {b.name: b for b in blanks}
    whole = made is None
    done = list(steps if made is None else steps[:made])
    free = {name for step in done for name in step.frees}
    items: list[Item] = []
    long = max(max(s.size) for s in plan.sheets)
    y0 = 0.0
    for n, used in enumerate(plan.sheets):
        if only is not None and n != only:
            continue
        upright = used.size[1] > used.size[0]
        width, height = sorted(used.size, reverse=True)
        y0 -= height + (SHEETS_APART * long if items else 0.0)
        lie = partial(_lying, used.size[0] if upright else None, y0)
        items.append(box(0, y0, width, height, "ink", "space", 1.6))
        if only is None:
            title = sheet_title(plan, n, units)
            items.append(Label(np.array([0.0, y0]), title, 10, "ink", "l", bold=True, shift=(0, -10)))
        if not whole and done and done[-1].sheet == n and done[-1].axis:
            items.append(Poly(lie(_corners(done[-1].piece)), None, "lit"))
        for place in plan.on(n):
            items += _blank(by_name[place.part], partial(_through, place, lie), here=whole or place.part in free)
        for mark, (x, y, w, h) in zip(MARKS, used.rest, strict=False):
            middle = lie(np.array([[x + w / 2, y + h / 2]]))[0]
            items.append(Label(middle, mark, 10, "brass", bold=True))
        items += _cuts([s for s in steps if s.sheet == n], steps, done, lie, units, whole=whole)
    return Picture(tuple(items))


def sheet_title(plan: CutPlan, n: int, units: Family) -> str:
    """Which sheet or off-cut of a plan, and its size.

    Args:
        plan: that it is of.
        n: which.
        units: metric or US.
    """
    used = plan.sheets[n]
    said = f"{'off-cut' if used.offcut else 'sheet'} {n + 1}: {_size(used.size, units)}"
    rack = ", ".join(f"{mark} {_size(rest[2:], units)}" for mark, rest in zip(MARKS, used.rest, strict=False))
    return f"{said}; for the rack {rack}" if rack else said


def rack_mark(plan: CutPlan, step: Step, units: Family) -> list[str]:
    """The mark and size of each piece for the rack that a cut frees.

    Args:
        plan: that is cut.
        step: the cut.
        units: metric or US.
    """
    marks = dict(zip(plan.sheets[step.sheet].rest, MARKS, strict=False))
    return [f"{marks.get(rest, '')} {_size(rest[2:], units)}" for rest in step.racked]


def _size(size: Sequence[float], units: Family) -> str:
    return " × ".join(show(v, "length", units) for v in size)


def step_words(plan: CutPlan, steps: Sequence[Step], made: int, units: Family) -> str:
    """A cut in words: which of how many, on which sheet, what the gauge is set to, and what comes free.

    Args:
        plan: that is cut.
        steps: its cuts in their order.
        made: how many are made, the last of which is told.
        units: metric or US.
    """
    if not steps:
        return ""
    if made == 0:
        return f"{len(steps)} cuts. Slide to see them one after another."
    step = steps[made - 1]
    used = plan.sheets[step.sheet]
    on = f"{'off-cut' if used.offcut else 'sheet'} {step.sheet + 1}"
    said = [f"{made} of {len(steps)}, {on}: "]
    if step.axis:
        said.append(f"the piece of {_size(step.piece[2:], units)}, gauge at {show(step.gauge_mm, 'cut', units)}")
        if step.frees:
            said.append(f". Frees {' and '.join(step.frees)}")
    else:
        said.append(f"cut out {' and '.join(step.frees)}, its holes before its border")
    said += [f". For the rack: {mark}" for mark in rack_mark(plan, step, units)]
    return "".join(said) + "."


def _blank(blank: Blank, lay: Lie, *, here: bool) -> Iterator[Item]:
    """A blank as it lies: what is free in the metal's colour, else thin."""
    tag = f"blank:{blank.name}"
    ring = lay(blank.outline.faceted)
    yield Poly(ring, "ink" if here else "quiet", "sheet" if here else None, 1.0, tag=tag)
    if here:
        for bend in blank.bends:
            ends = lay(np.stack([bend.start, bend.end]))
            yield line(ends[0], ends[1], "bend up" if bend.up else "bend down", 1.0, dashed=not bend.up)
    for hole in blank.holes:
        if hole.border is not None:
            yield Poly(lay(hole.border), "hole", "space", 0.8)
            continue
        yield Circle(lay(hole.centre[None])[0], hole.diameter_mm / 2, "hole", "space", 0.8)
    yield Label((ring.min(axis=0) + ring.max(axis=0)) / 2, blank.name, 9.5, "ink" if here else "quiet", tag=tag)


def _cuts(
    mine: Sequence[Step], steps: Sequence[Step], done: Sequence[Step], lie: Lie, units: Family, *, whole: bool
) -> Iterator[Item]:
    """The straight cuts of a sheet, numbered: those that are made drawn through, the last with its gauge, those to come dashed."""
    number = {id(step): k for k, step in enumerate(steps, start=1)}
    first = number[id(mine[0])] if mine else 0
    for step in mine:
        k = number[id(step)]
        is_last, is_made = bool(done) and step is done[-1] and not whole, k <= len(done) and not whole
        if not step.axis:
            if is_last:
                yield Poly(lie(_corners(step.piece)), "select", None, 2.0)
            continue
        ends = lie(np.array(step.ends))
        ink = "select" if is_last else "accent" if is_made or whole else "quiet"
        yield line(ends[0], ends[1], ink, 2.4 if is_last else 1.2, dashed=not is_made)
        if is_last or (whole and k < first + MOST_NUMBERED):
            yield Label(ends[0], str(k), 9.5, ink, bold=True, badge="paper")
        if is_last:
            x, y, w, _ = step.piece
            edge = np.array([[x, y], [step.at, y]] if step.axis == "x" else [[x + w, y], [x + w, step.at]])
            p, q = lie(edge)
            yield Dim(p, q, show(step.gauge_mm, "cut", units), -16.0, "select")


def _through(place: Place, lie: Lie, points: Array) -> Array:
    return lie(place.laid(points))


def _corners(rect: tuple[float, float, float, float]) -> Array:
    x, y, w, h = rect
    return np.array([[x, y], [x + w, y], [x + w, y + h], [x, y + h]])


def _lying(turned: float | None, y0: float, points: Array) -> Array:
    """(n, 2) places of a sheet at a height of the page; a sheet whose width `turned` is its short side is turned by a quarter."""
    flat = points if turned is None else np.column_stack([points[:, 1], turned - points[:, 0]])
    return np.asarray(flat + [0.0, y0])
