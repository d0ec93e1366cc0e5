"""How a tank is to be proved: a list of tests, each with its method, what it tests, pressure, hold and limit."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field, field_validator

from bathyx.core.proving.gauges import Surroundings, Weather
from bathyx.core.units.frozen import Frozen
from bathyx.errors import Refusal

Method = Literal["air_soap", "air_water", "water_fill", "water_press", "decay", "soak"]
METHODS: dict[str, str] = {
    "air_soap": "Air and soap",
    "air_water": "Air under water",
    "water_fill": "Water, left standing",
    "water_press": "Water under pressure",
    "decay": "Pressure decay",
    "soak": "Its own fluid, left standing",
}
USUAL_HOLD_MIN = {
    "air_soap": 10.0, "air_water": 10.0, "water_fill": 1440.0, "water_press": 30.0, "decay": 30.0, "soak": 4320.0,
}  # fmt: skip
_AIR = (
    "Compressed air stores energy. Regulator and relief valve on the line, stand clear of panels and caps while filling, "
    "never leave it under pressure. Local pressure-test rules come first."
)
CAUTIONS: dict[str, str] = {
    "air_soap": _AIR,
    "air_water": "Hold the tank down: a tank full of air pushes up with the weight of the water it moves. Regulator and "
    "relief valve on the line. Local pressure-test rules come first.",
    "water_fill": "Water is heavy: check the stand before filling. Vent open, and drain to where it does no harm.",
    "water_press": "Let every pocket of air out first: what is left stores energy. Relief valve on the pump, stand clear. "
    "Water is heavy: check the stand. Never leave it shut and full: water that warms bursts it. Local pressure-test rules come "
    "first.",
    "decay": f"{_AIR} Supply disconnected, not just shut; gauge on the tank's side of every valve; thermometer on the tank; no wet "
    "residue inside, or its vapour is read as air. Keep sun and draught off the tank, or the gauge reads the weather.",
    "soak": "No flame, no spark, earth the tank before it is filled, a tray under it, vent open to the outside. From now "
    "on it is a used tank: it holds vapour. Never shut it full: fuel that warms swells and bursts it.",
}
Place = Literal["closed room", "shop", "outdoors"]


class PlannedTest(Frozen):
    """One test. `what` is the tank, or a pipe or compartment tested by itself. `leak_limit_ml_min` is air at 20 degC
    and 101.325 kPa. `reason` says why less than the least will do, or why so much air; it is printed. `stand_off_m`: how far
    everybody stays off a test whose air stores much."""

    method: Method = "air_soap"
    what: str = Field("tank", min_length=1, max_length=80)
    test_kpa: float = Field(21.0, ge=0, le=1000)
    hold_min: float = Field(10.0, gt=0, le=20_000)
    leak_limit_ml_min: float = Field(2.0, gt=0, le=10_000)
    reason: str = Field("", max_length=200)
    stand_off_m: float | None = Field(None, gt=0, le=1000)

    @field_validator("what")
    @classmethod
    def _plainly(cls, what: str) -> str:
        """`Tank`, ` the tank ` and the like are the tank: a spelling must not make it something else."""
        plain = " ".join(what.split())
        if not plain:
            raise Refusal("say what is tested: the tank, a pipe, a compartment")
        return "tank" if plain.casefold().removeprefix("the ").removeprefix("whole ") == "tank" else plain

    @property
    def uses_air(self) -> bool:
        """Whether compressed air is in the tank."""
        return self.method in ("air_soap", "air_water", "decay")

    @property
    def pressed(self) -> bool:
        """Whether the test has a pressure of its own; a fill has only its head."""
        return self.method not in ("water_fill", "soak")

    @property
    def words(self) -> str:
        """The test in a line, metric."""
        what = "" if self.what == "tank" else f" of {self.what}"
        at = f" at {self.test_kpa:g} kPa" if self.pressed else ""
        time = f"{self.hold_min:g} min" if self.hold_min < 120 else f"{self.hold_min / 60:g} h"
        return f"{METHODS[self.method]}{what}{at}, {time}"


class ProvingPlan(Frozen):
    """The tests of a tank, in their order, and where they are made. A tank is proven when all of them are tight."""

    tests: tuple[PlannedTest, ...] = Field((PlannedTest(),), min_length=1, max_length=12)
    weather: Weather = "unsettled"
    altitude_m: float | None = Field(None, ge=-500, le=5000)
    place: Place = "shop"

    def written(self, document: dict[str, Any]) -> dict[str, Any]:
        """Its plain document as a file has it: what came later and is not said is left out, so that old ones read the same."""
        tests = [
            {name: v for name, v in t.items() if name != "stand_off_m" or v is not None} for t in document["tests"]
        ]
        return document | {"tests": tests}

    @property
    def tested_full(self) -> bool:
        """Whether a planned test of the tank fills it with water."""
        return any(t.what == "tank" and t.method in ("water_fill", "water_press") for t in self.tests)

    def around(self, barometer_kpa: tuple[float, float] | None = None) -> Surroundings:
        """The air round the tank, with the barometer typed at start and end where it was."""
        return Surroundings(self.weather, self.altitude_m, barometer_kpa)


def proposed(fuel: bool, pressurised: bool, water: bool, least_kpa: float) -> tuple[PlannedTest, ...]:
    """The tests that suit a fluid and service, common practice: many makers do two.

    `least_kpa` is the least pressure of an air test here, or of the water test of a pressurised tank.

    Args:
        fuel: the fluid burns.
        pressurised: the tank works under pressure.
        water: it is filled with water to test anyway.
        least_kpa: least pressure of an air test here, or of the water test of a pressurised tank, gauge.
    """
    kpa = float(-(-least_kpa // 1)) if least_kpa > 0 else 5.0
    soap = PlannedTest(method="air_soap", test_kpa=kpa, hold_min=USUAL_HOLD_MIN["air_soap"])
    if pressurised:
        return (PlannedTest(method="water_press", test_kpa=kpa, hold_min=USUAL_HOLD_MIN["water_press"]),)
    if water:
        return (PlannedTest(method="water_fill", test_kpa=0.0, hold_min=USUAL_HOLD_MIN["water_fill"]),)
    if fuel:
        return (soap, PlannedTest(method="soak", test_kpa=0.0, hold_min=USUAL_HOLD_MIN["soak"]))
    return (soap,)
