"""Cloth, resin and core from their tables: a new one is a new row, in the shop's own file too."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from bathyx.core.tables import Table
from bathyx.errors import Refusal


@dataclass(frozen=True)
class Cloth:
    """A cloth: g/m2 of strands any way and of fibres by angle; share of glass by weight as laid; width of its roll, mm."""

    key: str
    name: str
    mat_g: float
    layers: tuple[tuple[float, float], ...]
    share: float
    roll_mm: float
    source: str

    @property
    def grams(self) -> float:
        """Glass in a square metre, g."""
        return self.mat_g + sum(g for _, g in self.layers)

    @property
    def any_way(self) -> bool:
        """Whether it may be cut in any direction."""
        return not self.layers


@dataclass(frozen=True)
class Resin:
    """A resin as in resins.toml."""

    key: str
    name: str
    density: float
    modulus: float
    poisson: float
    shrinks: float
    price_per_kg: float
    catalyst: tuple[float, float]
    pot_min: tuple[tuple[float, float], ...]
    window_h: tuple[float, float]
    barcol: float
    styrene: bool
    fuels: str
    source: str

    @property
    def fixed(self) -> bool:
        """Whether its hardener has one ratio."""
        return self.catalyst[0] == self.catalyst[1]

    def pot_life_min(self, percent: float, room_c: float) -> float:
        """Minutes until it is too thick to wet cloth, in a cup: by catalyst, half as long for each 10 K more."""
        at, minutes = zip(*sorted(self.pot_min), strict=True)
        base = float(np.exp(np.interp(percent, at, np.log(minutes))))
        return base * float(2.0 ** ((20.0 - room_c) / 10.0))


@dataclass(frozen=True)
class Core:
    """A foam as in cores.toml."""

    key: str
    name: str
    density: float
    modulus: float
    shear_modulus: float
    shear: float
    crush: float
    thicknesses: tuple[float, ...]
    price_per_m2_mm: float
    source: str


def _cloth(key: str, row: dict[str, Any]) -> Cloth:
    layers = tuple((float(angle), float(g)) for angle, g in row["layers"])
    if row["mat_g"] + sum(g for _, g in layers) <= 0:
        raise Refusal("a cloth has glass: mat_g, or layers of [angle, g/m2]")
    return Cloth(key=key, **(row | {"layers": layers}))


def _resin(key: str, row: dict[str, Any]) -> Resin:
    low, high = (float(v) for v in row["catalyst"])
    pot = tuple((float(p), float(m)) for p, m in row["pot_min"])
    if not 0 < low <= high or len(pot) < 2:
        raise Refusal("catalyst is the least and the most %, and pot_min has two times at least")
    if row["fuels"] not in ("yes", "care", "no"):
        raise Refusal(f"fuels is {row['fuels']!r}; it should be yes, care or no")
    least, most = (float(v) for v in row["window_h"])
    return Resin(key=key, **(row | {"catalyst": (low, high), "pot_min": pot, "window_h": (least, most)}))


def _core(key: str, row: dict[str, Any]) -> Core:
    return Core(key=key, **(row | {"thicknesses": tuple(float(t) for t in row["thicknesses"])}))


CLOTHS = Table(
    __package__, "cloth", Cloth, _cloth, {"cloth": ("{key}",)},
    {"mat_g": (0, 5000, "g/m2"), "layers": (-90, 5000, ""), "share": (0.05, 0.85, ""), "roll_mm": (50, 5000, "mm")},
)  # fmt: skip
RESINS = Table(
    __package__, "resins", Resin, _resin, {"resin": ("{key}",)},
    {
        "density": (800, 2000, "kg/m3"), "modulus": (500, 10_000, "MPa"), "poisson": (0.1, 0.5, ""), "shrinks": (0, 0.2, ""),
        "price_per_kg": (0, 1000, ""), "catalyst": (0.1, 100, "%"), "pot_min": (0.1, 1000, ""), "window_h": (0, 1000, "h"),
        "barcol": (0, 100, ""),
    },
)  # fmt: skip
CORES = Table(
    __package__, "cores", Core, _core, {"core": ("{key}",)},
    {
        "density": (10, 1000, "kg/m3"), "modulus": (1, 5000, "MPa"), "shear_modulus": (1, 2000, "MPa"), "shear": (0.05, 50, "MPa"),
        "crush": (0.05, 100, "MPa"), "thicknesses": (1, 200, "mm"), "price_per_m2_mm": (0, 1000, ""),
    },
)  # fmt: skip


def cloths() -> dict[str, Cloth]:
    """Every cloth by key."""
    return CLOTHS.rows()


def resins() -> dict[str, Resin]:
    """Every resin by key."""
    return RESINS.rows()


def cores() -> dict[str, Core]:
    """Every foam by key."""
    return CORES.rows()
