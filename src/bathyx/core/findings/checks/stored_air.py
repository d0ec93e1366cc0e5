"""Is there enough air energy in the test to prefer water?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.proving.energy import STORED, stored_energy_j
from bathyx.core.results import Results
from bathyx.core.units import joules

LIMIT_J = 2500.0


def check(job: Job, r: Results) -> Iterator[Finding]:
    """Large volumes are filled with water first."""
    airs = [(i, t) for i, t in enumerate(job.proving.tests) if t.uses_air and t.what == "tank"]
    if not airs:
        return
    i, test = max(airs, key=lambda pair: pair[1].test_kpa)
    energy = stored_energy_j(test.test_kpa, r.capacity.net.value)
    if energy <= LIMIT_J:
        return
    yield Finding(
        "prove.energy",
        "warn",
        f"The air test stores {joules(energy)}; fill with water first, or test with water and a small air space",
        "air tests of large volumes only after water",
        f"{STORED.source}; 2500 J (10 kg falling 25 m) is Bathyx's own line",
        "prove",
        "",
        f"{joules(energy)}",
        f"{joules(LIMIT_J)}",
        Remedy(
            "Test by water fill",
            (
                (f"proving.tests.{i}.method", "water_fill"),
                (f"proving.tests.{i}.hold_min", 1440.0),
                (f"proving.tests.{i}.test_kpa", 0.0),
            ),
        ),
    )
