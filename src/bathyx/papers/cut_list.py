"""The cut list: every blank with its drawing, sizes, bends and holes, and the nest on stock sheets."""

from __future__ import annotations

from pathlib import Path

from bathyx.core.evaluate import Evaluation
from bathyx.core.making import making_of
from bathyx.core.material import Sheet
from bathyx.core.plastic.bends import HEATED, hot_bend
from bathyx.core.sheet.bending.bend import ALLOWANCE
from bathyx.core.sheet.bending.strips import SPRINGBACK
from bathyx.core.sheet.cutting.list_for_yard import bend_orders, cut_after, hole_tools, order_lines
from bathyx.core.sheet.cutting.nest import NestError, by_thickness, nest, pieces_of
from bathyx.core.sheet.makeup.own_parts import bar_plans, every_part
from bathyx.core.sheet.makeup.roles import SCHOOLS
from bathyx.core.units import Family, show, worded
from bathyx.draft.flat_views import blank_picture, nest_view
from bathyx.errors import Refusal
from bathyx.papers.page.sheet_of_paper import Paper
from bathyx.papers.page.stationery import Stationery

STOCK_BAR_MM, SAW_MM = 6000.0, 2.5


def _order(paper: Paper, e: Evaluation, units: Family) -> None:
    """Pieces alike together in the order a shear cuts them, the brake's steps, and holes by tool."""
    r = e.results
    after = cut_after(r.blanks, r.roles)
    several = len({b.thickness_mm for b in r.blanks}) > 1
    rows = order_lines(r.blanks, r.sheet, bend_orders(r.panelled, r.roles, r.skins, r.rule, e.job.makeup.brake))
    paper.heading("What to ask the yard for, the largest first", 130)

    def long(mm: float, places: int = 0) -> str:
        return show(mm, "length", units, places=places)

    paper.table(
        ("", "flat size", "notched corners", "bends", "for"),
        [
            (
                f"{row.count} ×",
                " × ".join(long(v, 1) for v in row.blank.size_mm),
                str(row.notches) if row.notches else "none",
                ", ".join(f"{s.bend.turn_deg:.0f}° {'up' if s.bend.up else 'down'}" for s in row.steps if not s.hand)
                or "flat",
                (f"{show(row.blank.thickness_mm, 'thickness', units)}: " if several else "") + ", ".join(row.names),
            )
            for row in rows
        ],
        (0.5, 2.5, 1.0, 1.9, 2.2),
    )
    if after:
        said = "; ".join(f"{name} to {' and '.join(bent)}" for name, bent in after.items())
        paper.words(f"Cut to the bent one, after it is bent and measured: {said}.", 8.5)
    bent = [row for row in rows if row.steps]
    if bent:
        cold = making_of(r.sheet).on_brake
        paper.heading("On the brake, in this order" if cold else "Hot bends, in this order", 130)
        paper.table(
            ("blank", "bend", "turn", "bent to", "gauge", "against"),
            [
                (
                    row.names[0] if k == 1 else "",
                    str(k),
                    f"{s.turn_deg:.0f}° {'up' if s.bend.up else 'down'}",
                    s.bent_to if s.bent_to_deg is None else f"about {s.bent_to}",
                    "" if s.gauge_mm is None else long(s.gauge_mm, 1),
                    s.against,
                )
                for row in bent
                for k, s in enumerate(row.steps, start=1)
            ],
            (2.2, 0.6, 0.9, 1.1, 1.2, 2),
        )
        hot = "" if cold else worded(hot_bend(r.sheet, bent[0].steps[0].bend.radius_mm).said, units)
        paper.words(
            f"Gauge: from the middle of the bend line. Bent to: {SPRINGBACK.tolerance}. "
            "Hands clear of the beam; nobody reaches under it."
            if cold
            else f"Each by itself: {hot}. {HEATED.tolerance}.",
            8.5,
            "quiet",
        )
    tools = hole_tools(r.blanks)
    if tools:
        paper.heading("Holes by tool", 130)
        paper.table(
            ("tool", "holes", "in"),
            [
                (worded(tool.size, units), str(len(tool.holes)), "; ".join(f"{a}: {b}" for a, b in tool.holes))
                for tool in tools
            ],
            (1.2, 0.6, 6),
            8,
        )


