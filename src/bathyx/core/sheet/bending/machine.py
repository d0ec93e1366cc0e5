"""The shop's brake, as the job has it: what it takes, and what stands above and below the sheet when it bends."""

from __future__ import annotations

from typing import Any

from pydantic import Field, field_validator

from bathyx.core.sheet.bending.punches import punches
from bathyx.core.units.frozen import Frozen

FIRST = ("length_mm", "open_ended")  # fields that every file has


class Brake(Frozen):
    """The shop's brake: its bending length, whether a closed section can be slid off the end of its beam, and how deep a box its
    fingers bend (flanges that stand on neighbouring edges of one face).

    0 where it is not looked at: how deep a folder's beam is behind the bend; the opening of its V-die, how far its frames stand
    apart, and how deep their throat is (a longer bend has its shorter side in it). A press is one with a `punch`, from tip to ram
    `punch_mm`, the ram `ram_mm` thick; its die stands `die_high_mm` over the bed and it opens `open_mm` between bed and ram, both
    without tools. `by_hand_mm`: sheet up to there is closed by hand where no order of its bends is clear.
    """

    length_mm: float = Field(2500, gt=0, le=20_000)
    open_ended: bool = False
    pan_mm: float = Field(100, ge=0, le=2000)
    beam_mm: float = Field(0, ge=0, le=2000)
    die_mm: float = Field(0, ge=0, le=300)
    between_mm: float = Field(0, ge=0, le=20_000)
    throat_mm: float = Field(0, ge=0, le=5000)
    punch: str = ""
    punch_mm: float = Field(150, ge=40, le=1000)
    ram_mm: float = Field(90, ge=10, le=500)
    die_high_mm: float = Field(0, ge=0, le=500)
    open_mm: float = Field(0, ge=0, le=3000)
    by_hand_mm: float = Field(0, ge=0, le=6)

    @field_validator("punch")
    @classmethod
    def _known(cls, key: str) -> str:
        if key and key not in punches():
            raise ValueError(f"there is no punch {key!r}; there are {', '.join(punches())}, and none for a folder")
        return key

    @property
    def looked_at(self) -> bool:
        """Whether enough is said of it to look for an order that is clear."""
        return self.punch != "" or self.beam_mm > 0

    @property
    def daylight_mm(self) -> float:
        """Between die and punch when it is open, mm; below 0 where the tools do not go in. 0 where it is not looked at."""
        return self.open_mm - self.die_high_mm - self.punch_mm if self.punch and self.open_mm else 0.0

    @property
    def named(self) -> str:
        """What has to be kept clear of."""
        return "punch and ram" if self.punch else "beam"

    @staticmethod
    def written(document: dict[str, Any]) -> dict[str, Any]:
        """Its plain document: later fields are left out where they say nothing."""
        return {k: v for k, v in document.items() if k in FIRST or v != Brake.model_fields[k].default}
