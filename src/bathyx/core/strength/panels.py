"""The chain of a tank under pressure: panels, the welds at their edges, holes, and the stitches of the baffles.

Each face is divided by the baffles welded to it. Its weakest link gives what it bears, at the test (0.9 of yield) and in
service (two thirds of yield).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from bathyx.core.formula import Figure, formula
from bathyx.core.geometry.shell import CurvedFace, Face, Shell
from bathyx.core.geometry.surfaces import Cylinder, Revolved
from bathyx.core.inside.baffles import AXIS_INDEX, Baffle
from bathyx.core.inside.fittings import Fitting
from bathyx.core.material import Sheet, SheetMaterial
from bathyx.core.sheet.makeup.roles import EdgeRole
from bathyx.core.sheet.makeup.skins import Skins
from bathyx.core.strength.edges import Panel, bows, stood_mm, turned_kpa
from bathyx.core.strength.frame import Chain, chains
from bathyx.core.strength.large import BOTH, LARGE, Bears, bears, respond
from bathyx.core.strength.loads import Service, service_kpa
from bathyx.core.strength.membranes import arch_kpa, knuckle_kpa, pulls_in_kpa, round_panel, stress_factor
from bathyx.core.strength.shapes import Level, PanelShape, in_strips, panels_of, strips_of
from bathyx.core.units import kpa, megapascals, mm

TEST_SHARE, SERVICE_SHARE = 0.9, 2 / 3
TEST_STRESS_SOURCE = (
    "stress below 0.9 of yield at a pressure test and below two thirds of it in service (EN 13445 and ASME VIII "
    "practice, from memory)"
)
THROAT = formula(
    "strength.throat",
    "One-sided corner weld at a panel's edge",
    "M = 1.5 · f · (throat/t)² · t²/6, throat = 0.7 t; stitch: f/√3 · 0.7 t on half of each side",
    source="Throat of a fillet with legs of t, EN 1993-1-8, 4.5.2 and EN 1999-1-1, 8.6.3 (from memory); plastic section "
    "of a weld that may yield as a hinge",
    valid="corner and lap joints welded from one side with full legs; a butt or a bend is as strong as its sheet",
    check="tests/core/test_strength.py",
    tolerance="−0 / +40 % for a weld with both sides or a full groove (engineering estimate)",
)
BRIEF = formula(
    "strength.brief",
    "Braking against stuff that creeps",
    "use = p_still / p_years + (p − p_still) / p_seconds; p_seconds / p_years as yield to creep strength",
    source="Loads of different duration added up by their shares, as DVS 2205-1 and EN 1778 do (from memory)",
    valid="plastics and laminates; slopes count as if it stood on them for years",
    check="tests/core/test_bands.py",
    tolerance="on the safe side: the larger of both ratios of sheet and weld",
)
MEAN_BULGE = 0.3
THROAT_SHARE, BUTTS, RIMS = 0.7, ("butt", "backed"), ("flanged", "set in", "edge flange", "bolted")
ROUND_CORNERS = 24
PINNED = 0.9  # a bolted edge turns: a long plate on supports over one with weld hinges, (1 / 0.75) / (0.735 / 0.5), Timoshenko
FRAME_LINK = "its section, which bends where flats are rolled into arcs"
SHELL_HOLE = 2.5  # a bare round hole in a wall with twice the stress round as along: Timoshenko & Goodier, from memory
HINGE = 1.5 * THROAT_SHARE**2
HOLE_STRESS = (
    2.0  # bending round a bare hole, between 1.8 and 2.2: Timoshenko, art. on holes in bent plates, from memory
)


@dataclass(frozen=True)
class Metal:
    """What a tank is made of: its sheet, that of the baffles too; (face, mm) of panels of their own; whether corner seams are
    welded inside too; how warm it is for long, which plastics mind; heights of bands round it; panels of
    other stuff."""

    sheet: Sheet
    own: tuple[tuple[str, float], ...] = ()
    both_sides: bool = False
    hot_c: float = 20.0
    bands: tuple[float, ...] = ()
    stuffs: tuple[tuple[str, Sheet], ...] = ()


@dataclass(frozen=True)
class PanelLoad:
    """A face's weakest panel: sides (mm), bulge (mm) between two bounds and edge stress (MPa) at the test pressure, what its
    weakest link bears at a test and in service (kPa), and which link that is."""

    face: str
    short_mm: float
    long_mm: float
    rectangular: bool
    bulge_mm: tuple[float, float]
    stress_mpa: float
    in_range: bool
    bears_kpa: float
    at_least: bool
    link: str
    service_kpa: float
    service_bears_kpa: float
    curved: str = ""
    strip: tuple[float, float] | None = None

    @property
    def size(self) -> str:
        """How large it is, in words: sides of a panel, radius or head of a curved wall."""
        return self.curved or f"{mm(self.short_mm)} × {mm(self.long_mm)}"

    @property
    def service_use(self) -> float:
        """Service pressure over what it bears in service."""
        return self.service_kpa / self.service_bears_kpa if self.service_bears_kpa > 0 else math.inf


@dataclass(frozen=True)
class Strength:
    """Panels at the test pressure, weakest first, and what the weakest link bears; bands round them, mm over the lowest, and
    whether the floor lies on a base."""

    pressure_kpa: float
    panels: tuple[PanelLoad, ...]
    sheet: Sheet
    pulls_in_kpa: float | None = None
    bands: tuple[float, ...] = ()
    on_base: bool = False

    @property
    def worst(self) -> PanelLoad:
        """The panel nearest its limit at a test."""
        return self.panels[0]

    @property
    def worst_in_service(self) -> PanelLoad:
        """The panel nearest its limit in service."""
        return max(self.panels, key=lambda p: p.service_use)

    @property
    def bears(self) -> Figure:
        """Test pressure that the weakest link bears."""
        w = self.worst
        low, high = w.bulge_mm
        shape = "" if w.rectangular or w.curved else ", no rectangle: as the rectangle that bulges alike"
        bulge = f"{_stands(low, high)}, {megapascals(w.stress_mpa)}" if w.in_range else "is past the plate table"
        if w.link == FRAME_LINK:
            bulge = f"bends to {megapascals(w.stress_mpa)}"
        least = "at least " if w.at_least else ""
        working = (
            f"{w.face}, {w.size}{shape}: at {kpa(self.pressure_kpa)} {bulge}; weakest is "
            f"{w.link}: bears {least}{kpa(w.bears_kpa)}. In service {self.worst_in_service.face} carries "
            f"{kpa(self.worst_in_service.service_kpa)} of {kpa(self.worst_in_service.service_bears_kpa)}"
        )
        if self.pulls_in_kpa is not None:
            working += (
                f". A blocked vent or a pump on a closed tank pulls the body in at about {kpa(self.pulls_in_kpa)} below the "
                "air outside"
            )
        return Figure("Tank bears", w.bears_kpa, "pressure", LARGE, working)


def _stands(low: float, high: float) -> str:
    """How far a middle stands out, in words; its neighbours may press it in."""
    if low < -0.05:
        return f"stands {mm(-low, 1)} in to {mm(max(high, 0.0), 1)} out"
    return f"bulges {mm(max(low, 0.0), 1)} to {mm(max(high, 0.0), 1)}"


def gives(found: Strength, shell: Shell) -> tuple[float, float]:
    """Least and most growth of the inside, share of its volume for each kPa, as its walls are reckoned to swell at the test.

    Of a clamped plate the mean bulge is three tenths of its middle's (Timoshenko, art. 44, from memory); every panel of a face is
    taken to bulge as its weakest.
    """
    volume = abs(shell.volume_mm3)
    low = high = 0.0
    for p in found.panels:
        face = shell.by_id.get(p.face)
        if face is None or not p.in_range:
            continue
        low += MEAN_BULGE * p.bulge_mm[0] * face.area_mm2
        high += MEAN_BULGE * p.bulge_mm[1] * face.area_mm2
    per = volume * max(found.pressure_kpa, 1.0)
    return 0.5 * max(low, 0.0) / per, min(2.0 * high / per, 0.02)


def bears_full_kpa(found: Strength, shell: Shell, density: float, rise_mm: float = 0.0) -> tuple[float, str]:
    """What may be pumped onto a tank full of a liquid, kPa at its top, and the face that decides: its head acts as well.

    Args:
        found: what each face bears.
        shell: the inside.
        density: of the liquid, kg/m3.
        rise_mm: how far above the tank's top the liquid stands.
    """
    full = Service(0.0, density, rise_mm, 0.0)
    left = [
        (p.bears_kpa - service_kpa(shell, shell.by_id[p.face], full), p.face)
        for p in found.panels
        if p.face in shell.by_id
    ]
    least, face = min(left, default=(found.bears.value, found.worst.face))
    return max(0.0, least), face


@lru_cache(maxsize=1024)
def _bears(
    shape: PanelShape,
    sheet: Sheet,
    share: float,
    welded: bool,
    bare_hole: bool,
    both_sides: bool,
    seamed: bool = False,
    hot_c: float = 20.0,
) -> tuple[Bears, str]:
    """What a panel's weakest link bears at a share of yield, and which link that is. `seamed`: a butt weld runs across its flat,
    where the sheet is as soft as beside any weld."""
    m, t = sheet.material, sheet.thickness_mm
    args = (shape.short_mm, shape.long_mm, t)
    if share < TEST_SHARE:
        at_weld, parent = share * m.lasting(t, weld=True, hot_c=hot_c), share * m.lasting(t, weld=False, hot_c=hot_c)
    else:
        at_weld, parent = share * m.yield_at(t, weld=True), share * m.yield_at(t, weld=False)
    links: list[tuple[Bears, str]] = []
    if welded:
        links.append((bears(*args, at_weld, m.modulus, m.poisson), "the sheet beside its weld"))
        if not both_sides:
            links.append(
                (bears(*args, at_weld * HINGE, m.modulus, m.poisson), "the throat of its one-sided corner weld")
            )
    else:
        links.append((bears(*args, parent, m.modulus, m.poisson), "the sheet at its bend"))
    middle = (at_weld if seamed else parent) / (HOLE_STRESS if bare_hole else 1.0)
    where = "a bare hole in it" if bare_hole else "the seam across its flat" if seamed else "its middle"
    links.append((bears(*args, middle, m.modulus, m.poisson, True), where))
    return min(links, key=lambda link: link[0].kpa)


def strength(
    shell: Shell,
    baffles: tuple[Baffle, ...],
    metal: Metal,
    pressure_kpa: float,
    service: Service,
    roles: Sequence[EdgeRole] = (),
    fittings: Sequence[Fitting] = (),
) -> Strength:
    """Every face's weakest panel, weakest face first.

    Args:
        shell: the inside.
        baffles: where plates are welded across it.
        metal: what it is made of, and whether seams are welded inside too.
        pressure_kpa: of the test, gauge.
        service: head, braking and working pressure.
        roles: which edges are bent, which welded; without them all are welded.
        fittings: a hole without a ring as thick as the sheet weakens its face.
    """
    base, both_sides = metal.sheet, metal.both_sides
    m, skins = base.material, Skins(base.thickness_mm, metal.own, metal.stuffs)
    stitch = stitch_kpa(shell, baffles, skins.baffle(base))
    loads = []
    panels: dict[str, Panel] = {}
    holed: set[str] = set()
    at: dict[str, list[EdgeRole]] = {}
    for role in roles:
        for name in {role.edge.a.split(":")[0], role.edge.b.split(":")[0]}:
            at.setdefault(name, []).append(role)
    for face in shell.faces:
        if face.kind == "hull":
            continue  # the hull's own business
        sheet = skins.sheet(base, face)
        t = sheet.thickness_mm
        mine = at.get(face.id, [])
        welded = not mine or any(role.kind == "weld" and role.joint not in BUTTS for role in mine)
        both = both_sides and not any(role.joint in RIMS for role in mine)  # a flange is welded at its rim alone
        seamed = any(
            role.joint in BUTTS and {role.edge.a.split(":")[0], role.edge.b.split(":")[0]} == {face.id} for role in mine
        )
        bare = any(
            f.face == face.id and f.hole_mm > 10 * t and (f.ring_mm < t or f.ring_od_mm < 1.3 * f.hole_mm)
            for f in fittings
        )
        if bare:
            holed.add(face.id)
        if isinstance(face, CurvedFace) and (carried := stress_factor(face, t)) is not None:
            loads.append(
                _membrane(
                    shell,
                    face,
                    (carried[0] * (SHELL_HOLE if bare else 1.0), carried[1]),
                    sheet,
                    pressure_kpa,
                    service,
                    mine,
                    metal.hot_c,
                )
            )
            continue
        comes_off = any(role.joint == "bolted" and role.over == face.id for role in mine)
        across = () if comes_off else baffles  # nothing is welded to a lid that comes off
        strips = strips_of(face, float(shell.bounds[0][2]), metal.bands)
        lines = tuple(Level(low) for low, _ in strips[1:])
        shapes = _plates_of(face, (*across, *lines)) or (PanelShape(1.0, 1.0, True, 1.0),)
        tried = [(_bears(s, sheet, TEST_SHARE, welded, bare, both, seamed), s) for s in shapes]
        (found, link), weakest = min(tried, key=lambda pair: pair[0][0].kpa)
        pressed, most = (strips[0] if strips else None), weakest
        if strips and (cells := in_strips(_plates_of(face, across), strips)):
            # each strip by its own head: the one that carries most of what it bears
            most, pressed = max(
                cells,
                key=lambda cell: (
                    service_kpa(shell, face, service, cell[1])
                    / max(_bears(cell[0], sheet, SERVICE_SHARE, welded, bare, both, seamed, metal.hot_c)[0].kpa, 1e-9)
                ),
            )
        served = _bears(most, sheet, SERVICE_SHARE, welded, bare, both, seamed, metal.hot_c)[0]
        held = PINNED if any(role.joint == "bolted" for role in mine) else 1.0
        own = sheet.material
        ways = [respond(weakest.short_mm, weakest.long_mm, t, pressure_kpa, own.modulus, own.poisson, e) for e in BOTH]
        bowed = bows(weakest.short_mm, weakest.long_mm, sheet, found.kpa) if face.kind == "plane" else 1.0
        bowed *= held
        kpa, at_least = found.kpa * bowed, found.beyond
        link = "its middle: nothing turns the edges of a lid that is bolted" if comes_off else link
        if face.kind == "plane":
            soft = TEST_SHARE * own.yield_at(t, weld=welded) * (1.0 if both or not welded else HINGE)
            panels[face.id] = Panel(face.id, weakest.short_mm, weakest.long_mm, sheet, soft, kpa)
        if stitch and stitch[0] < kpa and _stitched(face, across):
            kpa, link, at_least = stitch[0], f"the stitches of baffle {stitch[1]}", False
        loads.append(
            PanelLoad(
                face.id,
                weakest.short_mm,
                weakest.long_mm,
                weakest.rectangular,
                (min(w.bulge_mm for w in ways), max(w.bulge_mm for w in ways)),
                max(w.edge_mpa for w in ways),
                all(w.in_range for w in ways),
                kpa,
                at_least,
                link,
                service_kpa(shell, face, service, pressed),
                served.kpa * bowed,
                strip=pressed,
            )
        )
    by_face = _turned(_stood({load.face: load for load in loads}, shell, panels, pressure_kpa), shell, panels)
    for chain in chains(shell, baffles):
        by_face |= _bent(chain, by_face, holed, (_thinnest(base, skins, chain), metal.hot_c), pressure_kpa)
    loads = [_with_brief(load, shell, m, service) for load in by_face.values()]
    return Strength(
        pressure_kpa,
        tuple(sorted(loads, key=lambda load: load.bears_kpa)),
        base,
        _pulls_in(shell, base, skins),
        metal.bands,
        service.on_base,
    )


def _with_brief(load: PanelLoad, shell: Shell, m: SheetMaterial, service: Service) -> PanelLoad:
    """A load whose braking and cornering part counts against what stuff that creeps bears for seconds, the rest against years."""
    face = shell.by_id.get(load.face)
    if m.creep is None or face is None or not load.service_kpa > 0:
        return load
    lasting = max(m.creep / m.yield_delivered, (m.creep_weld or m.creep) / m.yield_weld)
    calm = replace(service, braking_g=0.0, cornering_g=0.0)
    still = min(service_kpa(shell, face, calm, load.strip), load.service_kpa)
    counted = still + (load.service_kpa - still) * lasting
    return replace(load, service_bears_kpa=load.service_bears_kpa * load.service_kpa / counted)


def _stood(
    by_face: dict[str, PanelLoad], shell: Shell, panels: Mapping[str, Panel], pressure_kpa: float
) -> dict[str, PanelLoad]:
    """The loads with what their neighbours make them stand in or out."""
    pressed = {name: (by_face[name].bulge_mm[1], by_face[name].stress_mpa) for name in panels}
    for name, (inward, outward) in stood_mm(shell, panels, pressure_kpa, pressed).items():
        low, high = by_face[name].bulge_mm
        by_face[name] = replace(by_face[name], bulge_mm=(low - inward, high + outward))
    return by_face


def _turned(by_face: dict[str, PanelLoad], shell: Shell, panels: Mapping[str, Panel]) -> dict[str, PanelLoad]:
    """The loads of faces whose edges a neighbour turns: no more than they bear then."""
    for name, (turned, beside) in turned_kpa(shell, panels).items():
        load = by_face[name]
        if turned < load.bears_kpa:
            served, link = load.service_bears_kpa * turned / load.bears_kpa, f"its edge, which {beside} bends as well"
            by_face[name] = replace(load, bears_kpa=turned, at_least=False, link=link, service_bears_kpa=served)
    return by_face


def _thinnest(sheet: Sheet, skins: Skins, chain: Chain) -> Sheet:
    """The thinnest of the sheets that walls which run into one another are made of."""
    return min((skins.sheet(sheet, name) for name in sorted(chain.faces)), key=lambda s: s.thickness_mm)


def _bent(
    chain: Chain, loads: dict[str, PanelLoad], holed: set[str], made_of: tuple[Sheet, float], pressure_kpa: float
) -> dict[str, PanelLoad]:
    """The loads of walls that run into one another: no more than they bear as a frame, or as panels between folds.

    Args:
        chain: those walls.
        loads: of every face by itself.
        holed: faces with a bare hole, which doubles the bending stress beside it.
        made_of: sheet of all walls, and how warm it is for long.
        pressure_kpa: of the test.
    """
    sheet, hot_c = made_of
    m, t = sheet.material, sheet.thickness_mm
    found = {}
    for name in chain.faces & loads.keys():
        factor = (6 * chain.moment_mm2 / t**2 + chain.reach_mm / t) * (HOLE_STRESS if name in holed else 1.0)
        test = 1000 * TEST_SHARE * m.yield_at(t, weld=True) / factor
        served = 1000 * SERVICE_SHARE * m.lasting(t, weld=True, hot_c=hot_c) / factor
        load, share = loads[name], chain.folds.get(name, 1.0 if chain.folds else 0.0)
        bears_kpa, service = max(test, share * load.bears_kpa), max(served, share * load.service_bears_kpa)
        if bears_kpa < load.bears_kpa:
            load = replace(load, bears_kpa=bears_kpa, at_least=False)
            if bears_kpa <= test:
                # Its bulge and stress as a clamped panel are not those of a frame.
                load = replace(load, link=FRAME_LINK, stress_mpa=factor * pressure_kpa / 1000, in_range=False)
        found[name] = replace(load, service_bears_kpa=min(load.service_bears_kpa, service))
    return found


def _plates_of(face: Face, baffles: tuple[Baffle | Level, ...]) -> tuple[PanelShape, ...]:
    """The flat panels of a face; the whole disc of a round end, which baffles across the body do not touch."""
    if isinstance(face, CurvedFace):
        assert isinstance(face.on, Revolved)
        if face.on.core != (0.0, 0.0) or face.kind == "pressed":
            short, long = sorted((2 * face.on.reach).tolist())
            return (PanelShape(short, long, True, short * long),)
        return (round_panel(face.on.radius),)
    found = panels_of(face, baffles)
    radius = math.sqrt(face.area_mm2 / math.pi)
    if len(found) == 1 and len(face.loop) >= ROUND_CORNERS and _is_round(face, radius):
        return (round_panel(radius),)
    return found


def _is_round(face: Face, radius: float) -> bool:
    away = np.linalg.norm(face.loop - face.centroid, axis=1)
    return bool(np.abs(away - radius).max() < 5e-3 * radius)


def _membrane(
    shell: Shell,
    face: CurvedFace,
    carried: tuple[float, str],
    sheet: Sheet,
    pressure_kpa: float,
    service: Service,
    roles: Sequence[EdgeRole],
    hot_c: float,
) -> PanelLoad:
    """A curved wall or head: where its membrane stress reaches what the weld in it, or the sheet, bears."""
    factor, words = carried
    m, t = sheet.material, sheet.thickness_mm
    welded = not roles or any(role.kind == "weld" for role in roles)
    stress = factor * pressure_kpa / 1000
    radius = face.on.radius if isinstance(face.on, (Cylinder, Revolved)) else 0.0
    growth = stress / m.modulus * radius
    bears_kpa = 1000 * TEST_SHARE * m.yield_at(t, weld=welded) / factor
    served_kpa = 1000 * SERVICE_SHARE * m.lasting(t, weld=welded, hot_c=hot_c) / factor
    link = "the sheet beside its weld" if welded else "the sheet"
    if isinstance(face.on, Cylinder) and face.on.outward < 0:
        arch = arch_kpa(face.on.radius, face.on.high - face.on.low, t, m.modulus, m.poisson) / 2
        if arch < bears_kpa:
            link = "the tunnel's arch, which would buckle"
        bears_kpa, served_kpa, words = min(bears_kpa, arch), min(served_kpa, arch), f"tunnel of R {radius:g} mm"
    if isinstance(face.on, Revolved):
        test_stress = TEST_SHARE * m.yield_at(t, weld=welded)
        knuckle = knuckle_kpa(face.on, t, test_stress)
        if knuckle is not None:
            served_stress = SERVICE_SHARE * m.lasting(t, weld=welded, hot_c=hot_c)
            if knuckle[0] < bears_kpa:
                bears_kpa, link = knuckle
            served_kpa = min(served_kpa, knuckle[0] * served_stress / test_stress)
    return PanelLoad(
        face.id,
        2 * radius,
        2 * radius,
        False,
        (growth * (1 - m.poisson / 2), growth),
        stress,
        True,
        bears_kpa,
        False,
        link,
        service_kpa(shell, face, service),
        served_kpa,
        words,
    )


def _pulls_in(shell: Shell, sheet: Sheet, skins: Skins) -> float | None:
    """For a round body: the vacuum that buckles it."""
    m, least = sheet.material, None
    for face in shell.faces:
        if isinstance(face, CurvedFace) and isinstance(face.on, Cylinder) and face.closes_mm:
            length = float(np.ptp(face.outline[:, 0]))
            least = pulls_in_kpa(2 * face.on.radius, length, skins.of(face), m.modulus, m.poisson)
    return least


def _stitched(face: Face, baffles: tuple[Baffle, ...]) -> bool:
    return face.kind == "plane" and any(abs(float(face.normal[AXIS_INDEX[b.axis]])) < 0.9 for b in baffles)


def stitch_kpa(shell: Shell, baffles: tuple[Baffle, ...], sheet: Sheet) -> tuple[float, str] | None:
    """(kPa, baffle) at which the stitches of the most loaded baffle reach their shear; None without baffles."""
    if not baffles:
        return None
    low, high = shell.bounds
    t = sheet.thickness_mm
    per_mm = TEST_SHARE * sheet.material.yield_at(t, weld=True) / math.sqrt(3) * THROAT_SHARE * t
    found = []
    for number, baffle in enumerate(baffles, start=1):
        axis = AXIS_INDEX[baffle.axis]
        stops = sorted([float(low[axis]), float(high[axis]), *(b.at_mm for b in baffles if b.axis == baffle.axis)])
        k = stops.index(baffle.at_mm)
        carried = (stops[k + 1] - stops[k - 1]) / 2
        found.append((per_mm / carried * 1000, f"B{number}"))
    return min(found)
