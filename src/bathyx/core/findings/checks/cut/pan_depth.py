"""Is a box bent up from one face no deeper than the brake's fingers?"""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.findings.splitting import that_help, weld_instead
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.sheet.bending.brake import PAN, pan_depth_mm
from bathyx.core.units import mm


def check(job: Job, r: Results) -> Iterator[Finding]:
    """One finding for each piece whose flanges on neighbouring edges are both taller than the fingers."""
    edges = {role.edge.id: role.edge for role in r.roles}
    for blank in r.blanks:
        if len(blank.bends) < 2:
            continue
        depth, face = pan_depth_mm(r.panelled, [edges[bend.edge] for bend in blank.bends if not bend.flange])
        if depth <= job.makeup.brake.pan_mm + 1e-6:
            continue
        helps = that_help(r, blank.bends, partial(_shallow, r, job.makeup.brake.pan_mm + 1e-6))
        plates = Remedy("Make it of sheared plates", (("makeup.school", "plates"), ("makeup.edges", [])))
        ways = (*weld_instead(job, r, helps), plates)
        yield Finding(
            "sheet.pan",
            "stop",
            f"{face} is bent up on neighbouring edges {mm(depth)} deep: the brake's fingers do not reach",
            PAN.expression,
            PAN.source,
            "cut",
            f"blank:{blank.name}",
            mm(depth),
            f"at most {mm(job.makeup.brake.pan_mm)}",
            ways[0],
            ways[1:],
        )


def _shallow(r: Results, most_mm: float, names: list[str]) -> bool:
    edges = {role.edge.id: role.edge for role in r.roles}
    return pan_depth_mm(r.panelled, [edges[name] for name in names])[0] <= most_mm
