"""Closing plates round frames and stringers that run through a tank's wall: numbered, lapped, welded all round inside."""

from __future__ import annotations

import re

from bathyx.core.formula import formula
from bathyx.core.sheet.makeup.own_parts import OwnPart
from bathyx.core.units.frozen import checked
from bathyx.errors import Refusal

COLLAR = formula(
    "sheet.collar",
    "Closing plate round a frame",
    "hole = section + 3 mm all round; plate = hole + a lap all round, ends rounded, in two halves",
    source="Closing plates for holes in frames and stringers listed by size and place: common practice; 3 mm round the bar and "
    "a lap of four thicknesses at least: Bathyx's own line",
    valid="flat bars, angles and tubes that pass square through a flat wall",
    check="tests/core/test_own_parts.py",
    tolerance="cut to the hole as it is: measure each one",
)
CLEAR_MM, LEAST_LAP_T, MOST = 3.0, 4.0, 60
LIKE = "write place, section, how many, lap, like frame, 60x8, 4, 20"


def collars(text: str, thickness_mm: float, there: int = 0) -> tuple[OwnPart, ...]:
    """Closing plates of a typed line `place, section, how many, lap`. Refusal that says what would be right.

    Args:
        text: as typed; a section is `60x8` for a flat bar, `60x40x5` for an angle.
        thickness_mm: of the plates.
        there: how many are listed already: numbers go on from them.

    >>> collars("frame, 60x8, 2, 20", 4.0)[1].place
    'collar 2: frame 2, oval, halves round 60x8, lap 20'
    """
    cells = [cell.strip() for cell in text.split(",")]
    if len(cells) != 4:
        raise Refusal(f"{text.strip()[:40]!r}: {LIKE}")
    place, section, many, lapped = cells
    sides = re.split(r"\s*[x×]\s*", section.lower().removesuffix("mm").strip())
    try:
        sizes = [float(side) for side in sides]
        count, lap = int(many), float(lapped.lower().removesuffix("mm").strip())
    except ValueError:
        raise Refusal(f"{text.strip()[:40]!r}: {LIKE}") from None
    if len(sizes) not in (2, 3) or not all(1 <= side <= 1000 for side in sizes):
        raise Refusal(f"{section!r} is no section; write height and thickness, like 60x8, or an angle like 60x40x5")
    if not 1 <= count <= MOST:
        raise Refusal(f"{count} collars; 1 to {MOST} at a time")
    least = LEAST_LAP_T * thickness_mm
    if not least <= lap <= 200:
        raise Refusal(
            f"a lap of {lap:g} mm; from {least:g} mm on, four thicknesses, it is welded without burning the edge, and "
            f"200 is the most"
        )
    high, wide = sizes[0], sizes[1]
    more = 2 * (CLEAR_MM + lap)
    return tuple(
        checked(
            OwnPart,
            {
                "kind": "plate",
                "place": f"collar {there + n}: {place} {n}, oval, halves round {section}, lap {lap:g}"[:80],
                "count": 1,
                "length_mm": high + more,
                "width_mm": wide + more,
                "thickness_mm": thickness_mm,
            },
        )
        for n in range(1, count + 1)
    )
