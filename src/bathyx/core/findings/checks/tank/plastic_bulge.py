"""Does a wall of plastic stand out too far after years?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.plastic.creep import BULGE, YEARS, Bulges, banded, bulges
from bathyx.core.results import Results
from bathyx.core.sheet.makeup.bands import second_moment
from bathyx.core.sheet.makeup.skins import Skins
from bathyx.core.strength.loads import hottest, lies_flat
from bathyx.core.units import celsius, megapascals, mm
from bathyx.errors import Refusal

TOLD = 4.0


def check(job: Job, r: Results) -> Iterator[Finding]:
    """Flat walls of plastic are held to half their thickness after 25 years full and warm; else thicker sheet, or bands."""
    if r.sheet.material.group != "plastic":
        return
    hot, level = hottest(job.brief, r.fluid), r.capacity.fill_level_mm

    def worst_of(t: float) -> float:
        skins = Skins(t, r.skins.own)
        found = bulges(r.shell, r.strength, r.sheet, skins, level, r.fluid.density, hot)
        return found[0].over if found else 0.0

    found = bulges(r.shell, r.strength, r.sheet, r.skins, level, r.fluid.density, hot)
    if not found or found[0].over <= 1:
        return
    worst = found[0]
    thick = next((t for t in r.sheet.material.thicknesses if t > r.sheet.thickness_mm and worst_of(t) <= 1), None)
    words, remedies = _banded(job, worst, r)
    if thick is not None:
        stock = f"{r.sheet.material.key}/{thick:g}"
        remedies = (Remedy(f"Use {mm(thick, None)} {r.sheet.material.name}", (("tank.sheet", stock),)), *remedies)
    most = TOLD * worst.limit_mm  # past that the plate's formula, which knows no stretching, tells nothing true
    by = f"{mm(worst.low_mm, 1)} to {mm(worst.high_mm, 1)}" if worst.high_mm <= most else f"more than {mm(most)}"
    yield Finding(
        "plastic.bulge",
        "warn",
        f"{worst.face}, {mm(worst.short_mm)} × {mm(worst.long_mm)}, stands out {by} after {YEARS:.0f} years full at "
        f"{celsius(hot)}: plastic creeps, {megapascals(worst.modulus)} of {megapascals(r.sheet.material.modulus)} are left. "
        f"{words}",
        BULGE.expression,
        BULGE.source,
        "tank",
        f"face:{worst.face}",
        mm(worst.high_mm, 1),
        mm(worst.limit_mm, 1),
        remedies[0] if remedies else None,
        otherwise=remedies[1:],
    )


def _banded(job: Job, worst: Bulges, r: Results) -> tuple[str, tuple[Remedy, ...]]:
    """What would hold it besides thicker sheet, in words and as remedies: a base under a floor, bands round a wall."""
    face = r.shell.by_id[worst.face]
    if lies_flat(r.shell, face):
        base = Remedy("Stand it on a flat base under all of it", (("brief.flat_base", True),))
        return "Stand it on a flat base under all of it, or thicker sheet", (base,)
    if face.role in ("floor", "roof"):
        return "Thicker sheet or a baffle", ()
    outside, nu = r.outside, r.sheet.material.poisson
    stiff = worst.modulus * r.skins.of(worst.face) ** 3 / (12 * (1 - nu**2))
    try:
        side = max(outside.length_mm, outside.width_mm)
        made = banded(worst, outside.height_mm, side, r.fluid.density, stiff, nu)
    except Refusal as error:
        return f"Thicker sheet or a baffle: {error}", ()
    wide, wall = max((band.box for band in made), key=lambda box: second_moment(*box))
    at = " and ".join(mm(band.at_mm) for band in made)
    box = f"{mm(wide, None)} × {mm(wide, None)} × {mm(wall, None)}"
    many = "a band" if len(made) == 1 else "bands"
    said = f"Thicker sheet, a baffle, or {many} of steel box {box}, at {at} above the floor, joined at the corners"
    heights = tuple(sorted(float(round(band.at_mm)) for band in made))
    if job.makeup.bands:
        return said, ()
    return said, (
        Remedy(f"Put {'a band' if len(made) == 1 else f'{len(made)} bands'} round it", (("makeup.bands", heights),)),
    )
