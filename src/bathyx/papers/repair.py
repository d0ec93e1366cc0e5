"""The paper of a used tank: what came in, the gate as it was recorded, what was mended, or why it was refused."""

from __future__ import annotations

from pathlib import Path

from bathyx.core.build.repair_steps import VAPOUR
from bathyx.core.evaluate import Evaluation
from bathyx.core.material import fluids
from bathyx.core.repair.gate import GATE, PARTS, condition_words, conditions
from bathyx.core.repair.intake import CAUSES, FOUND_BY, KINDS, TRAPS, WAYS, WOUNDS
from bathyx.core.repair.mending import how, next_hurt
from bathyx.core.units import Family, show, worded
from bathyx.files.pictures import picture_at
from bathyx.papers.page.sheet_of_paper import Paper
from bathyx.papers.page.stationery import Stationery
from bathyx.register import JobRecord


def write_repair(
    e: Evaluation, record: JobRecord, serial: str | None, path: Path, units: Family, on: Stationery | None = None
) -> Path:
    """A page or two; a refusal is a paper too.

    Args:
        e: the evaluated job of a used tank.
        record: of it.
        serial: the number it has here.
        path: file to write.
        units: metric or US.
        on: the shop's stationery.
    """
    intake, r = e.job.repair, e.results
    assert intake is not None
    refused = intake.refused_always or intake.refused
    paper = Paper(path, "Used tank, refused" if refused else "Used tank, mended", e.job.brief.name, on, e)
    paper.words(
        "A repaired tank, whose design is unknown: what is written here is what was found and done, no more.", 9
    )
    paper.words(VAPOUR, 9, "stop", True)
    paper.heading("Taken in")
    known = fluids().get(intake.held)
    held = "not known, taken as what burns" if known is None else known.name
    rows = [
        ("what", intake.what),
        ("owner", intake.owner or "not said"),
        ("number here", serial or "none yet"),
        ("kind", KINDS[intake.kind]),
        ("held", f"{held}{', last on ' + intake.last_held if intake.last_held else ''}"),
        ("material by", ", ".join(FOUND_BY[k] for k in intake.found_by) or "not found out"),
        ("vapour stays in", ", ".join(TRAPS[t] for t in intake.traps) or "none said"),
    ]
    paper.table(("", ""), rows, (1.2, 6), 9)
    if intake.pictures:
        paper.heading("As it came in")
    for number, shown in enumerate(intake.pictures, start=1):
        there = picture_at(None if on is None else on.pictures, shown.file)
        missing = "" if there is not None else " (the picture is not on this bench)"
        paper.photograph(there, f"{number}. {shown.note or 'no note'}{missing}")
    if refused:
        paper.heading("Refused")
        paper.words(
            f"{refused}. It goes back closed, earthed and labelled with what it held, to those who do this for a living.",
            10,
        )
        return paper.finish()
    paper.heading("Where it is hurt, and what is done")
    for number, hurt in enumerate(intake.hurts, start=1):
        said = worded(how(hurt, r.sheet.thickness_mm, r.sheet.material.group), units)
        paper.tick_box(f"{number}. {said}")
    paper.table(
        ("where", "what", "size", "why", "mended by"),
        [(h.where, WOUNDS[h.what], show(h.mm, "length", units), CAUSES[h.cause], WAYS[h.way]) for h in intake.hurts],
        (2, 1.2, 0.9, 1.8, 2.4),
        8,
    )
    paper.heading("The gate, as it was recorded")
    kept = conditions(record.standing)
    paper.table(
        ("condition", "when", "by", "said"),
        [(PARTS.get(c.part, c.part), f"{c.at:%Y-%m-%d %H:%M}", c.who, condition_words(c.said)) for c in kept]
        or [("nothing is on record: no heat", "", "", "")],
        (3, 1.3, 1.2, 2.8),
        8,
    )
    paper.words(f"{GATE.expression}. {GATE.source}.", 8)
    paper.heading("What will be hurt next")
    for text in next_hurt(intake) or ("every mount, every seam below, every socket: looked at",):
        paper.words(text, 9)
    return paper.finish()
