"""Candidates for the make-up side by side: their blanks at one scale, with what each takes."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from bathyx.core.geometry.shell import Array
from bathyx.core.units import Family, show
from bathyx.draft.picture import Item, Label, Picture, Poly, box, line


@dataclass(frozen=True, eq=False)
class Shown:
    """A candidate to draw: its title, outlines (n, 2) of its blanks and ends (2, 2) of their bends, mm, and lines of figures; `now`
    where the tank is made so."""

    title: str
    blanks: Sequence[tuple[Array, Sequence[Array]]]
    lines: Sequence[str]
    stopped: bool = False
    now: bool = False


def figures(
    units: Family,
    *,
    weld_mm: float,
    parts: int,
    bends: int,
    sheets: int | None,
    minutes: float,
    money: float,
    flat_share: float,
) -> tuple[str, str, str]:
    """A candidate's figures in three lines.

    Args:
        units: metric or US.
        weld_mm: of the shell.
        parts: blanks of it.
        bends: in them.
        sheets: new ones they are nested on; None where they do not nest.
        minutes: of work.
        money: sheets and work.
        flat_share: of the weld that lies flat while the tank stands.
    """
    nested = (
        "no sheet takes it"
        if sheets is None
        else f"{sheets} sheet{'s' if sheets != 1 else ''}"
        if sheets
        else "off-cuts do"
    )
    return (
        f"{show(weld_mm, 'weld', units)} of weld",
        f"{parts} part{'s' if parts != 1 else ''}, {bends} bend{'s' if bends != 1 else ''}, {nested}; {flat_share:.0%} flat",
        f"{minutes:.0f} min, {show(money, 'money', units)}",
    )


def make_ups_view(shown: Sequence[Shown], across: int = 3) -> Picture:
    """Cells in rows, one a candidate; a click on one has the tag `makeup:k`.

    Args:
        shown: candidates, the best first.
        across: cells in a row.
    """
    laid = [_in_rows(one.blanks) for one in shown]
    wide = max((w for _, w, _ in laid), default=1.0)
    tall = max((h for _, _, h in laid), default=1.0)
    side = max(wide, tall)
    cell_w, cell_h, gap = 1.62 * side, 1.12 * side, 0.1 * side
    foot = 0.62 * side
    items: list[Item] = []
    for k, (one, (blanks, w, h)) in enumerate(zip(shown, laid, strict=True)):
        x, y = (k % across) * (cell_w + gap), -(k // across) * (cell_h + foot + gap)
        tag = f"makeup:{k}"
        items.append(
            box(
                x,
                y - cell_h - foot,
                cell_w,
                cell_h + foot,
                "stop" if one.stopped else "accent" if one.now else "thin",
                "paper",
                3.0 if one.now else 1.4,
                tag=tag,
            )
        )
        shift = np.array([x + (cell_w - w) / 2, y - (cell_h - h) / 2])
        for outline, bends in blanks:
            items.append(Poly(outline + shift, "ink", "sheet", 1.4, tag=tag))
            items += [line(bend[0] + shift, bend[1] + shift, "bend up", 1.2) for bend in bends]
        step, room = foot / (len(one.lines) + 1.4), 0.94 * cell_w
        for n, text in enumerate((one.title, *one.lines)):
            spot = np.array([x + cell_w / 2, y - cell_h - (n + 0.5) * step])
            ink, size = ("stop" if one.stopped and n == 0 else "ink"), 0.84 if n == 0 else 0.7
            items.append(Label(spot, text, 10, ink, bold=n < 2, tag=tag, tall_mm=size * step, room_mm=room))
    return Picture(tuple(items))


def _in_rows(blanks: Sequence[tuple[Array, Sequence[Array]]]) -> tuple[list[tuple[Array, list[Array]]], float, float]:
    """(blanks laid in rows, width, height), mm, from (0, 0) down."""
    sizes = [np.ptp(outline, axis=0) for outline, _ in blanks]
    gap = 0.05 * max(float(s.max()) for s in sizes)
    row = max(max(float(s[0]) for s in sizes), math.sqrt(sum(float((s[0] + gap) * (s[1] + gap)) for s in sizes)))
    order = sorted(range(len(blanks)), key=lambda k: -float(sizes[k][1]))
    found: list[tuple[Array, list[Array]]] = []
    x = y = tall = wide = 0.0
    for k in order:
        w, h = (float(v) for v in sizes[k])
        if x > 0 and x + w > row + 1e-6:
            x, y, tall = 0.0, y - tall - gap, 0.0
        outline, bends = blanks[k]
        shift = np.array([x, y - h]) - outline.min(axis=0)
        found.append((outline + shift, [bend + shift for bend in bends]))
        x, tall, wide = x + w + gap, max(tall, h), max(wide, x + w)
    return found, wide, tall - y
