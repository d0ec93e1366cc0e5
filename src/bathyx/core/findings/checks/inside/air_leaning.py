"""Is there air to swell into where the machine stands aslant, too?"""

from __future__ import annotations

import math
from collections.abc import Iterator

from bathyx.core.capacity.leaning import LEANING, swollen
from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.tank.attitude import Working
from bathyx.core.units import litres

LEAST_SHARE = 0.002


def check(job: Job, r: Results) -> Iterator[Finding]:
    """The fill grown warm at rest on the brief's slope and roll, against the volume at which its last vent goes under."""
    brief = job.brief
    swell = r.fluid.swell(brief.warm_up_k)
    worst = swollen(r.shell, job.inside.fittings, r.capacity, swell, Working.of(brief, at_rest=True))
    if worst is None or worst.spilled_l < LEAST_SHARE * r.capacity.net.value:
        return
    words, warm, room, spilled = worst.way, worst.warm_l, worst.room_l, worst.spilled_l
    net = r.capacity.net.value
    fill = room / (1 + swell)
    air = math.ceil((1 - fill / net) * 200) / 200
    remedy = Remedy(f"Air space {air:.1%}", (("brief.air_space_share", air),)) if air < 0.5 else None
    yield Finding(
        "capacity.air_leaning",
        "warn",
        f"Standing {words} the highest vent is under at {litres(room)}; grown warm the fill is {litres(warm)}: "
        f"{litres(spilled)} is pushed out through it",
        "what the fill grows to when warm stays below the last vent to go under, level and aslant",
        LEANING.source,
        "inside",
        "",
        f"{litres(warm)} warm",
        f"{litres(room)}",
        remedy,
    )
