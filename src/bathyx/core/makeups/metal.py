"""Metal that blanks take: the length that is cut, and the stock sheets with their mass."""

from __future__ import annotations

import numpy as np

from bathyx.core.material import Sheet
from bathyx.core.sheet.cutting.cut_plan import Cutting, cut_plan, parts_of
from bathyx.core.sheet.cutting.nest import NestError, by_thickness, nest, pieces_of
from bathyx.core.sheet.flat.blank import Blank

SHEARED, RACK_S = Cutting(shear=True, kerf_mm=0.0, margin_mm=0.0), 0.3


def border_mm(blank: Blank) -> float:
    """Length of a blank's border, mm: what is cut of it."""
    ring = blank.outline.faceted
    return float(np.linalg.norm(ring - np.roll(ring, -1, axis=0), axis=1).sum())


def sheets_of(
    blanks: tuple[Blank, ...], sheet: Sheet, offcuts: tuple[tuple[float, float], ...] = ()
) -> tuple[int | None, float]:
    """(new stock sheets of every thickness, their mass kg). A thickness with a blank that is on no sheet weighs as its blanks do.

    The count is then None; the other thicknesses still weigh as whole sheets.
    """
    count: int | None = 0
    mass = 0.0
    for t, mine in by_thickness(blanks).items():
        own = Sheet(sheet.material, t)
        try:
            if offcuts and t == sheet.thickness_mm:
                laid = cut_plan(parts_of(mine), own.material.stock, offcuts, SHEARED, RACK_S)
                new = [used.size for used in laid.sheets if not used.offcut]
            else:
                nested = nest(pieces_of(mine), own.material.stock)
                new = [nested.stock] * nested.sheets
        except NestError:
            count, mass = None, mass + sum(own.mass_kg(b.area_mm2) for b in mine)
            continue
        count = None if count is None else count + len(new)
        mass += sum(own.mass_kg(a * b) for a, b in new)
    return count, mass
