"""Weight and centre of gravity as a tank fills, and the volume above which it weighs too much."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from bathyx.core.capacity.capacity import Capacity
from bathyx.core.capacity.weight import Weight
from bathyx.core.formula import formula
from bathyx.core.geometry.clip import centroid_below
from bathyx.core.geometry.shell import Array, Shell
from bathyx.core.material import Fluid

FILLING = formula(
    "weight.filling",
    "Weight as it fills",
    "m = dry + V ρ; centre = Σ m r / Σ m of the empty tank and what lies below the level; do not fill above (m_most − dry) / ρ",
    source="Moments; divergence theorem for the contents",
    valid="the tank level; what stands inside does not move the contents' centre",
    check="tests/core/test_leaning.py: a box by hand",
    tolerance="as the weights: ±2 % for the fluid's density, dry ±3 %",
)
STEPS = 24


@dataclass(frozen=True, eq=False)
class Filling:
    """`litres` (n,), `mass_kg` (n,) and `centre` (n, 3) mm from empty to the fill level; `limit_l`: do not fill above, None where
    the weight allows the whole fill."""

    litres: Array
    mass_kg: Array
    centre: Array
    limit_l: float | None


def limit_l(dry_kg: float, density: float, most_kg: float | None, fill_l: float) -> float | None:
    """Litres above which a tank weighs more than `most_kg`; None where its whole fill may be in it, 0 where it is too heavy empty.

    Args:
        dry_kg: of the empty tank.
        density: of the fluid, kg/m3.
        most_kg: what it may weigh, or None.
        fill_l: its fill.

    >>> limit_l(20, 800, 100, 150)
    100.0
    """
    if most_kg is None:
        return None
    most = max((most_kg - dry_kg) / density * 1000, 0.0)
    return most if most < fill_l - 1e-9 else None


def filling(shell: Shell, capacity: Capacity, weight: Weight, fluid: Fluid, most_kg: float | None) -> Filling:
    """The tank as it fills, level.

    Args:
        shell: the inside.
        capacity: with its dip curve and fill.
        weight: of the empty tank.
        fluid: its density.
        most_kg: what the full tank may weigh, or None.
    """
    litres = np.linspace(0.0, capacity.fill_l, STEPS + 1)
    mass = weight.dry.value + litres * fluid.density / 1000
    centre = np.empty((len(litres), 3))
    for k, (v, m) in enumerate(zip(litres, mass, strict=True)):
        contents = weight.centre_dry
        if v > 0:
            _, contents = centroid_below(shell.triangles, float(capacity.curve.level_for(v * 1e6)))
        centre[k] = (weight.centre_dry * weight.dry.value + contents * (m - weight.dry.value)) / m
    return Filling(litres, mass, centre, limit_l(weight.dry.value, fluid.density, most_kg, capacity.fill_l))
