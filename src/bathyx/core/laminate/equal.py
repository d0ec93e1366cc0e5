"""A lay-up as a sheet of one stuff that is as thick, as heavy and as stiff to bend, and begins to fail under the same moment."""

from __future__ import annotations

from dataclasses import replace

from bathyx.core.laminate.layup import LayUp
from bathyx.core.laminate.tabs import tabs
from bathyx.core.material import Sheet

TEST, YEARS, AT_JOINTS = 2 / 3, 0.35, 0.6


def key_of(layup: LayUp) -> str:
    """The name of its sheet in the document."""
    return f"laminate/{layup.made.thick_mm:.2f}".rstrip("0").rstrip(".")


def as_sheet(sheet: Sheet, layup: LayUp | None) -> Sheet:
    """The sheet of a laid-up tank by its own plies; any other as it is.

    Args:
        sheet: of the table.
        layup: plies, resin and core; None for sheet.
    """
    if layup is None or sheet.material.group != "laminate":
        return sheet
    made, m = layup.made, sheet.material
    breaks = made.bends_at_mpa
    resin = made.resin
    core = "" if made.core is None else " on foam"
    return Sheet(
        replace(
            m,
            name=f"{resin.name.lower()} laminate{core}, {len(layup.plies)} plies",
            density=1000 * made.kg_m2 / sheet.thickness_mm,
            modulus=made.bending_mpa,
            yield_delivered=TEST * breaks,
            yield_weld=TEST * AT_JOINTS * breaks,
            creep=YEARS * breaks,
            creep_weld=YEARS * AT_JOINTS * breaks,
            filler=resin.name,
            price_per_kg=resin.price_per_kg,
            join_kg_m=tabs(layup).kg_m,
            source=f"{layup.words}. {m.source}",
        ),
        sheet.thickness_mm,
    )
