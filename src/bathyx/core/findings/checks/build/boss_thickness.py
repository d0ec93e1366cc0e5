"""Does a thick ring or boss sit on thin sheet?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.units import mm

RATIO = 2.0


def check(job: Job, r: Results) -> Iterator[Finding]:
    """A note: the arc goes to the thick side, with a heat sink, and the ring goes in before assembly."""
    t = r.sheet.thickness_mm
    thick = [f for f in job.inside.fittings if f.ring_mm >= RATIO * r.skins.of(f.face)]
    if not thick:
        return
    most = max(f.ring_mm for f in thick)
    yield Finding(
        "fitting.boss",
        "note",
        f"{len(thick)} {'rings' if len(thick) > 1 else 'ring'} up to {mm(most, None)} thick on {mm(t, None)} sheet. Aim the arc "
        "at the thick side, clamp to a steel table as heat sink, "
        "weld before assembly",
        f"a ring of {RATIO:g} thicknesses or more needs its own heat plan",
        "6 mm rings on 3 mm sheet: common practice",
        "build",
        f"fitting:{thick[0].id}",
        f"{mm(most, None)} ring",
        f"heat plan from {mm(RATIO * t, None)}",
    )
