"""A sheet for every blank, from which alone it can be cut and bent: to scale, with its corners, holes, bends and lines in tables.

Everything is measured from two datum edges, the leftmost and the lowest of the blank as drawn, its inside face up. What the tables
say is the whole of the outline: every corner by its place, every side that is round by its radius and the way it turns.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from reportlab.platypus import KeepTogether, Spacer

from bathyx.core.evaluate import Evaluation, cuttable
from bathyx.core.geometry.outline import Outline, arc_of
from bathyx.core.geometry.refit import refitted
from bathyx.core.geometry.shell import Array
from bathyx.core.making import making_of
from bathyx.core.plastic.bends import HEATED, hot_bend
from bathyx.core.sheet.bending.bend import ALLOWANCE
from bathyx.core.sheet.bending.brake_steps import BrakeStep, brake_steps
from bathyx.core.sheet.bending.grain import grain_way
from bathyx.core.sheet.bending.strips import SPRINGBACK
from bathyx.core.sheet.cutting.list_for_yard import bend_orders, cut_after, form_of
from bathyx.core.sheet.flat.blank import SUMP, Blank, Hole
from bathyx.core.units import Family, show, worded
from bathyx.draft.bend_view import bend_views, said
from bathyx.draft.part_view import part_view
from bathyx.papers.blank_drawing import drawing, letter
from bathyx.papers.page.pdf_picture import paint
from bathyx.papers.page.sheet_of_paper import Painted, Paper
from bathyx.papers.page.stationery import Stationery

A_ROW, BEND_PT = 3, 128.0


@dataclass(frozen=True)
class Side:
    """From one corner of an outline to the next: its length along the metal; where it is round its radius, its middle, and whether
    it bulges out of the metal or is cut into it."""

    length_mm: float
    way_deg: float
    radius_mm: float = 0.0
    out: bool = True
    middle: tuple[float, float] = (0.0, 0.0)

    def said(self, units: Family) -> str:
        """For the table of corners."""
        if not self.radius_mm:
            return f"{show(self.length_mm, 'cut', units)} at {round(self.way_deg, 1) % 360:.1f}°"
        x, y = (show(v, "cut", units) for v in self.middle)
        return f"R {show(self.radius_mm, 'cut', units)} {'out' if self.out else 'in'} about {x} / {y}"


def sides(outline: Outline) -> tuple[Side, ...]:
    """The sides of an outline, the first from its first corner; the way is the chord's, counter-clockwise from across."""
    points, found = outline.points, []
    for k, bulge in enumerate(outline.bulges.tolist()):
        step = points[(k + 1) % len(points)] - points[k]
        chord = float(np.hypot(*step))
        way = math.degrees(math.atan2(float(step[1]), float(step[0]))) % 360
        if abs(bulge) < 1e-12:
            found.append(Side(chord, way))
            continue
        x, y, radius, _, sweep = arc_of(points[k].tolist(), (points[k] + step).tolist(), bulge)
        found.append(Side(radius * abs(sweep), way, radius, bulge > 0, (x, y)))
    return tuple(found)


def write_blank_sheets(e: Evaluation, path: Path, units: Family, on: Stationery | None = None) -> Path:
    """One PDF with a sheet for every blank that is cut from metal.

    Args:
        e: the evaluated job.
        path: file to write.
        units: metric or US, for every figure shown.
        on: the shop's stationery.

    Raises:
        Refusal: for a tank that cannot be cut.
    """
    r = cuttable(e).results
    paper = Paper(path, "Blanks, a sheet each", f"{e.job.brief.name} for {e.job.brief.customer or 'stock'}", on, e)
    orders = bend_orders(r.panelled, r.roles, r.skins, r.rule, e.job.makeup.brake)
    after = cut_after(r.blanks, r.roles)
    same: dict[tuple[object, ...], list[Piece]] = defaultdict(list)
    for blank in (replace(b, outline=refitted(b.outline)) for b in r.blanks):
        steps = brake_steps(blank, r.sheet, orders.get(blank.faces, ())) if blank.role != "bought" else ()
        piece = Piece(blank, steps, after.get(blank.name, ()))
        same[piece.like].append(piece)
    for k, pieces in enumerate(same.values()):
        if k:
            paper.turn()
        _sheet(paper, e, pieces, units)
    return paper.finish()


@dataclass(frozen=True, eq=False)
class Piece:
    """A blank with its bends in their order, and the bent ones after which it is cut."""

    blank: Blank
    steps: tuple[BrakeStep, ...]
    after: tuple[str, ...]

    @property
    def like(self) -> tuple[object, ...]:
        """Equal for those whose sheets would say the same, but for their names."""
        b = self.blank
        marks = [(m.text, *_spot(m.start), *_spot(m.end)) for m in (*b.lines, *b.told)]
        holes = [(h.label, h.size, h.waits, *_spot(h.centre)) for h in b.holes]
        turns = [(s.turn_deg, s.hand, *_spot(s.bend.start), *_spot(s.bend.end)) for s in self.steps]
        return form_of(b), b.role, b.stock, tuple(marks), tuple(holes), tuple(turns), self.after


