"""The least that proves anything: pressure and time by method and service, and the one check against over-pressure."""

from __future__ import annotations

from bathyx.core.brief import Brief
from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Shell
from bathyx.core.material import Fluid
from bathyx.core.proving.plan import PlannedTest
from bathyx.core.strength.loads import most_in_service
from bathyx.core.units.frozen import Frozen

GRAVITY = 9.80665
FUEL_KPA = 20.68  # 3 psi
HEAD_TIMES, WORKING_TIMES, VENTED_KPA = 1.5, 1.43, 5.0
MOST_LEAK_ML_MIN = 10.0
LEAST = formula(
    "proving.least",
    "Least test pressure and time",
    "fuel: the greater of 3 psi and 1.5 × filling head; pressurised: 1.43 × working pressure; other vented tanks: the "
    "greater of 5 kPa and 1.5 × filling head; none less than what presses on the hardest pressed face in service (braking, "
    "cornering, pitch and roll with it); air 5 min, decay 10 min and a limit of 10 mL/min, water 24 h, own fluid 24 h",
    source="33 CFR 183.510 and 183.580, ABYC H-24 (small-craft fuel tanks); Directive 2014/68/EU, annex I, 7.4 (1.43; ASME "
    "VIII long used 1.5); all from memory. 24 h of water: common practice. 5 kPa, what presses in service, the times of air and "
    "10 mL/min as the largest limit are Bathyx's own lines",
    valid="new tanks; the rules of the place come first",
    check="tests/core/test_hold.py",
    tolerance="as printed in the rules",
)
LEAST_MIN = {
    "air_soap": 5.0,
    "air_water": 5.0,
    "decay": 10.0,
    "water_press": 10.0,
    "water_fill": 1440.0,
    "soak": 1440.0,
}


class Least(Frozen):
    """Least pressure (kPa gauge, 0 where a fill has none) and time (min) of a test, and by which rule."""

    kpa: float
    minutes: float
    rule: str


def head_kpa(head_mm: float, density: float) -> float:
    """Pressure under a head of a fluid of `density` kg/m3, kPa."""
    return head_mm / 1000 * density * GRAVITY / 1000


def least_of(
    test: PlannedTest,
    *,
    fuel: bool,
    pressurised: bool,
    working_kpa: float,
    filling_head_kpa: float,
    in_service: tuple[str, float] = ("", 0.0),
) -> Least:
    """The least pressure, minutes and rule of a planned test.

    Args:
        test: what is planned.
        fuel: whether the tank holds fuel.
        pressurised: whether it works under pressure.
        working_kpa: that pressure.
        filling_head_kpa: of the fluid from the filler's brim to the lowest point.
        in_service: the face that is pressed hardest in service, and kPa there.

    >>> least_of(PlannedTest(), fuel=True, pressurised=False, working_kpa=0.0, filling_head_kpa=3.0).kpa  # 3 psi
    20.68
    """
    minutes = LEAST_MIN[test.method]
    if not test.pressed:
        return Least(kpa=0.0, minutes=minutes, rule="24 h standing, common practice")
    head = HEAD_TIMES * filling_head_kpa
    if pressurised and working_kpa > 0:
        kpa, rule = WORKING_TIMES * working_kpa, "1.43 times the working pressure"
        rule = rule if kpa >= head else "1.5 times the filling head"
    elif fuel:
        kpa, rule = FUEL_KPA, "the greater of 3 psi and 1.5 times the filling head"
    else:
        kpa, rule = VENTED_KPA, "the greater of 5 kPa and 1.5 times the filling head"
    face, service = in_service
    if service > max(kpa, head):
        return Least(kpa=round(service, 2), minutes=minutes, rule=f"what presses on {face} in service")
    return Least(kpa=round(max(kpa, head), 2), minutes=minutes, rule=rule)


def least_here(test: PlannedTest, brief: Brief, fluid: Fluid, shell: Shell) -> Least:
    """The least of a planned test of a tank, by its brief and its own fluid.

    Args:
        test: the planned test.
        brief: slope, braking and working pressure.
        fluid: of the tank.
        shell: the inside of the tank.
    """
    low, high = shell.bounds
    height_mm = float(high[2] - low[2])
    return least_of(
        test,
        fuel=fluid.fuel,
        pressurised=brief.pressure == "pressurised",
        working_kpa=brief.working_kpa,
        filling_head_kpa=head_kpa(height_mm + brief.fill_rise_mm, fluid.density),
        in_service=most_in_service(shell, brief, fluid),
    )


def too_little(test: PlannedTest, least: Least) -> str:
    """Why the test proves nothing, empty when it proves something; a reason in the plan does not change it."""
    said = []
    if test.pressed and test.test_kpa < least.kpa - 0.005:
        said.append(f"{test.test_kpa:.1f} kPa is under the least of {least.kpa:.1f} kPa")
    if test.method == "decay" and test.leak_limit_ml_min > MOST_LEAK_ML_MIN:
        said.append(f"a limit of {test.leak_limit_ml_min:g} mL/min lets through more than {MOST_LEAK_ML_MIN:g} mL/min")
    if test.hold_min < least.minutes - 1e-9:
        said.append(f"{test.hold_min:g} min is under the least of {least.minutes:g} min")
    return f"{' and '.join(said)} ({least.rule})" if said else ""


def over_pressure_kpa(test: PlannedTest, bears_kpa: float) -> float:
    """By how much the test's own pressure is above what the tank bears; 0 when it is not, or when a fill has none.

    The finding, the card and the interlock all ask here.
    """
    return max(0.0, test.test_kpa - bears_kpa) if test.pressed else 0.0
