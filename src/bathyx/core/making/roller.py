"""Pressed halves joined by a roller seam: flanges between copper wheels, nuggets that lap one another; fittings brazed in."""

from __future__ import annotations

import math
import tomllib
from dataclasses import dataclass, replace
from functools import cache
from importlib.resources import files
from typing import TYPE_CHECKING, Any

import numpy as np

from bathyx.core.formula import formula
from bathyx.core.making.base import Asked, Row, Step, WeldSettings, changed
from bathyx.core.making.metal import SPEED_MM_MIN, Metal
from bathyx.core.material import Sheet
from bathyx.core.sheet.makeup.preparation import Preparation
from bathyx.core.units import mm

if TYPE_CHECKING:
    from bathyx.core.job import Job
    from bathyx.core.results import Results

ROLLER = formula(
    "roller.seam",
    "A roller seam",
    "nugget 5 √t wide, spots 1000 / pitch a metre, each lapping the one before; flanges flat for the overlap of the table",
    source="Tables of resistance seam welding for low-carbon steel in welding handbooks; "
    "nugget of 5 √t: AWS D8.9, both from memory",
    valid="bare mild and stainless steel of 0.6 to 3 mm, two sheets alike",
    check="tests/core/test_roller.py",
    tolerance="±20 %: strips welded first, peeled, and the nuggets measured",
)
NUGGET, SPEED_SHARE, PEELED_EVERY, STAINLESS_FORCE, STAINLESS_CURRENT = 5.0, 0.8, 25, 1.4, 0.75
LEAST_MM, MOST_MM = 0.6, 3.0
SPARKS = "Wheels pinch and metal spits: hands off the rim, glasses, sleeves. Nobody with a pacemaker near: thousands of amps."
BRAZE = (
    "Flux and fumes of zinc and cadmium are poison: draw them away; wash flux off while it is warm, what stays "
    "eats through. No filler "
    "with cadmium."
)


@dataclass(frozen=True)
class Roller:
    """Settings of a roller seam: wheel's face, least overlap, nugget (mm), force (kN), current (kA), speed (m/min), spots
    a metre."""

    wheel_mm: float
    overlap_mm: float
    nugget_mm: float
    force_kn: float
    current_ka: float
    speed_m_min: float
    spots_m: float

    @property
    def pitch_mm(self) -> float:
        """From one nugget to the next."""
        return 1000 / self.spots_m

    @property
    def tight(self) -> bool:
        """Whether nuggets lap one another."""
        return self.pitch_mm < self.nugget_mm


@cache
def _table() -> list[dict[str, float]]:
    return tomllib.loads(files(__package__).joinpath("roller.toml").read_text("utf-8"))["row"]  # type: ignore[no-any-return]


def roller(sheet: Sheet) -> Roller:
    """Settings to begin with, between the rows of the table; beyond them as at its end. Stainless: more force, less current.

    Args:
        sheet: of both halves.
    """
    rows = _table()
    at = [row["mm"] for row in rows]
    found = {k: float(np.interp(sheet.thickness_mm, at, [row[k] for row in rows])) for k in rows[0] if k != "mm"}
    if sheet.material.group == "stainless":
        found["force_kn"] *= STAINLESS_FORCE
        found["current_ka"] *= STAINLESS_CURRENT
    return Roller(nugget_mm=NUGGET * math.sqrt(sheet.thickness_mm), **found)


def with_roller(sheet: Sheet, process: str) -> Sheet:
    """A sheet whose seams are rolled: no metal is put in; any other as it is.

    Args:
        sheet: of the tank.
        process: of the make-up.
    """
    if process != "roller" or sheet.material.group in ("plastic", "laminate"):
        return sheet
    return Sheet(replace(sheet.material, join_kg_m=0.0, joined="roller"), sheet.thickness_mm)


