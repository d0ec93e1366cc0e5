"""What each way of testing can see at its best, and leak sizes in words that mean something on a bench."""

from __future__ import annotations

import math

from bathyx.core.formula import formula
from bathyx.errors import Refusal

SEES = formula(
    "proving.sees",
    "Smallest leak that a method sees",
    "soap 1e-3 Pa·m³/s, bath 1e-4 Pa·m³/s; a bubble of diameter d each second is π d³/6",
    source="EN 1779 and EN 1593, bubble emission by liquid application and by immersion (from memory); sphere",
    valid="a clean, lit seam and a patient eye; air at the test pressure",
    check="tests/core/test_designer.py",
    tolerance="a factor of 3 either way: it depends on the eye",
)
PA_M3_S_TO_ML_MIN = 60e6 / 101325  # at 101.325 kPa
DROP_ML = 0.05
AIR_PA_S = 1.8e-5
LIQUID_PA_S = {"petrol": 0.5e-3, "petrol_ethanol": 0.55e-3, "diesel": 3e-3, "water": 1.0e-3}
SEES_ML_MIN = {"air_soap": 1e-3 * PA_M3_S_TO_ML_MIN, "air_water": 1e-4 * PA_M3_S_TO_ML_MIN}


def bubbles_per_s(leak_ml_min: float, diameter_mm: float = 3.0) -> float:
    """Bubbles of `diameter_mm` a second that carry `leak_ml_min`."""
    return leak_ml_min / 60 / (math.pi / 6 * (diameter_mm / 10) ** 3)


def drops_per_hour(leak_ml_min: float, test_kpa: float, head_kpa: float, viscosity_pa_s: float) -> float:
    """Drops (0.05 mL) of liquid an hour through the crack that leaks air at a test.

    Args:
        leak_ml_min: of air at atmospheric pressure.
        test_kpa: gauge, at which it leaked that.
        head_kpa: of the liquid over the crack.
        viscosity_pa_s: of the liquid.

    Raises:
        Refusal: for a test without pressure or a liquid without viscosity.

    >>> 2.0 == drops_per_hour(2.0, 20.0, 2.0, 1e-3) / drops_per_hour(1.0, 20.0, 2.0, 1e-3)
    True

    Laminar crack: liquid flow is air flow x (air viscosity / liquid's) x (head / pressure), the air's swelling left in.
    """
    if test_kpa <= 0 or head_kpa < 0 or viscosity_pa_s <= 0:
        raise Refusal("drops need a test pressure and a viscosity above zero")
    mean = (2 * 101.325 + test_kpa) / (2 * 101.325)
    flow = leak_ml_min / mean * AIR_PA_S / viscosity_pa_s * head_kpa / test_kpa
    return flow * 60 / DROP_ML


def leak_words(leak_ml_min: float, fluid_key: str = "diesel", test_kpa: float = 20.0, head_kpa: float = 2.5) -> str:
    """A leak in words: bubbles under water, and drops of the tank's own fluid.

    Args:
        leak_ml_min: mL/min of air at 20 °C and 101.325 kPa.
        fluid_key: the tank's fluid.
        test_kpa: gauge pressure of the test.
        head_kpa: pressure of the fluid where the leak is taken to be.
    """
    if leak_ml_min <= 0:
        return "no leak"
    bubbles = bubbles_per_s(leak_ml_min)
    rate = f"{bubbles:.1f} bubbles of 3 mm a second" if bubbles >= 1 else f"a bubble of 3 mm every {1 / bubbles:.0f} s"
    named = fluid_key if fluid_key in LIQUID_PA_S else "water"
    drops = drops_per_hour(leak_ml_min, max(test_kpa, 1.0), head_kpa, LIQUID_PA_S[named])
    liquid = named.replace("_ethanol", "")
    wet = (
        f"{drops:.0f} drops of {liquid} an hour"
        if drops >= 1
        else f"a drop of {liquid} in {1 / max(drops, 1e-9):.0f} h"
    )
    return f"{rate}; about {wet} through the same crack (an estimate, within a factor of 3)"
