"""Has a tank of plastic room to grow on the hottest day?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.material import plastic
from bathyx.core.material.plastics import GROWS
from bathyx.core.results import Results
from bathyx.core.strength.loads import hottest
from bathyx.core.units import celsius, mm

MEASURED_C = 20.0


def check(job: Job, r: Results) -> Iterator[Finding]:
    """The growth of each side from 20 °C to its hottest, against the room that is left that way."""
    if r.sheet.material.group != "plastic" or job.space.free:
        return
    hot = hottest(job.brief, r.fluid)
    rises = plastic(r.sheet.material.key).grows / 1000 * max(hot - MEASURED_C, 0.0)
    sides = {"length": r.strapped.length_mm, "width": r.strapped.width_mm, "height": r.strapped.height_mm}
    room = {"length": r.room.depth_mm, "width": r.room.width_mm, "height": r.room.height_mm}
    # What does not fit as it is, is another finding.
    lacks = {way: side * rises - max(room[way] - side, 0.0) for way, side in sides.items()}
    way = max(lacks, key=lambda name: lacks[name])
    if lacks[way] <= 0 or rises == 0 or any(room[name] < side for name, side in sides.items()):
        return
    grown = sides[way] * rises
    shorter = job.tank.shortened(way, lacks[way] + 0.5)
    yield Finding(
        "plastic.grows",
        "warn",
        f"At {celsius(hot)} its {way} is {mm(grown, 1)} more than at {celsius(MEASURED_C)}; "
        f"{mm(max(room[way] - sides[way], 0.0), 1)} are left: held at both ends it bows and tears at its welds",
        GROWS.expression,
        GROWS.source,
        "space",
        "",
        mm(grown, 1),
        f"{mm(max(room[way] - sides[way], 0.0), 1)} left",
        Remedy(f"{mm(lacks[way] + 0.5, 1)} off its {way}", tuple((f"tank.{path}", v) for path, v in shorter.items()))
        if shorter
        else None,
    )
