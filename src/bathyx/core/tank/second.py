"""A second tank on the same job: what it is, where it stands beside the first, and how both are joined."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from bathyx.core.space.base import Seat
from bathyx.core.tank.families import Tank
from bathyx.core.units.frozen import Frozen


class SecondTank(Frozen):
    """It is filled and emptied with the first: the level is equalised by a pipe, or a pump moves its contents over.

    `seat`: where it stands in the space; without one its lowest point stands `higher_mm` over the first's. `floor_clear_mm`: of the
    pipe's or the pump's inlet. It is built and proven as a job of its own.
    """

    name: str = Field("second tank", min_length=1, max_length=60)
    tank: Tank
    seat: Seat | None = None
    higher_mm: float = Field(0.0, ge=-5000, le=5000)
    joined: Literal["pipe", "pump"] = "pipe"
    bore_mm: float = Field(25.0, gt=2, le=300)
    flow_l_min: float = Field(1.7, gt=0, le=5000)
    floor_clear_mm: float = Field(15.0, ge=0, le=500)
    breathers_joined: bool = True
