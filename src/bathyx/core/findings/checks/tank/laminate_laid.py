"""Can the plies be laid as they are said: core, warmth, symmetry, shear in the foam?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.laminate.layup import PRESETS, LayUp
from bathyx.core.results import Results
from bathyx.core.units import celsius, kpa, megapascals, mm

COLD_C, SHEAR_SHARE, LEAST_SEALS = 15.0, 1 / 3, 2


def check(job: Job, r: Results) -> Iterator[Finding]:
    """Cold resin does not cure; foam shears before its faces fail; one ply weeps."""
    layup = job.layup
    if layup is None:
        return
    if layup.room_c < COLD_C:
        yield Finding(
            "laminate.cold",
            "warn",
            f"At {celsius(layup.room_c)} {layup.made.resin.name.lower()} cures late or never: warm the room and the mould, "
            f"not the cup",
            f"laid at {celsius(COLD_C)} or more",
            "makers' sheets of laminating resins, from memory",
            "tank",
            "",
            f"{celsius(layup.room_c)}",
            f"{celsius(COLD_C)}",
            Remedy(f"A room of {celsius(20.0)}", (("layup.room_c", 20.0),)),
        )
    inside = layup.core_after if layup.core else len(layup.plies)
    if inside < LEAST_SEALS and not layup.core:
        yield Finding(
            "laminate.thin",
            "warn",
            "One ply has pinholes that no coat closes: it weeps. Three layers seal the inside",
            "two plies at least between the fluid and the outside",
            "common practice",
            "tank",
            "",
            "1 ply",
            "3 plies",
            Remedy("Three layers that seal", (("layup.plies", _plies()),)),
        )
    yield from _soft_under(job, layup)
    yield from _shears(layup, r)


def _soft_under(job: Job, layup: LayUp) -> Iterator[Finding]:
    """What is screwed or bonded onto foam crushes it."""
    on = [f.id for f in job.inside.fittings if f.ring_mm > 0 or f.hole_mm > 0]
    if not layup.core or not on:
        return
    yield Finding(
        "laminate.inserts",
        "note",
        f"Foam out and solid laminate or a hard insert in, twice the ring's width, under {', '.join(on)}: screws do not hold "
        f"in foam, "
        "a gasket crushes it",
        "screws need solid laminate",
        "common practice",
        "inside",
        f"fitting:{on[0]}",
        "on foam",
        "on solid laminate",
    )


def _plies() -> tuple[dict[str, str], ...]:
    return tuple({"cloth": key} for key in PRESETS["seal"][1])


def _shears(layup: LayUp, r: Results) -> Iterator[Finding]:
    """Shear in the foam at the long edge of the worst panel: half of the pressure over the short side, over the foam's arm."""
    core = layup.made.core
    if core is None:
        return
    worst = max(r.strength.panels, key=lambda p: p.service_kpa * p.short_mm)
    pressed = max(worst.service_kpa, r.strength.pressure_kpa)
    arm = (layup.made.thick_mm + layup.core_mm) / 2
    stress = pressed / 1000 * worst.short_mm / 2 / arm
    allowed = SHEAR_SHARE * core.shear
    if stress <= allowed:
        return
    yield Finding(
        "laminate.core",
        "stop" if stress > core.shear else "warn",
        f"{worst.face}, {mm(worst.short_mm)} wide at {kpa(pressed)}: its foam is sheared with {megapascals(stress)}, it bears "
        f"{megapascals(core.shear)}. Denser or thicker foam, solid edges, or a baffle",
        "τ = q b / 2 d, a third of what the foam bears",
        "Zenkert, Handbook of Sandwich Construction, from memory; a third: Bathyx's own line",
        "tank",
        f"face:{worst.face}",
        megapascals(stress),
        megapascals(allowed),
        Remedy("Denser foam", (("layup.core", "pvc130"),)) if core.key != "pvc130" else None,
    )
