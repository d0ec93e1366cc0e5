"""Is it said how the tank is held?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.inside.straps import GRAVITY, PULL_G
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.units import kilos, newtons


def check(job: Job, r: Results) -> Iterator[Finding]:
    """A tank that moves wants mounts that carry it full, with rubber under them."""
    if job.brief.held_by != "not said" or job.inside.straps or not job.brief.moving:
        return
    full = r.weight.full.value
    pull = full * GRAVITY * max(PULL_G, 1 + job.brief.braking_g)
    yield Finding(
        "tank.mounts",
        "note",
        f"Not said how it is held: full it weighs {kilos(full, 0)}, and mounts carry about {newtons(round(pull, -2))} when it "
        "pounds. Straps with rubber under the tank, or tabs on the thick sheet; mounts on thin skin crack",
        "mounts carry the full tank at twice its weight",
        "common practice; twice the weight is Bathyx's own line",
        "brief",
        "",
        "not said",
        "straps, tabs or a cradle",
        Remedy("Straps over rubber", (("brief.held_by", "straps"),)),
    )
