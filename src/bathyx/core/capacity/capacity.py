"""Gross, net and usable capacity with their dip curves.

Gross is the sharp inside shell. Net takes out baffle metal, pickup tubes and what rounded bends take. Usable takes
out the air space on top and what the pickup cannot reach, level and at the working tilt.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from bathyx.core.brief import Brief
from bathyx.core.formula import Figure, formula
from bathyx.core.geometry.clip import Soup, slab
from bathyx.core.geometry.dip import DIP, DipCurve, combined, dip_curve, ramp
from bathyx.core.geometry.shell import Array, Shell, turned
from bathyx.core.inside.baffles import AXIS_INDEX, Plate
from bathyx.core.inside.fittings import Fitting, inlets
from bathyx.core.material import fluid
from bathyx.core.sheet.bend import corner_loss_mm2, setback_mm
from bathyx.core.sheet.makeup import BendRule, EdgeRole
from bathyx.core.tank.attitude import attitude, working_tilt_deg

GROSS = formula(
    "capacity.gross",
    "Gross inside volume",
    "V = ⅓ Σ (point of face · area vector of face)",
    source="Divergence theorem; inside sizes, sharp corners. 30 × 30 × 30 in is 27 000 cu in, 116.88 US gal",
    valid="any closed shell of planar faces",
    check="tests/outside/test_against_trimesh.py; tests/outside/test_trade_facts.py",
    tolerance="1e-9 relative; the built tank is within its sheet and bending tolerance, about ±1 %",
)
NET = formula(
    "capacity.net",
    "Net volume",
    "net = gross − baffle metal − pickup tubes − rounding of bends",
    source="Rounding of an inside corner takes r²(tan θ/2 − θ/2) per length; geometry",
    valid="bends between flat faces",
    check="tests/core/test_capacity.py",
    tolerance="0.1 % of gross; flow holes are spread over their plate's height",
)
USABLE = formula(
    "capacity.usable",
    "Usable volume",
    "usable = net − air space − volume below the pickup inlet",
    source="Air space of about 5 % for expansion: common practice; inlet level on the dip curve",
    valid="level tank; the figure on the slope uses the same curve, tilted",
    check="tests/core/test_capacity.py",
    tolerance="as net; the pickup may draw a few mm lower or suck air a few mm higher",
)
AIR = formula(
    "capacity.air",
    "Air space needed",
    "ΔV = β ΔT × fill",
    source="Thermal expansion of the fluid; β from the fluid table",
    valid="filled cold, warmed by ΔT",
    check="tests/core/test_findings.py",
    tolerance="±10 % of β",
)


@dataclass(frozen=True, eq=False)
class Capacity:
    """Litres and curves. `fill_level_mm` is where the air space begins; `unusable` is below the pickup inlet."""

    gross: Figure
    net: Figure
    usable: Figure
    usable_tilted: Figure
    air_l: float
    unusable_l: float
    unusable_tilted_l: float
    fill_level_mm: float
    dead_level_mm: float
    curve: DipCurve

    @property
    def fill_l(self) -> float:
        """Litres at the fill level: net less air space."""
        return self.net.value - self.air_l


@lru_cache(maxsize=32)
def gross_curve(shell: Shell) -> DipCurve:
    """Dip curve of the sharp shell."""
    return dip_curve(shell.half_edges)


@lru_cache(maxsize=32)
def net_curve(
    shell: Shell,
    roles: tuple[EdgeRole, ...],
    plates: tuple[Plate, ...],
    fittings: tuple[Fitting, ...],
    thickness_mm: float,
    rule: BendRule,
    turn: tuple[tuple[float, ...], ...] | None = None,
) -> DipCurve:
    """Dip curve of the net volume, level, or turned by a rotation given as nested tuples."""
    rotation = np.eye(3) if turn is None else np.array(turn)
    whole = gross_curve(shell) if turn is None else dip_curve(turned(shell.half_edges, rotation))
    parts: list[tuple[float, DipCurve]] = [(1.0, whole)]
    by_place: dict[tuple[str, float], float] = {}
    sections: dict[tuple[str, float], float] = {}
    for plate in plates:
        place = (plate.axis, plate.at_mm)
        by_place[place] = by_place.get(place, 0.0) + plate.metal_mm2
        sections[place] = sections.get(place, 0.0) + plate.section_mm2
    for (axis, at), metal in by_place.items():
        curve = dip_curve(turned(_plate_solid(shell, AXIS_INDEX[axis], at, thickness_mm), rotation))
        parts.append((-metal / sections[(axis, at)], curve))
    for role in roles:
        if role.kind != "bend":
            continue
        edge = role.edge
        loss = corner_loss_mm2(edge.turn_deg, rule.radius_mm, thickness_mm, edge.reflex) * edge.length_mm
        back = setback_mm(edge.turn_deg, rule.radius_mm, thickness_mm, edge.reflex)
        levels = np.array([edge.start @ rotation[2], edge.end @ rotation[2]])
        middle = float(levels.mean())
        reach = min(max(middle + back, whole.low_mm), whole.high_mm) - middle
        low, high = levels.min() + min(reach, 0.0), levels.max() + max(reach, 0.0)
        if reach <= 0:
            low = levels.min() - back
        parts.append((-1.0, ramp(float(low), float(high), loss)))
    for fitting, inlet in inlets(shell, fittings):
        top = shell.by_id[fitting.face].place(fitting.u_mm, fitting.v_mm)
        if top[2] - inlet[2] > 1:
            volume = math.pi / 4 * fitting.hole_mm**2 * float(top[2] - inlet[2])
            ends = sorted((float(rotation[2] @ inlet), float(rotation[2] @ top)))
            parts.append((-1.0, ramp(ends[0], ends[1], volume)))
    return combined(parts)


@lru_cache(maxsize=64)
def _plate_solid(shell: Shell, axis: int, at_mm: float, thickness_mm: float) -> Soup:
    """The slice of the tank that a baffle plate stands in."""
    loops = [(face.loop, face.normal) for face in shell.faces]
    return slab(loops, axis, at_mm - thickness_mm / 2, at_mm + thickness_mm / 2)


def capacity(
    shell: Shell,
    roles: tuple[EdgeRole, ...],
    plates: tuple[Plate, ...],
    fittings: tuple[Fitting, ...],
    thickness_mm: float,
    rule: BendRule,
    brief: Brief,
) -> Capacity:
    """The capacities of a tank. Without a pickup everything below the fill level counts as reachable."""
    curve = net_curve(shell, roles, plates, fittings, thickness_mm, rule)
    gross, net = shell.volume_mm3 / 1e6, curve.full_mm3 / 1e6
    air = brief.air_space_share * net
    fill = net - air
    dead, dead_level = _below_inlet(shell, curve, fittings, np.eye(3))
    tilt = working_tilt_deg(brief.slope_deg, brief.braking_g) if brief.moving else brief.slope_deg
    worst = dead
    for trim in (tilt, -tilt) if tilt > 0.01 else ():
        rotation = attitude(trim)
        tilted = net_curve(shell, roles, plates, fittings, thickness_mm, rule, tuple(map(tuple, rotation.tolist())))
        worst = max(worst, _below_inlet(shell, tilted, fittings, rotation)[0])
    size = shell.bounds[1] - shell.bounds[0]
    box = f"inside box {size[0]:.1f} × {size[1]:.1f} × {size[2]:.1f} mm holds {np.prod(size) / 1e6:.2f} L; "
    return Capacity(
        Figure("Gross", gross, "volume", GROSS, f"{box}this shell {gross:.3f} L"),
        Figure("Net", net, "volume", NET, f"{gross:.2f} − {gross - net:.2f} = {net:.2f} L"),
        Figure(
            "Usable",
            max(fill - dead, 0.0),
            "volume",
            USABLE,
            f"{net:.2f} − {air:.2f} air − {dead:.2f} below the pickup = {max(fill - dead, 0.0):.2f} L",
        ),
        Figure(
            "Usable on the slope",
            max(fill - worst, 0.0),
            "volume",
            USABLE,
            f"tilted {tilt:.1f}° fore and aft, worse way: {fill:.2f} − {worst:.2f} = {max(fill - worst, 0.0):.2f} L",
        ),
        air,
        dead,
        worst,
        float(curve.level_for(fill * 1e6)),
        dead_level,
        curve,
    )


def _below_inlet(shell: Shell, curve: DipCurve, fittings: tuple[Fitting, ...], rotation: Array) -> tuple[float, float]:
    """(litres, level) that the lowest-reaching pickup leaves behind at an attitude; (0, low) without one."""
    levels = [float(rotation[2] @ inlet) for _, inlet in inlets(shell, fittings)]
    if not levels:
        return 0.0, curve.low_mm
    level = min(levels)
    return float(curve.at(level)) / 1e6, level


def fluid_mass_kg(litres: float, fluid_key: str) -> float:
    """Mass of `litres` of the fluid at 15 degC."""
    return litres * fluid(fluid_key).density / 1000


__all__ = ["AIR", "DIP", "Capacity", "capacity", "fluid_mass_kg", "gross_curve", "net_curve"]