def _spot(place: Array) -> tuple[float, float]:
    return round(float(place[0]), 1) + 0.0, round(float(place[1]), 1) + 0.0


def _sheet(paper: Paper, e: Evaluation, pieces: Sequence[Piece], units: Family) -> None:
    blank, steps = pieces[0].blank, pieces[0].steps
    paper.heading(", ".join(piece.blank.name for piece in pieces))
    _title(paper, e, blank, units, pieces[0].after, len(pieces))
    tall = paper.height * (0.44 if blank.bends or len(blank.outline.points) < 14 else 0.5)
    scale, drawn = drawing(blank, steps, units, paper.room_pt, tall, grained=making_of(e.results.sheet).on_brake)
    paper.add(drawn)
    paper.words(
        f"Scale 1 : {scale:g} on {paper.on.sheet.upper()}. The tank's inside faces you. "
        "0 is the leftmost and the lowest edge: every place is across and up from there. A round side has its radius, about its "
        "middle: out, where it bulges out of the metal, in, where it is cut into it. Do not measure off the drawing.",
        ink="quiet",
    )
    _corners(paper, blank, units)
    _holes(paper, blank, units)
    _bends(paper, e, blank, steps, units)
    if making_of(e.results.sheet).on_brake:
        _drawn(paper, e, blank, steps, units)
    _lines(paper, blank, units)


def _title(paper: Paper, e: Evaluation, blank: Blank, units: Family, after: Sequence[str], count: int) -> None:
    r = e.results
    sheet = r.skins.piece(r.sheet, blank.role, blank.faces, blank.thickness_mm)
    w, h = blank.size_mm
    way, along = grain_way(blank.bends)
    grain = (
        "as it likes" if not blank.bends else f"at {math.degrees(math.atan2(way[1], way[0])) % 180:.0f}° from across"
    )
    if blank.bends and along:
        grain += ", a bend still along it"
    grained = making_of(sheet).on_brake
    rows = [
        ("metal" if grained else "sheet", f"{sheet.material.name}, {show(blank.thickness_mm, 'thickness', units)}"),
        ("cut", f"{count}, {show(w, 'cut', units)} across and {show(h, 'cut', units)} up"),
        ("mass", show(sheet.mass_kg(blank.area_mm2), "mass", units) + (" each" if count > 1 else "")),
        ("grain", grain),
    ]
    if not grained or blank.role == "bought":
        rows.pop(3)
    if blank.role == "bought":
        rows[1] = ("cut", f"{count} of {blank.stock}, {show(h, 'cut', units)} long; drawn laid open")
    if after:
        rows.append(
            ("when", f"after {' and '.join(after)} {'is' if len(after) == 1 else 'are'} bent and measured: cut to fit")
        )
    made = paper.grid((), rows, (58, paper.room_pt * 0.62 - 58))
    view = part_view(e, blank)
    if view is None:
        paper.add(made, Spacer(0, 6))
        return
    tall = 18.0 * len(rows) + 26
    folded = Painted(tall, lambda c, wide: paint(c, view, 0.0, 0.0, wide, tall))
    paper.beside((made, 0.64), (folded, 0.36))


def _corners(paper: Paper, blank: Blank, units: Family) -> None:
    """Two columns of them where there are many."""
    heads = ("corner", "across", "up", "to the next")
    rows = [
        (str(k), show(float(p[0]), "cut", units), show(float(p[1]), "cut", units), side.said(units))
        for k, (p, side) in enumerate(zip(blank.outline.points, sides(blank.outline), strict=True), start=1)
    ]
    share = (0.15, 0.23, 0.23, 0.39)
    if len(rows) <= 8:
        paper.add(paper.grid(heads, rows, [0.66 * paper.room_pt * s for s in share]), Spacer(0, 8))
        return
    half = math.ceil(len(rows) / 2)
    gap = 14.0
    each = (paper.room_pt - gap) / 2
    one, two = (paper.grid(heads, part, [each * s for s in share]) for part in (rows[:half], rows[half:]))
    if half > 22:  # longer than what is left of a page: one column that may turn it
        paper.add(paper.grid(heads, rows, [0.66 * paper.room_pt * s for s in share]), Spacer(0, 8))
        return
    paper.beside((one, 0.51), (two, 0.49))


