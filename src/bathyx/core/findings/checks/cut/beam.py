"""Can every piece be bent in an order that is clear of the brake's beam?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.sheet.bending.order import BEAM, bend_order
from bathyx.core.sheet.flat.laid import laid_pieces
from bathyx.core.units import mm


def check(job: Job, r: Results) -> Iterator[Finding]:
    """One finding for each piece without such an order, where the depth of the beam is said."""
    deep = job.makeup.brake.beam_mm
    if deep <= 0 or not any(role.kind == "bend" for role in r.roles):
        return
    for laid in laid_pieces(r.panelled, r.roles, r.skins, r.rule):
        if bend_order(laid, r.panelled, r.rule, deep) is not None:
            continue
        blank = next((b.name for b in r.blanks if b.faces == tuple(laid.lays)), next(iter(laid.lays)))
        yield Finding(
            "sheet.beam",
            "warn",
            f"No order of its bends was found that keeps {blank} clear of the brake's beam",
            BEAM.expression,
            BEAM.source,
            "cut",
            f"blank:{blank}",
            f"{len(laid.bends)} bends",
            f"a beam {mm(deep)} deep",
            Remedy("Make it of sheared plates", (("makeup.school", "plates"), ("makeup.edges", []))),
        )
