"""Figures of mending: stop holes, the blank of a patch, a scarf; what will be hurt next by the same cause."""

from __future__ import annotations

import math
from dataclasses import dataclass

from bathyx.core.formula import formula
from bathyx.core.repair.intake import Hurt, Intake
from bathyx.core.units import Said, mm

PATCH = formula(
    "repair.patch",
    "A patch let in",
    "hole = hurt + 25 mm all round, corners R = max(25, a quarter of the shorter side); patch = hole − 2 × gap, gap 1 mm; "
    "scarf = 12 t "
    "of solid laminate, 20 t where it carries",
    source="Round corners, sound metal 25 mm round what is cut out: common practice; scarf of 12 to 20 times: handbooks of "
    "laminate repair, "
    "from memory",
    valid="flat panels of 1 to 12 mm",
    check="tests/core/test_repair.py",
    tolerance="more where the metal is thin: cut until it is sound",
)
SOUND_MM, LEAST_R_MM, GAP_MM, STOP_MM, SCARF, SCARF_CARRIES = 25.0, 25.0, 1.0, 3.0, 12.0, 20.0


@dataclass(frozen=True)
class Patch:
    """What is cut out (mm), its corners, and the patch that is let in."""

    hole_mm: tuple[float, float]
    radius_mm: float
    patch_mm: tuple[float, float]
    area_mm2: float


def patch_of(long_mm: float, wide_mm: float = 0.0) -> Patch:
    """The patch for what is hurt over so much.

    Args:
        long_mm: of the hurt.
        wide_mm: of the hurt; 0 for a crack.
    """
    hole = (long_mm + 2 * SOUND_MM, wide_mm + 2 * SOUND_MM)
    radius = min(max(LEAST_R_MM, min(hole) / 4), min(hole) / 2)
    patch = (hole[0] - 2 * GAP_MM, hole[1] - 2 * GAP_MM)
    inner = radius - GAP_MM
    return Patch(hole, radius, patch, patch[0] * patch[1] - (4 - math.pi) * inner**2)


def scarf_mm(thick_mm: float, *, carries: bool = False) -> float:
    """How far a laminate is ground back round a hole, mm."""
    return (SCARF_CARRIES if carries else SCARF) * thick_mm


def how(hurt: Hurt, thick_mm: float, group: str) -> Said:
    """What is done about a hurt, in a line.

    Args:
        hurt: where and how.
        thick_mm: of the sheet there.
        group: of the material.
    """
    cut = patch_of(hurt.mm, hurt.mm if hurt.what in ("rust", "dent") else 0.0)
    let_in = f"{mm(cut.patch_mm[0])} × {mm(cut.patch_mm[1])}, corners R {mm(cut.radius_mm - GAP_MM)}, {mm(GAP_MM)} gap all round"
    stop = f"stop holes ø{mm(STOP_MM, None)} at both ends of the crack, drilled with oil, not burnt"
    said = {
        "weld": f"{stop}; vee to them, {'white for ' + str(mm(SOUND_MM)) + ' round it, ' if group == 'steel' else ''}weld "
        f"from the ends in",
        "patch": f"cut out to sound metal; patch {let_in}; tack the middles, then between, short runs across from one another",
        "doubler": f"{stop}, weld the crack, then a doubler {mm(hurt.mm + 4 * SOUND_MM)} long, thicker than the skin, ends "
        f"rounded, its weld "
        "away from the old one; rubber under the mount",
        "socket": "cut it out whole, a new one of stainless or the tank's own metal welded in on both sides; it stands level",
        "bottom": "cut above what is thin, new bottom with a flange down, so that nothing stands wet; measured again for its "
        "litres",
        "sleeve": "a sleeve of the tank's own metal in the neck, welded at both ends",
        "liner": "etched, dried, lined to its maker's sheet; written on the plate: it cannot be welded after",
        "plastic": "groove of 60° to the root, scrape, rod of the same plastic, three passes, spark",
        "laminate": f"ground back {mm(scarf_mm(thick_mm))} round it, ply by ply the other way round, one more over all",
        "refuse": "not mended here",
    }[hurt.way]
    return Said(f"{hurt.words}, {mm(hurt.mm)}: {said}")


def next_hurt(intake: Intake) -> tuple[str, ...]:
    """What will be hurt next by the same causes, a sentence each."""
    causes = {hurt.cause for hurt in intake.hurts}
    said = {
        "vibration": "what shook it cracks the other mounts next: rubber under it, all mounts looked at with dye",
        "no_doubler": "every mount without a doubler cracks like this one: put one under each",
        "dirty": "a joint that was welded dirty leaks along all of it: test the whole seam again",
        "below": "where one place rusted through from below the rest of the bottom is thin: tap it, measure it, or a new "
        "bottom; strips under it",
        "water": "water inside pits the lowest line all along: look at it with a mirror; drain it",
        "unknown": "a cause that was not found comes again: say so on the record, look again in a month",
    }
    return tuple(text for cause, text in said.items() if cause in causes)
