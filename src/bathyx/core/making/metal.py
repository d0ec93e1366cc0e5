"""Sheet metal: faces are sheet, edges are bent or welded under an arc."""

from __future__ import annotations

from typing import TYPE_CHECKING

from bathyx.core.making.base import Asked, Making, Row, WeldSettings
from bathyx.core.material import Sheet
from bathyx.core.sheet.makeup.preparation import Preparation, preparation

if TYPE_CHECKING:
    from bathyx.core.job import Job
    from bathyx.core.results import Results

SPEED_MM_MIN, FLOW_L_MIN, WASTE, PURGE, STUBS, FILLET_T2 = 100.0, 10.0, 1.25, 1.5, 1.15, 0.7
TUNGSTEN_MIN, DISC_M, WIPE_L_M, CLEANER_L_M = 60.0, 4.0, 0.02, 0.05


class Metal(Making):
    """Aluminium and stainless in sheet; mild steel is a way of its own on top of this."""

    key, title = "metal", "Sheet metal"
    words = "faces of sheet, edges bent or welded under an arc"
    groups: tuple[str, ...] = ("aluminium", "stainless")
    first_sheet = "5083/3"

    def settings(self, sheet: Sheet) -> WeldSettings:
        """About 40 A for each mm of steel and 53 A of aluminium."""
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

    def asked(self, sheet: Sheet) -> tuple[Asked, ...]:
        """Process, filler, current, gas, settings, pass."""
        usual = self.settings(sheet)
        return (
            Asked("process", "Process", usual.process),
            Asked("filler", "Filler", usual.filler),
            Asked("amps", "Amps", f"{usual.amps:.0f}", "A", 0.0),
            Asked("gas", "Gas", usual.gas),
            Asked("settings", "Settings", usual.further),
            Asked("pass", "Pass", "1"),
        )

    def preparation(self, joint: str, thick: tuple[float, float], sheet: Sheet, *, both_sides: bool) -> Preparation:
        """As in `sheet/makeup/preparation.py`."""
        return preparation(joint, thick, sheet.material.group, both_sides=both_sides)

    def stuff(self, job: Job, r: Results, weld_mm: float) -> list[Row]:
        """Argon, tungstens, discs, rod, solvent, pickling paste."""
        del job
        sheet, t, metres, arc = r.sheet, r.sheet.thickness_mm, weld_mm / 1000, weld_mm / SPEED_MM_MIN
        stainless = sheet.material.group == "stainless"
        rows: list[Row] = [
            ("weld_m", "Weld, rings included", metres, "m"),
            ("arc_min", "Arc time", arc, "min"),
            ("gas_m3", "Argon", arc * FLOW_L_MIN * WASTE * (PURGE if stainless else 1.0) / 1000, "m³"),
            ("tungsten", "Tungstens", max(1, round(arc / TUNGSTEN_MIN + 0.5)), "pieces"),
            ("discs", "Grinding and flap discs", max(1, round(metres / DISC_M + 0.5)), "pieces"),
            (
                "filler_kg",
                f"Rod, {sheet.material.filler}",
                weld_mm * FILLET_T2 * t**2 * 1e-9 * sheet.material.density * STUBS,
                "kg",
            ),
            ("solvent_l", "Solvent, on a rag", metres * WIPE_L_M + 0.1, "L"),
        ]
        return [*rows, ("pickle_l", "Pickling paste", metres * CLEANER_L_M, "L")] if stainless else rows
