"""Screws and gasket of lids that are bolted down."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from bathyx.core.material import Fluid
from bathyx.core.units.frozen import Frozen

CLEAR = 1.1
GASKETS: dict[str, tuple[str, str]] = {
    "nitrile": ("nitrile rubber", "fuel and oil"),
    "epdm": ("EPDM rubber", "water, coolant and urea"),
    "fluoro": ("fluorocarbon rubber", "fuel with alcohol, hot oil"),
}


FLUORO = ("petrol_ethanol", "e85", "biodiesel")


def gasket_for(fluid: Fluid) -> str:
    """The usual stuff of a gasket in a fluid: fluorocarbon where there is alcohol or biodiesel in it, EPDM in what is watery, else
    nitrile."""
    if fluid.key in FLUORO:
        return "fluoro"
    return "epdm" if fluid.watery and not fluid.fuel else "nitrile"


class LidScrews(Frozen):
    """Of bolted lids: thread of the screws (mm), their widest pitch (mm) where it is not the rule's, the
    gasket's stuff where it is said."""

    screw_mm: float = Field(6.0, ge=3, le=20)
    pitch_mm: float | None = Field(None, ge=10, le=300)
    gasket: Literal["", "nitrile", "epdm", "fluoro"] = ""

    @property
    def hole_mm(self) -> float:
        """Holes that the screws go through, mm."""
        return round(self.screw_mm * CLEAR, 1)
