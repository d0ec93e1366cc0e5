"""A pressurised tank is under pressure-vessel rules."""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.units import kpa


def check(job: Job, r: Results) -> Iterator[Finding]:
    """Above half a bar Bathyx stands back; below it says so."""
    if job.brief.pressure != "pressurised":
        if job.brief.working_kpa > 0:
            yield Finding(
                "brief.vented",
                "warn",
                f"A vented tank has no working pressure, but {kpa(job.brief.working_kpa, 0)} stands in the brief",
                "a tank that is open to the air carries its fluid's head only",
                "hydrostatics",
                "brief",
                "",
                f"{kpa(job.brief.working_kpa, 0)}",
                "0 kPa, or pressurised",
                Remedy("It is pressurised", (("brief.pressure", "pressurised"),)),
            )
        return
    working = job.brief.working_kpa
    over = working > 50
    yield Finding(
        "brief.pressurised",
        "stop" if over else "warn",
        "Works under pressure: local pressure-equipment rules and a licensed designer decide, not this check",
        "above 0.5 bar gauge a vessel is pressure equipment",
        "Directive 2014/68/EU, article 1 (0.5 bar); other places have their own limit",
        "brief",
        "",
        f"{kpa(working, 0)}",
        "50 kPa",
    )
