"""What presses on a panel in service: the fluid's head, surge and braking, and working pressure."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from bathyx.core.brief import Brief
from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Face, Shell
from bathyx.core.material import Fluid

GRAVITY = 9.80665
WATER_DENSITY = 999.0  # kg/m3 at 15 °C
SERVICE = formula(
    "strength.service",
    "Pressure in service",
    "p = p_working + ρ (g h + a L); no less than ρ_water g h where the tank is tested full of water",
    source="Hydrostatics in the apparent gravity of braking; h from the filler's brim, L the tank's length; on a wall at a "
    "third of its height, where a triangle of load bends it as a uniform one does (within 15 %, Timoshenko, art. 31 and 45)",
    valid="steady braking; slamming and sloshing impact are not in it",
    check="tests/core/test_strength.py",
    tolerance="−0 / +20 % (engineering estimate)",
)


@dataclass(frozen=True)
class Service:
    """How a tank lives: working pressure, fluid density, head above its top, braking, water stood in it at a test."""

    working_kpa: float
    density: float
    rise_mm: float
    braking_g: float
    tested_full: bool = False

    @classmethod
    def of(cls, brief: Brief, fluid: Fluid, tested_full: bool = False) -> Service:
        """From the brief. A vented tank has no working pressure. `tested_full`: a planned test fills it with water."""
        working = brief.working_kpa if brief.pressure == "pressurised" else 0.0
        return cls(working, fluid.density, brief.fill_rise_mm, brief.braking_g if brief.moving else 0.0, tested_full)


def service_kpa(shell: Shell, face: Face, service: Service) -> float:
    """Pressure on a face in service, kPa gauge: at a third of its height from below."""
    low, high = shell.bounds
    heights = np.concatenate([loops[:, :, 2].ravel() for loops, _ in face.blocks])
    bottom, top = float(heights.min()), float(heights.max())
    third = (top - bottom) / 3 if face.kind == "plane" else 0.0  # a curved wall is as strong as at its lowest line
    depth_mm = float(high[2]) + service.rise_mm - (bottom + third)
    along_mm = float(high[0] - low[0])
    head = service.density * (GRAVITY * depth_mm + service.braking_g * GRAVITY * along_mm) / 1e6
    water = WATER_DENSITY * GRAVITY * depth_mm / 1e6 if service.tested_full else 0.0
    return max(service.working_kpa + head, water)
