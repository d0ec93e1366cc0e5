"""Full-size paper templates of the blanks: cut out, laid on the sheet, marked round; tiles join by their marks."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from bathyx.core.evaluate import Evaluation, cuttable
from bathyx.core.geometry.shell import Array
from bathyx.core.making import making_of
from bathyx.core.sheet.bending.grain import grain_way
from bathyx.core.sheet.cutting.list_for_yard import cut_after
from bathyx.core.sheet.flat.blank import Blank
from bathyx.core.sheet.flat.laid import laid_pieces
from bathyx.core.units import Family, show, worded
from bathyx.papers.page.full_size import Drawing, Sketch, laid_best, write_full_size

CROSS_MM, BACK_MM = 6.0, 7.0


def write_templates(e: Evaluation, path: Path, paper: str = "a4", units: Family = Family.METRIC) -> Path:
    """Every blank at full size.

    Args:
        e: the evaluated job.
        path: file to write.
        paper: a4, a3, letter or tabloid.
        units: metric or US, for every figure shown.

    Raises:
        Refusal: for a tank that cannot be cut, a paper that is none, or more pages than anybody would print.
    """
    cuttable(e)
    mates, after = matching(e), cut_after(e.results.blanks, e.results.roles)
    drawings = [
        laid_best(_drawing(blank, mates.get(blank.faces, ()), e, after.get(blank.name, ()), units), paper)
        for blank in e.results.blanks
        if blank.role != "bought"
    ]
    return write_full_size(path, f"Templates: {e.job.brief.name}", drawings, paper, units)


def matching(e: Evaluation) -> dict[tuple[str, ...], tuple[tuple[Array, str], ...]]:
    """By the faces of a blank, where on it each seam lies: ((2,) mm in the blank, the seam's number), which its mate has too."""
    r = e.results
    seams = {edge.id: seam.id for seam in r.seams for edge in seam.edges}
    low = {blank.faces: blank for blank in r.blanks}
    found: dict[tuple[str, ...], tuple[tuple[Array, str], ...]] = {}
    for laid in laid_pieces(r.panelled, r.roles, r.skins, r.rule):
        blank = low.get(tuple(laid.lays))
        if blank is None:
            continue
        # The blank was moved to its corner after it was laid out: by where the name of its first face went.
        first = blank.faces[0]
        named = next((mark.start for mark in blank.marks if mark.text == first), None)
        if named is None:
            continue
        shift = named - laid.lays[first].point(r.panelled.by_id[first].centroid)
        rows = []
        for role in r.roles:
            name = seams.get(role.edge.id)
            if role.kind != "weld" or name is None:
                continue
            for face in (role.edge.a, role.edge.b):
                if face in laid.lays:
                    rows.append((laid.lays[face].point(role.edge.middle) + shift, name))
        found[blank.faces] = tuple(rows)
    return found


def _drawing(
    blank: Blank, mates: tuple[tuple[Array, str], ...], e: Evaluation, after: tuple[str, ...], units: Family
) -> Drawing:
    low, high = blank.outline.bounds
    middle = (low + high) / 2

    def paint(page: Sketch) -> None:
        page.line(blank.outline.faceted, closed=True, wide=0.9)
        for bend in blank.bends:
            ink = "bend up" if bend.up else "bend down"
            page.line(np.array([bend.start, bend.end]), ink=ink, wide=0.7, dashed=not bend.up)
            said = (
                f"{bend.turn_deg:.0f}° {'up' if bend.up else 'down'}, radius {show(bend.radius_mm, 'thickness', units)}"
            )
            page.words((bend.start + bend.end) / 2, said, 9, ink=ink, up_mm=2.2)
        for hole in blank.holes:
            ring = hole.border if hole.border is not None else _circle(hole.centre, hole.diameter_mm / 2)
            page.line(ring, closed=True, ink="hole", wide=0.7)
            for way in (np.array([CROSS_MM, 0.0]), np.array([0.0, CROSS_MM])):
                page.line(np.array([hole.centre - way, hole.centre + way]), ink="hole", wide=0.4)
            page.words(hole.centre, f"{worded(hole.size, units)} {hole.label}", 9, ink="hole", up_mm=-CROSS_MM - 2.5)
        for mark in blank.lines:
            page.line(np.array([mark.start, mark.end]), ink="mark", wide=0.4, dashed=True)
        for mark in (*blank.lines, *blank.told):
            page.words((mark.start + mark.end) / 2, worded(mark.text, units), 8, ink="mark", up_mm=2.0)
        for spot, name in mates:
            inward = middle - spot
            page.words(spot + inward / max(float(np.linalg.norm(inward)), 1e-9) * BACK_MM, name, 8)
        page.words(middle, blank.name, 11)
        sheet = e.results.skins.piece(e.results.sheet, blank.role, blank.faces, blank.thickness_mm).shown(units)
        if after:
            page.words(middle, f"cut to the bent one: {' and '.join(after)}", 8, ink="quiet", up_mm=-11.0)
        way, along = grain_way(blank.bends)
        words = "the line is the grain" + ("" if not blank.bends or along else ": across the bends")
        if not making_of(e.results.sheet).on_brake:
            page.words(middle, f"{sheet}; this side is the tank's inside", 8, ink="quiet", up_mm=-6.0)
            return
        page.words(middle, f"{sheet}; this side is the tank's inside; {words}", 8, ink="quiet", up_mm=-6.0)
        page.line(np.array([middle + [0.0, 9.0] - 6.0 * way, middle + [0.0, 9.0] + 6.0 * way]), ink="quiet", wide=0.6)

    return Drawing(blank.name, low - 0.5, high + 0.5, paint)


def _circle(centre: Array, radius: float) -> Array:
    turn = np.linspace(0, 2 * np.pi, 72, endpoint=False)
    return np.asarray(centre + radius * np.column_stack([np.cos(turn), np.sin(turn)]))
