"""Sheet stock from sheets.toml. A sheet is named material/thickness, as in `5083/3` or `304/1.5`."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Any

from bathyx.core.material.gauge_numbers import gauge_number
from bathyx.core.tables import FORGET, Table
from bathyx.core.units import Family, show, thick
from bathyx.errors import Refusal

GROUPS = ("aluminium", "stainless", "steel", "plastic", "laminate")


class SheetError(Refusal):
    """No such sheet; the message names what there is."""


@dataclass(frozen=True)
class SheetMaterial:
    """One material. Density kg/m3, modulus and yields MPa, thicknesses and stock sizes mm, price per kg.

    `bands` are (above mm, yield delivered, yield at the weld, bend radius in t) for thicker sheet. `creep` and `creep_weld`
    are what a plastic bears for years, MPa, where that is less; `hottest_c` is where the alloy stops being suitable. `made`:
    to any thickness between its least and most; `join_kg_m`: of a metre of joint and side, where that is no weld metal;
    `joined`: how, where that is not as its group usually is.
    """

    key: str
    name: str
    group: str
    thicknesses: tuple[float, ...]
    density: float
    modulus: float
    poisson: float
    yield_delivered: float
    yield_weld: float
    bend_radius_t: float
    k_factor: float
    price_per_kg: float
    stock: tuple[tuple[float, float], ...]
    filler: str
    source: str
    bands: tuple[tuple[float, float, float, float], ...] = ()
    creep: float | None = None
    creep_weld: float | None = None
    hottest_c: float | None = None
    made: bool = False
    join_kg_m: float | None = None
    joined: str = ""

    def _band(self, thickness_mm: float) -> tuple[float, float, float]:
        found = (self.yield_delivered, self.yield_weld, self.bend_radius_t)
        for above, *values in self.bands:
            if thickness_mm > above + 1e-9:
                found = (values[0], values[1], values[2])
        return found

    def yield_at(self, thickness_mm: float, *, weld: bool) -> float:
        """Least yield of sheet this thick, MPa, beside a weld or away from it."""
        return self._band(thickness_mm)[1 if weld else 0]

    def lasting(self, thickness_mm: float, *, weld: bool, hot_c: float = 20.0) -> float:
        """Stress to count on for years, MPa: the yield, or for plastics what creep leaves of it at its working heat.

        Args:
            thickness_mm: of the sheet.
            weld: beside a weld or away from it.
            hot_c: the warmest it is for long.
        """
        crept = self.creep_weld if weld else self.creep
        return self.yield_at(thickness_mm, weld=weld) if crept is None else crept * self.warm_share(hot_c)

    def warm_share(self, hot_c: float) -> float:
        """What is left of a plastic's strength for years at a heat, of that at 20 degC; 1 for metals.

        Half at 60 degC and straight between, no more above than a quarter at 80: after the creep curves of DVS 2205-1 for
        polypropylene and polyethylene, from memory; ±15 %.
        """
        if self.creep is None or self.group != "plastic" or hot_c <= 20:
            return 1.0
        return max(0.1, 1.0 - (hot_c - 20.0) / 80.0)

    def radius_at(self, thickness_mm: float) -> float:
        """Least inside bend radius for 90 degrees, mm."""
        return self._band(thickness_mm)[2] * thickness_mm


@dataclass(frozen=True)
class Sheet:
    """A material in one thickness."""

    material: SheetMaterial
    thickness_mm: float

    @property
    def key(self) -> str:
        """The name that the document carries, `5083/3`."""
        return f"{self.material.key}/{self.thickness_mm:g}"

    @property
    def name(self) -> str:
        """The name for people."""
        return f"{self.thickness_mm:g} mm {self.material.name}"

    @property
    def said(self) -> str:
        """The name, for a sentence in either unit family."""
        return f"{thick(self.thickness_mm)} {self.material.name}"

    def shown(self, units: Family) -> str:
        """The name in a unit family; in US units with the gauge that steel is ordered by, where one is near."""
        gauge = gauge_number(self.material.group, self.thickness_mm) if units.us else None
        near = f" ({gauge} ga)" if gauge is not None else ""
        return f"{show(self.thickness_mm, 'thickness', units)}{near} {self.material.name}"

    @property
    def bend_radius_mm(self) -> float:
        """Usual inside bend radius for this thickness."""
        return self.material.radius_at(self.thickness_mm)

    def mass_kg(self, area_mm2: float) -> float:
        """Mass of flat `area_mm2` of this sheet."""
        return area_mm2 * self.thickness_mm * 1e-9 * self.material.density


def _frozen(value: object) -> object:
    return tuple(value) if isinstance(value, list) else value


def _material(key: str, row: dict[str, Any]) -> SheetMaterial:
    if row["group"] not in GROUPS:
        raise SheetError(f"group is {row['group']!r}; it should be one of {', '.join(GROUPS)}")
    if not row["thicknesses"] or not row["stock"]:
        raise SheetError("it needs a thickness and a size of sheet at least")
    lists: dict[str, Any] = {
        name: tuple(map(_frozen, row[name])) for name in ("thicknesses", "stock", "bands") if name in row
    }
    return SheetMaterial(key=key, **(row | lists))


SHEETS = Table(
    __package__, "sheets", SheetMaterial, _material, {"sheet": ("{key}/",)},
    {
        "thicknesses": (0.3, 60, "mm"), "density": (300, 20_000, "kg/m3"), "modulus": (50, 450_000, "MPa"), "poisson": (0, 0.5, ""),
        "yield_delivered": (1, 3000, "MPa"), "yield_weld": (1, 3000, "MPa"), "bend_radius_t": (0, 20, "thicknesses"),
        "k_factor": (0.1, 0.6, ""), "price_per_kg": (0, 100_000, ""), "stock": (100, 12_000, "mm"), "bands": (0, 3000, ""),
        "creep": (0.1, 3000, "MPa"), "creep_weld": (0.1, 3000, "MPa"), "hottest_c": (-50, 1200, "°C"),
    },
)  # fmt: skip


def materials() -> dict[str, SheetMaterial]:
    """Every material of the table by key, the shop's own among them."""
    return SHEETS.rows()


def parse_sheet(name: str) -> tuple[str, float]:
    """(material key, thickness mm) of `5083/3`; SheetError that names what there is."""
    key, _, thickness = name.partition("/")
    known = materials()
    if key not in known:
        raise SheetError(f"no sheet material {key!r}; there are {', '.join(known)}, written like 5083/3")
    try:
        value = float(thickness)
    except ValueError:
        raise SheetError(f"sheet {name!r} has no thickness; write material/mm, like {key}/3") from None
    if known[key].made:
        low, high = known[key].thicknesses[0], known[key].thicknesses[-1]
        if not low <= value <= high:
            raise SheetError(f"{known[key].name} is laid {low:g} to {high:g} mm thick, not {value:g} mm")
        return key, value
    if value not in known[key].thicknesses:
        offered = ", ".join(f"{t:g}" for t in known[key].thicknesses)
        raise SheetError(f"{known[key].name} is not stocked in {value:g} mm; there are {offered} mm")
    return key, value


@cache
def sheet(name: str) -> Sheet:
    """The sheet called `name`, like `5083/3`; SheetError that names what there is."""
    key, thickness = parse_sheet(name)
    return Sheet(materials()[key], thickness)


FORGET.append(sheet.cache_clear)
