"""What fittings are made of, from fitting_metals.toml, and what they must not touch."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass, field
from functools import cache
from importlib.resources import files
from typing import Any


@dataclass(frozen=True, eq=False)
class FittingMetal:
    """One material of fittings; `sheets` by sheet group and `fluids` by fluid key: (no or care, why)."""

    key: str
    name: str
    source: str
    sheets: dict[str, tuple[str, str]] = field(default_factory=dict)
    fluids: dict[str, tuple[str, str]] = field(default_factory=dict)


@cache
def fitting_metals() -> dict[str, FittingMetal]:
    """Every fitting material by key."""
    rows = tomllib.loads(files(__package__).joinpath("fitting_metals.toml").read_text("utf-8"))

    def pairs(row: dict[str, Any], name: str) -> dict[str, tuple[str, str]]:
        return {key: (str(verdict), str(why)) for key, (verdict, why) in row.get(name, {}).items()}

    return {
        key: FittingMetal(key, row["name"], row["source"], pairs(row, "sheets"), pairs(row, "fluids"))
        for key, row in rows.items()
    }
