"""The seam list: welded edges of the shell, and stitch welds of the baffles, numbered, with true lengths."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Array
from bathyx.core.inside.baffles import Plate
from bathyx.core.sheet.makeup import EdgeRole

STITCH_SHARE, STITCH_SIDES = 0.5, 2
STITCH = formula(
    "sheet.stitch",
    "Weld on a baffle",
    "L = contact length × 75 / (75 + 75) on each of two sides, staggered",
    source="75 mm on, 75 mm off, staggered on the other side: common practice",
    valid="baffle plates",
    check="tests/core/test_makeup.py",
    tolerance="±1 stitch per edge",
)


@dataclass(frozen=True, eq=False)
class Seam:
    """One weld. Shell seams keep their line in space; a baffle's seam stands for its stitches on both sides."""

    id: str
    title: str
    joint: Literal["corner", "lap", "butt", "stitch"]
    length_mm: float
    start: Array | None
    end: Array | None
    edge: str


def seam_list(roles: tuple[EdgeRole, ...], plates: tuple[Plate, ...]) -> tuple[Seam, ...]:
    """Shell seams S1.. from the bottom up (the low ones are the ones that leak), then stitch welds of plates."""
    welded = [r for r in roles if r.kind == "weld"]
    welded.sort(key=lambda r: (round(float(r.edge.start[2] + r.edge.end[2]), 3), r.edge.id))
    found = []
    for number, role in enumerate(welded, start=1):
        edge = role.edge
        joint = role.joint if role.joint != "bend" else "corner"
        found.append(Seam(f"S{number}", f"{edge.a} to {edge.b}", joint, edge.length_mm, edge.start, edge.end, edge.id))
    for plate in plates:
        length = plate.contact_mm * STITCH_SHARE * STITCH_SIDES
        found.append(Seam(f"W{plate.name}", f"baffle {plate.name} stitches", "stitch", length, None, None, plate.name))
    return tuple(found)
