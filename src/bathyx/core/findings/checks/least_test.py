"""Does each planned test prove something?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.proving.least import LEAST, head_kpa, least_of, too_little
from bathyx.core.results import Results
from bathyx.core.units import kpa


def check(job: Job, r: Results) -> Iterator[Finding]:
    """Under the least pressure or time: a warning, or a note where a reason is written."""
    low, high = r.shell.bounds
    head = head_kpa(float(high[2] - low[2]) + job.brief.fill_rise_mm, r.fluid.density)
    for i, test in enumerate(job.proving.tests):
        least = least_of(
            test,
            fuel=r.fluid.fuel,
            pressurised=job.brief.pressure == "pressurised",
            working_kpa=job.brief.working_kpa,
            filling_head_kpa=head,
        )
        little = too_little(test, least)
        if not little:
            continue
        at = f"proving.tests.{i}"
        changes = (
            (f"{at}.test_kpa", max(test.test_kpa, least.kpa)),
            (f"{at}.hold_min", max(test.hold_min, least.minutes)),
        )
        yield Finding(
            "prove.least",
            "note" if test.reason.strip() else "warn",
            f"The test proves nothing by the rule: {little}"
            + (f". Reason on record: {test.reason}" if test.reason else ""),
            LEAST.expression,
            LEAST.source,
            "prove",
            "",
            f"{kpa(test.test_kpa)}, {test.hold_min:g} min" if test.pressed else f"{test.hold_min:g} min",
            f"least {kpa(least.kpa)}, {least.minutes:g} min" if test.pressed else f"least {least.minutes:g} min",
            Remedy("Take the least that proves", changes),
        )
