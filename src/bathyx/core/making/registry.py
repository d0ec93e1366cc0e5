"""Every way of making: a new one is a line here."""

from __future__ import annotations

from bathyx.core.making.base import Making
from bathyx.core.making.laminate import Laminate
from bathyx.core.making.metal import Metal
from bathyx.core.making.plastic import PlasticSheet
from bathyx.core.making.roller import RollerSeam
from bathyx.core.making.steel import Steel
from bathyx.core.material import Sheet
from bathyx.errors import Refusal

MAKINGS: dict[str, Making] = {
    making.key: making for making in (Metal(), Steel(), PlasticSheet(), Laminate(), RollerSeam())
}


def making_of(sheet: Sheet) -> Making:
    """The way of making of a sheet's group. Refusal where there is none."""
    for making in MAKINGS.values():
        if making.makes(sheet):
            return making
    raise Refusal(
        f"nothing is made of {sheet.material.group}; there are {', '.join(g for m in MAKINGS.values() for g in m.groups)}"
    )
