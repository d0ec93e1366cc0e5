"""Has the rule against long bays been typed away?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.inside.baffles import BAY_SOURCE, FIXED_BAY_MM, MOVING_BAY_MM
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.units import mm

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
        f"The limit for bays is set to {mm(typed)} by hand; {mm(usual)} is usual here, and a bay of {mm(longest)} stands",
        "a limit typed by hand is said where it hides a long bay",
        BAY_SOURCE,
        "inside",
        "",
        f"{mm(longest)} bay",
        f"usual {mm(usual)}",
        Remedy("Take the usual limit", (("inside.baffles.max_bay_mm", None),)),
    )
