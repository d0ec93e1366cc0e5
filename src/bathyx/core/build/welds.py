"""Usual welding settings for a sheet, and what the log of a seam says about repairs."""

from __future__ import annotations

from dataclasses import dataclass

from bathyx.core.material import Sheet

MOST_REPAIRS = 2


@dataclass(frozen=True)
class WeldSettings:
    """Process, filler, gas and a first current to try, amps; `source` says where from."""

    process: str
    filler: str
    gas: str
    amps: float
    further: str
    source: str


def usual_settings(sheet: Sheet) -> WeldSettings:
    """Where to begin: about 40 A for each mm of steel and 53 A of aluminium."""
    group, t = sheet.material.group, sheet.thickness_mm
    if group == "aluminium":
        return WeldSettings(
            "TIG AC",
            sheet.material.filler,
            "argon",
            round(53 * t / 5) * 5,
            "40 % balance, 120 Hz, 1.6 mm lanthanated tungsten, a little pulse",
            "105 A for 2 mm, 160 A for 3 mm: common practice",
        )
    if group == "plastic":
        return WeldSettings(
            "hot gas",
            sheet.material.filler,
            "clean air",
            0.0,
            "triangular rod in the corner, two or three passes",
            "common practice",
        )
    return WeldSettings(
        "TIG DC",
        sheet.material.filler,
        "argon",
        round(40 * t / 5) * 5,
        "back-purge the root, brush and pickle after"
        if group == "stainless"
        else "blast or grind to white 25 mm round the joint",
        "about 40 A per mm, welding handbooks, from memory; cleaning common practice",
    )


def repair_warning(repairs: int) -> str | None:
    """What to say before another repair of the same seam, or None."""
    if repairs < MOST_REPAIRS:
        return None
    return (
        f"repaired {repairs} times already: stop and find out why. Dirty joint, gap, or a part that flexes? "
        "Running over it again makes new leaks."
    )
