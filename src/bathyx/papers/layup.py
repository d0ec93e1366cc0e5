"""The sheet of a laid-up tank for the bench: the lay-up in section, panels, cups with times to fill in, tapes, cloth on its
rolls."""

from __future__ import annotations

from pathlib import Path

from bathyx.core.evaluate import Evaluation
from bathyx.core.laminate.stuff import cloths
from bathyx.core.laminate.tabs import tabs
from bathyx.core.making.laminate import EPOXY, FUMES, Laminate
from bathyx.core.units import Family, show, worded
from bathyx.draft.cloth_view import cloth_view, piece_lines
from bathyx.draft.layup_view import layup_view
from bathyx.papers.page.sheet_of_paper import Paper
from bathyx.papers.page.stationery import Stationery


def write_layup(e: Evaluation, path: Path, units: Family, on: Stationery | None = None) -> Path:
    """Two pages or more.

    Args:
        e: the evaluated job of a laid-up tank.
        path: file to write.
        units: metric or US.
        on: the shop's stationery.
    """
    way, r = Laminate(), e.results
    layup = way.layup(e.job)
    made, tab = layup.made, tabs(layup)
    paper = Paper(path, "Lay-up", f"{e.job.brief.name} for {e.job.brief.customer or 'stock'}", on, e)
    paper.words(FUMES if made.resin.styrene else EPOXY, 9, "stop", True)
    paper.heading("The plies, from the inside out")
    paper.picture(layup_view(layup, units), 190)
    pot = made.resin.pot_life_min(layup.catalyst_pct, layup.room_c)
    window = f"{made.resin.window_h[0]:g} to {made.resin.window_h[1]:g} h"
    said = (
        f"{worded(layup.words, units)}. {show(made.thick_mm, 'small', units)} thick, {made.glass_share:.0%} glass by weight. "
        f"{'Hardener' if made.resin.fixed else 'Catalyst'} {layup.catalyst_pct:g} % by weight at "
        f"{show(layup.room_c, 'temperature', units)}: a cup "
        f"gels in about {pot:.0f} min. The next ply within {window}, later only sanded. Engineering estimate: stiffness ±10 "
        f"%, strength ±20 %."
    )
    paper.words(said, 9)
    for own in e.job.panel_layups:
        whole = own.whole(layup)
        paper.heading(f"The plies of {own.face}", 200)
        paper.picture(layup_view(whole, units), 150)
        paper.words(f"{worded(whole.words, units)}. {show(whole.made.thick_mm, 'small', units)} thick.", 9)
    paper.heading("Panels and tapes")
    paper.table(
        ("panel", "size, trimmed", "thick", "weighs", "resin", "glass", "laid by, when"),
        [
            (
                p.name,
                f"{show(p.size_mm[0], 'length', units)} × {show(p.size_mm[1], 'length', units)}",
                show(p.thick_mm, "small", units),
                show(p.kg, "mass", units, places=2),
                show(p.resin_kg, "mass", units, places=2),
                show(p.glass_kg, "mass", units, places=2),
                "",
            )
            for p in way.panels(e.job, r)
        ],
        (1.8, 1.7, 0.8, 0.9, 0.9, 0.9, 1.6),
        8,
    )
    paper.words(f"Joints: {worded(tab.said, units)}.", 9)
    paper.heading("Cups, each laid before it gels")
    paper.table(
        (
            "",
            "cup for",
            "resin, g",
            "hardener, g" if made.resin.fixed else "catalyst, g",
            "gels in",
            "mixed at",
            "gelled at",
        ),
        [
            ("□", cup.of, f"{cup.resin_g:.0f}", f"{cup.catalyst_g:.1f}", f"{cup.pot_life_min:.0f} min", "", "")
            for cup in way.cups(e.job, r)
        ],
        (0.3, 2.8, 0.9, 1.0, 0.9, 1.0, 1.0),
        8,
    )
    rolls = way.rolls(e.job, r)
    for number, roll in enumerate(rolls):
        paper.heading(f"Cloth: {cloths()[roll.cloth].name}", 260)
        paper.picture(cloth_view(rolls, units, number), 210)
        paper.table(("piece", "for", "how many and how large"), piece_lines(roll, units), (1.2, 3, 2.4), 8)
    paper.signatures("Laid by, date", "Hardness looked at by, date")
    return paper.finish()
