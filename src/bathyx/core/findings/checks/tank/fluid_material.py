"""Does the sheet suit the fluid?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.checks.tank.hot_fluid import suitable
from bathyx.core.findings.finding import Finding
from bathyx.core.job import Job
from bathyx.core.results import Results


def check(job: Job, r: Results) -> Iterator[Finding]:
    """No: stop, with the first sheet that suits and is stocked near this thickness. With care: a warning that says why."""
    group = r.sheet.material.group
    verdict = r.fluid.suits.get(group, "care")
    if verdict == "yes":
        return
    offers = suitable(r, lambda _other: True) if verdict == "no" else ()
    why = r.fluid.why.get(group, "")
    yield Finding(
        "material.fluid",
        "stop" if verdict == "no" else "warn",
        f"{r.fluid.name} in {r.sheet.material.name}: {why}",
        "the sheet must stand its fluid for years",
        "fluid table, common practice",
        "tank",
        "",
        r.sheet.material.name,
        "a sheet that suits",
        offers[0] if offers else None,
        offers[1:],
    )
