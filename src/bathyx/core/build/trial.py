"""The tests of a tank as its evaluation sees them: least pressures, terms to freeze, and what the build still lacks."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from bathyx.core.build.steps import steps
from bathyx.core.evaluate import Evaluation
from bathyx.core.proving.energy import stored_energy_j
from bathyx.core.proving.gauges import GaugeKind
from bathyx.core.proving.hold import Terms
from bathyx.core.proving.judgement import Asked, StepAsked
from bathyx.core.proving.least import (
    FUEL_KPA,
    HEAD_TIMES,
    WORKING_TIMES,
    Least,
    head_kpa,
    least_here,
    over_pressure_kpa,
)
from bathyx.core.proving.plan import PlannedTest, proposed
from bathyx.core.strength.loads import WATER_DENSITY
from bathyx.core.strength.panels import bears_full_kpa, gives


def head_mm(evaluation: Evaluation) -> float:
    """Head from the filler's brim to the lowest point, mm."""
    low, high = evaluation.results.shell.bounds
    return float(high[2] - low[2]) + evaluation.job.brief.fill_rise_mm


def filling_head_kpa(evaluation: Evaluation) -> float:
    """That head of the tank's own fluid, kPa."""
    return head_kpa(head_mm(evaluation), evaluation.results.fluid.density)


def least_for(evaluation: Evaluation, test: PlannedTest) -> Least:
    """The least pressure and time of a test of this tank."""
    return least_here(test, evaluation.job.brief, evaluation.results.fluid, evaluation.results.shell)


def proposal(evaluation: Evaluation) -> tuple[PlannedTest, ...]:
    """The tests that suit this fluid and service."""
    brief, kind = evaluation.job.brief, evaluation.results.fluid
    pressurised = brief.pressure == "pressurised" and brief.working_kpa > 0
    filling = HEAD_TIMES * filling_head_kpa(evaluation)
    least = max(WORKING_TIMES * brief.working_kpa if pressurised else 0.0, filling, FUEL_KPA if kind.fuel else 5.0)
    return proposed(kind.fuel, pressurised, kind.watery, least)


def bears_kpa(evaluation: Evaluation, test: PlannedTest) -> float:
    """What the tank bears at a test, kPa on the gauge: full of water its head acts as well, so that less may be pumped on."""
    r = evaluation.results
    if test.method != "water_press" or test.what != "tank":
        return r.strength.bears.value
    return bears_full_kpa(r.strength, r.shell, WATER_DENSITY)[0]


def stored_j(evaluation: Evaluation, test: PlannedTest) -> float:
    """Energy of the air at a test's pressure, J; 0 for water."""
    return stored_energy_j(test.test_kpa, evaluation.results.capacity.net.value) if test.uses_air else 0.0


def asked_of(evaluation: Evaluation, builds: frozenset[int] | None, owners: Mapping[int, str] | None = None) -> Asked:
    """What is asked of the tank as it stands, for the judgement.

    Args:
        evaluation: the job as it stands.
        builds: revisions of today's build.
        owners: customer of each revision.
    """
    job, r = evaluation.job, evaluation.results
    tests = job.proving.tests
    filling = filling_head_kpa(evaluation)
    pressed = least_for(evaluation, PlannedTest(method="air_soap"))
    pressurised = job.brief.pressure == "pressurised" and job.brief.working_kpa > 0
    wanted = pressed.kpa if r.fluid.fuel or pressurised else 0.0
    return Asked(
        plan=tests,
        least=tuple(least_for(evaluation, t) for t in tests),
        builds=builds,
        pressed_kpa=wanted,
        pressed_rule=pressed.rule,
        head_kpa=filling,
        fluid=r.fluid.key,
        customer=job.brief.customer,
        owners=owners or {},
        steps=tuple(StepAsked(s.id, s.title, s.hold, s.metal) for s in steps(evaluation)),
        stops=tuple(f.message for f in evaluation.stops),
    )


def missing_for_proof(
    evaluation: Evaluation, ticks: Iterable[str], seam_states: Mapping[str, str], what: str = "tank"
) -> str:
    """What the build lacks before a test of the whole tank can prove it, in words; empty when nothing does.

    A pipe or compartment is tested by itself before the tank is closed: it waits for nothing.

    Args:
        evaluation: the job as it stands.
        ticks: ids of the steps ticked.
        seam_states: state of each seam by its edge, as the record has it.
        what: the thing tested: `tank`, a pipe or a compartment.
    """
    if what != "tank":
        return ""
    done = set(ticks)
    before = []
    for step in steps(evaluation):
        if step.id == "test":
            break
        if step.id not in done:
            before.append(step.title)
    open_seams = [seam for seam, state in seam_states.items() if state in ("open", "leaks")]
    said = []
    if before:
        more = f" and {len(before) - 1} more" if len(before) > 1 else ""
        said.append(f"not ticked: {before[0].lower()}{more}")
    if open_seams:
        some = ", ".join(open_seams[:4]) + (f" and {len(open_seams) - 4} more" if len(open_seams) > 4 else "")
        said.append(f"seams not welded or leaking: {some}")
    return "; ".join(said)


def terms_for(  # noqa: PLR0913 - what a hold freezes, named one by one
    evaluation: Evaluation,
    test: PlannedTest,
    *,
    gauge: GaugeKind | None = None,
    identity: str = "",
    simulated: bool = False,
    begun_kpa: float | None = None,
    begun_baro_kpa: float | None = None,
    override: tuple[str, str, float] = ("", "", 0.0),
    missing: str = "",
    dial: GaugeKind | None = None,
    blanked: str = "",
    thermometer: str = "",
) -> Terms:
    """The terms that a hold of this test freezes.

    Args:
        evaluation: the job as it stands.
        test: one of its planned tests.
        gauge: what is known of the gauge that is read; None when it is read by eye.
        identity: what the gauge says of itself.
        simulated: whether it is the stand-in.
        begun_kpa: the reading typed at the start.
        begun_baro_kpa: the barometer typed at the start.
        override: why the tank may be pressed past what it bears, by whom, and up to which pressure, kPa.
        missing: what the build lacks (`missing_for_proof`).
        dial: the gauge that eyes read.
        blanked: what the openings were closed with.
        thermometer: where it sits.
    """
    job, r = evaluation.job, evaluation.results
    density = r.fluid.density if test.method == "soak" else WATER_DENSITY
    height = head_mm(evaluation)
    bears = bears_kpa(evaluation, test)
    reason, by, upto = override if over_pressure_kpa(test, bears) else ("", "", 0.0)
    return Terms(
        test=test,
        volume_l=r.capacity.net.value,
        bears_kpa=bears,
        head_mm=height,
        head_kpa=head_kpa(height, density),
        least=least_for(evaluation, test),
        gauge=gauge,
        identity=identity,
        simulated=simulated,
        weather=job.proving.weather,
        altitude_m=job.proving.altitude_m,
        begun_kpa=begun_kpa,
        begun_baro_kpa=begun_baro_kpa,
        override=reason,
        override_by=by,
        override_kpa=upto,
        missing=missing,
        fluid=r.fluid.key,
        dial=dial,
        blanked=blanked,
        thermometer=thermometer,
        stored_j=stored_j(evaluation, test),
        give=gives(r.strength, r.shell),
    )
