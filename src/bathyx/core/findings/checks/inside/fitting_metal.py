"""Do the fittings' metals suit the sheet they sit in and the fluid they stand in?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.findings.placing import named
from bathyx.core.job import Job
from bathyx.core.material import fitting_metals
from bathyx.core.results import Results


def check(job: Job, r: Results) -> Iterator[Finding]:
    """One finding for each fitting and each thing it must not touch."""
    for i, fitting in enumerate(job.inside.fittings):
        metal = fitting_metals()[fitting.metal]
        group = r.sheet.material.group
        for verdict, why in (x for x in (metal.sheets.get(group), metal.fluids.get(r.fluid.key)) if x):
            yield Finding(
                "fitting.metal",
                "stop" if verdict == "no" else "warn",
                f"{named(fitting).capitalize()} of {metal.name} in {r.sheet.material.name} for {r.fluid.name.lower()}: {why}",
                "what is welded or stands together must suit each other",
                metal.source,
                "inside",
                f"fitting:{fitting.id}",
                metal.name,
                "a metal that suits",
                Remedy(f"{fitting.id} of the sheet's own metal", ((f"inside.fittings.{i}.metal", "as_sheet"),)),
            )
