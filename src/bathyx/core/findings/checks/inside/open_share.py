"""Does each baffle leave a usual share of its section open?"""

from __future__ import annotations

import math
from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.inside.baffles import OPEN_AIM, OPEN_HIGH, OPEN_LOW, OPEN_SHARE
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.units import mm


def check(job: Job, r: Results) -> Iterator[Finding]:
    """Outside 3 to 30 %: the remedy sets flow holes that give about 12 %."""
    for plate in r.plates:
        share = plate.open_share
        if OPEN_LOW <= share <= OPEN_HIGH:
            continue
        holes = max(1, len(plate.holes))
        corners = plate.section_mm2 - plate.outline.area_mm2
        wanted = max(OPEN_AIM * plate.section_mm2 - corners, 0.01 * plate.section_mm2)
        diameter = float(round(min(400.0, math.sqrt(wanted / holes * 4 / math.pi))))
        word = (
            "too closed: it fills and drains slowly and traps air" if share < OPEN_LOW else "too open to slow the fluid"
        )
        remedy = None
        if abs(diameter - job.inside.baffles.flow_hole_mm) >= 1:
            remedy = Remedy(f"Flow holes of {mm(diameter)}", (("inside.baffles.flow_hole_mm", diameter),))
        yield Finding(
            "inside.open",
            "warn",
            f"Baffle {plate.name} is {word}",
            "3 to 30 % of the section stays open",
            OPEN_SHARE.source,
            "inside",
            f"baffle:{plate.name}",
            f"{share:.0%}",
            "3 to 30 %",
            remedy,
        )
