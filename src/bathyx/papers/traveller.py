"""The traveller: the steps of this tank on paper, with cautions, hold points and room to sign."""

from __future__ import annotations

from pathlib import Path

from bathyx.core.build.day_before import NEEDS, needs
from bathyx.core.build.steps import steps
from bathyx.core.evaluate import Evaluation
from bathyx.core.making import making_of
from bathyx.core.material import Sheet
from bathyx.core.units import Family, show, worded
from bathyx.draft.solid_view import Eye, Show, solid_view
from bathyx.draft.tank_views import tank_view
from bathyx.papers.page.sheet_of_paper import Paper
from bathyx.papers.page.stationery import Stationery


def write_traveller(
    e: Evaluation, path: Path, units: Family, ticked: dict[str, str] | None = None, on: Stationery | None = None
) -> Path:
    """A4; `ticked` maps step ids to who and when, on the shop's stationery.

    Args:
        e: the evaluated job.
        path: file to write.
        units: metric or US, for every figure shown.
        ticked: step ids to who and when.
        on: the shop's stationery.
    """
    job, r = e.job, e.results
    ticked = ticked or {}
    paper = Paper(path, "Traveller", f"{job.brief.name} for {job.brief.customer or 'stock'}", on, e)
    paper.picture(tank_view(e, units, across=True), 230, share=0.6)
    seams = {s.id: "open" for s in r.seams}
    paper.picture(solid_view(e, units, Eye(), Show(seams=seams)), 230, share=0.4, at=0.6)
    for severity, ink in (("stop", "stop"), ("warn", "warn")):
        for f in e.findings:
            if f.severity == severity:
                paper.words(worded(f"{f.message} ({f.figure} against {f.limit})", units), 8.5, ink, severity == "stop")
    paper.heading("The day before: is it there?", 120)
    for need in needs(e):
        paper.tick_box(need.said(units))
    paper.words(f"Estimates: {NEEDS.tolerance}.", 8.5, "quiet")
    paper.heading("Steps")
    rows = []
    for k, step in enumerate(steps(e), start=1):
        detail = worded(step.detail, units)
        caution = f"  CAUTION: {worded(step.caution, units)}" if step.caution else ""
        title = f"{'HOLD: ' if step.hold else ''}{worded(step.title, units)}"
        rows.append((str(k), f"{title}. {detail}.{caution}", ticked.get(step.id, "")))
    paper.table(("", "step", "name, time"), rows, (0.35, 6, 1.8), 8)
    paper.heading("Seams")
    making = making_of(r.sheet)
    for k, thick in enumerate(r.skins.all_mm):
        s = making.settings(Sheet(r.sheet.material, thick))
        begin = "Begin with" if k == 0 else f"Between panels of {show(thick, 'length', units)}:"
        said = f"{begin} {s.process}, {s.filler}, {s.gas}, {s.drive}; {s.further} ({s.source})."
        paper.words(worded(said, units), 8.5)
    if len(r.skins.all_mm) > 1:
        paper.words("Where a thick panel meets a thin one: the thin one's current, the arc on the thick one.", 8.5)
    paper.table(
        ("seam", "between", "joint and edges", "length", "welder, settings, seen"),
        [
            (
                x.id,
                x.title,
                f"{x.joint}: {worded(making.prepared(x, r.skins, r.sheet, both_sides=job.makeup.both_sides).said(), units)}",
                show(x.length_mm, "length", units),
                "",
            )
            for x in r.seams
        ],
        (0.6, 2.0, 2.2, 0.9, 2.1),
    )
    return paper.finish()
