"""What presses on a panel in service: the fluid's head, surge and braking, and working pressure."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from bathyx.core.brief import Brief
from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Face, Shell
from bathyx.core.material import Fluid

GRAVITY, FLAT_MM = 9.80665, 1.0
WATER_DENSITY = 999.0  # kg/m3 at 15 °C
SERVICE = formula(
    "strength.service",
    "Pressure in service",
    "p = p_working + ρ (g h + (a + g sin pitch) L + (c + g sin roll) B); no less than ρ_water g h where the tank is tested full "
    "of water",
    source="Hydrostatics in the apparent gravity of braking; h from the filler's brim, L its length, B its width, a braking, "
    "c cornering, all at once; on a wall at a "
    "third of its height, where a triangle of load bends it as a uniform one does (within 15 %, Timoshenko, art. 31 and 45)",
    valid="steady braking and cornering; slamming and sloshing impact are not in it",
    check="tests/core/test_strength.py",
    tolerance="−0 / +20 % (engineering estimate)",
)


@dataclass(frozen=True)
class Service:
    """How a tank lives: working pressure, fluid density, head above its top, braking and cornering, how far it pitches and rolls,
    water stood in it at a test; whether its floor lies on a flat base."""

    working_kpa: float
    density: float
    rise_mm: float
    braking_g: float
    tested_full: bool = False
    cornering_g: float = 0.0
    pitch_deg: float = 0.0
    roll_deg: float = 0.0
    on_base: bool = False

    @classmethod
    def of(cls, brief: Brief, fluid: Fluid, tested_full: bool = False) -> Service:
        """From the brief. A vented tank has no working pressure. `tested_full`: a planned test fills it with water."""
        working = brief.working_kpa if brief.pressure == "pressurised" else 0.0
        moved = (brief.braking_g, brief.cornering_g) if brief.moving else (0.0, 0.0)
        return cls(
            working,
            fluid.density,
            brief.fill_rise_mm,
            moved[0],
            tested_full,
            moved[1],
            brief.slope_deg,
            brief.roll_deg,
            brief.flat_base,
        )


def most_in_service(shell: Shell, brief: Brief, fluid: Fluid) -> tuple[str, float]:
    """(the face that is pressed hardest in service, kPa there): what a test has to apply to have tried it."""
    service = Service.of(brief, fluid)
    pressed = {face.id: service_kpa(shell, face, service) for face in shell.faces}
    hardest = max(pressed, key=lambda name: (pressed[name], name))
    return hardest, pressed[hardest]


def hottest(brief: Brief, fluid: Fluid) -> float:
    """The warmest that a tank is for long, degC: as the brief says, or as its fluid usually gets."""
    return fluid.hot_c if brief.hottest_c is None else brief.hottest_c


def lies_flat(shell: Shell, face: Face) -> bool:
    """Whether a face is a level floor at the tank's lowest, which a flat base can carry."""
    level = face.kind == "plane" and float(np.ptp(np.asarray(face.loop)[:, 2])) < FLAT_MM
    return bool(level and abs(float(face.loop[0][2]) - float(shell.bounds[0][2])) < FLAT_MM)


def service_kpa(shell: Shell, face: Face, service: Service, strip: tuple[float, float] | None = None) -> float:
    """Pressure on a face in service, kPa gauge: at a third of its height from below; of that of a strip of it, from
    height to height, where bands divide it."""
    low, high = shell.bounds
    heights = np.concatenate([loops[:, :, 2].ravel() for loops, _ in face.blocks])
    bottom, top = float(heights.min()), float(heights.max())
    if service.on_base and lies_flat(shell, face):
        return 0.0
    if strip is not None:
        bottom, top = strip
    third = (top - bottom) / 3 if face.kind == "plane" else 0.0  # a curved wall is as strong as at its lowest line
    depth_mm = float(high[2]) + service.rise_mm - (bottom + third)
    along_mm, across_mm = float(high[0] - low[0]), float(high[1] - low[1])
    pitched = service.braking_g + math.sin(math.radians(service.pitch_deg))
    rolled = service.cornering_g + math.sin(math.radians(service.roll_deg))
    head = service.density * GRAVITY * (depth_mm + pitched * along_mm + rolled * across_mm) / 1e6
    water = WATER_DENSITY * GRAVITY * depth_mm / 1e6 if service.tested_full else 0.0
    return max(service.working_kpa + head, water)
