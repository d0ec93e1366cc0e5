"""The brief as part of the document."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field, field_validator

from bathyx.core.brief.demand import CapacityWanted, Demand
from bathyx.core.material import fluid
from bathyx.core.units.frozen import Frozen

LATER = ("cornering_g", "most_kg", "warn_l", "flat_base")


class Brief(Frozen):
    """Name, customer, fluid, demand, and how the tank lives. `air_space_share` is of the net volume, 5 % is usual.

    `cornering_g`: steady, either way. `most_kg`: what the full tank may weigh. `warn_l`: usable litres left at the level warning.
    `flat_base`: it stands on a flat base under all of its floor, which then carries nothing.
    """

    name: str = Field("New tank", min_length=1, max_length=120)
    customer: str = Field("", max_length=120)
    fluid: str = Field("diesel", max_length=40)
    demand: Demand = CapacityWanted(litres=50)
    pressure: Literal["vented", "pressurised"] = "vented"
    working_kpa: float = Field(0.0, ge=0, le=1000)
    moving: bool = True
    braking_g: float = Field(0.4, ge=0, le=3)
    slope_deg: float = Field(8.0, ge=0, le=60)
    roll_deg: float = Field(0.0, ge=0, le=60)
    fill_rise_mm: float = Field(0.0, ge=0, le=5000)
    fill_l_min: float = Field(40.0, gt=0, le=2000)
    afloat: bool = False
    hottest_c: float | None = Field(None, ge=-40, le=300)
    held_by: Literal["not said", "straps", "tabs", "cradle"] = "not said"
    air_space_share: float = Field(0.05, ge=0, lt=0.9)
    warm_up_k: float = Field(40.0, ge=0, le=120)
    cornering_g: float = Field(0.0, ge=0, le=2)
    most_kg: float | None = Field(None, gt=0, le=1_000_000)
    warn_l: float | None = Field(None, gt=0, le=100_000)
    flat_base: bool = False

    @field_validator("fluid")
    @classmethod
    def _fluid_exists(cls, key: str) -> str:
        fluid(key)
        return key

    def written(self, document: dict[str, Any]) -> dict[str, Any]:
        """Its plain document as a file has it: what came later and is not said is left out, so that old ones read the same."""
        return {name: v for name, v in document.items() if name not in LATER or v}
