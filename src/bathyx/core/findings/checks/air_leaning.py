"""Is there air to swell into where the machine stands aslant, too?"""

from __future__ import annotations

import math
from collections.abc import Iterator

from bathyx.core.capacity.leaning import LEANING, swollen
from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.units import litres

LEAST_SHARE = 0.002


def check(job: Job, r: Results) -> Iterator[Finding]:
    """The fill grown warm at rest on the brief's slope and roll, against the volume at which its last vent goes under."""
    brief = job.brief
    worst = _worst(r, r.fluid.swell(brief.warm_up_k), brief.slope_deg, brief.roll_deg, job)
    if worst is None:
        return
    words, warm, room = worst
    spilled = warm - room
    net = r.capacity.net.value
    fill = room / (1 + r.fluid.swell(brief.warm_up_k))
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


def _worst(r: Results, swell: float, slope_deg: float, roll_deg: float, job: Job) -> tuple[str, float, float] | None:
    """(where, litres warm, litres of room) where most is pushed out; None where nothing worth saying is."""
    ways = [
        (f"{t:g}° {'front' if s > 0 else 'rear'} up", s * t, 0.0) for t in (slope_deg,) if t > 0.01 for s in (1, -1)
    ]
    ways += [
        (f"{h:g}° {'right' if s > 0 else 'left'} end up", 0.0, s * h) for h in (roll_deg,) if h > 0.01 for s in (1, -1)
    ]
    fittings = job.inside.fittings
    found = swollen(r.shell, fittings, r.capacity, swell, (("level", 0.0, 0.0), *ways))
    worst = max(found, key=lambda s: s.spilled_l, default=None)
    if worst is None or worst.spilled_l < LEAST_SHARE * r.capacity.net.value:
        return None
    return worst.way, worst.warm_l, worst.room_l
