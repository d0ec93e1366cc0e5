"""Does the outside of the tank clear the walls of a measured hole, and what stands in it?"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.space.obstacles import Reach
from bathyx.core.units import mm

MOST_SAID = 4


def check(job: Job, r: Results) -> Iterator[Finding]:
    """One finding for each wall or thing that is nearer than its clearance; the remedy moves the tank away from it."""
    names = {f.id for f in job.inside.fittings}
    yield from (_unknown(job, reach) for reach in job.space.reaches if reach.fitting not in names)
    for near in r.approaches[:MOST_SAID]:
        if near.spare_mm >= -0.05:
            continue
        place = ", ".join(f"{v:.0f}" for v in near.at)
        said = f"reaches {mm(-near.mm)} into" if near.mm < 0 else f"stands only {mm(near.mm)} from"
        yield Finding(
            "fit.walls",
            "stop",
            f"The tank {said} {_the(near.what)} at {place}",
            "air of at least the clearance to every wall and everything in the space",
            "the space as measured",
            "space",
            "",
            mm(near.mm),
            f"{mm(near.wants_mm)} of air",
            _moved(job, near.at, near.to, near.mm, -near.spare_mm),
        )


def _unknown(job: Job, reach: Reach) -> Finding:
    known = ", ".join(f.id for f in job.inside.fittings) or "none"
    return Finding(
        "fit.reach",
        "warn",
        f"Room for {reach.name} is kept out of {reach.fitting}, which the tank has not; its fittings: {known}",
        "room is kept out of a fitting by its name",
        "the space as measured",
        "space",
        "",
        reach.fitting,
        "a fitting of the tank",
    )


def _the(name: str) -> str:
    return f"the {name}" if not name[:1].isupper() else name


def _moved(job: Job, at: np.ndarray, to: np.ndarray, gap: float, by: float) -> Remedy | None:
    """The seat moved straight away from the wall, in whole millimetres along each axis."""
    way = (at - to) if gap > 0 else (to - at)
    size = float(np.linalg.norm(way))
    if size < 1e-9:
        return None
    step = way / size * by
    step = np.sign(step) * np.ceil(np.abs(step) - 1e-6)
    seat = job.space.seated() + step
    words = ", ".join(
        f"{mm(abs(float(d)))} {name[int(d > 0)]}"
        for d, name in zip(step, (("forward", "back"), ("left", "right"), ("down", "up")), strict=True)
        if d
    )
    if not words:
        return None
    x, y, z = (float(round(v, 3)) for v in seat)
    return Remedy(f"Move it {words}", (("space.seat", {"x_mm": x, "y_mm": y, "z_mm": z}),))
