"""Mild steel: sheet metal that rusts. Blasted joints, crevices closed or drained, and of a tank built into a hull: frames that run
through, pipes tested by themselves, a person inside."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from bathyx.core.making.base import Step, changed
from bathyx.core.making.metal import Metal
from bathyx.core.sheet.makeup.own_parts import every_part
from bathyx.core.units import mm

if TYPE_CHECKING:
    from bathyx.core.job import Job
    from bathyx.core.results import Results

WHITE_MM = 25.0
INSIDE = (
    "A closed space kills: two openings, air blown in all the time, oxygen read, a line, somebody outside who stays. No gas "
    "hose left in it."
)
COAT = (
    "Coating in a closed space: its solvent burns and takes the air away. Forced air, lamps made for it, nobody alone."
)


class Steel(Metal):
    """Mild steel in sheet and plate."""

    key, title = "steel", "Mild steel"
    words = "plate welded under an arc, blasted, its crevices closed or drained, coated"
    groups = ("steel",)
    first_sheet = "s235/4"

    def told(self, step: Step, job: Job, r: Results) -> Step | None:
        """White metal at the joints, and of a built-in tank how it is got into."""
        kind = step.id.partition(":")[0]
        if kind == "clean":
            return changed(
                step,
                title="Blast or grind joints to white",
                detail=f"rust and scale off for {mm(WHITE_MM)} each side of every joint; oil wiped off with a rag, left to dry",
            )
        if kind == "finish":
            return changed(
                step,
                detail="outside painted; inside bare, oiled or coated as the fluid wants; pockets that stay are welded shut "
                "or drained; "
                "earth strap on fuel tanks",
                caution=f"{step.caution} {COAT}".strip(),
            )
        if kind == "weld" and job.tank.built_in:
            return changed(
                step,
                detail=f"{step.detail}; plate from 6 mm: a root, ground back, a cap each side; a mirror on the blind side",
                caution=f"{step.caution} {INSIDE}",
            )
        return step

    def besides(self, job: Job, r: Results) -> dict[str, tuple[Step, ...]]:
        """Of a tank built into a hull: frames, access, pipes and spaces beside it."""
        if not job.tank.built_in:
            return {}
        parts = [
            p
            for p in every_part(job.own_parts, r.seams, r.skins, job.makeup.doublers, r.straps, r.lids, r.bands)
            if "plate" in p.kind
        ]
        listed = (
            "; ".join(f"{p.count} × {p.size}, {p.place}" for p in parts)
            or "none listed yet: Cut, plates, tabs and bars"
        )
        frames = Step(
            "frames",
            "Close what runs through: frames, stringers, crevices",
            "every frame and stringer that runs through the tank is collared and welded all round on its inside, or drained "
            "by limber "
            f"holes at its foot; long laps carry fluid along and let it out far away: closed. Closing plates: {listed}",
            INSIDE,
        )
        access = Step(
            "access",
            "Two openings, air, somebody outside",
            "before the lid is on: a way in and a way out, air blown in, oxygen read and written down, a watch by name",
            INSIDE,
            hold=True,
        )
        pipes = Step(
            "pipes",
            "Test pipes that run through, and closed spaces beside, by themselves",
            "each before the tank is tested: a leak between two of them shows nowhere else; cofferdams drained and open",
            hold=True,
        )
        after = "closing" if any(b.role == "baffle" for b in r.blanks) else "fit"
        found: dict[str, tuple[Step, ...]] = {"tack": (frames,), "dress": (pipes,)}
        return found | {after: (*found.get(after, ()), access)}

    def added(self, job: Job, r: Results) -> dict[str, Any]:
        """Metres of joint to blast, and its area on both sides."""
        metres = r.weld_length_mm / 1000
        return {"blast_m": metres, "blast_m2": metres * 4 * WHITE_MM / 1000, "built_in": job.tank.built_in}
