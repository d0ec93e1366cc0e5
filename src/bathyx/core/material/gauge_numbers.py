"""Gauge numbers of steel sheet, where the trade in inches orders by them.

The US Standard Gauge is a weight of wrought iron, in 640ths of 40 lb a square foot and inch: its inches stand for stainless sheet.
The Manufacturers' Standard Gauge takes steel at 41.82 lb a square foot and inch. Aluminium is ordered in decimals here.
"""

from __future__ import annotations

IN_640THS = {
    7: 120, 8: 110, 9: 100, 10: 90, 11: 80, 12: 70, 13: 60, 14: 50, 15: 45,
    16: 40, 17: 36, 18: 32, 19: 28, 20: 24, 22: 20, 24: 16, 26: 12,
}  # fmt: skip
SHARE = {"stainless": 1.0, "steel": 40.0 / 41.82}
NEAR, INCH_MM = 0.03, 25.4


def gauge_number(group: str, thickness_mm: float) -> int | None:
    """The gauge whose thickness is within 3 % of a sheet's; None where there is none, or the metal is not ordered by gauge.

    Args:
        group: of the material, `steel` or `stainless`.
        thickness_mm: of the sheet.

    Source: US Standard Gauge of 1893 and Manufacturers' Standard Gauge, from memory.
    """
    share = SHARE.get(group)
    if share is None:
        return None
    inches = {number: share * many / 640 for number, many in IN_640THS.items()}
    best = min(inches, key=lambda number: abs(inches[number] * INCH_MM / thickness_mm - 1))
    return best if abs(inches[best] * INCH_MM / thickness_mm - 1) <= NEAR else None
