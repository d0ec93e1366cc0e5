"""Is there a pickup, and a drain or pickup at the lowest point?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.findings.placing import floor, free_name, put, within
from bathyx.core.inside.fittings import inlets, seat, usual
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.units import mm

REACH_MM = 25.0


def check(job: Job, r: Results) -> Iterator[Finding]:
    """The low point must be reached by a drain in the floor or a pickup within 25 mm of it."""
    low = float(r.shell.bounds[0][2])
    points = [float(spot[2]) for _, spot in inlets(r.shell, job.inside.fittings)]
    for fitting in job.inside.fittings:
        spot = seat(r.shell, fitting)
        if fitting.does == "drain" and spot is not None:
            upright = abs(float(r.shell.by_id[fitting.face].normal_at(spot)[2])) < 0.7
            points.append(float(spot[2]) - (fitting.hole_mm / 2 if upright else 0.0))
    if points and min(points) <= low + REACH_MM:
        return
    face, least, most = floor(r)
    reach = f"{mm(min(points) - low)} above it" if points else "none"
    remedy = None
    if not (job.brief.afloat and r.fluid.petrol_like):
        wish = usual(
            "drain",
            free_name(job, "drain"),
            face,
            within(least, most, 0.5, 0.5)[0],
            round(float(least[1]) + min(60.0, float(most[1] - least[1]) / 2), 1),
        )
        drain = put(job, r, wish)
        if drain is not None:
            remedy = Remedy("Add a drain in the floor", (("inside.fittings", [*job.inside.fittings, drain]),))
    yield Finding(
        "inside.low",
        "warn",
        "Neither a drain nor a pickup reaches the low point; water and dirt stay there",
        "a drain or pickup within 25 mm of the lowest point",
        "common practice",
        "inside",
        f"face:{face}",
        reach,
        f"within {mm(REACH_MM)}",
        remedy,
    )
