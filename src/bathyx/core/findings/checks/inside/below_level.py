"""Do filler and vents stand above the fuel, and has a petrol tank afloat no opening below it?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.findings.placing import named, put, roof, within
from bathyx.core.inside.fittings import seat
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.units import mm

AFLOAT = "petrol tanks afloat have no drain and no opening below the fuel"
AFLOAT_SOURCE = "ISO 21487 and ABYC H-24; 33 CFR 183 subpart J, all from memory"


def check(job: Job, r: Results) -> Iterator[Finding]:
    """A stop for each opening that would let the fuel out."""
    level = r.capacity.fill_level_mm
    petrol = job.brief.afloat and r.fluid.petrol_like
    for i, fitting in enumerate(job.inside.fittings):
        spot = seat(r.shell, fitting)
        if spot is None:
            continue
        upright = abs(float(r.shell.by_id[fitting.face].normal_at(spot)[2])) < 0.7
        lowest = float(spot[2]) - (fitting.hole_mm / 2 if upright else 0.0)
        if lowest >= level - 0.5 or not fitting.opens:
            continue
        if fitting.does in ("filler", "vent"):
            yield Finding(
                "opening.level",
                "stop",
                f"The {named(fitting)} stands {mm(level - lowest)} below the fill level: the fluid comes out of it",
                "filler and vents open above the highest level of the fluid",
                "common practice",
                "inside",
                f"fitting:{fitting.id}",
                f"{mm(lowest)} up",
                f"above {mm(level)}",
                _to_top(job, r, i),
            )
        elif petrol:
            remedy = None
            if fitting.does == "drain":
                kept = [f for k, f in enumerate(job.inside.fittings) if k != i]
                remedy = Remedy(f"Take {fitting.id} out", (("inside.fittings", kept),))
            yield Finding(
                "opening.afloat",
                "stop",
                f"The {named(fitting)} opens below the fuel of a petrol tank afloat",
                AFLOAT,
                AFLOAT_SOURCE,
                "inside",
                f"fitting:{fitting.id}",
                f"{mm(lowest)} up",
                f"above {mm(level)}",
                remedy or _to_top(job, r, i),
            )


def _to_top(job: Job, r: Results, index: int) -> Remedy | None:
    face, low, high = roof(r)
    u, v = within(low, high, 0.5, 0.5)
    moved = put(job, r, job.inside.fittings[index].model_copy(update={"face": face, "u_mm": u, "v_mm": v}))
    if moved is None:
        return None
    at = f"inside.fittings.{index}"
    return Remedy("Move it to the top", ((f"{at}.face", face), (f"{at}.u_mm", moved.u_mm), (f"{at}.v_mm", moved.v_mm)))
