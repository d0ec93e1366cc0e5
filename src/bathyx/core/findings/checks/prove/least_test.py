"""Does each planned test prove something?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.proving.least import LEAST, MOST_LEAK_ML_MIN, least_here, too_little
from bathyx.core.results import Results
from bathyx.core.units import kpa


def check(job: Job, r: Results) -> Iterator[Finding]:
    """Under the least pressure or time: a warning, or a note where a reason is written."""
    for i, test in enumerate(job.proving.tests):
        least = least_here(test, job.brief, r.fluid, r.shell)
        little = too_little(test, least)
        if not little:
            continue
        at = f"proving.tests.{i}"
        changes = (
            (f"{at}.test_kpa", max(test.test_kpa, least.kpa)),
            (f"{at}.hold_min", max(test.hold_min, least.minutes)),
            (f"{at}.leak_limit_ml_min", min(test.leak_limit_ml_min, MOST_LEAK_ML_MIN)),
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
