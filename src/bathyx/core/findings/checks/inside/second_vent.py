"""Are there two breathers, front and rear?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.findings.placing import put, roof
from bathyx.core.inside.fittings import Fitting, usual
from bathyx.core.inside.inside import MOST_FITTINGS
from bathyx.core.job import Job
from bathyx.core.results import Results


def check(job: Job, r: Results) -> Iterator[Finding]:
    """A vented tank that is filled from a nozzle or moves needs two; the remedy puts the missing ones at the ends."""
    vents = [f for f in job.inside.fittings if f.does == "vent"]
    if job.brief.pressure == "pressurised" or len(vents) >= 2:
        return
    face, low, high = roof(r)
    spots = [(float(low[0]) + 40, float(low[1]) + 40), (float(high[0]) - 40, float(high[1]) - 40)]
    taken = {f.id for f in job.inside.fittings}
    names = [n for n in ("vent front", "vent rear", "vent 3", "vent 4") if n not in taken]
    free = spots[len(vents) :] if vents else spots
    if vents and vents[0].u_mm > (low[0] + high[0]) / 2:
        free = spots[:1]
    added: list[Fitting] = []
    room = MOST_FITTINGS - len(job.inside.fittings)
    for n, (u, v) in zip(names[: max(room, 0)], free, strict=False):
        so_far = job.edited("inside.fittings", [*job.inside.fittings, *added])
        vent = put(so_far, r, usual("vent", n, face, u, v))
        if vent is not None:
            added.append(vent)
    remedy = None
    if added:
        label = f"Add {len(added)} vent{'s' if len(added) > 1 else ''}"
        remedy = Remedy(label, (("inside.fittings", [*job.inside.fittings, *added]),))
    yield Finding(
        "inside.vent",
        "stop" if not vents else "warn",
        "No vent: the tank cannot breathe"
        if not vents
        else "One vent only: the fill airlocks and the nozzle clicks off",
        "two breathers, front and rear",
        "common practice",
        "inside",
        f"face:{face}",
        f"{len(vents)}" + (f", and {MOST_FITTINGS} fittings, the most there may be" if room <= 0 else ""),
        "2",
        remedy,
    )
