"""The flat panels of a tank: each face divided by the baffles welded to it, and the pressure each bears."""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from bathyx.core.formula import Figure
from bathyx.core.geometry.shell import Face, Shell
from bathyx.core.inside.baffles import Baffle
from bathyx.core.material import Sheet
from bathyx.core.strength.plate import LARGE, PanelResult, held, loose_bulge_mm, panel, respond

TEST_STRESS_SHARE = 0.9
TEST_STRESS_SOURCE = (
    "at a pressure test the stress stays below 0.9 of yield (EN 13445 and ASME VIII practice, from memory)"
)


@dataclass(frozen=True)
class PanelLoad:
    """The worst panel of a face at a pressure. Sides mm; `bears_kpa` is where stress reaches 0.9 of yield at the weld."""

    face: str
    short_mm: float
    long_mm: float
    result: PanelResult
    bears_kpa: float


@dataclass(frozen=True)
class Strength:
    """Panels at the test pressure, worst first, and what the weakest bears."""

    pressure_kpa: float
    panels: tuple[PanelLoad, ...]
    sheet: Sheet

    @property
    def worst(self) -> PanelLoad:
        """The panel nearest its limit."""
        return self.panels[0]

    @property
    def bears(self) -> Figure:
        """Pressure that the weakest panel bears."""
        w, m = self.worst, self.sheet.material
        free = loose_bulge_mm(w.short_mm, w.long_mm, self.sheet.thickness_mm, self.pressure_kpa, m.modulus, m.poisson)
        loose = f" (edges free to turn: {free:.2f} mm)" if free is not None else ""
        working = (
            f"{w.face}, {w.short_mm:.0f} × {w.long_mm:.0f} mm: at {self.pressure_kpa:.1f} kPa bulges "
            f"{w.result.bulge_mm:.2f} mm{loose}, {w.result.stress_mpa:.0f} MPa; bears {w.bears_kpa:.1f} kPa"
        )
        return Figure("Panels bear", w.bears_kpa, "pressure", LARGE, working)


def largest_panel(face: Face, baffles: tuple[Baffle, ...]) -> tuple[float, float]:
    """(short, long) sides of the largest rectangle that baffles leave of the face's bounding rectangle, mm.

    A face that is not a rectangle is taken as the rectangle round it, which overstates its bulge.
    """
    outline = face.outline
    size = np.ptp(outline, axis=0)
    _, u, v = face.frame
    sides = []
    for direction, extent in ((u, float(size[0])), (v, float(size[1]))):
        axis = int(np.argmax(np.abs(direction)))
        name = ("x", "y", "z")[axis]
        slope = abs(float(direction[axis]))
        low = float(face.loop[:, axis].min())
        stops = [0.0, *sorted((b.at_mm - low) / slope for b in baffles if b.axis == name), extent]
        inside = [s for s in stops if 0 <= s <= extent]
        sides.append(max(b - a for a, b in itertools.pairwise(inside)))
    short, long = sorted(sides)
    return short, long


@lru_cache(maxsize=256)
def bears_kpa(short_mm: float, long_mm: float, sheet: Sheet) -> float:
    """Pressure at which a panel's stress reaches 0.9 of its yield at the weld, by bisection to 0.01 kPa."""
    m, t = sheet.material, sheet.thickness_mm
    limit, k = TEST_STRESS_SHARE * m.yield_weld, held(short_mm, long_mm, m.poisson)

    def stress(kpa: float) -> float:
        return respond(k, short_mm, t, kpa, m.modulus, m.poisson).stress_mpa

    low, high = 0.0, 1.0
    while stress(high) < limit and high < 1e6:
        low, high = high, high * 2
    while high - low > 0.01:
        middle = (low + high) / 2
        low, high = (middle, high) if stress(middle) < limit else (low, middle)
    return low


def strength(shell: Shell, baffles: tuple[Baffle, ...], sheet: Sheet, pressure_kpa: float) -> Strength:
    """Every face's largest panel at `pressure_kpa`, weakest first."""
    m = sheet.material
    loads = []
    for face in shell.faces:
        short, long = largest_panel(face, baffles)
        result = panel(short, long, sheet.thickness_mm, pressure_kpa, m.modulus, m.poisson)
        loads.append(PanelLoad(face.id, short, long, result, bears_kpa(round(short, 1), round(long, 1), sheet)))
    return Strength(pressure_kpa, tuple(sorted(loads, key=lambda load: load.bears_kpa)), sheet)