def _holes(paper: Paper, blank: Blank, units: Family) -> None:
    if not blank.holes:
        return
    rows = [
        (
            letter(k),
            show(float(hole.centre[0]), "cut", units),
            show(float(hole.centre[1]), "cut", units),
            _hole_size(hole, units),
            hole.label,
        )
        for k, hole in enumerate(blank.holes)
    ]
    table = paper.grid(
        ("hole", "across", "up", "size", "for"), rows, [paper.room_pt * s for s in (0.09, 0.15, 0.15, 0.36, 0.25)]
    )
    paper.add(table, Spacer(0, 8))
    for k, hole in enumerate(blank.holes):
        if hole.border is None:
            continue
        border = refitted(Outline(hole.border, np.zeros(len(hole.border))))
        corners = [
            (f"{letter(k)}{n}", show(float(p[0]), "cut", units), show(float(p[1]), "cut", units), side.said(units))
            for n, (p, side) in enumerate(zip(border.points, sides(border), strict=True), start=1)
        ]
        shares = [0.66 * paper.room_pt * s for s in (0.15, 0.23, 0.23, 0.39)]
        paper.add(paper.grid((f"round {letter(k)}", "across", "up", "to the next"), corners, shares), Spacer(0, 8))


def _hole_size(hole: Hole, units: Family) -> str:
    if hole.border is None:
        return f"ø{show(hole.diameter_mm, 'cut', units)}{', cut after bending' if hole.waits else ''}"
    w, h = np.ptp(hole.border, axis=0)
    size = f"{show(float(w), 'cut', units)} across, {show(float(h), 'cut', units)} up"
    if hole.label == SUMP:
        return size
    return f"{size} in the flat: ø{show(hole.diameter_mm, 'cut', units)} when rolled"


def _bends(paper: Paper, e: Evaluation, blank: Blank, steps: Sequence[BrakeStep], units: Family) -> None:
    if not steps:
        return
    rows = [
        (
            str(k),
            f"{_place(s.bend.start, units)} to {_place(s.bend.end, units)}",
            f"{s.turn_deg:.1f}° {'up, toward you' if s.bend.up else 'down, away from you'}",
            f"R {show(s.bend.radius_mm, 'thickness', units)} inside",
            s.bent_to,
            _gauge(s, units),
        )
        for k, s in enumerate(steps, start=1)
    ]
    heads = ("bend", "its middle line, across / up", "turn", "radius", "bent to about", "gauge, middle line")
    table = paper.grid(heads, rows, [paper.room_pt * s for s in (0.08, 0.3, 0.19, 0.13, 0.11, 0.19)])
    paper.add(KeepTogether([table, Spacer(0, 4)]))
    if not making_of(e.results.sheet).on_brake:
        hot = worded(hot_bend(e.results.sheet, steps[0].bend.radius_mm, steps[0].turn_deg).said, units)
        paper.words(f"In this order, each by itself: {hot}. {HEATED.tolerance}.", ink="quiet")
        return
    paper.words(
        f"In this order; below as each is made, seen along it. K {e.results.rule.k_factor:g}. {ALLOWANCE.tolerance}. "
        f"Bent to: {SPRINGBACK.tolerance}. "
        "Hands clear of the beam; nobody reaches under it.",
        ink="quiet",
    )


def _gauge(s: BrakeStep, units: Family) -> str:
    if s.hand:
        return s.against
    return "by eye to the line" if s.gauge_mm is None else f"{show(s.gauge_mm, 'cut', units)} from {s.against}"


def _drawn(paper: Paper, e: Evaluation, blank: Blank, steps: Sequence[BrakeStep], units: Family) -> None:
    """The bends as they are made, seen along each: rows of pictures with their words."""
    pictures = bend_views(e, blank)
    own = [step for step in steps if not step.bend.flange]
    if not pictures or len(pictures) != len(own):
        return
    first = len(steps) - len(own)
    for k, (picture, step) in enumerate(zip(pictures, own, strict=True)):
        paper.picture(picture, BEND_PT, said(step, first + k + 1, units), 1 / A_ROW, (k % A_ROW) / A_ROW)


def _lines(paper: Paper, blank: Blank, units: Family) -> None:
    rows = [(mark.text or "line", _place(mark.start, units), _place(mark.end, units)) for mark in blank.lines]
    if rows:
        table = paper.grid(
            ("line to draw", "from, across / up", "to"), rows, [paper.room_pt * s for s in (0.4, 0.3, 0.3)]
        )
        paper.add(table, Spacer(0, 6))
    if blank.told:
        told = [(worded(mark.text, units), _place(mark.start, units)) for mark in blank.told]
        share = [paper.room_pt * part for part in (0.6, 0.4)]
        paper.add(paper.grid(("what else is done", "there, across / up"), told, share), Spacer(0, 6))


def _place(spot: Array, units: Family) -> str:
    return f"{show(float(spot[0]), 'cut', units)} / {show(float(spot[1]), 'cut', units)}"
