"""Are there two breathers, front and rear?"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.findings.placing import put
from bathyx.core.inside.fittings import Fitting, usual
from bathyx.core.job import Job
from bathyx.core.results import Results


def check(job: Job, r: Results) -> Iterator[Finding]:
    """A vented tank that is filled from a nozzle or moves needs two; the remedy puts the missing ones at the ends."""
    vents = [f for f in job.inside.fittings if f.kind == "vent"]
    if job.brief.pressure == "pressurised" or len(vents) >= 2:
        return
    top = r.shell.by_id.get("top")
    remedy = None
    if top is not None:
        size = np.ptp(top.outline, axis=0)
        spots = [(40.0, 40.0), (float(size[0]) - 40, float(size[1]) - 40)]
        taken = {f.id for f in job.inside.fittings}
        names = [n for n in ("vent front", "vent rear", "vent 3", "vent 4") if n not in taken]
        free = spots[len(vents) :] if vents else spots
        if vents and vents[0].u_mm > size[0] / 2:
            free = spots[:1]
        added: list[Fitting] = []
        for n, (u, v) in zip(names, free, strict=False):
            so_far = job.edited("inside.fittings", [*job.inside.fittings, *added])
            vent = put(so_far, r, usual("vent", n, "top", u, v))
            if vent is not None:
                added.append(vent)
        remedy = added and Remedy(
            f"Add {len(added)} vent{'s' if len(added) > 1 else ''}",
            (("inside.fittings", [*job.inside.fittings, *added]),),
        )
    yield Finding(
        "inside.vent",
        "stop" if not vents else "warn",
        "No vent: the tank cannot breathe"
        if not vents
        else "One vent only: the fill airlocks and the nozzle clicks off",
        "two breathers, front and rear",
        "common practice",
        "inside",
        "face:top",
        f"{len(vents)}",
        "2",
        remedy or None,
    )
