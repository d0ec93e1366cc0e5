"""The cut plan on paper: every sheet with its cuts numbered, and each cut with what the gauge is set to and what comes free."""

from __future__ import annotations

from pathlib import Path

from bathyx.core.evaluate import Evaluation
from bathyx.core.material import Sheet
from bathyx.core.sheet.cutting.cut_plan import Cutting, common_mm
from bathyx.core.sheet.cutting.order import steps_of
from bathyx.core.sheet.cutting.parts import CutPlan, parts_of
from bathyx.core.units import Family, show
from bathyx.draft.cut_plan_view import cut_plan_view, rack_mark, sheet_title
from bathyx.papers.page.sheet_of_paper import Paper
from bathyx.papers.page.stationery import Stationery

PICTURE_PT = 235.0


def write_cut_plan(
    e: Evaluation, plan: CutPlan, how: Cutting, sheet: Sheet, path: Path, units: Family, on: Stationery | None = None
) -> Path:
    """A drawing and a table for every sheet and off-cut of a plan.

    Args:
        e: the evaluated job.
        plan: of its blanks of one thickness.
        how: they are cut.
        sheet: that they are cut from.
        path: file to write.
        units: metric or US.
        on: the shop's stationery.
    """
    laid = {place.part for place in plan.places}
    blanks = [b for b in e.results.blanks if b.name in laid]
    parts = parts_of(blanks)
    steps = steps_of(plan, parts, how)
    paper = Paper(path, "Cut plan", f"{e.job.brief.name}, {sheet.shown(units)}", on, e)
    shared = common_mm(plan, parts, how.kerf_mm)
    if how.shear:
        paper.words("By the shear, each cut from edge to edge of the piece that is named, in this order.", 9.5)
    else:
        paper.words(
            f"Along the outlines, {show(how.kerf_mm, 'thickness', units)} between parts and "
            f"{show(how.margin_mm, 'thickness', units)} at the edge; holes before borders. Order from part to nearest part.",
            9.5,
        )
    if shared >= 1.0:
        paper.words(f"One cut does for two parts along {show(shared, 'weld', units)}.", 9.5)
    for n in range(len(plan.sheets)):
        paper.heading(sheet_title(plan, n, units), PICTURE_PT + 60)
        paper.picture(cut_plan_view(plan, blanks, units, steps, only=n), PICTURE_PT)
        rows = []
        for k, step in enumerate(steps, start=1):
            if step.sheet != n:
                continue
            piece = " × ".join(show(v, "length", units) for v in step.piece[2:])
            racked = [f"for the rack {mark}" for mark in rack_mark(plan, step, units)]
            gauge = show(step.gauge_mm, "cut", units) if step.axis else "along its border"
            rows.append((str(k), piece, gauge, ", ".join([*step.frees, *racked]) or "-"))
        paper.table(("cut", "of the piece", "gauge at", "comes free"), rows, (0.4, 1.6, 1, 2.4))
    return paper.finish()
