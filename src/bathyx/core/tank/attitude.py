"""A tank at an attitude: liquid lies level in apparent gravity, so slope, trim, heel and braking are all one rotation."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from bathyx.core.brief import Brief
from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Array

TILT = formula(
    "attitude.apparent",
    "Tilt of the surface under slope and braking",
    "square to gravity less the machine's acceleration: tan φ = (sin α + a)/cos α on a slope α with a braking of a g along it",
    source="Statics of a liquid in uniform acceleration (e.g. White, Fluid Mechanics, ch. 2, from memory)",
    valid="steady slope or steady braking; not the surge in between",
    check="tests/core/test_capacity.py, wedge volume of a tilted box by hand",
    tolerance="exact for steady states; surge overshoots it for a moment",
)

LEAST_STEP, CLEARLY_LESS = 0.1, 0.1


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


@dataclass(frozen=True)
class Working:
    """How far a machine leans and is driven, each way: slope and roll in degrees, braking and cornering in g."""

    slope_deg: float
    roll_deg: float
    braking_g: float = 0.0
    cornering_g: float = 0.0

    @classmethod
    def of(cls, brief: Brief, *, at_rest: bool = False) -> Working:
        """From the brief; `at_rest` without what driving adds."""
        drives = brief.moving and not at_rest
        return cls(
            brief.slope_deg, brief.roll_deg, brief.braking_g if drives else 0.0, brief.cornering_g if drives else 0.0
        )

    @property
    def fore(self) -> bool:
        """Whether the surface tilts fore and aft."""
        return self.slope_deg > 0.01 or self.braking_g > 1e-4

    @property
    def across(self) -> bool:
        """Whether it tilts across."""
        return self.roll_deg > 0.01 or self.cornering_g > 1e-4

    def at(self, u: float, v: float) -> tuple[float, float]:
        """(trim, heel) degrees of a tank at rest with the surface at these shares, -1 to 1, of what there is each way.

        Driving pulls the way the slope does: nose up it speeds up, nose down it brakes; right end up it curves to the right.
        """
        return apparent(u * self.slope_deg, v * self.roll_deg, -u * self.braking_g, -v * self.cornering_g)

    def words(self, u: float, v: float) -> str:
        """Where that is, in words."""
        said = []
        if self.slope_deg > 0.01 and u:
            said.append(f"{round(abs(u) * self.slope_deg, 1):g}° {'front up' if u > 0 else 'rear up'}")
        if self.braking_g > 1e-4 and u:
            said.append(f"{'speeding up' if u > 0 else 'braking'} at {round(abs(u) * self.braking_g, 2):g} g")
        if self.roll_deg > 0.01 and v:
            said.append(f"{round(abs(v) * self.roll_deg, 1):g}° {'right' if v > 0 else 'left'} end up")
        if self.cornering_g > 1e-4 and v:
            said.append(f"curving at {round(abs(v) * self.cornering_g, 2):g} g")
        return " and ".join(said) or "level"


def worst_attitude(loss: Callable[[float, float], float], working: Working) -> tuple[float, float, float]:
    """(most, u, v): the most that is lost over the whole range, and at which shares of it.

    Level, every end and corner of the range are tried, then around the worst of them ever closer, as long as it gets worse.

    Args:
        loss: of the shares (u, v), each -1 to 1.
        working: the range.
    """
    us, vs = ((-1.0, 0.0, 1.0) if there else (0.0,) for there in (working.fore, working.across))
    tried = {(u, v): loss(u, v) for u in us for v in vs}
    step = 0.5
    while step > LEAST_STEP:
        (u, v), most = max(tried.items(), key=lambda item: item[1])
        near = [
            (u + a * step, v + b * step) for a, b in ((1, 0), (-1, 0), (0, 1), (0, -1)) if (b == 0 or working.across)
        ]
        near = [
            spot for spot in near if max(map(abs, spot)) <= 1 and spot not in tried and (working.fore or spot[0] == 0)
        ]
        found = {spot: loss(*spot) for spot in near}
        tried |= found
        best = max(found.values(), default=-math.inf)
        if best > most:
            continue
        if step == 0.5 and u in us and v in vs and most - best > CLEARLY_LESS * abs(most):
            break  # it falls off on every side: the worst is where it was found
        step /= 2
    (u, v), most = max(tried.items(), key=lambda item: item[1])
    return most, u, v
