"""Can the plies be laid as they are said: core, warmth, symmetry, shear in the foam?"""

from __future__ import annotations

import math
from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.laminate.layup import PRESETS, LayUp
from bathyx.core.results import Results
from bathyx.core.strength.panels import PanelLoad
from bathyx.core.units import celsius, kpa, megapascals, mm

COLD_C, SHEAR_SHARE, LEAST_SEALS = 15.0, 1 / 3, 2
SCREWS, SCREW_N, NUT_N = 6, 2000.0, 10_000.0
KNEE_N, KNEE_MM = 1000.0, 40.0
HOT_MM = {True: 4.0, False: 6.0}  # laid in one go: with styrene, epoxy


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
    yield from _too_hot(job, layup)
    yield from _kneeled_on(job, r)
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
    yield from _soft_under(job, layup, r)
    yield from _shears(job, layup, r)


def _kneeled_on(job: Job, r: Results) -> Iterator[Finding]:
    """A knee or a hand in the middle of a roof: a load on a small round patch of a clamped round plate as wide as its panel."""
    for panel in r.strength.panels:
        face = r.shell.by_id.get(panel.face)
        if face is None or face.role != "roof" or face.kind != "plane":
            continue
        own = r.skins.sheet(r.sheet, face)
        radius = max(panel.short_mm / 2, KNEE_MM)
        moment = KNEE_N * (1 + own.material.poisson) / (4 * math.pi) * math.log(radius / KNEE_MM)
        stress, bears = 6 * moment / own.thickness_mm**2, own.material.yield_delivered
        if stress <= bears:
            continue
        yield Finding(
            "laminate.knee",
            "note",
            f"A knee on {panel.face}, {mm(panel.short_mm)} between its joints, bends it with "
            f"{megapascals(stress, 1)}; it begins to fail "
            f"at {megapascals(1.5 * bears, 1)}: more plies there, a baffle under it, or nobody on it",
            "σ = 6 M / t², M = W (1 + ν) ln(a / r) / 4 π, W = 1 kN on a patch of 40 mm; two thirds of where it begins to fail",
            "Roark's Formulas, clamped round plate with a load on a small circle, from memory; 1 kN: Bathyx's own line",
            "tank",
            f"face:{panel.face}",
            megapascals(stress, 1),
            megapascals(bears, 1),
        )


def _too_hot(job: Job, layup: LayUp) -> Iterator[Finding]:
    """Plies laid one on the other before the first has cooled cook their resin: it smokes, shrinks and cracks."""
    most = HOT_MM[layup.made.resin.styrene]
    named = [("", layup), *((panel.face, panel.whole(layup)) for panel in job.panel_layups)]
    for face, laid in named:
        sides = (
            [laid.made.plies]
            if not laid.core
            else [laid.made.plies[: laid.core_after], laid.made.plies[laid.core_after :]]
        )
        thick = max(sum(ply.mm for ply in side) for side in sides)
        if thick > most:
            goes = math.ceil(thick / most)
            yield Finding(
                "laminate.hot",
                "note",
                f"{mm(thick, 1)} of plies{f' on {face}' if face else ''} in one go heat themselves till the resin "
                f"smokes, shrinks and cracks: "
                f"lay them in {goes} goes, each cooled to the hand before the next, within its window",
                f"no more than {mm(most)} of {layup.made.resin.name.lower()} at once",
                "makers' sheets of laminating resins give 3 to 6 mm, from memory",
                "tank",
                f"face:{face}" if face else "",
                mm(thick, 1),
                mm(most),
            )


def _soft_under(job: Job, layup: LayUp, r: Results) -> Iterator[Finding]:
    """What is screwed onto foam crushes it: the screws of a ring, tight, over the ring's face on the foam."""
    own = {panel.face: panel.whole(layup) for panel in job.panel_layups}
    worst: tuple[float, str, LayUp] | None = None
    on = []
    for f in job.inside.fittings:
        laid = own.get(f.face, layup)
        if not laid.core or not (f.ring_mm > 0 or f.hole_mm > 0):
            continue
        on.append(f.id)
        ring = math.pi / 4 * max(f.ring_od_mm**2 - f.hole_mm**2, 1.0)
        pulls = SCREWS * SCREW_N if f.kind == "inspection" else NUT_N
        stress = pulls / ring
        if worst is None or stress > worst[0]:
            worst = (stress, f.id, laid)
    if worst is None or worst[2].made.core is None:
        return
    stress, name, laid = worst
    bears = laid.made.core.crush if laid.made.core is not None else 0.0
    yield Finding(
        "laminate.inserts",
        "warn" if stress > bears else "note",
        f"{name}, tightened, presses its ring on the foam with {megapascals(stress, 1)}; it crushes at "
        f"{megapascals(bears, 1)}. Foam out and "
        f"solid laminate or a hard insert in, twice the ring's width, under {', '.join(on)}: screws do not hold in "
        f"foam, and a gasket "
        "works loose on it",
        "σ = clamp of the screws / area of the ring ≤ what the foam is crushed at; screws need solid laminate",
        "six screws of M5 by hand, some 2 kN each, or a nut of some 10 kN: an engineering estimate, ±half; solid laminate: common "
        "practice",
        "inside",
        f"fitting:{name}",
        megapascals(stress, 1),
        megapascals(bears, 1),
    )


def _plies() -> tuple[dict[str, str], ...]:
    return tuple({"cloth": key} for key in PRESETS["seal"][1])


def _shears(job: Job, layup: LayUp, r: Results) -> Iterator[Finding]:
    """Shear in the foam at the long edge of each lay-up's worst panel: half of the pressure over the short side, over its arm."""
    own = {panel.face: k for k, panel in enumerate(job.panel_layups)}
    yield from _sheared(layup, [p for p in r.strength.panels if p.face not in own], "layup.core", r)
    for face, k in own.items():
        mine = [p for p in r.strength.panels if p.face == face]
        yield from _sheared(job.panel_layups[k].whole(layup), mine, f"panel_layups.{k}.core", r)


def _sheared(layup: LayUp, panels: list[PanelLoad], path: str, r: Results) -> Iterator[Finding]:
    core = layup.made.core
    if core is None or not panels:
        return
    worst = max(panels, key=lambda p: p.service_kpa * p.short_mm)
    pressed = max(worst.service_kpa, r.strength.pressure_kpa)
    arm = (layup.made.thick_mm + layup.core_mm) / 2
    stress = pressed / 1000 * worst.short_mm / 2 / arm
    allowed = SHEAR_SHARE * core.shear
    if stress <= allowed:
        return
    yield Finding(
        "laminate.core",
        "stop" if stress > core.shear else "warn",
        f"{worst.face}, {mm(worst.short_mm)} wide at {kpa(pressed)}: its foam is sheared with {megapascals(stress, 1)}, it bears "
        f"{megapascals(core.shear, 1)}. Denser or thicker foam, solid edges, or a baffle",
        "τ = q b / 2 d, a third of what the foam bears",
        "Zenkert, Handbook of Sandwich Construction, from memory; a third: Bathyx's own line",
        "tank",
        f"face:{worst.face}",
        megapascals(stress, 1),
        megapascals(allowed, 1),
        Remedy("Denser foam", ((path, "pvc130"),)) if core.key != "pvc130" else None,
    )
