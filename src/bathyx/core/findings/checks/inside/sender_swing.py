"""Does the float of a level sender swing clear of the baffles?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.findings.placing import named
from bathyx.core.inside.fittings import floor_below, seat
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.units import mm

FLOAT_CLEAR_MM = 15.0


def check(job: Job, r: Results) -> Iterator[Finding]:
    """The arm may point either way along or across; it needs one free way of `swing_mm`."""
    for i, fitting in enumerate(job.inside.fittings):
        spot = seat(r.shell, fitting)
        if fitting.does != "sender" or spot is None or fitting.swing_mm <= 0:
            continue
        free = 0.0
        for axis, name in ((0, "x"), (1, "y")):
            bay = next((b for b in r.bays if b.axis == name and b.start_mm <= spot[axis] <= b.end_mm), None)
            if bay is not None:
                free = max(free, float(spot[axis]) - bay.start_mm, bay.end_mm - float(spot[axis]))
        depth = float(spot[2]) - floor_below(r.shell, float(spot[0]), float(spot[1]))
        if r.shell.by_id[fitting.face].normal_at(spot)[2] > 0.1 and fitting.swing_mm > depth - FLOAT_CLEAR_MM:
            arm = float(int(max(depth - FLOAT_CLEAR_MM, 1.0)))
            yield Finding(
                "sender.depth",
                "warn",
                f"The arm of {named(fitting)} is {mm(fitting.swing_mm)} and hangs into the floor: the tank is {mm(depth)} "
                "deep there",
                "the float hangs clear of the floor when the tank is empty",
                "common practice",
                "inside",
                f"fitting:{fitting.id}",
                f"{mm(fitting.swing_mm)} arm",
                f"at most {mm(arm)}",
                Remedy(f"Sender with a {mm(arm)} arm", ((f"inside.fittings.{i}.swing_mm", arm),)),
            )
        if free >= fitting.swing_mm:
            continue
        yield Finding(
            "sender.swing",
            "warn",
            f"The float of {named(fitting)} swings {mm(fitting.swing_mm)} and has {mm(free)}",
            "the float's swing stays clear of baffles and walls",
            "common practice",
            "inside",
            f"fitting:{fitting.id}",
            f"{mm(free)} free",
            f"wants {mm(fitting.swing_mm)}",
            Remedy(f"Sender with a {mm(free)} arm", ((f"inside.fittings.{i}.swing_mm", float(int(free))),)),
        )
