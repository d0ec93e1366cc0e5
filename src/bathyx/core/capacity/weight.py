"""Dry and full weight and the centre of gravity, from the blanks that are really cut."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from bathyx.core.capacity.capacity import Capacity, fluid_mass_kg
from bathyx.core.formula import Figure, formula
from bathyx.core.geometry.shell import Array, Shell
from bathyx.core.inside.baffles import Plate
from bathyx.core.inside.fittings import Fitting, seat
from bathyx.core.material import Sheet
from bathyx.core.sheet.blank import Blank

DRY = formula(
    "weight.dry",
    "Dry weight",
    "m = ρ t Σ blank areas + rings and bosses",
    source="Areas of the blanks as cut; density of the sheet's table row; rings taken in the same material",
    valid="sheet as ordered; weld metal, caps, senders and hoses are not counted",
    check="tests/core/test_capacity.py",
    tolerance="−0 / +5 % for weld metal and fittings bought in",
)
FULL = formula(
    "weight.full",
    "Full weight",
    "m = dry + fill volume × ρ of the fluid at 15 °C",
    source="Fluid table",
    valid="filled to the air space",
    check="tests/core/test_capacity.py",
    tolerance="±2 % for the fluid's density",
)
CENTRE = formula(
    "weight.centre",
    "Centre of gravity",
    "Σ m r / Σ m over panels, baffles, rings and contents",
    source="Divergence theorem for the contents; panels at mid thickness",
    valid="full to the top of the tank for the contents' centre; upright",
    check="tests/outside/test_against_trimesh.py (contents); tests/core/test_capacity.py",
    tolerance="contents 1e-9; whole tank about 3 mm",
)


@dataclass(frozen=True, eq=False)
class Weight:
    """kg and mm (3,): `centre` of the full tank, `centre_dry` empty, `centre_contents` of the fluid alone."""

    dry: Figure
    full: Figure
    height: Figure
    centre: Array
    centre_dry: Array
    centre_contents: Array


def weigh(
    shell: Shell,
    blanks: tuple[Blank, ...],
    plates: tuple[Plate, ...],
    fittings: tuple[Fitting, ...],
    sheet: Sheet,
    capacity: Capacity,
    fluid_key: str,
) -> Weight:
    """Weights and centres. A panel's share of its blank's mass goes by its inside area."""
    t = sheet.thickness_mm
    masses: list[float] = []
    centres: list[Array] = []
    for blank in blanks:
        if blank.role != "shell":
            continue
        faces = [shell.by_id[f.split(":")[0]] for f in blank.faces]
        areas = np.array([face.area_mm2 for face in faces])
        for face, share in zip(faces, areas / areas.sum(), strict=True):
            masses.append(sheet.mass_kg(blank.area_mm2) * float(share))
            centres.append(face.centroid + face.normal * t / 2)
    for plate in plates:
        middle = np.array(plate.outline.faceted.mean(axis=0))
        masses.append(sheet.mass_kg(plate.metal_mm2))
        centres.append(np.array([plate.at_mm, *middle] if plate.axis == "x" else [middle[0], plate.at_mm, middle[1]]))
    for fitting in fittings:
        spot = seat(shell, fitting)
        if spot is not None and fitting.ring_od_mm > fitting.hole_mm:
            area = math.pi / 4 * (fitting.ring_od_mm**2 - fitting.hole_mm**2)
            masses.append(area * fitting.ring_mm * 1e-9 * sheet.material.density)
            centres.append(spot)
    dry = float(sum(masses))
    centre_dry = np.average(np.array(centres), axis=0, weights=masses)
    contents = fluid_mass_kg(capacity.fill_l, fluid_key)
    centre_contents = shell.moments[0]
    centre = (centre_dry * dry + centre_contents * contents) / (dry + contents)
    x, y, z = (float(v) for v in centre)
    place = f"full: {x:.0f} mm from the front, {y:.0f} mm from the left, {z:.0f} mm up; empty {centre_dry[2]:.0f} mm up"
    return Weight(
        Figure("Dry", dry, "mass", DRY, f"{len(blanks)} blanks of {sheet.name}: {dry:.2f} kg"),
        Figure("Full", dry + contents, "mass", FULL, f"{dry:.2f} + {capacity.fill_l:.1f} L → {dry + contents:.2f} kg"),
        Figure("Centre of gravity, up", z, "length", CENTRE, place),
        centre,
        centre_dry,
        centre_contents,
    )
