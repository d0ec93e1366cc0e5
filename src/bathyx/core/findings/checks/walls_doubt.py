"""Does the tank stand nearer to a wall of a hull than that wall is known?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.sheet.rims import outside
from bathyx.core.space import StationSpace
from bathyx.core.space.sure import BAND, within_doubt
from bathyx.core.units import mm


def check(job: Job, r: Results) -> Iterator[Finding]:
    """One finding, at the place that is furthest within the doubt; walls that it reaches into are said elsewhere."""
    space = job.space
    if not isinstance(space, StationSpace) or job.tank.built_in or (r.approaches and r.approaches[0].mm < 0):
        return
    skin = outside(r.shell, r.skins, r.rims)
    found = within_doubt(space, skin + (space.seated() - skin.reshape(-1, 3).min(axis=0)))
    if found is None:
        return
    air, doubt, at = found
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
