"""The test as part of the document: method, pressure, hold and the leak that still counts as tight."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from bathyx.core.units.frozen import Frozen

Method = Literal["air_soap", "air_water", "water_fill", "decay"]
METHODS: dict[str, str] = {
    "air_soap": "Air and soap",
    "air_water": "Air under water",
    "water_fill": "Water, left standing",
    "decay": "Pressure decay",
}
USUAL_HOLD_MIN = {"air_soap": 10.0, "air_water": 10.0, "water_fill": 1440.0, "decay": 30.0}
CAUTIONS: dict[str, str] = {
    "air_soap": "Compressed air stores energy. Regulator and relief valve on the line, stand clear of panels and caps "
    "while filling, never leave it under pressure. Local pressure-test rules come first.",
    "air_water": "Hold the tank down: a tank full of air pushes up with the weight of the water it moves. Regulator and "
    "relief valve on the line. Local pressure-test rules come first.",
    "water_fill": "Water is heavy: check the stand before filling. Vent open, and drain to where it does no harm.",
    "decay": "Compressed air stores energy. Regulator and relief valve on the line, stand clear while filling; keep sun "
    "and draught off the tank, or the gauge reads the weather. Local pressure-test rules come first.",
}


class ProvingPlan(Frozen):
    """How this tank is to be proved. `leak_limit_ml_min` is air at 20 degC and 101.325 kPa."""

    method: Method = "air_soap"
    test_kpa: float = Field(20.0, ge=0, le=1000)
    hold_min: float = Field(10.0, gt=0, le=20_000)
    leak_limit_ml_min: float = Field(2.0, gt=0, le=10_000)

    @property
    def uses_air(self) -> bool:
        """Whether compressed air is in the tank."""
        return self.method != "water_fill"
