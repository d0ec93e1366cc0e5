"""Welds of plastic sheet: the groove of each joint, its root and its passes, rod in metres and grams."""

from __future__ import annotations

import math
from dataclasses import dataclass

from bathyx.core.formula import formula
from bathyx.core.material import Sheet
from bathyx.core.sheet.makeup.preparation import Preparation
from bathyx.core.sheet.makeup.seams import Seam
from bathyx.core.sheet.makeup.skins import Skins

ROD = formula(
    "plastic.rod",
    "Rod of a weld in plastic sheet",
    "m = A · L · density · 1.15; A: V of 60° t² tan 30° + g t, double V half of that, corner groove t²/2, fillet a² with "
    "a = 0.7 t; passes = root + (1.1 A − root) / rod",
    source="Geometry of the grooves; forms of DVS 2205-3 and rods of DVS 2207-3, from memory; two or three passes: common practice",
    valid="sheet of 2 to 20 mm, hot gas with round and triangular rod, or one bead by extrusion",
    check="tests/core/test_plastic.py",
    tolerance="±20 % of the rod: caps, stubs and gaps differ by hand",
)
GAP_MM, CAP, STUBS, FILLET, INSIDE = 1.0, 1.1, 1.15, 0.7, 0.5
ROOT_MM2 = math.pi * 3.0**2 / 4
# (to sheet of mm, name, area mm²): triangular rods are 0.35 of their width squared, flat back and two sides at 80°.
FILLS = ((4.0, "triangular 5", 8.75), (7.0, "triangular 5", 8.75), (99.0, "triangular 7", 17.15))
ROUNDS = ((4.0, "round 3", ROOT_MM2), (99.0, "round 4", math.pi * 4.0**2 / 4))
EXTRUDED_MM = 6.0


@dataclass(frozen=True)
class RodWeld:
    """A weld: seam, title and joint, its groove in words, its length (mm), section (mm²) and passes of each side, rod in m and g;
    `process` as in PROCESSES."""

    id: str
    title: str
    joint: str
    form: str
    process: str
    length_mm: float
    areas_mm2: tuple[float, ...]
    passes: tuple[int, ...]
    fill: str
    rod_m: float
    rod_g: float

    @property
    def said(self) -> str:
        """Passes in words."""
        if self.process == "fusion":
            return f"{self.form}: no rod"
        if self.process == "extrusion":
            return f"{self.form}: one bead a side"
        sides = " and ".join(
            f"a root of round 3 and {n - 1} of {self.fill}" if n > 1 else "a run of round 3" for n in self.passes
        )
        return f"{self.form}: {sides}"


def groove(joint: str, t: float, *, both_sides: bool = False) -> tuple[str, tuple[float, ...]]:
    """(form in words, section of the weld on each side that is welded, mm²).

    Args:
        joint: its name; a butt, a corner, or what is welded with fillets.
        t: thinner sheet, mm.
        both_sides: it is welded inside too.

    >>> groove("corner", 8.0)
    ("the corner's own groove", (32.0,))
    """
    slope = math.tan(math.radians(30))
    if joint in ("butt", "backed"):
        if both_sides and joint == "butt":
            half = (t / 2) ** 2 * slope + GAP_MM * t / 2
            return "double V of 60°", (half, half)
        return "V of 60°", (t**2 * slope + GAP_MM * t,)
    if joint == "corner":
        inside = ((INSIDE * t) ** 2,) if both_sides else ()
        return "the corner's own groove" + (", a fillet inside" if both_sides else ""), (t**2 / 2, *inside)
    if joint == "stitch":
        return "fillets", ((INSIDE * t) ** 2,)
    legs = (FILLET * t) ** 2
    return ("double fillet", (legs, legs)) if both_sides else ("fillet", (legs,))


def weld_of(seam: Seam, t: float, sheet: Sheet, process: str, *, both_sides: bool) -> RodWeld:
    """Rod and passes of one seam.

    Args:
        seam: of the list, a baffle's or a ring's.
        t: thinner sheet there, mm.
        sheet: of the tank: density of its rod.
        process: hot_gas, extrusion, or fusion of a butt.
        both_sides: corners are welded inside too.
    """
    form, areas = groove(seam.joint, t, both_sides=both_sides)
    mass = sum(areas) * seam.length_mm * 1e-6 * sheet.material.density * STUBS  # mm³ · 1e-9 · kg/m³ · 1000 g
    if process == "fusion":
        form = "faces planed, heated tool"
        return RodWeld(seam.id, seam.title, seam.joint, form, process, seam.length_mm, (), (), "", 0.0, 0.0)
    if process == "extrusion":
        return RodWeld(seam.id, seam.title, seam.joint, form, process, seam.length_mm, areas, tuple(1 for _ in areas),
                       "extruded", 0.0, mass)  # fmt: skip
    table = ROUNDS if seam.joint in ("butt", "backed") else FILLS
    name, rod_mm2 = next((name, area) for limit, name, area in table if t <= limit)
    passes = tuple(1 + max(0, math.ceil((CAP * area - ROOT_MM2) / rod_mm2 - 1e-9)) for area in areas)
    return RodWeld(seam.id, seam.title, seam.joint, form, process, seam.length_mm, areas, passes, name,
                   sum(passes) * seam.length_mm / 1000 * STUBS, mass)  # fmt: skip


def rods(seams: tuple[Seam, ...], skins: Skins, sheet: Sheet, process: str, *, both_sides: bool) -> tuple[RodWeld, ...]:
    """Every weld of a tank in plastic, in the seams' order.

    Args:
        seams: shell, baffles and rings.
        skins: thickness of the panels.
        sheet: of the tank.
        process: hot_gas, extrusion or fusion; thin sheet is welded with hot gas all the same, and of fusion all but butts.
        both_sides: corners are welded inside too.
    """
    found = []
    for seam in seams:
        thick = [skins.of(name) for edge in seam.edges[:1] for name in (edge.a, edge.b)] or [skins.base_mm]
        own = process if min(thick) >= EXTRUDED_MM else "hot_gas"
        if process == "fusion":
            own = "fusion" if seam.joint == "butt" else "hot_gas"
        found.append(weld_of(seam, min(thick), sheet, own, both_sides=both_sides))
    return tuple(found)


def prepared_plastic(joint: str, t: float, *, both_sides: bool) -> Preparation:
    """How the edges of a joint are made ready.

    Args:
        joint: its name.
        t: thinner sheet, mm.
        both_sides: it is welded inside too.
    """
    form, areas = groove(joint, t, both_sides=both_sides)
    table = ROUNDS if joint in ("butt", "backed") else FILLS
    rod = next(area for limit, _, area in table if t <= limit)
    passes = sum(1 + max(0, math.ceil((CAP * area - ROOT_MM2) / rod - 1e-9)) for area in areas)
    if joint in ("butt", "backed"):
        return Preparation(f"{form}, scraped", 30.0, 0.5, GAP_MM, passes)
    return Preparation(f"{form}, scraped", 0.0, 0.0, 0.0, passes)
