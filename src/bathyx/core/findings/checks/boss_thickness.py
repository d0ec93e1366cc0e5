"""Does a thick ring or boss sit on thin sheet?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding
from bathyx.core.job import Job
from bathyx.core.results import Results

RATIO = 2.0


def check(job: Job, r: Results) -> Iterator[Finding]:
    """A note: the arc goes to the thick side, with a heat sink, and the ring goes in before assembly."""
    t = r.sheet.thickness_mm
    thick = [f for f in job.inside.fittings if f.ring_mm >= RATIO * t]
    if not thick:
        return
    names = ", ".join(f.id for f in thick[:3]) + (f" and {len(thick) - 3} more" if len(thick) > 3 else "")
    most = max(f.ring_mm for f in thick)
    yield Finding(
        "fitting.boss",
        "note",
        f"{names}: {most:g} mm ring on {t:g} mm sheet. Aim the arc at the thick side, clamp to a steel table as heat sink, "
        "weld before assembly",
        f"a ring of {RATIO:g} thicknesses or more needs its own heat plan",
        "common practice (6 on 3 and 10 on 3 mm)",
        "build",
        f"fitting:{thick[0].id}",
        f"{most:g} mm",
        f"{RATIO * t:g} mm",
    )
