"""The air that is kept round a tank, and the room that is left for it."""

from __future__ import annotations

from dataclasses import dataclass

from pydantic import Field

from bathyx.core.units.frozen import Frozen


class Clearance(Frozen):
    """Air kept round the outside of the tank on each side, mm, for straps, beads, hoses and hands."""

    left_mm: float = Field(6.0, ge=0, le=2000)
    right_mm: float = Field(6.0, ge=0, le=2000)
    front_mm: float = Field(6.0, ge=0, le=2000)
    rear_mm: float = Field(6.0, ge=0, le=2000)
    below_mm: float = Field(6.0, ge=0, le=2000)
    above_mm: float = Field(25.0, ge=0, le=2000)


@dataclass(frozen=True)
class Room:
    """What is left for the outside of the tank, mm, after skew and clearances; may be negative when nothing is left. `origin`:
    its front left low corner in the space, (x, y, z) mm."""

    width_mm: float
    depth_mm: float
    height_mm: float
    origin: tuple[float, float, float] = (0.0, 0.0, 0.0)
