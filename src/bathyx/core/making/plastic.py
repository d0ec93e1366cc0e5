"""Plastic sheet: faces are sheet, edges are bent hot or welded with hot gas or an extruder."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

from bathyx.core.making.base import Asked, Making, Row, Step, WeldSettings, changed
from bathyx.core.material import PROCESSES, Sheet, plastic
from bathyx.core.plastic.bends import hot_bend
from bathyx.core.plastic.creep import bulges
from bathyx.core.plastic.fusion import fusion_min, fusion_said
from bathyx.core.plastic.rods import prepared_plastic, rods
from bathyx.core.sheet.makeup.preparation import Preparation
from bathyx.core.strength.loads import hottest
from bathyx.core.units import celsius, mm

if TYPE_CHECKING:
    from bathyx.core.job import Job
    from bathyx.core.plastic.rods import RodWeld
    from bathyx.core.results import Results

SPARK_KV, SPARK_MOST_KV, MOST_AIR_KPA = 6.0, 30.0, 2.0
AT_NOZZLE = 0.5  # of the time of a weld: the rest is scraping, starting, turning; an estimate
QUICK_SHARE = 0.7  # of the seams run with the quick nozzle, the rest with the round one


class PlasticSheet(Making):
    """Polypropylene, polyethylene, PVC-U, PVDF in sheet."""

    key, title = "plastic", "Plastic sheet"
    words = "faces of sheet, edges bent hot or welded with hot gas"
    groups = ("plastic",)
    on_brake = False
    first_sheet = "pp/6"
    why_no_air = (
        "welded plastic breaks at once and in pieces, cold most of all, and air throws them: it is filled with water and left "
        "standing 24 to 48 h, its seams are looked over with a spark"
    )

    def makes(self, sheet: Sheet) -> bool:
        """Every plastic, however it is joined."""
        return sheet.material.group in self.groups

    def settings(self, sheet: Sheet) -> WeldSettings:
        """Hot gas in the middle of the plastic's range."""
        row = plastic(sheet.material.key)
        low, high = row.gas_c
        flow, quick = row.gas_l_min, row.quick_mm_min
        return WeldSettings(
            "hot gas",
            sheet.material.filler,
            f"clean dry air, {flow[0]:.0f} to {flow[1]:.0f} L/min",
            0.0,
            "triangular rod in the corner, two or three passes; "
            f"round nozzle {row.round_mm_min[0]:.0f} to {row.round_mm_min[1]:.0f} mm/min for the root, quick nozzle "
            f"{quick[0]:.0f} to {quick[1]:.0f} mm/min, {row.force_n[0]:.0f} to {row.force_n[1]:.0f} N on the rod",
            "DVS 2207-3, from memory; triangular rod in the corner, two or three passes: common practice",
            (low + high) / 2,
        )

    def asked(self, sheet: Sheet) -> tuple[Asked, ...]:
        """Process, rod and its lot, heat at the nozzle as measured, room, the test weld, pass."""
        usual, (low, high) = self.settings(sheet), plastic(sheet.material.key).gas_c
        return (
            Asked("process", "Process", usual.process),
            Asked("filler", "Rod", usual.filler),
            Asked("lot", "Rod lot"),
            Asked("nozzle_c", "At the nozzle", f"{(low + high) / 2:.0f}", "°C, measured", 150.0, 700.0, seen=True),
            Asked("room_c", "Room", "20", "°C", -20.0, 50.0, seen=True),
            Asked("test_weld", "Test weld", "bent by hand, held", seen=True),
            Asked("settings", "Settings", "root with round rod, then the triangular one"),
            Asked("pass", "Pass", "1"),
        )

    def preparation(self, joint: str, thick: tuple[float, float], sheet: Sheet, *, both_sides: bool) -> Preparation:
        """Groove, gap, and passes of the rods that fill it."""
        if sheet.material.joined == "fusion" and joint == "butt":
            return Preparation("faces planed, fused with a heated tool", 0.0, 0.0, 0.0, 1)
        return prepared_plastic(joint, min(thick), both_sides=both_sides)

    @staticmethod
    def welds(job: Job, r: Results) -> tuple[RodWeld, ...]:
        """Every weld with its rods: shell, baffles, rings."""
        process = _process(job)
        return rods((*r.seams, *r.rings), r.skins, r.sheet, process, both_sides=job.makeup.both_sides)

    def stuff(self, job: Job, r: Results, weld_mm: float) -> list[Row]:
        """Rod by its kind in metres and all of it in kilograms, time at the nozzle, blades to scrape with."""
        found = self.welds(job, r)
        row = plastic(r.sheet.material.key)
        rows: list[Row] = [("weld_m", "Weld, rings included", weld_mm / 1000, "m")]
        speed = (QUICK_SHARE * sum(row.quick_mm_min) + (1 - QUICK_SHARE) * sum(row.round_mm_min)) / 2
        passes = sum(sum(w.passes) * w.length_mm for w in found)
        rows.append(("arc_min", "Time at the nozzle", passes / speed, "min"))
        root = sum(len(w.passes) * w.length_mm for w in found if w.process == "hot_gas") / 1000
        by: dict[str, float] = {"round 3": root}
        for w in found:
            if w.process == "hot_gas":
                more = (sum(w.passes) - len(w.passes)) * w.length_mm / 1000
                by[w.fill] = by.get(w.fill, 0.0) + more
        for name, metres in by.items():
            if metres > 0:
                rows.append((f"rod_{name.replace(' ', '_')}_m", f"Rod, {name} mm, stubs included", 1.15 * metres, "m"))
        rows.append(("filler_kg", f"Rod, {r.sheet.material.filler}", sum(w.rod_g for w in found) / 1000, "kg"))
        fused = [w for w in found if w.process == "fusion"]
        if fused:
            rows.append(("fusion_min", "At the heated tool", len(fused) * fusion_min(r.sheet), "min"))
        rows.append(("blades", "Scraper blades", max(2, round(weld_mm / 5000 + 0.5)), "pieces"))
        return rows

    def minutes(self, job: Job, r: Results, usual: dict[str, float]) -> dict[str, float]:
        """A bend takes its heating and holding, a weld its passes at the nozzle's speed and as long again between them."""
        nozzle = next(amount for key, _, amount, _ in self.stuff(job, r, 0.0) if key == "arc_min")
        bends = sum(len(b.bends) for b in r.blanks)
        hot = hot_bend(r.sheet, r.rule.radius_at(r.sheet.thickness_mm))
        return usual | {"bend": bends * (hot.both_min + hot.hold_min), "weld": nozzle / AT_NOZZLE}

    def told(self, step: Step, job: Job, r: Results) -> Step | None:
        """The traveller's steps in the words of plastics."""
        row = plastic(r.sheet.material.key)
        kind, _, name = step.id.partition(":")
        if kind == "bend":
            blank = next(b for b in r.blanks if b.name == name)
            bend = blank.bends[0]
            how = hot_bend(r.sheet, bend.radius_mm).said
            return changed(
                step,
                detail=f"{len(blank.bends)} bends, inside radius {mm(bend.radius_mm, None)}: {how}",
                caution="The strip and the sheet are hot enough to burn for minutes after: gloves, and mark them.",
            )
        swaps = self._swaps(step, r, row.fumes, row.gas_c)
        if kind not in swaps:
            return step
        title, detail, caution = swaps[kind]
        return changed(step, title=title, detail=detail, caution=caution)

    def _swaps(
        self, step: Step, r: Results, fumes: str, gas_c: tuple[float, float]
    ) -> dict[str, tuple[str, str, str | None]]:
        """(title, detail, caution) by step; an empty one or None stays as it is."""
        draw = f"Overheated it gives off {fumes}: draw the fumes away."
        lots = f"{step.detail}; rod of the same plastic as the sheet, lots of both written down"
        marks = "bevels as the seam list says; marks with a pencil, never scratched: plastic tears from a scratch"
        scrape = "scrape or plane every face that is welded, and the rod, on the same day; dry lint-free rag, no solvent, no grease"
        saw = "Glasses; a saw that is too fast melts the edge, one too coarse chips it. Keep chips off the joints."
        inside = ", ".join(b.name for b in r.blanks if b.role == "baffle")
        weld = (
            f"{r.weld_length_mm / 1000:.2f} m in {len(r.seams)} seams: a root of round rod, scrape it, then the passes of the seam "
            "list, each over the one before; cool by itself, never with water; an end that is set in: a back mark, a root run all "
            "round, a cap; log each seam"
        )
        hot = f"Gas of {celsius(gas_c[0])} to {celsius(gas_c[1])} burns; lay the tool only on its stand. {draw}"
        look = "an even bead both sides of the rod, no notch, no char; scrape flush only where it must be"
        grow = (
            f"on a flat base all over, straps with soft strips; room to grow: {mm(self.grows_mm(r, 20.0), 1)} for 20 K"
        )
        return {
            "material": ("", lots, None),
            "cut": ("", "", saw),
            "deburr": ("Deburr, bevel and mark out", marks, None),
            "bosses": (
                "Weld sockets and rings into flat panels",
                f"{step.detail}; three runs round a drain socket, and it stands level",
                "Measure the gas at the nozzle; it burns skin at once.",
            ),
            "clean": ("Scrape joints and rod", scrape, "Solvent stays in the plastic and cracks it."),
            "tack": ("Tack with the tacking shoe, square, check", "", draw),
            "baffles": ("", f"{inside}: weld to bottom and sides; limber holes at the bottom", None),
            "weld": ("", weld, hot),
            "dress": ("Look at every seam", look, None),
            "finish": ("Set down and mount", grow, None),
        }

    def besides(self, job: Job, r: Results) -> dict[str, tuple[Step, ...]]:
        """A test weld and fused butts before the first tack, a spark along every seam after the last, bands before water."""
        fused = [w.id for w in self.welds(job, r) if w.process == "fusion"]
        kv = min(SPARK_MOST_KV, SPARK_KV * r.sheet.thickness_mm)
        test = Step(
            "test_weld",
            "Weld a strip of the same sheet and bend it by hand",
            "with the rod, nozzle and heat of the day; bent over cold until the sheet gives, the weld must not open; settings "
            "written down",
            hold=True,
        )
        spark = Step(
            "spark",
            "Spark test along every seam",
            f"earth a wire or copper strip laid behind the seam, brush at about {kv:.0f} kV; a pore draws a bright straight spark: "
            "mark it on the tank, weld it, test again. Dry, and before any water goes in",
            "Tens of kilovolts: dry hands and floor, nobody with a pacemaker near, no vapour that burns in the room or the tank. "
            "Never on a tank that has held fuel.",
            hold=True,
        )
        fuse = Step(
            "fuse",
            "Fuse the butts with the heated tool",
            f"{', '.join(fused)}: {fusion_said(r.sheet)}",
            "Hot plate: gloves, guard, fumes drawn away.",
        )
        return {"clean": (test, *((fuse,) if fused else ())), "dress": (spark, *self._bands(r))}

    @staticmethod
    def _bands(r: Results) -> tuple[Step, ...]:
        """How bands of steel are put round it, before water goes in."""
        boxes = [(band.at_mm, band.box) for band in r.bands if band.box is not None and band.pieces]
        if not boxes:
            return ()
        said = "; ".join(
            f"{mm(box[0], None)} × {mm(box[0], None)} × {mm(box[1], None)} at {mm(at)}" for at, box in boxes
        )
        detail = (
            f"{said} over the floor: steel box, mitred, its corners welded off the tank, painted, a strip of rubber under each; "
            "in place before the first water"
        )
        return (Step("bands", "Put the bands round it", detail, "No arc near the plastic."),)

    def most_air_kpa(self, r: Results) -> float | None:
        """A very little."""
        del r
        return MOST_AIR_KPA

    @staticmethod
    def grows_mm(r: Results, kelvin: float) -> float:
        """How much the longest side grows, mm."""
        longest = max(r.outside.length_mm, r.outside.width_mm, r.outside.height_mm)
        return plastic(r.sheet.material.key).grows * longest / 1000 * kelvin

    def added(self, job: Job, r: Results) -> dict[str, Any]:
        """Rod, growth, bulge after 25 years, welding factors."""
        row, found = plastic(r.sheet.material.key), self.welds(job, r)
        process = _process(job)
        worst = next(
            iter(
                bulges(
                    r.shell,
                    r.strength,
                    r.sheet,
                    r.skins,
                    r.capacity.fill_level_mm,
                    r.fluid.density,
                    hottest(job.brief, r.fluid),
                )
            ),
            None,
        )
        return {
            "process": PROCESSES[process],
            "rod_g": sum(w.rod_g for w in found),
            "rod_m": sum(w.rod_m for w in found),
            "weld_factor_test": row.factor_short.get(process),
            "weld_factor_years": row.factor_long.get(process),
            "grows_mm_20_k": self.grows_mm(r, 20.0),
            "bulge_25_years_mm": None if worst is None else [worst.low_mm, worst.high_mm],
            "bulge_face": None if worst is None else worst.face,
        }


def _process(job: Job) -> str:
    """How its plastic is welded: hot gas where the make-up says nothing that plastics know."""
    return job.makeup.weld_process if job.makeup.weld_process in PROCESSES else "hot_gas"


def with_process(sheet: Sheet, process: str) -> Sheet:
    """A plastic sheet whose welds are as strong as the process makes them; others, and hot gas, as they are.

    Args:
        sheet: of the tank.
        process: as in PROCESSES, or empty.
    """
    if process == "fusion" and sheet.material.group == "plastic":
        return Sheet(replace(sheet.material, joined="fusion"), sheet.thickness_mm)  # corners stay as hot gas has them
    if process not in PROCESSES or process == "hot_gas" or sheet.material.group != "plastic":
        return sheet
    row, m = plastic(sheet.material.key), sheet.material
    short, long = row.factor_short.get(process), row.factor_long.get(process)
    if short is None or long is None:
        return sheet
    return Sheet(
        replace(m, yield_weld=short * m.yield_delivered, creep_weld=None if m.creep is None else long * m.creep),
        sheet.thickness_mm,
    )
