"""The families of tanks. A new family is one file beside profile.py and one line here.

A family is a frozen document part with `family`, `sheet`, `loops(split)`, `shell(split)`, and length_mm, width_mm, height_mm
(its inside box); everything further down works on the shell.
"""

from __future__ import annotations

from functools import lru_cache

from bathyx.core.geometry.shell import Shell, loops_volume_mm3
from bathyx.core.tank.profile import ProfileTank

Tank = ProfileTank  # becomes a union discriminated by `family` when there are more


@lru_cache(maxsize=64)
def shell_of(tank: Tank, split: str | None = None) -> Shell:
    """The inside shell of a tank, kept for as long as the tank stays the same."""
    return tank.shell(split)


@lru_cache(maxsize=64)
def litres_per_mm(tank: Tank) -> dict[str, float]:
    """What 1 mm more of each main dimension is worth, litres per mm, by dimension name."""
    base = loops_volume_mm3(tank.loops())
    worth = {}
    for name in ("length_mm", "width_mm", "height_mm"):
        larger = tank.model_copy(update={name: getattr(tank, name) + 1.0})
        worth[name] = (loops_volume_mm3(larger.loops()) - base) / 1e6
    return worth
