"""Dry and full weight and the centre of gravity, from the blanks that are really cut."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from shapely.geometry import Polygon

from bathyx.core.capacity.capacity import Capacity, fluid_mass_kg, tube_wall_mm2
from bathyx.core.formula import Figure, formula
from bathyx.core.geometry.clip import centroid_below
from bathyx.core.geometry.shell import Array, CurvedFace, Shell
from bathyx.core.geometry.surfaces import Revolved
from bathyx.core.inside.baffles import Plate
from bathyx.core.inside.fittings import Fitting, inlets, limber_tubes, seat
from bathyx.core.inside.kinds import kind
from bathyx.core.material import Sheet
from bathyx.core.sheet.flat.blank import Blank
from bathyx.core.sheet.makeup.bands import BandOn
from bathyx.core.sheet.makeup.doublers import Doubler, border_of, seated
from bathyx.core.sheet.makeup.lids import Lid
from bathyx.core.sheet.makeup.seams import Seam
from bathyx.core.sheet.makeup.skins import Skins
from bathyx.core.units import kilos, litres, mm

DRY = formula(
    "weight.dry",
    "Dry weight",
    "m = ρ t Σ blank areas + rings and bosses + weld metal (t²/2 a length and side) + fittings bought in",
    source="Areas of the blanks as cut; density of the sheet's table row; rings, tubes and weld taken in the same material; "
    "fittings bought in by kind, a guess to replace",
    valid="sheet as ordered; hoses and straps are not counted",
    check="tests/core/test_capacity.py",
    tolerance="sheet 1e-9; whole tank ±3 %",
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
    "Σ m r / Σ m over panels, baffles, rings, seams, fittings and contents",
    source="Divergence theorem for the contents below the fill level; panels at mid thickness",
    valid="filled to the air space; upright; baffles do not move the contents' centre",
    check="tests/outside/test_against_trimesh.py (contents); tests/core/test_capacity.py",
    tolerance="contents 1e-9 in the sharp shell; whole tank about 3 mm",
)


@dataclass(frozen=True, eq=False)
class Weight:
    """kg and mm (3,): `centre` of the full tank, `centre_dry` empty, `centre_contents` of the fluid alone at its fill."""

    dry: Figure
    full: Figure
    height: Figure
    centre: Array
    centre_dry: Array
    centre_contents: Array


Mass = tuple[float, Array]


def weigh(  # noqa: PLR0913, PLR0917 - a step of the chain: what it reads
    panelled: Shell,
    shell: Shell,
    blanks: tuple[Blank, ...],
    plates: tuple[Plate, ...],
    fittings: tuple[Fitting, ...],
    sheet: Sheet,
    capacity: Capacity,
    fluid_key: str,
    seams: tuple[Seam, ...],
    both_sides: bool,
    skins: Skins,
    doublers: tuple[Doubler, ...] = (),
    lids: tuple[Lid, ...] = (),
    bands: tuple[BandOn, ...] = (),
) -> Weight:
    """Weights and centres.

    Args:
        panelled: the shell with a face split where a seam lies on its flat; blanks name its faces.
        shell: the inside without that split; fittings sit on it.
        blanks: as cut; a face's share of its blank's mass goes by its inside area. None where nothing can be cut: areas then count.
        plates: baffles.
        fittings: holes with rings, and what is screwed into them.
        sheet: of all walls.
        capacity: fill level and litres.
        fluid_key: of the contents.
        seams: for the weld metal.
        both_sides: corners are welded inside too.
        skins: thickness of each panel: a weld is as thick as the thinner of the two it joins.
        doublers: plates laid on panels; what those inside take from the volume, some 0.01 L, is left out.
        lids: flanges that are welded on for them; their screws and gasket are left out.
        bands: of steel round it.
    """
    masses = [
        *(_panels(panelled, blanks, sheet, skins) or _uncut_panels(panelled, sheet, skins)),
        *_plates(plates, skins.baffle(sheet)),
        *_fittings(shell, fittings, sheet, skins),
        *_doublers(shell, doublers, sheet),
        *_flanges(panelled, lids, sheet),
        *((band.kg, np.array(band.blocks).reshape(-1, 3).mean(axis=0)) for band in bands if band.blocks),
        *_weld(seams, plates, sheet, skins, both_sides),
    ]
    dry = float(sum(m for m, _ in masses))
    centre_dry = np.average(np.array([c for _, c in masses]), axis=0, weights=[m for m, _ in masses])
    contents = fluid_mass_kg(capacity.fill_l, fluid_key)
    _, centre_contents = centroid_below(shell.triangles, capacity.fill_level_mm)
    centre = (centre_dry * dry + centre_contents * contents) / (dry + contents)
    x, y, z = (float(v) for v in centre)
    place = f"full: {mm(x)} from the front, {mm(y)} from the left, {mm(z)} up; empty {mm(centre_dry[2])} up"
    sheets = sum(skins.piece(sheet, b.role, b.faces, b.thickness_mm).mass_kg(b.area_mm2) for b in blanks)
    return Weight(
        Figure(
            "Dry",
            dry,
            "mass",
            DRY,
            f"{kilos(sheets, 2)} of {sheet.said} in {len(blanks)} blanks + {kilos(dry - sheets, 2)} of "
            f"rings, weld and fittings = {kilos(dry, 2)}"
            if blanks
            else f"by its inside areas, since it cannot be cut as it is: {kilos(dry, 2)}",
        ),
        Figure(
            "Full",
            dry + contents,
            "mass",
            FULL,
            f"{kilos(dry, 2)} + {litres(capacity.fill_l)} → {kilos(dry + contents, 2)}",
        ),
        Figure("Centre of gravity, up", z, "length", CENTRE, place),
        centre,
        centre_dry,
        centre_contents,
    )


def _uncut_panels(panelled: Shell, sheet: Sheet, skins: Skins) -> list[Mass]:
    """Panels by their inside areas: what can be weighed of a tank that cannot be cut."""
    thick = [skins.sheet(sheet, face.id) for face in panelled.faces]
    return [
        (own.mass_kg(face.area_mm2), face.centroid + face.normal * own.thickness_mm / 2)
        for own, face in zip(thick, panelled.faces, strict=True)
    ]


def _panels(panelled: Shell, blanks: tuple[Blank, ...], sheet: Sheet, skins: Skins) -> list[Mass]:
    found = []
    for blank in blanks:
        if blank.role == "baffle":
            continue
        own = skins.piece(sheet, blank.role, blank.faces, blank.thickness_mm)
        faces = [panelled.by_id[name] for name in blank.faces]
        whole = sum(face.area_mm2 for face in faces)
        for face in faces:
            mass = own.mass_kg(blank.area_mm2) * face.area_mm2 / whole
            if isinstance(face, CurvedFace) and isinstance(face.on, Revolved) and face.kind != "cone":
                mass = own.mass_kg(face.on.area_mm2(own.thickness_mm / 2))  # trimmed after forming
            found.append((mass, face.centroid + face.normal * own.thickness_mm / 2))
    return found


def _flanges(panelled: Shell, lids: tuple[Lid, ...], sheet: Sheet) -> list[Mass]:
    density = 1e-9 * sheet.material.density
    found = []
    for lid in lids:
        face = panelled.by_id[lid.face]
        middle = face.centroid - face.normal_at(face.centroid) * (lid.gasket_mm + lid.strip_mm / 2)
        for _, long in lid.strips:  # mitred: as long as its outside less a width
            found.append(((long - lid.flange_mm) * lid.flange_mm * lid.strip_mm * density, middle))
    return found


def _doublers(shell: Shell, doublers: tuple[Doubler, ...], sheet: Sheet) -> list[Mass]:
    density = 1e-9 * sheet.material.density
    return [
        (d.width_mm * d.height_mm * d.thickness_mm * density, border_of(d, face).mean(axis=0))
        for d, face in seated(shell, doublers)
    ]


def _middle(plate: Plate) -> Array:
    """Centre of a plate's metal, in space."""
    shape = Polygon(plate.outline.faceted)
    area, centre = shape.area, np.array([shape.centroid.x, shape.centroid.y])
    moment = area * centre
    for x, z, d in plate.holes:
        hole = math.pi / 4 * d * d
        area, moment = area - hole, moment - hole * np.array([x, z])
    a, b = moment / area
    return np.array([plate.at_mm, a, b] if plate.axis == "x" else [a, plate.at_mm, b])


