"""Is it proved with air where its way of making forbids air?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.making import making_of
from bathyx.core.proving.plan import USUAL_HOLD_MIN, Method, PlannedTest
from bathyx.core.results import Results
from bathyx.core.units import kpa


def check(job: Job, r: Results) -> Iterator[Finding]:
    """A test of the tank with more air than its way of making bears is a stop; water does it."""
    making = making_of(r.sheet)
    most = making.most_air_kpa(r)
    if most is None:
        return
    wrong = [t for t in job.proving.tests if t.what == "tank" and t.uses_air and t.test_kpa > most]
    if not wrong:
        return
    pressed = r.fluid.fuel or job.brief.pressure == "pressurised"
    method: Method = "water_press" if pressed else "water_fill"
    kpa_ = max(t.test_kpa for t in wrong) if pressed else 0.0
    water = PlannedTest(method=method, test_kpa=kpa_, hold_min=USUAL_HOLD_MIN[method])
    kept = [t for t in job.proving.tests if t not in wrong]
    if not any(t.method == method and t.what == "tank" for t in kept):
        kept.insert(0, water)
    yield Finding(
        "proof.no_air",
        "stop",
        f"A tank of {r.sheet.material.name} is not proved with {kpa(wrong[0].test_kpa)} of air: {making.why_no_air}",
        f"no more than {kpa(most)} of air",
        "common practice: open tanks are filled with water; no air in welded plastic or laminate: makers' guidance, from memory",
        "prove",
        "",
        kpa(wrong[0].test_kpa),
        kpa(most),
        Remedy(
            "Water under pressure in place of air" if pressed else "Fill it with water and leave it standing",
            (("proving.tests", tuple(t.model_dump() for t in kept)),),
        ),
    )
