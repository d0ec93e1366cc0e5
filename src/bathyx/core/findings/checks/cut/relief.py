"""Is a relief drilled where two bends meet in a corner?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.sheet.bending.brake import pan_depth_mm
from bathyx.core.units import mm

WIDE_T = 2.0


def check(job: Job, r: Results) -> Iterator[Finding]:
    """One note for the first such piece; the remedy drills two thicknesses wide."""
    if job.makeup.relief_mm > 0:
        return
    edges = {role.edge.id: role.edge for role in r.roles}
    for blank in r.blanks:
        bends = [edges[bend.edge] for bend in blank.bends if not bend.flange]
        depth, face = pan_depth_mm(r.panelled, bends) if len(bends) > 1 else (0.0, "")
        if depth <= 0:
            continue
        wide = WIDE_T * blank.thickness_mm
        yield Finding(
            "sheet.relief",
            "note",
            f"Bends of {blank.name} meet in the corners of {face} without a relief: the sheet tears or bulges there",
            f"a hole of {WIDE_T:g} thicknesses where two bends meet, drilled in the flat",
            "press-brake handbooks, from memory",
            "cut",
            f"blank:{blank.name}",
            "none",
            f"ø{mm(wide, None)}",
            Remedy(f"Drill {mm(wide, None)} where bends meet", (("makeup.relief_mm", wide),)),
        )
        return
