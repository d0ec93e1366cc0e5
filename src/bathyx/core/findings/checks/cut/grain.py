"""Does a bend lie along the grain at a radius that only bends across it stand?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.findings.splitting import weld_instead
from bathyx.core.job import Job
from bathyx.core.material import Sheet
from bathyx.core.results import Results
from bathyx.core.sheet.bending.grain import ALONG, GRAIN, grain_way
from bathyx.core.units import mm


def check(job: Job, r: Results) -> Iterator[Finding]:
    """One finding for each blank, where the grain is looked at: a larger radius for all, or those edges welded."""
    if not job.makeup.grain or r.sheet.material.group == "plastic":
        return
    for blank in r.blanks:
        least = ALONG * Sheet(r.sheet.material, blank.thickness_mm).bend_radius_mm
        _, along = grain_way(blank.bends)
        if not along or along[0].radius_mm >= least - 0.05:
            continue
        wider = Remedy(f"Bend to {mm(least, 1)} inside", (("makeup.bend_radius_mm", round(least, 2)),))
        yield Finding(
            "sheet.grain",
            "warn",
            f"However {blank.name} lies on the sheet, {len(along)} of its bends run along the grain, where it cracks",
            GRAIN.expression,
            GRAIN.source,
            "cut",
            f"blank:{blank.name}",
            mm(along[0].radius_mm, 1),
            f"at least {mm(least, 1)}",
            wider,
            weld_instead(job, r, along),
        )
