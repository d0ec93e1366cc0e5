"""Screws and gasket of lids that are bolted down."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from bathyx.core.units.frozen import Frozen

CLEAR = 1.1
GASKETS: dict[str, tuple[str, str]] = {
    "nitrile": ("nitrile rubber", "fuel and oil"),
    "epdm": ("EPDM rubber", "water, coolant and urea"),
    "fluoro": ("fluorocarbon rubber", "fuel with alcohol, hot oil"),
}


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
