"""Does the outside of the tank, with clearance, fit the measured space?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.units import mm


def check(job: Job, r: Results) -> Iterator[Finding]:
    """One finding per direction that is too long; the remedy shortens that inside size in whole mm."""
    if not job.space.plain or job.tank.built_in:
        return  # walls and things in the space are looked at one by one; a built-in tank has the walls
    for name, size, room in (
        ("length", r.strapped.length_mm, r.room.depth_mm),
        ("width", r.strapped.width_mm, r.room.width_mm),
        ("height", r.strapped.height_mm, r.room.height_mm),
    ):
        over = size - room
        if over <= 0.05:
            continue
        remedy = None
        changes = job.tank.shortened(name, over)
        if changes:
            path, value = next(iter(changes.items()))
            to = (
                f"{path.removesuffix('_mm').replace('_', ' ')} to {value:.0f} mm"
                if isinstance(value, float)
                else f"the {name} to fit"
            )
            remedy = Remedy(f"Shorten {to}", tuple((f"tank.{p}", v) for p, v in changes.items()))
        yield Finding(
            "fit.space",
            "stop",
            f"The tank is {mm(over)} too long for the space in {name}",
            "outside size plus clearance must not exceed the measured space, less its skew",
            "the space as measured",
            "tank",
            f"size:{name}",
            f"{mm(size)}",
            f"{mm(room)}",
            remedy,
        )
