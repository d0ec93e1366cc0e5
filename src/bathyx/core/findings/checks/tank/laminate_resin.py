"""Does the resin of a laid-up tank stand its fluid?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.laminate.stuff import resins
from bathyx.core.results import Results


def check(job: Job, r: Results) -> Iterator[Finding]:
    """Fuel wants vinyl ester, or a resin that its maker names for it."""
    if job.layup is None or not r.fluid.fuel:
        return
    resin = job.layup.made.resin
    if resin.fuels == "yes":
        return
    right = resins().get("vinylester")
    offered = None
    if right is not None and right.fuels == "yes":
        low, high = right.catalyst
        percent = min(max(job.layup.catalyst_pct, low), high)
        offered = Remedy(
            f"Lay it in {right.name.lower()}", (("layup.resin", right.key), ("layup.catalyst_pct", percent))
        )
    yield Finding(
        "laminate.resin",
        "stop" if resin.fuels == "no" else "warn",
        f"{r.fluid.name} in {resin.name.lower()}: "
        + (
            "it softens and weeps in years"
            if resin.fuels == "no"
            else "only one that its maker names for this fuel, cured warm"
        ),
        "vinyl ester for fuel",
        "common practice; " + resin.source,
        "tank",
        "",
        resin.name,
        "vinyl ester",
        offered,
    )
