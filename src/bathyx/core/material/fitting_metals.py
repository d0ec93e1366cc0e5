"""What fittings are made of, from fitting_metals.toml, and what they must not touch."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from bathyx.core.tables import Table


@dataclass(frozen=True, eq=False)
class FittingMetal:
    """One material of fittings; `sheets` by sheet group and `fluids` by fluid key: (no or care, why)."""

    key: str
    name: str
    source: str
    sheets: dict[str, tuple[str, str]] = field(default_factory=dict)
    fluids: dict[str, tuple[str, str]] = field(default_factory=dict)


def _metal(key: str, row: dict[str, Any]) -> FittingMetal:
    def pairs(name: str) -> dict[str, tuple[str, str]]:
        return {of: (str(verdict), str(why)) for of, (verdict, why) in row.get(name, {}).items()}

    return FittingMetal(key, row["name"], row["source"], pairs("sheets"), pairs("fluids"))


METALS = Table(__package__, "fitting_metals", FittingMetal, _metal, {"metal": ("{key}",)}, {})


def fitting_metals() -> dict[str, FittingMetal]:
    """Every fitting material by key, the shop's own among them."""
    return METALS.rows()
