"""Do straps lie on the tank, clear of what must be reached, on rubber, two at least, and thick enough for what they hold?"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from bathyx.core.findings.finding import Finding, Remedy, Severity
from bathyx.core.inside.fittings import seat
from bathyx.core.inside.straps import Laid, leg_pull_n
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.units import megapascals, mm, newtons

RULE = "straps lie on the tank over rubber, clear of fittings, two at least"
SOURCE = "common practice"
REACH_MM, STEP_MM = 10.0, 5.0  # a spanner's room beside a strap, and how finely a free place is looked for
BAND_MPA, STEADY = 235.0, 3.0  # yield of plain mild steel bar, S235, from memory; a third of it for what pounds
LEAST_RUBBER_MM = 2.0


def check(job: Job, r: Results) -> Iterator[Finding]:
    """One finding a strap and fault, one where a single strap holds a tank that moves, one where the thinnest is too weak."""
    straps = job.inside.straps
    lying = {band.number: band for band in r.straps} if straps else {}
    for number, strap in enumerate(straps):
        where, name = f"strap:{number}", f"strap {number + 1}"
        band = lying.get(number)
        if band is None:
            kept = [s for k, s in enumerate(straps) if k != number]
            out = Remedy("Take it out", (("inside.straps", kept),))
            said = f"{name} lies beside the tank, at {mm(strap.at_mm)}"
            yield _said("warn", said, where, out, mm(strap.at_mm), "over the tank")
            continue
        over = under(job, r, band)
        if over:
            said = f"{name} lies over {' and '.join(over)}: it cannot be reached"
            yield _said("warn", said, where, _aside(job, r, number), mm(strap.at_mm), "clear of fittings")
        if strap.rubber_mm < LEAST_RUBBER_MM:
            rubber = Remedy("Rubber of 3 mm under it", ((f"inside.straps.{number}.rubber_mm", 3.0),))
            said = f"{name} has no rubber under it: it frets through the sheet"
            yield _said("warn", said, where, rubber, mm(strap.rubber_mm), mm(LEAST_RUBBER_MM))
    if lying and job.brief.moving:
        yield from _strength(job, r)


def _strength(job: Job, r: Results) -> Iterator[Finding]:
    """Of a tank that moves: whether straps are two, and the thinnest is thick enough."""
    count = len(r.straps)
    if count == 1:
        yield _said(
            "note", "one strap lets the tank turn under it", f"strap:{r.straps[0].number}", None, "1 strap", "2 straps"
        )
    thin = min(r.straps, key=lambda band: band.strap.width_mm * band.strap.thickness_mm)
    wide, pull = thin.strap.width_mm, leg_pull_n(r.weight.full.value, job.brief.braking_g, count)
    stress, most = pull / (wide * thin.strap.thickness_mm), BAND_MPA / STEADY
    if stress > most:
        need = float(np.ceil(2 * pull / (wide * most)) / 2)
        thicker = (
            Remedy(f"{need:g} mm thick", ((f"inside.straps.{thin.number}.thickness_mm", need),)) if need <= 20 else None
        )
        stressed = f"{megapascals(stress)} in strap {thin.number + 1}, {megapascals(most)} wanted"
        said = f"each strap's leg pulls {newtons(round(pull, -2))} full: {stressed}"
        yield _said("warn", said, f"strap:{thin.number}", thicker, f"{stress:.0f} MPa", f"{most:.0f} MPa")


def under(job: Job, r: Results, band: Laid) -> list[str]:
    """Fittings that a strap lies over, those under the floor left out."""
    found = []
    for fitting in job.inside.fittings:
        spot = seat(r.shell, fitting)
        if spot is None or float(r.shell.by_id[fitting.face].normal_at(spot)[2]) < -0.5:
            continue
        across = abs(float(r.shell.by_id[fitting.face].normal_at(spot)[0])) < 0.9  # on an end it is beside the band
        if across and band.lies_over(float(spot[0]), fitting.rim_mm + REACH_MM):
            found.append(fitting.id)
    return found


def _aside(job: Job, r: Results, number: int) -> Remedy | None:
    """The nearest place along the tank where it lies over nothing; none where there is none."""
    band = next(b for b in r.straps if b.number == number)
    half = band.strap.width_mm / 2
    low, high = float(r.shell.bounds[0][0]) + half, float(r.shell.bounds[1][0]) - half
    places = np.arange(low, high + 1e-9, STEP_MM)
    for at in sorted(places, key=lambda x: abs(x - band.strap.at_mm)):
        moved = replace(band, strap=band.strap.model_copy(update={"at_mm": float(at)}))
        beside = all(abs(at - o.strap.at_mm) > half + o.strap.width_mm / 2 for o in r.straps if o is not band)
        if beside and not under(job, r, moved):
            return Remedy(f"Move it to {mm(float(at))}", ((f"inside.straps.{number}.at_mm", round(float(at), 1)),))
    return None


def _said(severity: Severity, text: str, where: str, remedy: Remedy | None, figure: str, limit: str) -> Finding:
    return Finding("inside.strap", severity, text, RULE, SOURCE, "inside", where, figure, limit, remedy)
