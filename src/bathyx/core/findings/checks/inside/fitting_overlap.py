"""Do two fittings on one face have room beside each other?"""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import partial
from itertools import combinations

from bathyx.core.findings.finding import Finding, Remedy, with_search
from bathyx.core.findings.placing import named, nearest_spot
from bathyx.core.inside.fittings import seat
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.units import mm

CLEAR_MM = 10.0


def check(job: Job, r: Results) -> Iterator[Finding]:
    """Rim to rim at least 10 mm; the remedy moves the second away along the line between them."""
    seats = {f.id: spot for f in job.inside.fittings if (spot := seat(r.shell, f)) is not None}
    for (_, a), (j, b) in combinations(enumerate(job.inside.fittings), 2):
        if a.face != b.face or a.face not in r.shell.by_id:
            continue
        du, dv = b.u_mm - a.u_mm, b.v_mm - a.v_mm
        apart = math.dist(seats[a.id], seats[b.id])
        clear = apart - a.rim_mm - b.rim_mm
        if clear >= CLEAR_MM - 0.1:
            continue
        step = CLEAR_MM - clear
        flat = math.hypot(du, dv)
        way = (du / flat, dv / flat) if flat > 1e-6 else (1.0, 0.0)
        said = Finding(
            "fitting.overlap",
            "stop" if clear < 0 else "warn",
            f"{named(a).capitalize()} and {named(b)} {'overlap' if clear < 0 else 'crowd each other'} on {a.face}",
            f"at least {mm(CLEAR_MM)} from rim to rim",
            "room for both welds and a spanner: common practice",
            "inside",
            f"fitting:{b.id}",
            f"{mm(-clear)} into it" if clear < 0 else f"{mm(clear)} apart",
            f"want {mm(CLEAR_MM)}",
        )
        yield with_search(said, partial(_apart, job, r, j, b.u_mm + way[0] * step, b.v_mm + way[1] * step))


def _apart(job: Job, r: Results, index: int, u: float, v: float) -> Remedy | None:
    fitting = job.inside.fittings[index]
    spot = nearest_spot(job, r, fitting.model_copy(update={"u_mm": u, "v_mm": v}), fitting.id)
    if spot is None:
        return None
    return Remedy(
        f"Move {fitting.id} to {spot[0]:.0f}, {mm(spot[1])}",
        ((f"inside.fittings.{index}.u_mm", spot[0]), (f"inside.fittings.{index}.v_mm", spot[1])),
    )
