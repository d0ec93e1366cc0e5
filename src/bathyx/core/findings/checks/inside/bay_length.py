"""Is any run of free surface longer than the limit?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.inside.baffles import BAY_SOURCE, bay_limit_mm
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.units import mm


def check(job: Job, r: Results) -> Iterator[Finding]:
    """One finding for the longest bay of each direction; the remedy places baffles by rule."""
    limit = bay_limit_mm(job.inside.baffles, job.brief.moving)
    for axis, word in (("x", "along"), ("y", "across")):
        longest = max((b.length_mm for b in r.bays if b.axis == axis), default=0.0)
        if longest <= limit + 0.5:
            continue
        yield Finding(
            "inside.bay",
            "warn",
            f"The longest bay {word} the tank runs {mm(longest)} without a baffle",
            "no run of free surface longer than the limit",
            BAY_SOURCE,
            "inside",
            "",
            f"{mm(longest)}",
            f"{mm(limit)}",
            Remedy("Place baffles by rule", (("inside.baffles.by_rule", True),)),
        )
