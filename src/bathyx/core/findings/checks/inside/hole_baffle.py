"""Does a baffle stand under a hole?"""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from bathyx.core.findings.finding import Finding, Remedy, with_search
from bathyx.core.findings.placing import named, nearest_spot
from bathyx.core.inside.baffles import AXIS_INDEX
from bathyx.core.inside.fittings import seat
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.units import mm

CLEAR_MM = 8.0


def check(job: Job, r: Results) -> Iterator[Finding]:
    """The rim must clear the plate; the remedy moves the fitting to the nearer side."""
    t = r.sheet.thickness_mm
    for i, fitting in enumerate(job.inside.fittings):
        face, spot = r.shell.by_id.get(fitting.face), seat(r.shell, fitting)
        if face is None or spot is None or not fitting.hole_mm:
            continue
        for number, baffle in enumerate(r.baffles, start=1):
            axis = AXIS_INDEX[baffle.axis]
            if abs(face.normal_at(spot)[axis]) > 0.999:
                continue
            gap = float(spot[axis]) - baffle.at_mm
            clear = abs(gap) - t / 2 - fitting.hole_mm / 2
            if clear >= CLEAR_MM - 0.1:
                continue
            u, v = face.tangents(spot)
            field, slope = ("u_mm", u[axis]) if abs(u[axis]) > abs(v[axis]) else ("v_mm", v[axis])
            target = getattr(fitting, field) + (CLEAR_MM - clear) * (1 if gap >= 0 else -1) / float(slope)
            said = Finding(
                "hole.baffle",
                "stop" if clear < 0 else "warn",
                f"Baffle B{number} stands {'in' if clear < 0 else 'beside'} the hole of {named(fitting)}",
                f"at least {mm(CLEAR_MM)} between hole and baffle",
                "room for the weld and the tube: common practice",
                "inside",
                f"fitting:{fitting.id}",
                f"{mm(-clear)} into it" if clear < 0 else f"{mm(clear)} clear",
                f"wants {mm(CLEAR_MM)} clear",
            )
            yield with_search(said, partial(_moved, job, r, i, field, target))


def _moved(job: Job, r: Results, index: int, field: str, target: float) -> Remedy | None:
    """To the nearest place that is free of everything, not only of this baffle."""
    fitting = job.inside.fittings[index]
    spot = nearest_spot(job, r, fitting.model_copy(update={field: round(target, 1)}), fitting.id)
    if spot is None:
        return None
    return Remedy(
        f"Move {fitting.id} to {spot[0]:.0f}, {mm(spot[1])}",
        ((f"inside.fittings.{index}.u_mm", spot[0]), (f"inside.fittings.{index}.v_mm", spot[1])),
    )
