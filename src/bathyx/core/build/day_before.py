"""What a tank takes besides sheet: arc time, gas, rod, tungsten, discs, solvent; and what of it is short."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from bathyx.core.evaluate import Evaluation
from bathyx.core.formula import formula
from bathyx.core.making import making_of
from bathyx.core.material import Sheet
from bathyx.core.sheet.cutting.nest import NestError, by_thickness, nest, pieces_of
from bathyx.core.units import Family, Said, mm, worded
from bathyx.core.units.quantity import KG_PER_LB, L_PER_US_GAL

NEEDS = formula(
    "build.needs",
    "What the day takes",
    "arc time = weld / speed; gas = arc time × flow × 1.25, × 1.5 to purge stainless; rod = weld × 0.7 t² × density × 1.15",
    source="Engineering estimate: 100 mm a minute by hand, 10 L of argon a minute, a fillet of leg t with its cap, stubs thrown "
    "away; running out costs a day, common practice",
    valid="hand TIG on sheet of 1.5 to 6 mm; plastics by their own grooves and rods",
    check="tests/core/test_day_before.py: sums by hand",
    tolerance="a half either way: it says what to have on the shelf, not what is used",
)

GASKET_SPARE = 1.05
# Of one US unit in the metric one that amounts are kept in.
US = {
    "kg": (KG_PER_LB, "lb"),
    "m": (0.3048, "ft"),
    "m²": (0.3048**2, "sq ft"),
    "m³": (0.3048**3, "cu ft"),
    "L": (L_PER_US_GAL, "US gal"),
}


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

    def lacking(self, units: Family = Family.METRIC) -> str:
        """What is missing, in words; nothing where there is enough.

        Args:
            units: metric or US.
        """
        if not self.short or self.at_hand is None:
            return ""
        return f"{worded(self.title, units)}: needs {self._shown(self.amount, units)}, there are {self._shown(self.at_hand, units)}"

    def said(self, units: Family = Family.METRIC) -> str:
        """The line in words.

        Args:
            units: metric or US.
        """
        there = "" if self.at_hand is None else f", {self._shown(self.at_hand, units)} at hand"
        return f"{worded(self.title, units)}: {self._shown(self.amount, units)}{there}"

    def _shown(self, amount: float, units: Family) -> str:
        """An amount with its unit, with more places where it is small."""
        us = units.us and self.unit in US
        size, sign = US[self.unit] if us else (1.0, "" if self.unit == "pieces" else self.unit)
        value = amount / size
        places = 0 if self.unit in ("pieces", "min") else 2 if abs(value) < 1 else 1
        number = f"{value:g}" if self.unit == "pieces" else f"{value:.{places}f}"
        return f"{number} {sign}".rstrip()


def needs(e: Evaluation, at_hand: Mapping[str, float] | None = None) -> tuple[Need, ...]:
    """What a tank takes.

    Args:
        e: the evaluated job.
        at_hand: by `what`: `sheets`, `gas_m3`, `filler_kg`, `tungsten`, `discs`, `solvent_l`.
    """
    r, there = e.results, at_hand or {}
    sheet = r.sheet
    weld = sum(s.length_mm for s in r.seams) + (
        sum(s.length_mm for s in r.seams if s.joint == "corner") if e.job.makeup.both_sides else 0.0
    )
    weld += sum(f.weld_mm for f in e.job.inside.fittings)
    groups = by_thickness(r.blanks)
    try:
        sheets = sum(nest(pieces_of(mine), sheet.material.stock).sheets for mine in groups.values())
    except NestError:
        sheets = 0
    rows: list[tuple[str, str, float, str]] = []
    for thick, mine in groups.items():
        own = Sheet(sheet.material, thick)
        key = "sheet_kg" if own == sheet else f"sheet_kg_{thick:g}"
        rows.append((key, Said(f"Sheet, {own.said}"), sum(own.mass_kg(b.area_mm2) for b in mine), "kg"))
    if sheets:
        rows.append(("sheets", "Stock sheets", sheets, "pieces"))
    rows += making_of(sheet).stuff(e.job, r, weld)
    for lid in (lid for lid in r.lids if lid.whole):
        rows.append(
            (f"screws_{lid.face}", f"Screws M{lid.screw_mm:g} with washers, {lid.face}", len(lid.spots), "pieces")
        )
        title = Said(f"Gasket {mm(lid.gasket_mm, None)} thick, {mm(lid.flange_mm + lid.wall_mm)} wide, {lid.face}")
        rows.append((f"gasket_{lid.face}_m", title, GASKET_SPARE * lid.line_mm / 1000, "m"))
    return tuple(Need(what, Said(title), amount, unit, there.get(what)) for what, title, amount, unit in rows)
