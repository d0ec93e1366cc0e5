"""Has the rule against long bays been typed away?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.inside.baffles import BAY_SOURCE, FIXED_BAY_MM, MOVING_BAY_MM
from bathyx.core.job import Job
from bathyx.core.results import Results

SLACK = 1.34


def check(job: Job, r: Results) -> Iterator[Finding]:
    """A limit typed by hand that is far over the usual one, where a bay really is longer than usual."""
    typed = job.inside.baffles.max_bay_mm
    usual = MOVING_BAY_MM if job.brief.moving else FIXED_BAY_MM
    longest = r.longest_bay.value
    if typed is None or typed <= SLACK * usual or longest <= usual:
        return
    yield Finding(
        "inside.bay_limit",
        "warn",
        f"The limit for bays is set to {typed:.0f} mm by hand; {usual:.0f} mm is usual here, and a bay of {longest:.0f} mm stands",
        "a limit typed by hand is said where it hides a long bay",
        BAY_SOURCE,
        "inside",
        "",
        f"{longest:.0f} mm bay",
        f"usual {usual:.0f} mm",
        Remedy("Take the usual limit", (("inside.baffles.max_bay_mm", None),)),
    )
