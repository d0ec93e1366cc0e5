"""How far a floor is out of square."""

from __future__ import annotations

from dataclasses import dataclass

from bathyx.core.formula import Figure


@dataclass(frozen=True)
class Squareness:
    """What the floor diagonals say: skew s (mm), the lean of one side over the depth, and how well the readings agree."""

    skew_mm: float
    misfit_mm: float
    figure: Figure