def _plates(plates: tuple[Plate, ...], sheet: Sheet) -> list[Mass]:
    return [(sheet.mass_kg(plate.metal_mm2), _middle(plate)) for plate in plates]


def _fittings(shell: Shell, fittings: tuple[Fitting, ...], sheet: Sheet, skins: Skins) -> list[Mass]:
    found: list[Mass] = []
    density = 1e-9 * sheet.material.density
    for fitting in fittings:
        spot = seat(shell, fitting)
        if spot is None:
            continue
        ring = max(math.pi / 4 * (fitting.ring_od_mm**2 - fitting.hole_mm**2), 0.0) * fitting.ring_mm
        outside = shell.by_id[fitting.face].normal_at(spot) * (skins.of(fitting.face) + fitting.ring_mm / 2)
        found.append((ring * density + kind(fitting.kind).bought_kg, spot + outside))
    for fitting, a, b in limber_tubes(shell, fittings):
        found.append((tube_wall_mm2(fitting.hole_mm) * float(np.linalg.norm(b - a)) * density, (a + b) / 2))
    for fitting, inlet in inlets(shell, fittings):
        spot = shell.by_id[fitting.face].place(fitting.u_mm, fitting.v_mm)
        length = float(np.linalg.norm(spot - inlet))
        if length > 1:
            found.append((tube_wall_mm2(fitting.tube_od_mm) * length * density, (spot + inlet) / 2))
    return found


def _weld(
    seams: tuple[Seam, ...], plates: tuple[Plate, ...], sheet: Sheet, skins: Skins, both_sides: bool
) -> list[Mass]:
    by_name = {plate.name: plate for plate in plates}

    def per_mm(t: float) -> float:
        if sheet.material.join_kg_m is not None:
            return sheet.material.join_kg_m / 1000
        return t**2 / 2 * 1e-9 * sheet.material.density

    found: list[Mass] = []
    for seam in seams:
        if seam.line is not None:
            sides = 2 if both_sides and seam.joint not in ("butt", "backed", "flanged", "set in", "edge flange") else 1
            t = min((skins.of(name) for edge in seam.edges for name in (edge.a, edge.b)), default=sheet.thickness_mm)
            found.append((per_mm(t) * seam.length_mm * sides, (seam.line.min(axis=0) + seam.line.max(axis=0)) / 2))
        elif seam.edge in by_name:
            found.append((per_mm(sheet.thickness_mm) * seam.length_mm, _middle(by_name[seam.edge])))
    return found
