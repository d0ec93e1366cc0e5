"""All checks in one place: a new check is a file in checks/ and a line here."""

from __future__ import annotations

import logging
from dataclasses import replace

from bathyx.core.findings.checks.brief import air_space, mounts, own_figures, pressurised, used_tank
from bathyx.core.findings.checks.build import boss_thickness
from bathyx.core.findings.checks.cut import (
    bend_radius,
    blank_size,
    bolted_lid,
    brake_length,
    closed_wrap,
    grain,
    laminate_bent,
    lost_choice,
    on_the_brake,
    pan_depth,
    plastic_fused,
    plates_clash,
    relief,
    roller_seam,
    short_flange,
    throat,
    torch_reach,
    uncut,
)
from bathyx.core.findings.checks.inside import (
    air_leaning,
    bay_length,
    bay_switched_off,
    below_level,
    filler_missing,
    fitting_metal,
    fitting_overlap,
    fitting_place,
    hole_baffle,
    hole_clearance,
    inspection_missing,
    limber,
    low_point,
    open_share,
    pickup_standoff,
    pools,
    second_vent,
    sender_swing,
    slope_loss,
    strap_place,
    vent_bore,
)
from bathyx.core.findings.checks.prove import least_test, no_air, panel_stress, stored_air
from bathyx.core.findings.checks.space import (
    fit_walls,
    plastic_grows,
    readings,
    second_tank,
    squareness,
    stands_out,
    walls_doubt,
    walls_unsaid,
    way_in,
)
from bathyx.core.findings.checks.tank import (
    bands,
    capacity_short,
    fit_space,
    fluid_material,
    head_shape,
    hot_fluid,
    laminate_laid,
    laminate_resin,
    plastic_bulge,
    weight_limit,
)
from bathyx.core.findings.finding import Check, Finding
from bathyx.core.job import Job, JobError
from bathyx.core.making import making_of
from bathyx.core.results import Results
from bathyx.errors import brief

CHECKS: tuple[Check, ...] = (
    uncut.check,
    fit_space.check,
    fit_walls.check,
    way_in.check,
    readings.check,
    walls_unsaid.check,
    walls_doubt.check,
    capacity_short.check,
    squareness.check,
    fluid_material.check,
    laminate_resin.check,
    laminate_laid.check,
    laminate_bent.check,
    pressurised.check,
    no_air.check,
    bay_length.check,
    open_share.check,
    fitting_place.check,
    fitting_overlap.check,
    hole_clearance.check,
    hole_baffle.check,
    strap_place.check,
    sender_swing.check,
    short_flange.check,
    throat.check,
    relief.check,
    grain.check,
    torch_reach.check,
    lost_choice.check,
    plates_clash.check,
    blank_size.check,
    brake_length.check,
    bolted_lid.check,
    plastic_fused.check,
    roller_seam.check,
    closed_wrap.check,
    pan_depth.check,
    on_the_brake.check,
    panel_stress.check,
    stored_air.check,
    air_space.check,
    air_leaning.check,
    weight_limit.check,
    low_point.check,
    limber.check,
    second_vent.check,
    second_tank.check,
    filler_missing.check,
    inspection_missing.check,
    slope_loss.check,
    boss_thickness.check,
    below_level.check,
    vent_bore.check,
    pickup_standoff.check,
    bend_radius.check,
    hot_fluid.check,
    bands.check,
    plastic_bulge.check,
    plastic_grows.check,
    stands_out.check,
    fitting_metal.check,
    bay_switched_off.check,
    least_test.check,
    mounts.check,
    own_figures.check,
    used_tank.check,
    head_shape.check,
    pools.check,
)
ON_THE_BRAKE = (
    short_flange.check,
    throat.check,
    brake_length.check,
    closed_wrap.check,
    pan_depth.check,
    on_the_brake.check,
)
LOG = logging.getLogger("bathyx.faults")
OF_A_USED_TANK = ("repair.", "proof.", "panel.", "prove.", "material.", "brief.", "check.")
ORDER = {"stop": 0, "warn": 1, "note": 2}


def findings_of(job: Job, results: Results) -> tuple[Finding, ...]:
    """Every finding, worst first. A remedy that the job itself would refuse is not offered."""
    checks = CHECKS if making_of(results.sheet).on_brake else [c for c in CHECKS if c not in ON_THE_BRAKE]
    found = [_with_honest_remedy(finding, job) for check in checks for finding in _looked(check, job, results)]
    if job.repair is not None:  # it stands as it was made: what a new one would want is not asked of it
        found = [f for f in found if f.code.startswith(OF_A_USED_TANK)]
    return tuple(sorted(found, key=lambda f: ORDER[f.severity]))


def _looked(check: Check, job: Job, results: Results) -> list[Finding]:
    """What a check says. One that fails is a fault of Bathyx: it is logged and said, and the others stand."""
    try:
        return list(check(job, results))
    except Exception as error:
        name = check.__module__.rpartition(".")[2]
        LOG.exception("the check %s failed", name)
        why = brief(str(error) or type(error).__name__, 1, 120)
        return [
            Finding(
                "check.fault",
                "stop",
                f"A fault of Bathyx: the check {name.replace('_', ' ')} could not be made; what it looks for is not known",
                "every check is made",
                "the log has the whole of it",
                "brief",
                figure=why,
            )
        ]


def _with_honest_remedy(finding: Finding, job: Job) -> Finding:
    if finding.remedy is None:
        return finding
    try:
        finding.remedy.apply(job)
    except JobError:
        return replace(finding, remedy=None)
    return finding
