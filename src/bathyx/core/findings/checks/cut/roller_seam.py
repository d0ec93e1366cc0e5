"""Can a roller seam be rolled: flanges, sheet, reach of the wheels?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.making.roller import LEAST_MM, MOST_MM, ROLLER, roller
from bathyx.core.results import Results
from bathyx.core.tank.halves import HalvesTank
from bathyx.core.units import mm

ARC = (("makeup.weld_process", ""),)
ROUND_MM = 50.0


def check(job: Job, r: Results) -> Iterator[Finding]:
    """Two halves alike, of steel from 0.6 to 3 mm, flanges as wide as the wheels want, corners that the wheels get round."""
    if r.sheet.material.joined != "roller":
        return
    under_an_arc = Remedy("Weld it under an arc", ARC)
    tank, t = job.tank, r.sheet.thickness_mm
    if not isinstance(tank, HalvesTank):
        yield Finding(
            "roller.family", "stop", "a roller seam joins two flanges face to face: of these shapes only halves "
            "have them all round",
            "roller seams between flanges", ROLLER.source, "cut", "", "", "flanges", under_an_arc,
        )  # fmt: skip
        return
    if r.sheet.material.group == "aluminium":
        yield Finding(
            "roller.aluminium", "stop",
            "aluminium wants three times the current of steel and wheels dressed every few metres: weld its flanges under an arc",
            "roller seams in steel and stainless", "welding handbooks, from memory", "cut", "", "aluminium", "steel", under_an_arc,
        )  # fmt: skip
    if not LEAST_MM <= t <= MOST_MM:
        yield Finding(
            "roller.thick", "stop", f"sheet of {mm(t, 1)} is not seamed between wheels", "from 0.6 to 3 mm",
            ROLLER.source, "cut", "",
            mm(t, 1), mm(MOST_MM if t > MOST_MM else LEAST_MM, 1), under_an_arc,
        )  # fmt: skip
    flat = tank.flange_mm - t - r.rule.radius_at(t)
    least = roller(r.sheet).overlap_mm
    if flat < least - 1e-6:
        wide = float(round(least + t + r.rule.radius_at(t) + 0.5))
        yield Finding(
            "roller.flange", "stop",
            f"the flange is {mm(tank.flange_mm)} from the wall and flat for {mm(flat, 1)}: the wheels want "
            f"{mm(least, 1)}, and throw metal out "
            "at a rim that is nearer",
            ROLLER.expression, ROLLER.source, "cut", "", mm(flat, 1), mm(least, 1),
            Remedy(f"Make the flange {mm(wide)}", (("tank.flange_mm", wide),)),
        )  # fmt: skip
    if tank.corner_mm + tank.flange_mm < ROUND_MM:
        yield Finding(
            "roller.corner", "warn",
            f"at its corners the rim goes round {mm(tank.corner_mm + tank.flange_mm)}: large wheels skid there "
            f"and leave gaps between nuggets",
            "the rim's radius at a corner ≥ 50 mm", "Bathyx's own line", "cut", "",
            mm(tank.corner_mm + tank.flange_mm), mm(ROUND_MM),
            Remedy(f"Round them by {mm(ROUND_MM - tank.flange_mm)}", (("tank.corner_mm", ROUND_MM - tank.flange_mm),)),
        )  # fmt: skip
