"""What a tank takes besides sheet: arc time, gas, rod, tungsten, discs, solvent; and what of it is short."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from bathyx.core.evaluate import Evaluation
from bathyx.core.formula import formula
from bathyx.core.material import Sheet
from bathyx.core.sheet.nest import NestError, by_thickness, nest, pieces_of

NEEDS = formula(
    "build.needs",
    "What the day takes",
    "arc time = weld / speed; gas = arc time × flow × 1.25, × 1.5 to purge stainless; rod = weld × 0.7 t² × density × 1.15",
    source="Engineering estimate: 100 mm a minute by hand, 10 L of argon a minute, a fillet of leg t with its cap, stubs thrown "
    "away; running out costs a day, common practice",
    valid="hand TIG on sheet of 1.5 to 6 mm; plastics: hot air, two passes of rod of 1.5 t²",
    check="tests/core/test_day_before.py: sums by hand",
    tolerance="a half either way: it says what to have on the shelf, not what is used",
)
SPEED_MM_MIN, FLOW_L_MIN, WASTE, PURGE, STUBS = 100.0, 10.0, 1.25, 1.5, 1.15
FILLET_T2, ROD_T2 = 0.7, 1.5
TUNGSTEN_MIN, DISC_M, WIPE_L_M, CLEANER_L_M = 60.0, 4.0, 0.02, 0.05


@dataclass(frozen=True)
class Need:
    """One line: `what` (a key), `title`, how much, its unit, and how much is at hand, where that is known."""

    what: str
    title: str
    amount: float
    unit: str
    at_hand: float | None = None

    @property
    def short(self) -> float:
        """What is missing; 0 where there is enough or nothing is known."""
        return max(0.0, self.amount - self.at_hand) if self.at_hand is not None else 0.0

    def lacking(self) -> str:
        """What is missing, in words; nothing where there is enough."""
        return f"{self.title}: needs {self.amount:.3g} {self.unit}, there are {self.at_hand:g}" if self.short else ""

    def said(self) -> str:
        """The line in words, in metric."""
        if self.unit == "pieces":
            return f"{self.title}: {self.amount:.0f}" + ("" if self.at_hand is None else f", {self.at_hand:g} at hand")
        places = 0 if self.unit == "min" else 2 if self.amount < 1 else 1
        there = "" if self.at_hand is None else f", {self.at_hand:g} at hand"
        return f"{self.title}: {self.amount:.{places}f} {self.unit}{there}"


def needs(e: Evaluation, at_hand: Mapping[str, float] | None = None) -> tuple[Need, ...]:
    """What a tank takes.

    Args:
        e: the evaluated job.
        at_hand: by `what`: `sheets`, `gas_m3`, `filler_kg`, `tungsten`, `discs`, `solvent_l`.
    """
    r, there = e.results, at_hand or {}
    sheet, t = r.sheet, r.sheet.thickness_mm
    plastic = sheet.material.group == "plastic"
    weld = sum(s.length_mm for s in r.seams) + (
        sum(s.length_mm for s in r.seams if s.joint == "corner") if e.job.makeup.both_sides else 0.0
    )
    weld += sum(math.pi * f.ring_od_mm for f in e.job.inside.fittings if f.ring_mm > 0)
    arc = weld / SPEED_MM_MIN
    metres = weld / 1000
    rod = weld * (ROD_T2 if plastic else FILLET_T2) * t**2 * 1e-9 * sheet.material.density * STUBS
    groups = by_thickness(r.blanks)
    try:
        sheets = sum(nest(pieces_of(mine), sheet.material.stock).sheets for mine in groups.values())
    except NestError:
        sheets = 0
    rows: list[tuple[str, str, float, str]] = []
    for thick, mine in groups.items():
        own = Sheet(sheet.material, thick)
        key = "sheet_kg" if own == sheet else f"sheet_kg_{thick:g}"
        rows.append((key, f"Sheet, {own.name}", sum(own.mass_kg(b.area_mm2) for b in mine), "kg"))
    if sheets:
        rows.append(("sheets", "Stock sheets", sheets, "pieces"))
    rows += [("weld_m", "Weld, rings included", metres, "m"), ("arc_min", "Arc time", arc, "min")]
    if not plastic:
        gas = arc * FLOW_L_MIN * WASTE * (PURGE if sheet.material.group == "stainless" else 1.0) / 1000
        rows += [
            ("gas_m3", "Argon", gas, "m³"),
            ("tungsten", "Tungstens", max(1, round(arc / TUNGSTEN_MIN + 0.5)), "pieces"),
        ]
        rows.append(("discs", "Grinding and flap discs", max(1, round(metres / DISC_M + 0.5)), "pieces"))
    rows += [
        ("filler_kg", f"Rod, {sheet.material.filler}", rod, "kg"),
        ("solvent_l", "Solvent, on a rag", metres * WIPE_L_M + 0.1, "L"),
    ]
    if sheet.material.group == "stainless":
        rows.append(("pickle_l", "Pickling paste", metres * CLEANER_L_M, "L"))
    return tuple(Need(what, title, amount, unit, there.get(what)) for what, title, amount, unit in rows)
