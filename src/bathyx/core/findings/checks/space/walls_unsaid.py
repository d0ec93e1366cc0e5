"""Does the tank fit every hole that the readings allow, or only the one that fits them best?"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from bathyx.core.findings.finding import Finding
from bathyx.core.formula import formula
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.space import MeasuredBox
from bathyx.core.space.reconcile import title_of
from bathyx.core.units import mm

SURE = 0.975
UNSAID = formula(
    "space.unsaid",
    "Holes that the readings allow",
    "share of holes, drawn from what readings and usual crookedness leave open, whose upright box takes the outside of the tank",
    source="Posterior of the least-squares fit with its prior on the shape (floor and walls out of square by 10 mm, opposite walls "
    "parallel to 2 mm; one standard deviation each, Bathyx's own)",
    valid="holes of eight corners with more readings than a box's own; what stands in it is looked at apart",
    check="tests/core/test_readings.py: holes that lean, measured along their edges alone and with a diagonal",
    tolerance="±1.5 % of the share (400 draws)",
)
SIZES = ("depth", "width", "height")


def check(job: Job, r: Results) -> Iterator[Finding]:
    """Less than 97.5 of 100 holes: which way it is, what is sure, and the reading that would tell most."""
    space = job.space
    if not isinstance(space, MeasuredBox) or space.hole is None or job.tank.built_in:
        return
    hole = space.hole
    sizes = np.array([r.strapped.length_mm, r.strapped.width_mm, r.strapped.height_mm])
    boxes = hole.likely_boxes
    fits = (boxes >= sizes).all(axis=1).mean()
    if fits >= SURE:
        return
    if (np.array(hole.upright_box) < sizes).any():
        return  # it does not fit the best of them either, and that is said
    axis = int(np.argmin((boxes >= sizes).mean(axis=0)))
    sure = float(np.quantile(boxes[:, axis], 1 - SURE))
    a, b, share = hole.helps_most(axis, [(x.a, x.b) for x in space.all_readings() if not x.left_out])
    rough = f". The readings agree to {mm(2 * hole.tape_times)} only" if hole.tape_times > 1 else ""
    tell = f". The {title_of(a, b)} would tell most of it ({share:.0%})" if share > 0.1 else ""
    yield Finding(
        "space.unsaid",
        "warn",
        f"In {round(100 * (1 - fits))} of 100 holes that these readings allow the tank does not go: how far walls lean or the "
        f"floor is out of square is not told by them. Sure of its {SIZES[axis]} are {mm(sure)}; "
        f"the tank takes {mm(sizes[axis])}{rough}{tell}",
        UNSAID.expression,
        UNSAID.source,
        "space",
        "",
        f"{fits:.1%} of them",
        f"at least {SURE:.1%}",
    )
