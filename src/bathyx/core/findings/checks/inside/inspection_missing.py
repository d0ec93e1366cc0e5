"""Can a hand get in where it has to?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.findings.placing import free_name, put, roof, within
from bathyx.core.inside.fittings import usual
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.units import mm

LARGE_L = 60.0


def check(job: Job, r: Results) -> Iterator[Finding]:
    """A tank over 60 L without an inspection port cannot be cleaned or looked into."""
    if r.capacity.gross.value < LARGE_L or any(f.does == "inspection" for f in job.inside.fittings):
        return
    face, low, high = roof(r)
    spot = usual("inspection", "port", face, *within(low, high, 0.5, 0.3))
    remedy = None
    for hole, ring in ((150.0, 200.0), (120.0, 170.0), (100.0, 150.0)):
        sized = spot.model_copy(update={"id": free_name(job, "port"), "hole_mm": hole, "ring_od_mm": ring})
        placed = put(job, r, sized)
        if placed is not None:
            label = f"Add an inspection port of {mm(hole)}"
            remedy = Remedy(label, (("inside.fittings", [*job.inside.fittings, placed]),))
            break
    yield Finding(
        "inside.inspection",
        "note",
        "No inspection port: a hand cannot reach the bays to clean or repair them",
        "a port of 100 to 200 mm from which every bay is reached",
        "common practice; 60 L is Bathyx's own line",
        "inside",
        f"face:{face}",
        "0",
        "1",
        remedy,
    )
