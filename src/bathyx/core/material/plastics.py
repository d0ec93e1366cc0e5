"""Plastics from plastics.toml: how each is joined and bent hot, how it creeps, how much it grows when it warms."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

from bathyx.core.formula import formula
from bathyx.core.tables import Table
from bathyx.errors import Refusal

PROCESSES = {"hot_gas": "hot gas", "extrusion": "extrusion", "fusion": "heated tool for butts"}
CREEP = formula(
    "plastic.creep",
    "Stiffness of a plastic for years",
    "log E between the table's temperatures, and over log time between its years",
    source="Creep modulus curves of DVS 2205-1, from memory",
    valid="1 to 25 years, 20 °C to the hottest of its row; stresses up to a quarter of the yield",
    check="tests/core/test_plastic.py",
    tolerance="±25 %, ±30 % for PP-C",
)
GROWS = formula(
    "plastic.grows",
    "A plastic grows when it warms",
    "ΔL = a · L · ΔT",
    source="Linear expansion; 0.15 mm a metre and kelvin for polypropylene, DVS 2205-2, from memory",
    valid="−20 to 60 °C",
    check="tests/core/test_plastic.py",
    tolerance="±15 % of the growth",
)


@dataclass(frozen=True)
class Plastic:
    """What a plastic asks beside its sheet's row; units as in plastics.toml."""

    key: str
    gas_c: tuple[float, float]
    gas_l_min: tuple[float, float]
    round_mm_min: tuple[float, float]
    quick_mm_min: tuple[float, float]
    force_n: tuple[float, float]
    factor_short: dict[str, float]
    factor_long: dict[str, float]
    bend_c: tuple[float, float]
    heat_min_mm: float
    overbend_deg: float
    grows: float
    creep_modulus: tuple[tuple[float, float, float], ...]
    fumes: str
    source: str
    fusion_c: tuple[float, float] | None = None
    fusion_s_mm: float = 0.0

    def modulus_at(self, hot_c: float, years: float) -> float:
        """Creep modulus, MPa, at a heat and after so many years; beyond the table as at its end.

        Args:
            hot_c: degC.
            years: under the load; a tenth at the least.
        """
        heats = sorted({c for c, _, _ in self.creep_modulus})
        at = min(max(hot_c, heats[0]), heats[-1])
        low = max(c for c in heats if c <= at)
        high = min(c for c in heats if c >= at)
        a, b = self._over_time(low, years), self._over_time(high, years)
        share = (at - low) / (high - low) if high > low else 0.0
        return math.exp(a + share * (b - a))

    def _over_time(self, heat: float, years: float) -> float:
        """log E at a heat of the table; straight over log time, and before its first year as between the first two."""
        rows = sorted((math.log(y), math.log(e)) for c, y, e in self.creep_modulus if c == heat)
        x = min(math.log(max(years, 0.1)), rows[-1][0])
        (x0, y0), (x1, y1) = next((pair for pair in pairwise(rows) if x <= pair[1][0]), (rows[-2], rows[-1]))
        return y0 + (x - x0) / (x1 - x0) * (y1 - y0)


def _plastic(key: str, row: dict[str, Any]) -> Plastic:
    two = ("gas_c", "gas_l_min", "round_mm_min", "quick_mm_min", "force_n", "bend_c")
    for name in two:
        if len(row[name]) != 2 or not row[name][0] <= row[name][1]:
            raise Refusal(f"{name} is {row[name]}; it should be the least and the most, like [300, 340]")
    for name in ("factor_short", "factor_long"):
        if odd := [p for p, f in row[name].items() if p not in PROCESSES or not 0 < f <= 1]:
            raise Refusal(f"{name} has {odd[0]}; it is of {' and '.join(PROCESSES)}, from 0 to 1")
    if "fusion_c" in row:
        if len(row["fusion_c"]) != 2 or not row.get("fusion_s_mm", 0) > 0:
            raise Refusal("fusion_c is the least and the most, like [200, 220], and goes with fusion_s_mm, like 25")
        row = row | {"fusion_c": (float(row["fusion_c"][0]), float(row["fusion_c"][1]))}
    heats = [c for c, _, _ in row["creep_modulus"]]
    if not heats or any(heats.count(c) < 2 for c in heats):
        raise Refusal("creep_modulus needs two times at least for each temperature")
    pairs = {name: (float(row[name][0]), float(row[name][1])) for name in two}
    rows = tuple((float(c), float(y), float(e)) for c, y, e in row["creep_modulus"])
    return Plastic(key=key, **(row | pairs | {"creep_modulus": rows}))


PLASTICS = Table(
    __package__, "plastics", Plastic, _plastic, {"sheet": ("{key}/",)},
    {
        "gas_c": (150, 700, "°C"), "gas_l_min": (5, 500, "L/min"), "round_mm_min": (10, 2000, "mm/min"),
        "quick_mm_min": (10, 5000, "mm/min"), "force_n": (0, 500, "N"), "bend_c": (60, 400, "°C"),
        "fusion_c": (100, 400, "°C"), "fusion_s_mm": (1, 100, "s/mm"), "heat_min_mm": (0.05, 10, "min"),
        "overbend_deg": (0, 45, "°"), "grows": (0.005, 0.5, "mm a metre and kelvin"), "creep_modulus": (0.1, 200_000, ""),
    },
)  # fmt: skip


def plastics() -> dict[str, Plastic]:
    """Every plastic by the key of its sheet."""
    return PLASTICS.rows()


def plastic(key: str) -> Plastic:
    """The plastic of a sheet's key. Refusal that says what is missing."""
    found = plastics().get(key)
    if found is None:
        raise Refusal(f"nothing is known of how {key} is welded and bent; there are {', '.join(plastics())}")
    return found
