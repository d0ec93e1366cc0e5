"""The position a seam is welded in while the tank stands as it is used: flat, horizontal, upright or overhead."""

from __future__ import annotations

from typing import Literal

import numpy as np

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Edge, Shell

Position = Literal["flat", "horizontal", "upright", "overhead"]
POSITION = formula(
    "makeups.position",
    "Welding position",
    "upright where the seam rises by 45° or more; else by where it looks, the middle of both plates' outsides: flat from 30° up, "
    "overhead from 30° down, horizontal between",
    source="Positions PA, PC, PF and PE of EN ISO 6947, its limits simplified, from memory",
    valid="seams welded from outside, the tank not turned",
    check="tests/core/test_make_ups.py: a box by hand",
    tolerance="none; a tank that is turned has every straight seam flat",
)
WEIGHT: dict[Position, float] = {"flat": 1.0, "horizontal": 1.4, "upright": 1.8, "overhead": 3.0}
RISES, LOOKS = 0.7071, 0.5


def position_of(shell: Shell, edge: Edge) -> Position:
    """Where a seam between two faces lies for the welder outside.

    Args:
        shell: whose faces meet there.
        edge: straight.
    """
    along = edge.end - edge.start
    if abs(float(along[2])) >= RISES * float(np.linalg.norm(along)):
        return "upright"
    look = shell.by_id[edge.a].normal_at(edge.middle) + shell.by_id[edge.b].normal_at(edge.middle)
    up = float(look[2]) / max(float(np.linalg.norm(look)), 1e-9)
    return "flat" if up >= LOOKS else "overhead" if up <= -LOOKS else "horizontal"


def hardship_mm(shell: Shell, edge: Edge) -> float:
    """Length of a seam weighted by how hard its position is, mm: an estimate of the welder's, 3 overhead against 1 flat."""
    return edge.length_mm * WEIGHT[position_of(shell, edge)]
