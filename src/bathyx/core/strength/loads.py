"""What presses on a panel in service: the fluid's head, surge and braking, and working pressure."""

from __future__ import annotations

from dataclasses import dataclass

from bathyx.core.brief import Brief
from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Face, Shell
from bathyx.core.material import Fluid

GRAVITY = 9.80665
SERVICE = formula(
    "strength.service",
    "Pressure in service",
    "p = p_working + ρ (g h + a L)",
    source="Hydrostatics in the apparent gravity of braking; h from the filler's brim, L the tank's length; on a wall at a "
    "third of its height, where a triangle of load bends it as a uniform one does (within 15 %, Timoshenko, art. 31 and 45)",
    valid="steady braking; slamming and sloshing impact are not in it",
    check="tests/core/test_strength.py",
    tolerance="−0 / +20 % (engineering estimate)",
)


@dataclass(frozen=True)
class Service:
    """How a tank lives: working pressure, fluid density, head above its top, braking."""

    working_kpa: float
    density: float
    rise_mm: float
    braking_g: float

    @classmethod
    def of(cls, brief: Brief, fluid: Fluid) -> Service:
        """From the brief. A vented tank has no working pressure."""
        working = brief.working_kpa if brief.pressure == "pressurised" else 0.0
        return cls(working, fluid.density, brief.fill_rise_mm, brief.braking_g if brief.moving else 0.0)


def service_kpa(shell: Shell, face: Face, service: Service) -> float:
    """Pressure on a face in service, kPa gauge: at a third of its height from below."""
    low, high = shell.bounds
    bottom, top = float(face.loop[:, 2].min()), float(face.loop[:, 2].max())
    depth_mm = float(high[2]) + service.rise_mm - (bottom + (top - bottom) / 3)
    along_mm = float(high[0] - low[0])
    head = service.density * (GRAVITY * depth_mm + service.braking_g * GRAVITY * along_mm) / 1e6
    return service.working_kpa + head
