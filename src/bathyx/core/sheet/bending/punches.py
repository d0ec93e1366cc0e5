"""Sections of punches, from punches.toml: a new one is a new row."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from bathyx.core.geometry.shell import Array
from bathyx.core.tables import Table
from bathyx.errors import Refusal


@dataclass(frozen=True)
class PunchSection:
    """A row of punches.toml: corners above the shoulder, in front from below and at the back from above."""

    key: str
    name: str
    source: str
    high_mm: float
    shoulder_mm: float
    front: tuple[tuple[float, float], ...]
    back: tuple[tuple[float, float], ...]

    def ring(self, high_mm: float, half_deg: float) -> Array:
        """(n, 2) of the section for a height from tip to ram, its tip ground to twice `half_deg`."""
        shoulder = self.shoulder_mm / math.tan(math.radians(half_deg))
        top = max(high_mm, shoulder + 1.0)

        stretch = (top - shoulder) / (self.high_mm - self.shoulder_mm)

        def placed(y: float, z: float) -> tuple[float, float]:
            return y * min(stretch, 1.0), shoulder + stretch * (z - self.shoulder_mm)

        up, down = ([placed(y, z) for y, z in side] for side in (self.front, self.back))
        return np.array([(0.0, 0.0), (self.shoulder_mm, shoulder), *up, *down, (-self.shoulder_mm, shoulder)])


def _punch(key: str, row: dict[str, Any]) -> PunchSection:
    front, back = (tuple((float(y), float(z)) for y, z in row[side]) for side in ("front", "back"))
    if not row["high_mm"] > row["shoulder_mm"] > 0:
        raise Refusal("high_mm should be more than shoulder_mm, and both more than 0")
    return PunchSection(key, row["name"], row["source"], row["high_mm"], row["shoulder_mm"], front, back)


PUNCHES = Table(
    __package__, "punches", PunchSection, _punch, {"punch": ("{key}",)},
    {"high_mm": (10, 600, "mm"), "shoulder_mm": (0.1, 100, "mm"), "front": (-600, 600, "mm"), "back": (-600, 600, "mm")},
)  # fmt: skip


def punches() -> dict[str, PunchSection]:
    """Sections of punches by key, the shop's own among them."""
    return PUNCHES.rows()