def _own_parts(paper: Paper, e: Evaluation, units: Family) -> None:
    """Closing plates, tabs, strips, bars and angles by size and place, a box to tick for each, and the bars to buy."""
    parts = every_part(
        e.job.own_parts,
        e.results.seams,
        e.results.skins,
        e.job.makeup.doublers,
        e.results.straps,
        e.results.lids,
        e.results.bands,
    )
    if not parts:
        return
    paper.heading("Plates, tabs and bars, ticked as they are cut", 90)
    for part in parts:
        paper.tick_box(worded(f"{part.count} × {part.kind} {part.size}: {part.place}", units))
    try:
        for plan in bar_plans(parts, STOCK_BAR_MM, SAW_MM):
            cuts = "; ".join(" + ".join(show(v, "cut", units) for v in bar) for bar in plan.bars)
            sure = "" if plan.proven else ", perhaps fewer"
            paper.words(f"{plan.section}: {len(plan.bars)} of {show(STOCK_BAR_MM, 'weld', units)}{sure}: {cuts}.", 8.5)
    except Refusal as error:
        paper.words(str(error), 9, "stop", True)


def write_cut_list(e: Evaluation, path: Path, units: Family, on: Stationery | None = None) -> Path:
    """A4, one row per blank, then one drawing per blank, then the nest.

    Args:
        e: the evaluated job.
        path: file to write.
        units: metric or US, for every figure shown.
        on: the shop's stationery.
    """
    job, r = e.job, e.results
    paper = Paper(
        path, "Cut list", f"{job.brief.name}, {r.sheet.shown(units)}, {SCHOOLS[job.makeup.school].lower()}", on, e
    )
    rows = []
    for k, b in enumerate(r.blanks, start=1):
        w, h = b.size_mm
        flat = f"{show(w, 'length', units)} × {show(h, 'length', units)}"
        holes = ", ".join(worded(x.size, units) for x in b.holes) or "none"
        rows.append(
            (
                str(k),
                b.name,
                f"{b.stock}, cut {show(h, 'length', units)}" if b.role == "bought" else flat,
                str(len(b.bends)),
                holes,
                show(r.skins.piece(r.sheet, b.role, b.faces, b.thickness_mm).mass_kg(b.area_mm2), "mass", units),
            )
        )
    paper.table(("", "blank", "flat size", "bends", "holes", "mass"), rows, (0.4, 2.2, 2, 0.7, 2.4, 1))
    paper.words(
        f"Inside radius {show(r.rule.radius_mm, 'thickness', units)}, K {r.rule.k_factor:g}. {ALLOWANCE.tolerance}. "
        "Inside face up; up bends toward you. Ticks are yours.",
        8.5,
        "quiet",
    )
    if any(b.role == "bought" for b in r.blanks):
        paper.words(
            "The bought body is drawn laid open at the middle of its wall, to mark its holes from: it is not cut from sheet. "
            "Measure the bar: sizes and corners may be off by what its standard allows.",
            8.5,
            "quiet",
        )
    rings = [f for f in job.inside.fittings if f.ring_mm > 0]
    if rings:
        paper.heading("Rings, bosses and mounts")
        paper.table(
            ("for", "outside", "hole", "thick"),
            [
                (
                    f"{f.said}{f', {f.thread}' if f.thread else ''}",
                    f"ø{show(f.ring_od_mm, 'cut', units)}",
                    f"ø{show(f.hole_mm, 'cut', units)}" if f.hole_mm else "none",
                    show(f.ring_mm, "thickness", units),
                )
                for f in rings
            ],
            (2, 1, 1, 1),
        )
    _order(paper, e, units)
    _own_parts(paper, e, units)
    paper.heading("Nest", 250)

    def long(mm: float) -> str:
        return show(mm, "length", units)

    for thick, mine in by_thickness(r.blanks).items():
        try:
            laid = nest(pieces_of(mine), r.sheet.material.stock)
            paper.words(
                f"{Sheet(r.sheet.material, thick).shown(units)}: {laid.sheets} sheet{'s' if laid.sheets > 1 else ''} of "
                f"{long(laid.stock[0])} × {long(laid.stock[1])}, "
                f"{laid.used_share:.0%} used.",
                9,
            )
            paper.picture(
                nest_view(laid, mine, units),
                min(560.0, 250.0 if laid.stock[1] > laid.stock[0] else 210.0 * laid.sheets + 40),
            )
        except NestError as error:
            paper.words(str(error), 9, "stop", True)
    paper.heading("Blanks: each has a sheet of its own in blanks.pdf", 150)
    for k, b in enumerate(r.blanks):
        paper.picture(blank_picture(b, units, close=False), 150, share=1 / 3, at=(k % 3) / 3)
    paper.heading("Cut")
    for b in r.blanks:
        paper.tick_box(b.name)
    return paper.finish()
