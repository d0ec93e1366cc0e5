"""Walls of plastic over years: how far they stand out when the stuff creeps, and bands that hold them."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Array, CurvedFace, Face, Shell
from bathyx.core.inside.straps import GRAVITY
from bathyx.core.material import Sheet, plastic
from bathyx.core.sheet.makeup.bands import box_for, even_loads, needed_mm4
from bathyx.core.sheet.makeup.skins import Skins
from bathyx.core.strength.loads import lies_flat
from bathyx.core.strength.panels import PanelLoad, Strength
from bathyx.core.strength.plate import clamped, simply_supported
from bathyx.core.strength.shapes import strips_of
from bathyx.errors import Refusal

BULGE = formula(
    "plastic.bulge",
    "How far a wall of plastic stands out after years",
    "w = α q b⁴ / D, D = E(T, 25 years) t³ / 12 (1 − ν²), between clamped and simply supported edges; q: mean head on the panel",
    source="Timoshenko & Woinowsky-Krieger with the creep modulus in place of E, as in DVS 2205-1; held to half the thickness, DVS "
    "2205-5, from memory",
    valid="flat panels, w up to half the thickness; beyond that the panel stretches and w is less than told",
    check="tests/core/test_plastic.py",
    tolerance="the edges' range, and ±25 % of the modulus",
)
BAND = formula(
    "plastic.band",
    "A band round a tank of plastic",
    "I = 5 w L⁴ / 384 E d, d = L / 300; w = the load of the strip half way to the next bands",
    source="Beam on two supports, any handbook; a steel box section that keeps to L / 300: Bathyx's own line",
    valid="straight sides, bands joined at the corners",
    check="tests/core/test_plastic.py",
    tolerance="on the safe side: joined corners hold it, by up to five times",
)
YEARS, HALF, MOST_BANDS = 25.0, 0.5, 5


@dataclass(frozen=True)
class Bulges:
    """A face's panel after years: sides (mm), mean head (kPa), modulus (MPa), how far it stands out between clamped and supported
    edges (mm), and what it is held to."""

    face: str
    short_mm: float
    long_mm: float
    mean_kpa: float
    modulus: float
    low_mm: float
    high_mm: float
    limit_mm: float

    @property
    def over(self) -> float:
        """The larger bulge over what it is held to."""
        return self.high_mm / self.limit_mm


def bulges(
    shell: Shell, found: Strength, sheet: Sheet, skins: Skins, level_mm: float, density: float, hot_c: float
) -> tuple[Bulges, ...]:
    """Flat panels of a plastic tank after years full, the one that stands out most for its limit first.

    Args:
        shell: the inside.
        found: strength with the sides of each face's weakest panel, bands round it, whether its floor lies on a base.
        sheet: of the walls.
        skins: thickness of each.
        level_mm: of the fluid.
        density: kg/m3 of it.
        hot_c: the warmest it is for long.
    """
    nu = sheet.material.poisson
    modulus = plastic(sheet.material.key).modulus_at(hot_c, YEARS)
    rows = []
    for panel in found.panels:
        face = shell.by_id.get(panel.face)
        if face is None or isinstance(face, CurvedFace) or panel.curved or (found.on_base and lies_flat(shell, face)):
            continue
        t = skins.of(face)
        stiff = modulus * t**3 / (12 * (1 - nu**2))
        z = np.clip(level_mm - np.asarray(face.loop)[:, 2], 0.0, None)
        for short, long, mean in _strips(
            panel, face, z, level_mm, strips_of(face, float(shell.bounds[0][2]), found.bands)
        ):
            q, aspect = density * GRAVITY * mean * 1e-9, max(long / short, 1.0)  # MPa
            low, high = (
                edges.alpha * q * short**4 / stiff for edges in (clamped(aspect), simply_supported(aspect, nu))
            )
            rows.append(Bulges(face.id, short, long, 1000 * q, modulus, low, high, HALF * t))
    return tuple(sorted(rows, key=lambda b: -b.over))


def _strips(
    panel: PanelLoad, face: Face, depths: Array, level_mm: float, strips: tuple[tuple[float, float], ...]
) -> list[tuple[float, float, float]]:
    """(short, long, mean head) mm of a face's weakest panel, or of each of its strips between bands."""
    if not strips:
        return [(panel.short_mm, panel.long_mm, float((depths.min() + depths.max()) / 2))]
    widest = max(b - a for a, b in strips)
    sides = (panel.short_mm, panel.long_mm)
    wide = sides[1] if abs(sides[0] - widest) < abs(sides[1] - widest) else sides[0]
    found = []
    for low, top in strips:
        short, long = sorted((wide, top - low))
        found.append((short, long, max(level_mm - low, 0.0) / 2 + max(level_mm - top, 0.0) / 2))
    return found


@dataclass(frozen=True)
class Band:
    """A band: how high above the floor (mm), second moment that it needs (mm⁴), and the steel box that has it (side, wall, mm)."""

    at_mm: float
    needs_mm4: float
    box: tuple[int, float]


def banded(
    worst: Bulges, height_mm: float, side_mm: float, density: float, stiff_nmm: float, nu: float
) -> tuple[Band, ...]:
    """The fewest bands with which every strip of a side keeps to its limit, as supported at its edges.

    Refusal where five do not, or no box is stiff enough.

    Args:
        worst: the wall that stands out most, with its limit.
        height_mm: of the side, full.
        side_mm: length of the side.
        density: of the fluid, kg/m3.
        stiff_nmm: bending stiffness of the wall after years, N mm.
        nu: its ratio of Poisson.
    """
    for count in range(1, MOST_BANDS + 1):
        found = bands(height_mm, side_mm, height_mm / (count + 1), density)
        lines = sorted((0.0, *(height_mm - band.at_mm for band in found), height_mm))  # depths under the top
        if all(_strip_mm(a, b, side_mm, density, stiff_nmm, nu) <= worst.limit_mm for a, b in pairwise(lines)):
            return found
    raise Refusal(f"not even {MOST_BANDS} bands would hold it")


def _strip_mm(top: float, foot: float, side_mm: float, density: float, stiff_nmm: float, nu: float) -> float:
    """How far a strip between two bands stands out, mm: depths under the top, the mean head on it, supported edges."""
    short, long = sorted((foot - top, side_mm))
    q = density * GRAVITY * (top + foot) / 2 * 1e-9
    return simply_supported(long / short, nu).alpha * q * short**4 / stiff_nmm


def bands(height_mm: float, side_mm: float, strip_mm: float, density: float) -> tuple[Band, ...]:
    """Bands that divide a straight side so that no strip is higher than `strip_mm`, closer together below where the head is more.

    Refusal where no box of the list is stiff enough.

    Args:
        height_mm: of the side, full.
        side_mm: length of the side.
        strip_mm: the most that the sheet bridges at the bottom.
        density: of the fluid, kg/m3.
    """
    count = max(1, math.ceil(height_mm / strip_mm) - 1)
    edges = [0.0, *(height_mm - at for at in reversed(even_loads(height_mm, count))), height_mm]
    found = []
    for k in range(1, count + 1):
        above, below = (edges[k - 1] + edges[k]) / 2, (edges[k] + edges[k + 1]) / 2
        load = density * GRAVITY * 1e-9 * (below**2 - above**2) / 2  # N/mm
        needs = needed_mm4(load, side_mm)
        box = box_for(needs)
        if box is None:
            raise Refusal(
                f"a band over {side_mm:.0f} mm needs more than the largest box of the list; divide the side by a baffle"
            )
        found.append(Band(height_mm - edges[k], needs, box))
    return tuple(found)
