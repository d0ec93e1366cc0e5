"""Does the tank stand nearer to a wall of a hull than that wall is known?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.space.sure import BAND
from bathyx.core.units import mm


def check(job: Job, r: Results) -> Iterator[Finding]:
    """One finding, at the place that is furthest within the doubt; walls that it reaches into are said elsewhere."""
    if r.sure is None or r.sure.within is None or r.approaches[0].mm < 0:
        return
    air, doubt, at = r.sure.within
    side = "left" if at[1] < 0 else "right"
    yield Finding(
        "space.band",
        "warn",
        f"At {mm(at[0])} along and {mm(at[2])} up the tank has {mm(air)} to the {side} wall, known to ± {mm(doubt)} there: measure "
        "an offset at that place, or keep more clearance",
        BAND.expression,
        BAND.source,
        "space",
        "",
        mm(air),
        f"at least {mm(doubt)}",
    )
