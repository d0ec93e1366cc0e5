"""No hole: a tank that stands free, on feet, in a frame or on a deck. Nothing is measured, and nothing is in its way."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from bathyx.core.space.base import MeasuredSpace, Room
from bathyx.core.space.cavity import Cavity

ROOMY_MM = 50_000.0


class FreeSpace(MeasuredSpace):
    """Room all round. Clearance, obstacles and a way in mean nothing here and are kept for a hole that may be measured later."""

    kind: Literal["free"] = "free"
    free: ClassVar[bool] = True

    @property
    def room(self) -> Room:
        """As much as any tank of sheet takes."""
        return Room(ROOMY_MM, ROOMY_MM, ROOMY_MM)

    @property
    def cavity(self) -> Cavity:
        """Walls far away."""
        half, ends = np.full((2, 2), ROOMY_MM / 2), np.array([0.0, ROOMY_MM])
        return Cavity(ends, np.zeros(2), np.full(2, ROOMY_MM), -half, half)

    @property
    def plain(self) -> bool:
        """Comparing sizes is more than enough."""
        return True