class RollerSeam(Metal):
    """Halves with a roller seam."""

    key, title = "roller", "Roller-seamed halves"
    words = "two pressed halves, their flanges joined between wheels; fittings brazed or spotted in"
    groups: tuple[str, ...] = ()
    joins = "rolled"
    first_sheet = "s235/1.5"

    def makes(self, sheet: Sheet) -> bool:
        """Where the make-up says so."""
        return sheet.material.joined == "roller"

    def settings(self, sheet: Sheet) -> WeldSettings:
        """By the table."""
        s = roller(sheet)
        return WeldSettings(
            "roller seam",
            "none",
            "none",
            round(1000 * s.current_ka, -2),
            f"wheels {mm(s.wheel_mm, 1)} on the face, {s.force_kn:.1f} kN, {s.speed_m_min:.1f} m/min, "
            f"{s.spots_m:.0f} spots a metre, "
            "water on both wheels",
            ROLLER.source,
        )

    def asked(self, sheet: Sheet) -> tuple[Asked, ...]:
        """Current, force, speed, the strip that was peeled, its nugget; of rings what they are brazed with."""
        s, usual = roller(sheet), self.settings(sheet)
        return (
            Asked("process", "Process", usual.process),
            Asked("filler", "Filler, of a brazed ring", "none"),
            Asked("amps", "Amps", f"{usual.amps:.0f}", "A", 0.0),
            Asked("force_kn", "Force", f"{s.force_kn:.1f}", "kN", 0.1, 50.0, seen=True),
            Asked("speed_m_min", "Speed", f"{s.speed_m_min:.1f}", "m/min", 0.05, 20.0, seen=True),
            Asked("nugget_mm", "Nugget of the peeled strip", f"{s.nugget_mm:.1f}", "mm", 0.0, 30.0, seen=True),
            Asked("settings", "Settings", usual.further),
            Asked("pass", "Pass", "1"),
        )

    def preparation(self, joint: str, thick: tuple[float, float], sheet: Sheet, *, both_sides: bool) -> Preparation:
        """Flanges flat and bare; rings brazed or spotted."""
        if joint in ("ring", "stitch"):
            return Preparation("brazed, or spotted and brazed, flux washed off", 0.0, 0.0, 0.1, 1)
        return Preparation(
            f"flanges flat and bare for {mm(roller(sheet).overlap_mm)}, rolled, ends lapped", 0.0, 0.0, 0.0, 1
        )

    def stuff(self, job: Job, r: Results, weld_mm: float) -> list[Row]:
        """Time at the wheels, strips to peel, braze and flux."""
        del job
        seam, rings = sum(s.length_mm for s in r.seams if s.joint != "stitch"), sum(s.length_mm for s in r.rings)
        speed = roller(r.sheet).speed_m_min * 1000 * SPEED_SHARE
        return [
            ("weld_m", "Seam, rings included", weld_mm / 1000, "m"),
            ("arc_min", "Time at the wheels and the torch", seam / speed + rings / SPEED_MM_MIN, "min"),
            ("strips", f"Strips of {r.sheet.said} to weld and peel", 3, "pieces"),
            ("filler_kg", "Silver solder without cadmium", rings * 2.0 * r.sheet.thickness_mm * 9.0e-6 * 1.5, "kg"),
            ("solvent_l", "Solvent, on a rag", weld_mm / 1000 * 0.05 + 0.1, "L"),
        ]

    def minutes(self, job: Job, r: Results, usual: dict[str, float]) -> dict[str, float]:
        """The seam at the wheels' speed and as long again to set up; rings by the torch."""
        at = next(amount for key, _, amount, _ in self.stuff(job, r, 0.0) if key == "arc_min")
        return usual | {"weld": 2 * at + 15.0}

    def told(self, step: Step, job: Job, r: Results) -> Step | None:
        """The traveller's steps as halves are seamed."""
        s = roller(r.sheet)
        kind = step.id.partition(":")[0]
        if kind == "bosses":
            return changed(
                step,
                title="Braze or spot rings and sockets into the halves",
                detail=f"{step.detail}; before the seam: nobody reaches inside after",
                caution=BRAZE,
            )
        if kind == "clean":
            return changed(
                step,
                detail=f"flanges bare, dry and flat for {mm(s.overlap_mm)} all round, scale and zinc off: dirt "
                f"between the wheels blows holes",
            )
        if kind == "tack":
            return changed(
                step, title="Spot the halves together, look, check",
                detail="a spot each 100 mm, from the middles of the long sides outwards; both rims flush; no gap that "
                "a feeler of 0.1 mm enters",
                caution=SPARKS,
            )  # fmt: skip
        if kind == "weld":
            return changed(
                step, title="Roll the seam",
                detail=f"{sum(x.length_mm for x in r.seams if x.joint != 'stitch') / 1000:.2f} m in one go, round the "
                f"corners at half "
                f"speed, its end run over its beginning by {mm(10 * s.pitch_mm)}; log it",
                caution=SPARKS,
            )  # fmt: skip
        if kind == "dress":
            return changed(
                step, detail="marks of the wheels even all round, no burr, no blown hole; trim the rim to its width"
            )
        return step

    def besides(self, job: Job, r: Results) -> dict[str, tuple[Step, ...]]:
        """Strips that are welded and peeled before the first seam."""
        s = roller(r.sheet)
        peel = Step(
            "test_weld",
            "Weld strips of the same sheet and peel them",
            f"at the settings of the day; a nugget pulls out of one sheet all along, {mm(s.nugget_mm, 1)} wide, "
            f"one lapping the next; again "
            f"after each {PEELED_EVERY} tanks and each dressing of the wheels",
            SPARKS,
            hold=True,
        )
        return {"clean": (peel,)}

    def added(self, job: Job, r: Results) -> dict[str, Any]:
        """Settings of the seam."""
        s = roller(r.sheet)
        return {
            "wheel_mm": s.wheel_mm, "overlap_mm": s.overlap_mm, "nugget_mm": s.nugget_mm, "force_kn": s.force_kn,
            "current_ka": s.current_ka, "speed_m_min": s.speed_m_min, "spots_m": s.spots_m, "pitch_mm": s.pitch_mm,
        }  # fmt: skip
