"""What do the flat panels do at the test pressure?"""

from __future__ import annotations

import math
from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.strength.panels import TEST_STRESS_SHARE, TEST_STRESS_SOURCE
from bathyx.core.strength.plate import LARGE, LARGE_RANGE_T


def check(job: Job, r: Results) -> Iterator[Finding]:
    """Stress against 0.9 of yield at the weld, and a bulge beyond the plate formula's range."""
    worst, plan = r.strength.worst, job.proving
    if plan.test_kpa <= 0:
        return
    size = f"{worst.face} ({worst.short_mm:.0f} × {worst.long_mm:.0f} mm between welds)"
    safe = math.floor(worst.bears_kpa * 2) / 2
    lower = Remedy(f"Test at {safe:g} kPa", (("proving.test_kpa", safe),)) if safe >= 1 else None
    if worst.bears_kpa < plan.test_kpa:
        yield Finding(
            "panel.stress",
            "stop",
            f"At {plan.test_kpa:.1f} kPa {size} is stressed past what it bears and would stay bulged",
            f"peak stress below 0.9 of yield at the weld, {r.sheet.material.yield_weld:.0f} MPa",
            f"{TEST_STRESS_SOURCE}; {LARGE.source}",
            "prove",
            f"face:{worst.face}",
            f"{worst.result.stress_mpa:.0f} MPa",
            f"{TEST_STRESS_SHARE * r.sheet.material.yield_weld:.0f} MPa",
            lower,
        )
    for load in r.strength.panels:
        if load.result.in_range or load.bears_kpa < plan.test_kpa:
            continue
        yield Finding(
            "panel.range",
            "warn",
            f"{load.face} bulges about {load.result.bulge_mm:.1f} mm at the test: more than 1.6 thicknesses, where the "
            "plate formula stops; take the figure as a warning, not a number",
            "bulge up to 1.6 t",
            LARGE.source,
            "prove",
            f"face:{load.face}",
            f"{load.result.bulge_mm:.1f} mm",
            f"{LARGE_RANGE_T * r.sheet.thickness_mm:.1f} mm",
            lower if safe < plan.test_kpa else None,
        )
