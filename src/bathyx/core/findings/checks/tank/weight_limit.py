"""Does the full tank weigh more than it may?"""

from __future__ import annotations

import math
from collections.abc import Iterator

from bathyx.core.capacity.filling import FILLING, limit_l
from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.units import kilos, litres

MOST_AIR = 0.89


def check(job: Job, r: Results) -> Iterator[Finding]:
    """The volume above which it must not be filled; as a remedy that much air space."""
    most = job.brief.most_kg
    held, dry = r.capacity, r.weight.dry.value
    above = limit_l(dry, r.fluid.density, most, held.fill_l)
    if above is None or most is None:
        return
    air = math.ceil((1 - above / held.net.value) * 1000) / 1000
    remedy = Remedy(f"Air space {air:.1%}", (("brief.air_space_share", air),)) if air <= MOST_AIR else None
    said = (
        f"Do not fill above {litres(above)}: full it weighs {kilos(r.weight.full.value)}"
        if above > 0
        else f"Empty it weighs {kilos(dry)} already, more than it may when full"
    )
    yield Finding(
        "weight.limit",
        "warn" if above > 0 else "stop",
        said,
        FILLING.expression.split("; ")[-1],
        "the brief",
        "tank",
        "gravity",
        kilos(r.weight.full.value),
        f"at most {kilos(most)}",
        remedy,
    )
