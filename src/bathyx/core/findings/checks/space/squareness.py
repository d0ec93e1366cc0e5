"""Do the floor diagonals agree with each other and with the sides?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.units import mm

MISFIT_MM = 6.0


def check(job: Job, r: Results) -> Iterator[Finding]:
    """A note for the skew that was taken off, a warning when the readings contradict each other."""
    square = job.space.squareness
    if square is None:
        return
    if abs(square.misfit_mm) > MISFIT_MM:
        yield Finding(
            "space.misfit",
            "warn",
            f"Width, depth and diagonals do not belong to one floor: they disagree by {mm(abs(square.misfit_mm))}. "
            "Measure again",
            "d1² + d2² = 2 (W² + D²) for a floor with equal opposite sides",
            "parallelogram law; 6 mm is what a tape and a helper usually hold, common practice",
            "space",
            "",
            f"{mm(abs(square.misfit_mm))}",
            f"{mm(MISFIT_MM)}",
        )
    if square.skew_mm >= 1:
        yield Finding(
            "space.skew",
            "note",
            f"The floor is {mm(square.skew_mm)} out of square; that is taken off the width",
            "skew s = |d1² − d2²| / 4W comes off the usable width",
            "geometry of a parallelogram",
            "space",
            "",
            f"{mm(square.skew_mm)}",
            "0 mm",
        )
