"""Fluids from fluids.toml, and which sheet group suits each."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from bathyx.core.material.sheets import GROUPS
from bathyx.core.tables import Table
from bathyx.errors import Refusal


@dataclass(frozen=True, eq=False)
class Fluid:
    """One fluid. Density kg/m3 at 15 degC, volume expansion per kelvin; `suits` and `why` by sheet group."""

    key: str
    name: str
    density: float
    expansion: float
    flammable: bool
    fuel: bool
    source: str
    suits: dict[str, str]
    why: dict[str, str]
    watery: bool = False
    petrol_like: bool = False
    hot_c: float = 40.0
    densities: tuple[tuple[float, float], ...] = ()

    def swell(self, warm_up_k: float, from_c: float = 15.0) -> float:
        """Share by which the fluid swells when it warms: from tabled densities where there are some, else exp(β ΔT) − 1."""
        if self.densities:
            t, rho = zip(*self.densities, strict=True)
            return float(np.interp(from_c, t, rho) / np.interp(from_c + warm_up_k, t, rho) - 1)
        return math.expm1(self.expansion * warm_up_k)


def _fluid(key: str, row: dict[str, Any]) -> Fluid:
    if unsaid := [group for group in GROUPS if group not in row["suits"]]:
        raise Refusal(f"suits says nothing of {unsaid[0]}; each of {', '.join(GROUPS)} is yes, care or no")
    for group, verdict in row["suits"].items():
        if group not in GROUPS or verdict not in ("yes", "care", "no"):
            raise Refusal(f"suits has {group} = {verdict!r}; each of {', '.join(GROUPS)} is yes, care or no")
        if verdict != "yes" and group not in row["why"]:
            raise Refusal(f"suits has {group} = {verdict!r}; why needs the reason")
    return Fluid(key=key, **(row | {"densities": tuple(map(tuple, row.get("densities", ())))}))


FLUIDS = Table(
    __package__, "fluids", Fluid, _fluid, {"fluid": ("{key}",)},
    {
        "density": (300, 3000, "kg/m3"), "expansion": (0, 0.005, "per kelvin"), "hot_c": (-50, 300, "°C"),
        "densities": (-100, 3000, ""),
    },
)  # fmt: skip


def fluids() -> dict[str, Fluid]:
    """Every fluid of the table by key, the shop's own among them."""
    return FLUIDS.rows()


def fluid(key: str) -> Fluid:
    """The fluid called `key`; Refusal that names what there is."""
    try:
        return fluids()[key]
    except KeyError:
        raise Refusal(f"no fluid {key!r}; there are {', '.join(fluids())}") from None
