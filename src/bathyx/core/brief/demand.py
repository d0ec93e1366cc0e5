"""The wish, in the three ways it is said: a capacity, a running time, or a share of a system's volume."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from bathyx.core.formula import Figure, formula
from bathyx.core.units import litres
from bathyx.core.units.frozen import Frozen

RUNNING = formula(
    "brief.running",
    "Capacity for a running time",
    "V = consumption × hours × (1 + reserve)",
    source="Arithmetic; 0.2 L for 3 to 5 min means 1.9 L for 30 to 45 min (common practice)",
    valid="steady consumption",
    check="tests/core/test_brief.py",
    tolerance="as good as the consumption figure, often ±10 %",
)
SHARE = formula(
    "brief.share",
    "Capacity as a share of a system",
    "V = system volume × share",
    source="Arithmetic; about a litre recovers a car's cooling system (common practice)",
    valid="expansion and recovery vessels",
    check="tests/core/test_brief.py",
    tolerance="as good as the share chosen",
)
ASKED = formula(
    "brief.asked",
    "Capacity asked for",
    "V as the customer said it, taken as usable",
    source="The brief",
    valid="always",
    check="tests/core/test_brief.py",
    tolerance="as said",
)


class CapacityWanted(Frozen):
    """A capacity, as said; usable litres."""

    kind: Literal["capacity"] = "capacity"
    litres: float = Field(gt=0, le=1_000_000)

    @property
    def wanted(self) -> Figure:
        """Usable litres wanted."""
        return Figure("Wanted", self.litres, "volume", ASKED, f"{litres(self.litres, None)}")


class RunningTime(Frozen):
    """Consumption x hours, plus a reserve share."""

    kind: Literal["running"] = "running"
    litres_per_hour: float = Field(gt=0, le=10_000)
    hours: float = Field(gt=0, le=10_000)
    reserve_share: float = Field(0.15, ge=0, le=2)

    @property
    def wanted(self) -> Figure:
        """Usable litres wanted."""
        wanted = self.litres_per_hour * self.hours * (1 + self.reserve_share)
        working = f"{self.litres_per_hour:g} L/h × {self.hours:g} h × {1 + self.reserve_share:g} = {litres(wanted)}"
        return Figure("Wanted", wanted, "volume", RUNNING, working)


class SystemShare(Frozen):
    """A share of the volume of a system, for expansion and recovery."""

    kind: Literal["share"] = "share"
    system_litres: float = Field(gt=0, le=1_000_000)
    share: float = Field(0.1, gt=0, le=2)

    @property
    def wanted(self) -> Figure:
        """Usable litres wanted."""
        wanted = self.system_litres * self.share
        return Figure(
            "Wanted",
            wanted,
            "volume",
            SHARE,
            f"{litres(self.system_litres, None)} × {self.share:g} = {litres(wanted, 2)}",
        )


Demand = Annotated[CapacityWanted | RunningTime | SystemShare, Field(discriminator="kind")]
