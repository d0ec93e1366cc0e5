"""Sheet stock from sheets.toml. A sheet is named material/thickness, as in `5083/3` or `304/1.5`."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from functools import cache
from importlib.resources import files


class SheetError(ValueError):
    """No such sheet; the message names what there is."""


@dataclass(frozen=True)
class SheetMaterial:
    """One material. Density kg/m3, modulus and yields MPa, thicknesses and stock sizes mm, price per kg."""

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
    def bend_radius_mm(self) -> float:
        """Usual inside bend radius for this thickness."""
        return self.material.bend_radius_t * self.thickness_mm

    def mass_kg(self, area_mm2: float) -> float:
        """Mass of flat `area_mm2` of this sheet."""
        return area_mm2 * self.thickness_mm * 1e-9 * self.material.density


@cache
def materials() -> dict[str, SheetMaterial]:
    """Every material of the table by key."""
    rows = tomllib.loads(files(__package__).joinpath("sheets.toml").read_text("utf-8"))
    return {
        key: SheetMaterial(
            key=key, **(row | {"thicknesses": tuple(row["thicknesses"]), "stock": tuple(map(tuple, row["stock"]))})
        )
        for key, row in rows.items()
    }


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
    if value not in known[key].thicknesses:
        offered = ", ".join(f"{t:g}" for t in known[key].thicknesses)
        raise SheetError(f"{known[key].name} is not stocked in {value:g} mm; there are {offered} mm")
    return key, value


@cache
def sheet(name: str) -> Sheet:
    """The sheet called `name`, like `5083/3`; SheetError that names what there is."""
    key, thickness = parse_sheet(name)
    return Sheet(materials()[key], thickness)
