"""Can the bands round a tank be put on, and do they hold?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.inside.fittings import seat
from bathyx.core.job import Job
from bathyx.core.plastic.creep import BAND
from bathyx.core.results import Results
from bathyx.core.sheet.makeup.bands import BandOn
from bathyx.core.units import mm


def check(job: Job, r: Results) -> Iterator[Finding]:
    """Round upright walls only, of a box that is stiff enough, within the tank's height."""
    known = {band.at_mm for band in r.bands}
    for at in job.makeup.bands:
        rest = Remedy("Leave it out", (("makeup.bands", tuple(h for h in job.makeup.bands if h != at)),))
        band = next((b for b in r.bands if b.at_mm == at), None)
        if at not in known or band is None or not (band.pieces or band.leaning):
            yield Finding(
                "band.beside", "stop", f"a band at {mm(at)}: no wall of the tank is "
                f"there", "bands lie round walls", BAND.source, "cut",
                "", mm(at), mm(r.outside.height_mm), rest,
            )  # fmt: skip
        elif over := _under(job, r, band):
            yield Finding(
                "band.fitting", "stop", f"a band at {mm(at)} lies over {over}", "nothing stands out where a band "
                "lies", BAND.source, "cut",
                f"fitting:{over}", mm(at), "beside it", rest,
            )  # fmt: skip
        elif band.leaning:
            yield Finding(
                "band.leans", "stop",
                f"a band at {mm(at)} meets {band.leaning[0]}, on which it does not lie: that leans, or stands in a hollow",
                "bands lie round upright flat walls that nothing stands out "
                "beyond", BAND.source, "cut", f"face:{band.leaning[0]}", mm(at), "upright walls", rest,
            )  # fmt: skip
        elif band.box is None:
            yield Finding(
                "band.weak", "stop",
                f"a band at {mm(at)} wants more than the largest box of the list: divide the side by a baffle, or put bands closer",
                BAND.expression, BAND.source, "cut", "", mm(at), "", rest,
            )  # fmt: skip


def _under(job: Job, r: Results, band: BandOn) -> str:
    """What stands out of a wall where a band lies on it; empty where nothing does."""
    walls, half = {name for name, _ in band.pieces}, (band.box[0] if band.box else 0) / 2
    foot = float(r.shell.bounds[0][2])
    for fitting in job.inside.fittings:
        spot = seat(r.shell, fitting) if fitting.face in walls else None
        if spot is not None and abs(float(spot[2]) - foot - band.at_mm) < half + max(
            fitting.rim_mm, fitting.hole_mm / 2
        ):
            return fitting.id
    return ""
