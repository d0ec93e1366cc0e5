"""Fluids from fluids.toml, and which sheet group suits each."""

from __future__ import annotations

import math
import tomllib
from dataclasses import dataclass
from functools import cache
from importlib.resources import files

import numpy as np

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


@cache
def fluids() -> dict[str, Fluid]:
    """Every fluid of the table by key."""
    rows = tomllib.loads(files(__package__).joinpath("fluids.toml").read_text("utf-8"))
    return {
        key: Fluid(key=key, **(row | {"densities": tuple(map(tuple, row.get("densities", ())))}))
        for key, row in rows.items()
    }


def fluid(key: str) -> Fluid:
    """The fluid called `key`; Refusal that names what there is."""
    try:
        return fluids()[key]
    except KeyError:
        raise Refusal(f"no fluid {key!r}; there are {', '.join(fluids())}") from None
