"""Can a closed wrap leave the brake after its last bend?"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from functools import partial

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.findings.splitting import that_help, weld_instead
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.sheet.bending.brake import CLOSING_DEG, turned_round
from bathyx.core.sheet.bending.order import SOFT_MM
from bathyx.core.sheet.cutting.list_for_yard import bend_orders
from bathyx.core.sheet.flat.blank import Blank


def check(job: Job, r: Results) -> Iterator[Finding]:
    """A piece bent round 270 degrees or more encloses the beam: an open end lets it slide off, or it is closed by hand."""
    if job.makeup.brake.open_ended:
        return
    edges = {role.edge.id: role.edge for role in r.roles}
    by_hand_mm = job.makeup.brake.by_hand_mm
    orders = bend_orders(r.panelled, r.roles, r.skins, r.rule, job.makeup.brake) if by_hand_mm else {}
    for blank in r.blanks:
        total = turned_round(edges[bend.edge] for bend in blank.bends if not bend.flange)
        if total < CLOSING_DEG - 1 or any(step.hand for step in orders.get(blank.faces, ())):
            continue
        soft = job.makeup.brake.by_hand_mm < blank.thickness_mm <= SOFT_MM
        by_hand = Remedy("Close it by hand", (("makeup.brake.by_hand_mm", blank.thickness_mm),))
        said = Finding(
            "sheet.closed",
            "stop",
            f"After its last bend {blank.name} encloses the brake's upper beam and cannot come off",
            "a piece that turns 270° or more needs a brake whose beam is open at one end",
            "common practice",
            "cut",
            f"blank:{blank.name}",
            f"{total:.0f}°",
            f"under {CLOSING_DEG:.0f}°",
            Remedy("Make it of two bent pieces", (("makeup.school", "two_l"),)),
            (by_hand,) if soft else (),
        )
        yield replace(said, think=partial(_opened, job, r, blank, said))


def _opened(job: Job, r: Results, blank: Blank, said: Finding) -> Finding:
    """With the bends that may be welded instead before the remedy it has."""
    edges = {role.edge.id: role.edge for role in r.roles}
    helps = that_help(r, blank.bends, lambda names: turned_round(edges[name] for name in names) < CLOSING_DEG - 1)
    ways = (*weld_instead(job, r, helps), *((said.remedy,) if said.remedy is not None else ()), *said.otherwise)
    return replace(said, remedy=ways[0], otherwise=ways[1:])
