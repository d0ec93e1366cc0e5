"""What may be recorded, started or pressed, and why not: said once, for the desk and the command line alike.

Each function returns the reason against it in words of a maker, or nothing. Quantities are metric, to be worded where shown.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from datetime import datetime, timedelta

from bathyx.core.build.steps import blocked_by, steps
from bathyx.core.build.trial import bears_kpa, stored_j
from bathyx.core.evaluate import Evaluation
from bathyx.core.job import Job
from bathyx.core.making import Asked
from bathyx.core.material import Fluid, fluids
from bathyx.core.proving.decay import Sample
from bathyx.core.proving.energy import energy_refusal
from bathyx.core.proving.gauges import HIGHEST_BARO_KPA
from bathyx.core.proving.hold import Terms, overridden, start_refusal
from bathyx.core.proving.judgement import Proof
from bathyx.core.proving.least import over_pressure_kpa
from bathyx.core.proving.plan import PlannedTest
from bathyx.core.repair.gate import HEAT, Recorded, conditions, filled, gate, when
from bathyx.core.repair.intake import Intake, donor_step, of_donors, with_donors
from bathyx.core.units import Family, Said, parse_quantity, show
from bathyx.errors import Refusal

CLOCK_SLACK = timedelta(minutes=2)
DONOR = "donor"
NOT_ASKED = "No heat: the gate of this used tank was not looked at"
LOWEST_BARO_KPA = 50.0  # at about 5,500 m: nobody tests a tank higher
NAME_FIRST = "Type your name first: it goes on the record"
SEEN = ("good", "undercut, accepted", "porosity, accepted", "reject")


def intake_of(job: Job, entries: Sequence[Recorded]) -> Intake | None:
    """What is known of a tank that may hold vapour: a used one that came in, one that parts are cut from, or one of the
    shop's own that was filled with what burns.

    Args:
        job: as it stands.
        entries: on record for it, those that stand.
    """
    if job.repair is not None:
        return with_donors(job.repair, job.donors)
    if job.donors and not any(entry.kind == "tick" and entry.subject == donor_step(job.donors) for entry in entries):
        return of_donors(job.donors)  # till its parts are out of it and clean
    fluid = fluids()[job.brief.fluid]
    if not fluid.flammable or not filled(entries):
        return None
    return Intake(what=job.brief.name[:200], owner=job.brief.customer, held=fluid.key)


def heat_refusal(job: Job, entries: Sequence[Recorded], now: datetime) -> str:
    """Why nothing that makes heat or sparks may be done on a tank now; empty for one that never held what burns, and where the
    gate is
    open.

    Args:
        job: as it stands.
        entries: on record for it, those that stand.
        now: the time, with its zone.
    """
    intake = intake_of(job, entries)
    if intake is None:
        return ""
    ahead = max((when(entry.at) for entry in entries), default=now)
    if ahead > now + CLOCK_SLACK:
        return (
            f"No heat: this computer's clock stands at {now:%Y-%m-%d %H:%M}, before the last record of {ahead:%Y-%m-%d %H:%M}; "
            "set it right, a reading would look fresher than it is"
        )
    found = gate(intake, conditions(entries), now)
    return "" if found.open else found.words


def tick_refusal(
    evaluation: Evaluation, step_id: str, ticks: Collection[str], *, proof: Proof, no_heat: str = NOT_ASKED
) -> str:
    """Why a step of the traveller may not be ticked.

    Args:
        evaluation: the job as it stands; with stops nothing is cut.
        step_id: of the step.
        ticks: ids of the steps that are done and still stand.
        proof: the judgement over the tank as it stands.
        no_heat: what `heat_refusal` says; of a used tank it has to be asked.
    """
    every = steps(evaluation)
    step = next((s for s in every if s.id == step_id), None)
    if step is None:
        return f"this tank's traveller has no step {step_id!r}"
    hold = blocked_by(every, step_id, ticks)
    if hold is not None:
        return f"{step.title} waits for the hold point before it: {hold.title}"
    job = evaluation.job
    used = job.repair is not None or bool(job.donors)
    waits = (
        job.repair is None and bool(job.donors) and donor_step(job.donors) not in ticks
    )  # its own sheet may be cut meanwhile
    hot = (DONOR, "gate") if waits else (*HEAT, DONOR, "gate")
    if (used or no_heat != NOT_ASKED) and step_id.split(":")[0] in hot and no_heat:
        return Said(no_heat)
    if step_id == "test" and not proof.whole:
        return Said("The tank is not proven: ") + Said(proof.words)
    if step_id == "cut" and evaluation.stops:
        return f"Not cut yet: {evaluation.stops[0].message}"
    return ""


def weld_refusal(weld: dict[str, str], asked: Sequence[Asked]) -> str:
    """Why an entry of the log as typed is none: the first line that is wrong.

    Args:
        weld: by key what was typed.
        asked: what the way of making asks.
    """
    return next((why for line in asked if (why := line.wrong(weld.get(line.key, "")))), "")


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


def barometer(text: str, units: Family = Family.METRIC) -> float | None:
    """A barometer reading, kPa; a bare number is kPa, in US inHg. None where nothing is typed. Refusal for what no air has."""
    text = text.strip()
    if not text:
        return None
    try:
        value = parse_quantity(text, "barometer", units)
    except Refusal:
        value = math.nan
    if not LOWEST_BARO_KPA <= value <= HIGHEST_BARO_KPA + 5:
        raise Refusal(
            f"{text[:40]!r} is no barometer reading; write {show(LOWEST_BARO_KPA, 'barometer', units, places=0)} to "
            f"{show(HIGHEST_BARO_KPA + 5, 'barometer', units, places=0)}, like {show(101.3, 'barometer', units)}"
        )
    return value
