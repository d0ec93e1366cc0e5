"""Is the air space enough for the fluid to swell?"""

from __future__ import annotations

import math
from collections.abc import Iterator

from bathyx.core.capacity.capacity import AIR
from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.results import Results


def check(job: Job, r: Results) -> Iterator[Finding]:
    """Expansion of the fill over the warm-up of the brief, and never under 3 %."""
    need = max(0.03, r.fluid.swell(job.brief.warm_up_k) * (1 - job.brief.air_space_share))
    if job.brief.air_space_share >= need - 1e-9:
        return
    target = math.ceil(need * 200) / 200
    yield Finding(
        "capacity.air",
        "warn",
        f"{r.fluid.name} swells {need:.1%} when it warms by {job.brief.warm_up_k:.0f} K; the air space is smaller",
        AIR.expression,
        f"{AIR.source}; about 5 % is usual, common practice",
        "brief",
        "",
        f"{job.brief.air_space_share:.1%}",
        f"{need:.1%}",
        Remedy(f"Air space {target:.1%}", (("brief.air_space_share", target),)),
    )
