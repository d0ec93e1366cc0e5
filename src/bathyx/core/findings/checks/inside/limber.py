"""Can bilge water get past a tank that is built into a hull?"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.findings.placing import free_name
from bathyx.core.geometry.shell import Face
from bathyx.core.inside.fittings import Fitting, floor_below, limber_tubes, usual
from bathyx.core.job import Job
from bathyx.core.results import Results

OVER_MM, ASIDE_MM, LEVEL_MM = 25.0, 1.0, 30.0


def check(job: Job, r: Results) -> Iterator[Finding]:
    """A tank whose walls are the hull needs a tube through it, low down; both ends of it stand opposite one another."""
    for fitting, a, b in limber_tubes(r.shell, job.inside.fittings):
        off = float(np.abs(a - b)[1:].max())
        if off > LEVEL_MM:
            yield Finding(
                "inside.limber",
                "warn",
                f"The ends of the tube {fitting.id} stand {off:.0f} mm out of line with one another",
                "a straight tube from end to end",
                "geometry",
                "inside",
                f"fitting:{fitting.id}",
                f"{off:.0f} mm",
                f"{LEVEL_MM:.0f} mm",
            )
    if not job.tank.built_in or limber_tubes(r.shell, job.inside.fittings):
        return
    both = _through(job, r)
    remedy = Remedy("Put a tube through it", (("inside.fittings", [*job.inside.fittings, *both]),)) if both else None
    yield Finding(
        "inside.limber",
        "note",
        "Water that gathers before this tank has no way past it: the hull is its wall",
        "a tube through the tank low down, or another way for bilge water; holes too in what stands before and behind",
        "common practice",
        "inside",
        "",
        "none",
        "a way past",
        remedy,
    )


def _through(job: Job, r: Results) -> list[Fitting]:
    """Two ends of a tube as low as both bulkheads have room for it; none where they have not."""
    ends = [f for f in r.shell.faces if f.role == "end" and f.kind == "plane"]
    if len(ends) != 2:
        return []
    low = r.shell.bounds[0]
    middle = float(np.mean([end.centroid[1] for end in ends]))
    radius = usual("limber", "x", ends[0].id, 0, 0).hole_mm / 2
    deepest = max(
        floor_below(r.shell, float(end.centroid[0]) - float(end.normal[0]) * ASIDE_MM, middle) for end in ends
    )
    height = max(deepest, float(low[2])) + OVER_MM + radius
    name = free_name(job, "limber")
    return [_end(end, f"{name} {word}", middle, height) for end, word in zip(ends, ("front", "rear"), strict=True)]


def _end(face: Face, name: str, y: float, z: float) -> Fitting:
    u, v = (float(round(x, 1)) for x in face.uv(np.array([[face.centroid[0], y, z]]))[0])
    return usual("limber", name, face.id, u, v)
