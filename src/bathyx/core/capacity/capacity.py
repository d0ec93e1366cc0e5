"""Gross, net and usable capacity with their dip curves.

Gross is the sharp inside shell. Net takes out baffle metal, pickup tubes and what rounded bends take. Usable takes
out the air space on top and what the pickup cannot reach, level and at the working tilt.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from bathyx.core.brief import Brief
from bathyx.core.formula import Figure, formula
from bathyx.core.geometry.clip import Loops, Soup
from bathyx.core.geometry.dip import DIP, DipCurve, combined, dip_curve, prism, ramps, volume_below
from bathyx.core.geometry.pools import POOLS, Drained, Left, is_convex
from bathyx.core.geometry.shell import Array, CurvedFace, Edge, Shell, facets_of, turned
from bathyx.core.inside.baffles import AXIS_INDEX, Plate
from bathyx.core.inside.fittings import Fitting, balance_pipes, inlets, limber_tubes
from bathyx.core.material import fluid
from bathyx.core.memory import remembered
from bathyx.core.sheet.bending.bend import corner_loss_mm2, setback_mm
from bathyx.core.sheet.bending.rule import BendRule
from bathyx.core.sheet.makeup.roles import EdgeRole
from bathyx.core.sheet.makeup.skins import Skins
from bathyx.core.tank.attitude import Working, attitude, worst_attitude
from bathyx.core.units import litres, mm

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
    "net = gross − baffle metal − walls of pickup tubes − rounding of bends",
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
    tolerance="as net; the pickup may draw a little lower or suck air a little higher",
)
AIR = formula(
    "capacity.air",
    "Air space needed",
    "ΔV = (ρ₁/ρ₂ − 1) × fill, or (exp(β ΔT) − 1) × fill",
    source="Thermal expansion of the fluid over the whole range; densities or β from the fluid table",
    valid="filled cold, warmed by ΔT",
    check="tests/core/test_findings.py",
    tolerance="±10 % of β",
)


TUBE_WALL_MM = 1.5


@dataclass(frozen=True, eq=False)
class Capacity:
    """Litres and curves of the level tank; what pickups leave when it leans, and its pools, when they are asked for.

    `fill_level_mm` is where the air space begins; `unusable` is below the pickup inlet. `leaning`: (litres left at the worst
    attitude, which that is); `pooled`: what stays level, pool by pool.
    """

    gross: Figure
    net: Figure
    usable: Figure
    air_l: float
    unusable_l: float
    fill_level_mm: float
    dead_level_mm: float
    curve: DipCurve
    leaning: Callable[[], tuple[float, str]]
    pooled: Callable[[], tuple[Left, ...]]

    @cached_property
    def _worst(self) -> tuple[float, str]:
        return self.leaning()

    @property
    def unusable_tilted_l(self) -> float:
        """Litres that the pickups leave at the worst attitude of the brief."""
        return self._worst[0]

    @property
    def usable_tilted(self) -> Figure:
        """Litres that the pickups reach at the worst attitude."""
        worst, way = self._worst
        said = (
            f"worst {way}: {litres(self.fill_l, 2)} − {litres(worst, 2)} = {litres(max(self.fill_l - worst, 0.0), 2)}"
        )
        return Figure("Usable on the slope", max(self.fill_l - worst, 0.0), "volume", USABLE, said)

    @cached_property
    def left(self) -> tuple[Left, ...]:
        """What stays level, pool by pool, as (mm3, level mm, a point of its surface (3,)); empty where it is one pool."""
        return self.pooled()

    @property
    def fill_l(self) -> float:
        """Litres at the fill level: net less air space."""
        return self.net.value - self.air_l


@remembered()
def gross_curve(shell: Shell) -> DipCurve:
    """Dip curve of the sharp shell."""
    return dip_curve(shell.half_edges)


@dataclass(frozen=True, eq=False)
class Displaced:
    """What stands in the gross volume: plates as (share of metal, half-edges), and small parts as
    (low point (3,), high point (3,), mm3) that fill evenly between the levels of two points."""

    plates: tuple[tuple[float, Soup], ...]
    small: tuple[tuple[Array, Array, float], ...]


@remembered()
def displaced(
    shell: Shell,
    roles: tuple[EdgeRole, ...],
    plates: tuple[Plate, ...],
    fittings: tuple[Fitting, ...],
    skins: Skins,
    rule: BendRule,
) -> Displaced:
    """Baffle metal, rounding of bends (a loss inside, a gain where reflex), pickup tubes, and tubes that run through.

    Args:
        shell: the inside.
        roles: what becomes of its edges.
        plates: the baffles.
        fittings: whose pickups have tubes.
        skins: thickness of panels and baffles.
        rule: radius of the bends.
    """
    thickness_mm = skins.baffle_mm
    solids = tuple(
        (
            plate.metal_mm2 / plate.section_mm2,
            prism(
                plate.section, AXIS_INDEX[plate.axis], plate.at_mm - thickness_mm / 2, plate.at_mm + thickness_mm / 2
            ),
        )
        for plate in plates
    )
    small: list[tuple[Array, Array, float]] = []
    for role in roles:
        if role.kind == "bend":
            edge, t = role.edge, skins.of(role.edge.a)
            loss = corner_loss_mm2(edge.turn_deg, rule.radius_at(t), t, edge.reflex) * edge.length_mm
            inward = _inward(shell, edge) * setback_mm(edge.turn_deg, rule.radius_at(t), t, edge.reflex) / 2
            middle = (edge.start + edge.end) / 2
            small.append((middle - np.abs(inward), middle + np.abs(inward), loss))
    for fitting, inlet in inlets(shell, fittings):
        top = shell.by_id[fitting.face].place(fitting.u_mm, fitting.v_mm)
        if top[2] - inlet[2] > 1:
            small.append((inlet, top, tube_wall_mm2(fitting.tube_od_mm) * float(top[2] - inlet[2])))
    for fitting, a, b in limber_tubes(shell, fittings):
        r = fitting.hole_mm / 2
        down = np.array([0.0, 0.0, r])
        small.append((np.minimum(a, b) - down, np.maximum(a, b) + down, math.pi * r * r * float(np.linalg.norm(b - a))))
    return Displaced(solids, tuple(small))


def tube_wall_mm2(outside_mm: float) -> float:
    """Metal in the section of a pickup tube: its bore is full of fluid and displaces none."""
    bore = max(outside_mm - 2 * TUBE_WALL_MM, 0.0)
    return math.pi / 4 * (outside_mm**2 - bore**2)


def _inward(shell: Shell, edge: Edge) -> Array:
    """Direction from an edge into the tank."""
    names = [name.split(":")[0] for name in (edge.a, edge.b)]
    both = sum(shell.by_id[name].normal_at(edge.start) for name in names)
    return np.asarray(-both / max(float(np.linalg.norm(both)), 1e-9))


@remembered()
def net_curve(shell: Shell, inside: Displaced) -> DipCurve:
    """Dip curve of the net volume, level tank."""
    whole = gross_curve(shell)
    parts: list[tuple[float, DipCurve]] = [(1.0, whole)]
    parts += [(-share, dip_curve(solid)) for share, solid in inside.plates]
    if inside.small:
        spans = [(max(float(a[2]), whole.low_mm), min(float(b[2]), whole.high_mm), v) for a, b, v in inside.small]
        parts.append((-1.0, ramps(spans)))
    return combined(parts)


def tilted_curve(shell: Shell, inside: Displaced, rotation: Array) -> DipCurve:
    """Dip curve of the net volume of the tank turned by `rotation` (3, 3); levels as in `net_below_mm3`."""
    whole = dip_curve(turned(shell.half_edges, rotation))
    parts: list[tuple[float, DipCurve]] = [(1.0, whole)]
    parts += [(-share, dip_curve(turned(solid, rotation))) for share, solid in inside.plates]
    if inside.small:
        spans = []
        for a, b, volume in inside.small:
            low, high = sorted((float(rotation[2] @ a), float(rotation[2] @ b)))
            spans.append((max(low, whole.low_mm), min(high, whole.high_mm), volume))
        parts.append((-1.0, ramps(spans)))
    return combined(parts)


def net_below_mm3(shell: Shell, inside: Displaced, rotation: Array, level_mm: float) -> float:
    """Net volume below a level of a turned tank.

    Args:
        shell: the inside, as it stands level.
        inside: what stands in it.
        rotation: (3, 3), how it is turned.
        level_mm: height of the surface, measured from where the shell's origin stays.

    >>> from bathyx.core.tank.profile import ProfileTank
    >>> box = ProfileTank(length_mm=400, width_mm=300, height_mm=200, sheet="5083/3").shell()
    >>> round(net_below_mm3(box, Displaced((), ()), np.eye(3), 50.0) / 1e6, 6)
    6.0
    """
    volume = volume_below(turned(shell.half_edges, rotation), level_mm)
    volume -= sum(share * volume_below(turned(solid, rotation), level_mm) for share, solid in inside.plates)
    for a, b, part in inside.small:
        low, high = sorted((float(rotation[2] @ a), float(rotation[2] @ b)))
        volume -= part * min(max((level_mm - low) / max(high - low, 1e-6), 0.0), 1.0)
    return volume


def capacity(
    shell: Shell,
    roles: tuple[EdgeRole, ...],
    plates: tuple[Plate, ...],
    fittings: tuple[Fitting, ...],
    skins: Skins,
    rule: BendRule,
    brief: Brief,
) -> Capacity:
    """The capacities of a tank. Without a pickup everything below the fill level counts as reachable.

    Args:
        shell: the inside.
        roles: what becomes of its edges.
        plates: the baffles.
        fittings: pickups and balance pipes among them.
        skins: thickness of panels and baffles.
        rule: radius of the bends.
        brief: air space, slope, roll and braking.
    """
    inside = displaced(shell, roles, plates, fittings, skins, rule)
    curve = net_curve(shell, inside)
    gross, net = shell.volume_mm3 / 1e6, curve.full_mm3 / 1e6
    air = brief.air_space_share * net
    fill = net - air
    dead, dead_level = left_behind(shell, inside, fittings, np.eye(3), fill, net / gross)
    working = Working.of(brief)

    def left_at(u: float, v: float) -> float:
        if u == v == 0.0:
            return dead
        return left_behind(shell, inside, fittings, attitude(*working.at(u, v)), fill, net / gross)[0]

    def leaning() -> tuple[float, str]:
        worst, *ways = worst_attitude(left_at, working)
        return worst, working.words(*ways)

    size = shell.bounds[1] - shell.bounds[0]
    box = f"inside box {mm(size[0], 1)} × {mm(size[1], 1)} × {mm(size[2], 1)} holds {litres(float(np.prod(size)) / 1e6, 2)}; "
    return Capacity(
        Figure("Gross", gross, "volume", GROSS, f"{box}this shell {litres(gross, 3)}"),
        Figure("Net", net, "volume", NET, f"{litres(gross, 2)} − {litres(gross - net, 2)} = {litres(net, 2)}"),
        Figure(
            "Usable",
            max(fill - dead, 0.0),
            "volume",
            USABLE,
            f"{litres(net, 2)} − {litres(air, 2)} air − {litres(dead, 2)} below the pickup = {litres(max(fill - dead, 0.0), 2)}",
        ),
        air,
        dead,
        float(curve.level_for(fill * 1e6)),
        dead_level,
        curve,
        leaning,
        lambda: _pools_left(shell, fittings, fill / (net / gross)),
    )


@remembered()
def _convex(shell: Shell) -> tuple[bool, ...]:
    found: list[bool] = []
    for face in shell.faces:
        found += [is_convex(face.loop, face.normal)] if face.kind == "plane" else [True] * len(facets_of(face))
    return tuple(found)


@remembered(12)
def _drained(shell: Shell, rotation: tuple[float, ...]) -> Drained:
    """The shell at an attitude, kept while it stays the same."""
    turn = np.array(rotation).reshape(3, 3)
    sills: list[float] = []
    for edge in shell.edges:
        if edge.reflex:
            heights = edge.line @ turn[2]
            sills += [float(heights[0]), float(heights[-1]), float(heights.min()), float(heights.max())]
    for face in shell.faces:
        if isinstance(face, CurvedFace) and getattr(face.on, "outward", 1.0) < 0:
            # Over a tunnel the fluid parts where the top of its arc is lowest: at one of its ends.
            near, far = np.split(face.loop @ turn[2], 2)
            sills += [float(near.max()), float(far.max())]
    loops: Loops = []
    holes = {}
    for face in shell.faces:
        if face.holes:
            holes[len(loops)] = [hole @ turn.T for hole in face.holes]
        facets = [(face.loop, face.normal)] if face.kind == "plane" else facets_of(face)
        loops += [(loop @ turn.T, turn @ normal) for loop, normal in facets]
    return Drained(loops, sills, _convex(shell), holes)


def _pools_left(shell: Shell, fittings: tuple[Fitting, ...], fill_l: float) -> tuple[Left, ...]:
    """What the pickups of a level tank leave, pool by pool, where its floor falls apart."""
    spots = [inlet for _, inlet in inlets(shell, fittings)]
    if shell.convex or not spots:
        return ()
    drained = drained_at(shell, np.eye(3))
    if drained.single:
        return ()
    surface = float(gross_curve(shell).level_for(min(fill_l * 1e6, shell.volume_mm3)))
    return tuple(drained.left(spots, surface, balance_pipes(shell, fittings)))


def drained_at(shell: Shell, rotation: Array) -> Drained:
    """The shell turned by `rotation` (3, 3), ready to be asked for its pools."""
    return _drained(shell, tuple(rotation.ravel().tolist()))


def left_behind(
    shell: Shell, inside: Displaced, fittings: tuple[Fitting, ...], rotation: Array, fill_l: float, net_share: float
) -> tuple[float, float]:
    """(litres, level) that the pickups leave behind at an attitude, pools cut off behind steps with it; (0, low) without one.

    Args:
        shell: the inside.
        inside: what stands in it.
        fittings: pickups and balance pipes among them.
        rotation: (3, 3), how the tank is turned.
        fill_l: litres it is filled with.
        net_share: net over gross.
    """
    spots = [rotation @ inlet for _, inlet in inlets(shell, fittings)]
    if not spots:
        return 0.0, float(shell.bounds[0][2])
    level = min(float(spot[2]) for spot in spots)
    if shell.convex:
        return net_below_mm3(shell, inside, rotation, level) / 1e6, level
    drained = drained_at(shell, rotation)
    if drained.single:
        return net_below_mm3(shell, inside, rotation, level) / 1e6, level
    filled = dip_curve(turned(shell.half_edges, rotation))
    surface = float(filled.level_for(min(fill_l / net_share * 1e6, filled.full_mm3)))
    pipes = [(rotation @ a, rotation @ b) for a, b in balance_pipes(shell, fittings)]
    return drained.retained_mm3(spots, surface, pipes) / 1e6 * net_share, level


def fluid_mass_kg(litres: float, fluid_key: str) -> float:
    """Mass of `litres` of the fluid at 15 degC."""
    return litres * fluid(fluid_key).density / 1000


__all__ = ["AIR", "DIP", "POOLS", "Capacity", "capacity", "fluid_mass_kg", "gross_curve", "net_curve"]
