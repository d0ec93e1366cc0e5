"""Can the pickup's inlet draw all round?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.findings.placing import named
from bathyx.core.geometry.shell import Face
from bathyx.core.inside.fittings import Fitting
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.units import mm


def _upright(face: Face, fitting: Fitting) -> bool:
    return float(face.normal_at(face.place(fitting.u_mm, fitting.v_mm))[2]) <= 0.1


def check(job: Job, r: Results) -> Iterator[Finding]:
    """The gap round the inlet's rim is as large as its bore when it stands a quarter of its diameter off the floor."""
    for i, fitting in enumerate(job.inside.fittings):
        face = r.shell.by_id.get(fitting.face)
        least = max(fitting.hole_mm / 4, 5.0)
        if (
            fitting.does != "pickup"
            or face is None
            or _upright(face, fitting)
            or fitting.floor_clear_mm >= least - 0.05
        ):
            continue
        target = float(round(max(least, 10.0)))
        yield Finding(
            "pickup.standoff",
            "warn",
            f"The inlet of {named(fitting)} stands {mm(fitting.floor_clear_mm)} off the floor: it cannot draw all round and "
            "takes up what lies there",
            "π d h at least π d² / 4: a quarter of the diameter off the floor, and 5 mm",
            "area of the gap against the bore; off the floor: common practice",
            "inside",
            f"fitting:{fitting.id}",
            f"{mm(fitting.floor_clear_mm)} off",
            f"wants {mm(least)}",
            Remedy(f"Stand it {mm(target)} off", ((f"inside.fittings.{i}.floor_clear_mm", target),)),
        )
