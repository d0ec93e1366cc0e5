"""What may be recorded, started or pressed, and why not: said once, for the desk and the command line alike.

Each function returns the reason against it in words of a maker, or nothing. Quantities are metric, to be worded where shown.
"""

from __future__ import annotations

import math
from collections.abc import Collection

from bathyx.core.build.steps import blocked_by, steps
from bathyx.core.build.trial import bears_kpa, stored_j
from bathyx.core.evaluate import Evaluation
from bathyx.core.material import Fluid
from bathyx.core.proving.decay import Sample
from bathyx.core.proving.energy import energy_refusal
from bathyx.core.proving.gauges import HIGHEST_BARO_KPA
from bathyx.core.proving.hold import Terms, overridden, start_refusal
from bathyx.core.proving.judgement import Proof
from bathyx.core.proving.least import over_pressure_kpa
from bathyx.core.proving.plan import PlannedTest
from bathyx.core.units import Said
from bathyx.errors import Refusal

LOWEST_BARO_KPA = 50.0  # at about 5,500 m: nobody tests a tank higher
NAME_FIRST = "Type your name first: it goes on the record"
SEEN = ("good", "undercut, accepted", "porosity, accepted", "reject")


def tick_refusal(evaluation: Evaluation, step_id: str, ticks: Collection[str], *, proof: Proof) -> str:
    """Why a step of the traveller may not be ticked.

    Args:
        evaluation: the job as it stands; with stops nothing is cut.
        step_id: of the step.
        ticks: ids of the steps that are done and still stand.
        proof: the judgement over the tank as it stands.
    """
    every = steps(evaluation)
    step = next((s for s in every if s.id == step_id), None)
    if step is None:
        return f"this tank's traveller has no step {step_id!r}"
    hold = blocked_by(every, step_id, ticks)
    if hold is not None:
        return f"{step.title} waits for the hold point before it: {hold.title}"
    if step_id == "test" and not proof.whole:
        return Said("The tank is not proven: ") + Said(proof.words)
    if step_id == "cut" and evaluation.stops:
        return f"Not cut yet: {evaluation.stops[0].message}"
    return ""


def weld_refusal(weld: dict[str, str]) -> str:
    """Why a weld entry as typed (`process`, `filler`, `amps`, …) is none: amps left out or a finite number not below 0."""
    amps = weld.get("amps", "").strip()
    try:
        fine = not amps or 0 <= float(amps) < math.inf
    except ValueError:
        fine = False
    return "" if fine else f"amps is {amps!r}; write a number like 105"


def vapour_caution(fluid: Fluid, methods: Collection[str], ticks: Collection[str]) -> str:
    """What is said at a repair of a tank that has held what burns; empty for one that has not.

    Args:
        fluid: of the tank.
        methods: of the tests that were begun.
        ticks: of steps, whether they still stand or not.
    """
    if not fluid.flammable or not ("soak" in methods or "first_fill" in ticks):
        return ""
    return (
        f"This tank has held {fluid.name.lower()}: it holds vapour, and welding it has killed people. Drain it, rinse it, leave it "
        "open for days or fill it with water to below the weld, test the air; where there is doubt leave it to those who do it "
        "professionally."
    )


def over_limit(evaluation: Evaluation, test: PlannedTest) -> bool:
    """Whether a planned test is above what the tank bears."""
    return over_pressure_kpa(test, bears_kpa(evaluation, test)) > 0


def handover_refusal(proof: Proof, reason: str) -> str:
    """Why no certificate is put on record and nothing is handed over; empty when it may be.

    Args:
        proof: the judgement over the tank as it stands.
        reason: why a person hands it over all the same, by name; it is printed. Never past a leak, or with nothing proven.
    """
    if not proof.against or (proof.overridable and reason.strip()):
        return ""
    if not proof.overridable:
        return Said("Not handed over: ") + Said(proof.words)
    return (
        Said("Not handed over: ")
        + Said(proof.against[0])
        + ". Put it right, or write by name why it goes out all the same"
    )


def hold_refusal(
    terms: Terms,
    now: Sample | None,
    *,
    who: str,
    open_here: bool,
    elsewhere: bool,
    by_eye: bool,
    connected: bool,
    identified: bool,
) -> str:
    """Why a hold may not be started now.

    Args:
        terms: what it would freeze.
        now: the gauge's last reading.
        who: name of the person at the bench.
        open_here: a hold is open on record, to be ended first.
        elsewhere: it is being read at another bench.
        by_eye: the gauge is one that only eyes can read.
        connected: a gauge is connected.
        identified: it has said what it is.
    """
    if not who.strip():
        return NAME_FIRST
    if elsewhere:
        return "A hold is running at another bench"
    if open_here:
        return "Record the hold that is open before another is begun"
    if terms.test.pressed and not by_eye and not connected:
        over = start_refusal(terms, None)
        return over if over.startswith(("Refused", "Proves")) else "Connect a gauge"
    if terms.test.pressed and not by_eye and not identified:
        return "Wait for the gauge to say what it is"
    return start_refusal(terms, now)


def fill_refusal(evaluation: Evaluation, test: PlannedTest, override: tuple[str, str, float]) -> str:
    """Why no air goes in: the test is above what the tank bears and no reason to go past it is written, or it stores too much.

    Args:
        evaluation: the job as it stands.
        test: the planned test.
        override: reason, who wrote it, and the pressure it is for, kPa.
    """
    reason, by, upto = override
    if not over_limit(evaluation, test) or overridden(reason, by, upto, test):
        return energy_refusal(test, stored_j(evaluation, test))
    bears = bears_kpa(evaluation, test)
    return (
        f"Refused: {test.test_kpa:.2f} kPa is above the {bears:.2f} kPa that the tank bears. "
        "Lower it, or write the reason for going past"
    )


def too_high(kpa: float | None, bears: float) -> bool:
    """Whether a reading above the air outside, kPa, calls for air to be let out at once: no reason on record mutes it."""
    return kpa is not None and kpa > bears


def barometer(text: str) -> float | None:
    """A barometer reading typed in kPa; None where nothing is typed. Refusal for what no air has."""
    text = text.strip()
    if not text:
        return None
    try:
        value = float(text.replace(",", "."))
    except ValueError:
        value = math.nan
    if not LOWEST_BARO_KPA <= value <= HIGHEST_BARO_KPA + 5:
        raise Refusal(
            f"{text[:40]!r} is no barometer reading; write kPa between {LOWEST_BARO_KPA:.0f} and {HIGHEST_BARO_KPA + 5:.0f}, "
            "like 101.3"
        )
    return value
