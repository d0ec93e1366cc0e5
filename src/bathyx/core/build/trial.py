"""The tests of a tank as its evaluation sees them: least pressures, terms to freeze, and what the build still lacks."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from bathyx.core.build.steps import steps
from bathyx.core.evaluate import Evaluation
from bathyx.core.proving.gauges import GaugeKind
from bathyx.core.proving.hold import Terms
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


def head_mm(evaluation: Evaluation) -> float:
    """Head from the filler's brim to the lowest point, mm."""
    low, high = evaluation.results.shell.bounds
    return float(high[2] - low[2]) + evaluation.job.brief.fill_rise_mm


def filling_head_kpa(evaluation: Evaluation) -> float:
    """That head of the tank's own fluid, kPa."""
    return head_kpa(head_mm(evaluation), evaluation.results.fluid.density)


def least_for(evaluation: Evaluation, test: PlannedTest) -> Least:
    """The least pressure and time of a test of this tank."""
    low, high = evaluation.results.shell.bounds
    return least_here(test, evaluation.job.brief, evaluation.results.fluid, float(high[2] - low[2]))


def proposal(evaluation: Evaluation) -> tuple[PlannedTest, ...]:
    """The tests that suit this fluid and service."""
    brief, kind = evaluation.job.brief, evaluation.results.fluid
    pressurised = brief.pressure == "pressurised" and brief.working_kpa > 0
    filling = HEAD_TIMES * filling_head_kpa(evaluation)
    least = max(WORKING_TIMES * brief.working_kpa if pressurised else 0.0, filling, FUEL_KPA if kind.fuel else 5.0)
    return proposed(kind.fuel, pressurised, kind.watery, least)


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
    override: str = "",
    missing: str = "",
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
        override: why the tank may be pressed past what it bears.
        missing: what the build lacks (`missing_for_proof`).
    """
    job, r = evaluation.job, evaluation.results
    density = r.fluid.density if test.method == "soak" else WATER_DENSITY
    height = head_mm(evaluation)
    return Terms(
        test=test,
        volume_l=r.capacity.net.value,
        bears_kpa=r.strength.bears.value,
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
        override=override if over_pressure_kpa(test, r.strength.bears.value) else "",
        missing=missing,
    )
