"""Fluids from fluids.toml, and which sheet group suits each."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from functools import cache
from importlib.resources import files


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


@cache
def fluids() -> dict[str, Fluid]:
    """Every fluid of the table by key."""
    rows = tomllib.loads(files(__package__).joinpath("fluids.toml").read_text("utf-8"))
    return {key: Fluid(key=key, **row) for key, row in rows.items()}


def fluid(key: str) -> Fluid:
    """The fluid called `key`; ValueError that names what there is."""
    try:
        return fluids()[key]
    except KeyError:
        raise ValueError(f"no fluid {key!r}; there are {', '.join(fluids())}") from None
