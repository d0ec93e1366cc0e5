"""A tank at an attitude: liquid lies level in apparent gravity, so slope, trim, heel and braking are all one rotation."""

from __future__ import annotations

import math

import numpy as np

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Array

TILT = formula(
    "attitude.apparent",
    "Tilt of the surface under slope and braking",
    "tan φ = a / g on the level; slope and braking angles add when both pull the same way",
    source="Statics of a liquid in uniform acceleration (e.g. White, Fluid Mechanics, ch. 2, from memory)",
    valid="steady slope or steady braking; not the surge in between",
    check="tests/core/test_capacity.py, wedge volume of a tilted box by hand",
    tolerance="exact for steady states; surge overshoots it for a moment",
)


def attitude(trim_deg: float = 0.0, heel_deg: float = 0.0) -> Array:
    """Rotation (3, 3) that lifts the front by `trim_deg` and the right end by `heel_deg` (heel first)."""
    trim, heel = math.radians(trim_deg), math.radians(heel_deg)
    about_y = np.array([[math.cos(trim), 0, math.sin(trim)], [0, 1, 0], [-math.sin(trim), 0, math.cos(trim)]])
    about_x = np.array([[1, 0, 0], [0, math.cos(heel), -math.sin(heel)], [0, math.sin(heel), math.cos(heel)]])
    return np.asarray(about_y @ about_x)


def apparent(
    trim_deg: float = 0.0, heel_deg: float = 0.0, braking_g: float = 0.0, cornering_g: float = 0.0
) -> tuple[float, float]:
    """(trim, heel) degrees at which a tank at rest has its surface where this one has it.

    Args:
        trim_deg: front up, as in climbing.
        heel_deg: right end up.
        braking_g: steady braking; negative speeds up.
        cornering_g: steady cornering in a curve to the left, which throws the fluid to the right; negative to the right.

    >>> [round(a, 2) for a in apparent(braking_g=1.0)]
    [-45.0, 0.0]
    >>> [round(a, 2) for a in apparent(cornering_g=0.5)]
    [0.0, -26.57]
    """
    up = attitude(trim_deg, heel_deg).T @ [0.0, 0.0, 1.0] + [braking_g, -cornering_g, 0.0]
    x, y, z = (float(v) for v in up / np.linalg.norm(up))
    return math.degrees(-math.asin(x)) + 0.0, math.degrees(math.atan2(y, z)) + 0.0


def working_tilt_deg(slope_deg: float, braking_g: float) -> float:
    """Largest steady tilt of the surface fore and aft, degrees: the slope and the braking together."""
    return slope_deg + math.degrees(math.atan(braking_g))
