"""What may be recorded, started or pressed, and why not: said once, for the desk and the command line alike.

Each function returns the reason against it in words of a maker, or nothing. Quantities are metric, to be worded where shown.
"""

from __future__ import annotations

import math
from collections.abc import Collection

from bathyx.core.build.steps import blocked_by, steps
from bathyx.core.evaluate import Evaluation
from bathyx.core.proving.decay import Sample
from bathyx.core.proving.gauges import HIGHEST_BARO_KPA
from bathyx.core.proving.hold import Terms, start_refusal
from bathyx.core.proving.least import over_pressure_kpa
from bathyx.core.proving.plan import PlannedTest
from bathyx.errors import Refusal

LOWEST_BARO_KPA = 50.0  # at about 5,500 m: nobody tests a tank higher
NAME_FIRST = "Type your name first: it goes on the record"
SEEN = ("good", "undercut, accepted", "porosity, accepted", "reject")


def tick_refusal(evaluation: Evaluation, step_id: str, ticks: Collection[str], *, proven: bool) -> str:
    """Why a step of the traveller may not be ticked.

    Args:
        evaluation: the job as it stands; with stops nothing is cut.
        step_id: of the step.
        ticks: ids of the steps that are done.
        proven: whether the tank, as it stands, is proven.
    """
    every = steps(evaluation)
    step = next((s for s in every if s.id == step_id), None)
    if step is None:
        return f"this tank's traveller has no step {step_id!r}"
    hold = blocked_by(every, step_id, ticks)
    if hold is not None:
        return f"{step.title} waits for the hold point before it: {hold.title}"
    if step_id == "test" and not proven:
        return "The tank is not proven: run a tight test in Prove first"
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


def over_limit(evaluation: Evaluation, test: PlannedTest) -> bool:
    """Whether a planned test is above what the tank bears."""
    return over_pressure_kpa(test, evaluation.results.strength.bears.value) > 0


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


def fill_refusal(evaluation: Evaluation, test: PlannedTest, override: str) -> str:
    """Why no air goes in: the test is above what the tank bears, and no reason to go past it is written."""
    if not over_limit(evaluation, test) or override.strip():
        return ""
    bears = evaluation.results.strength.bears.value
    return (
        f"Refused: {test.test_kpa:.2f} kPa is above the {bears:.2f} kPa that the tank bears. "
        "Lower it, or write the reason for going past"
    )


def too_high(kpa: float | None, bears_kpa: float, override: str) -> bool:
    """Whether a reading above the air outside, kPa, calls for air to be let out at once."""
    return kpa is not None and kpa > bears_kpa and not override.strip()


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
            f"{text!r} is no barometer reading; write kPa between {LOWEST_BARO_KPA:.0f} and {HIGHEST_BARO_KPA + 5:.0f}, like 101.3"
        )
    return value
