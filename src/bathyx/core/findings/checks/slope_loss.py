"""How much more stays behind when the machine climbs or brakes?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.results import Results

SHARE = 0.12


def check(job: Job, r: Results) -> Iterator[Finding]:
    """A pickup that loses more than 12 % of the fill on the slope wants a place nearer the middle, or a sump."""
    fill = r.capacity.fill_l
    lost = r.capacity.unusable_tilted_l
    if fill <= 0 or lost <= SHARE * fill:
        return
    pickups = [(i, f) for i, f in enumerate(job.inside.fittings) if f.kind == "pickup" and f.face == "top"]
    remedy = None
    if len(pickups) == 1:
        index, fitting = pickups[0]
        low = min((f for f in r.shell.faces if f.normal[2] < -0.7), key=lambda f: float(f.centroid[2]))
        top = r.shell.by_id["top"]
        middle = round(float((low.centroid - top.frame[0]) @ top.frame[1]), 1)
        if abs(middle - fitting.u_mm) > 5:
            remedy = Remedy(
                "Put the pickup over the middle of the low floor", ((f"inside.fittings.{index}.u_mm", middle),)
            )
    yield Finding(
        "pickup.slope",
        "warn",
        f"On the slope the pickup leaves {lost:.1f} L behind; it sucks air before that is used",
        "at most 12 % of the fill stays behind at the working tilt",
        "steady tilt of the surface; 12 % is Bathyx's own line",
        "inside",
        "",
        f"{lost:.1f} L",
        f"{SHARE * fill:.1f} L",
        remedy,
    )
