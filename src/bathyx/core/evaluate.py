"""The chain: `evaluate(job)` computes everything Bathyx knows about a job. Pure; each step names what it reads."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property, wraps
from typing import Any

import numpy as np

from bathyx.core.capacity.capacity import Capacity, Displaced, capacity, displaced
from bathyx.core.capacity.pair import pair
from bathyx.core.capacity.weight import weigh
from bathyx.core.findings import ORDER, Finding, Remedy, findings_of
from bathyx.core.formula import Figure, formula
from bathyx.core.geometry.shell import CurvedFace, Shell
from bathyx.core.geometry.skin import disc, outside_of
from bathyx.core.geometry.surfaces import Cylinder
from bathyx.core.inside.baffles import BAY_SOURCE, BaySpan, bays, between, placed, plates
from bathyx.core.inside.fittings import Fitting, seat
from bathyx.core.inside.straps import Laid, Strap, blocks_of, laid
from bathyx.core.job import Job
from bathyx.core.laminate.equal import as_sheet
from bathyx.core.laminate.panels import sheets_of
from bathyx.core.making.plastic import with_process
from bathyx.core.making.roller import with_roller
from bathyx.core.material import Sheet, fluid, sheet
from bathyx.core.memory import Answers, Chain, digest, store_of
from bathyx.core.results import OutsideSize, Results
from bathyx.core.sheet.bending.rule import BendRule
from bathyx.core.sheet.flat.blank import Blank
from bathyx.core.sheet.flat.blanks import Named, baffle_blanks, shell_blanks
from bathyx.core.sheet.makeup.bands import bands_on
from bathyx.core.sheet.makeup.lids import lids
from bathyx.core.sheet.makeup.parting import parted
from bathyx.core.sheet.makeup.rims import Corners, outside, stand_outs, triangles_of
from bathyx.core.sheet.makeup.rims import outside as skin_of
from bathyx.core.sheet.makeup.rings import ring_seams
from bathyx.core.sheet.makeup.roles import EdgeRole, MovedSeam, bend_rule, plan_of, roles_of
from bathyx.core.sheet.makeup.seams import Seam, seam_list
from bathyx.core.sheet.makeup.skins import Skins, flush_of, set_in, skins_of
from bathyx.core.space import MeasuredSpace, Room
from bathyx.core.space.cavity import WALLS
from bathyx.core.space.obstacles import Reach
from bathyx.core.space.sure import Sure, sure_of
from bathyx.core.space.touch import NEAREST, Approach, apart, approaches
from bathyx.core.strength.loads import Service, hottest
from bathyx.core.strength.panels import Metal, strength
from bathyx.core.tank.families import litres_per_mm
from bathyx.core.tank.family import MakeUpPlan, TankFamily
from bathyx.core.tank.second import SecondTank
from bathyx.core.units import a_kilo, kilos, mm
from bathyx.errors import Refusal

COST = formula(
    "sheet.cost",
    "Sheet cost of the blanks",
    "cost = mass of blanks × price per kg",
    source="Price of the sheet table, to replace with the shop's own",
    valid="blanks only, without waste; the nest shows the used share",
    check="tests/core/test_evaluate.py",
    tolerance="as good as the price",
)

SPARE = formula(
    "space.spare",
    "Spare room at the tightest",
    "spare = measured − skew − clearances − (inside + 2 t)",
    source="The space as measured; outside is inside plus a skin on each side",
    valid="a box that goes straight in; weld beads, tabs and fittings are the clearance's business",
    check="tests/core/test_evaluate.py",
    tolerance="as the tape: about 1 mm a reading",
)
BAY = formula(
    "inside.longest",
    "Longest run of free surface",
    "the longest distance between baffles or walls, along and across",
    source=BAY_SOURCE,
    valid="baffles welded to bottom, sides and top",
    check="tests/core/test_inside.py",
    tolerance="exact; the limit is a rule of thumb",
)
NAMELESS = "nameless"
WELD = formula(
    "sheet.weld",
    "Length of weld",
    "Σ welded edges of the shell + stitches of the baffles",
    source="The seam list; stitches 75 on 75 off on both sides, common practice",
    valid="one pass; corners welded inside too are counted once",
    check="tests/core/test_makeup.py",
    tolerance="edges exact; stitches ±1 an edge; rings and bosses not counted",
)


MOST_TRIED = 40


@dataclass(frozen=True, eq=False)
class Evaluation:
    """A job with its results, each worked out when it is asked for, and its findings likewise."""

    job: Job
    answers: Answers

    @cached_property
    def results(self) -> Results:
        """What is computed of it."""
        return Results(self.answers)

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """Everything Bathyx has to say about it, worst first."""
        found: tuple[Finding, ...] = self.answers["findings"]
        return found

    @property
    def judged(self) -> bool:
        """Whether its findings are known already."""
        return "findings" in self.__dict__ or self.answers.known("findings")

    @cached_property
    def advice(self) -> tuple[Finding, ...]:
        """The findings with their remedies tried: one that would make a new stop is left out, the others say what they cost.

        After the first `MOST_TRIED` of them, the worst first, the rest stand without a remedy until those are put right.
        """
        found = (
            _tried(self, finding.thought()) if k < MOST_TRIED else replace(finding, remedy=None, otherwise=())
            for k, finding in enumerate(self.findings)
        )
        return tuple(sorted(found, key=lambda f: ORDER[f.severity]))

    @property
    def stops(self) -> tuple[Finding, ...]:
        """Findings that must be put right before metal is cut."""
        return tuple(f for f in self.findings if f.severity == "stop")


def new_stops(before: Evaluation, after: Evaluation) -> tuple[Finding, ...]:
    """Stops of `after` that `before` has not: what a remedy must not make."""
    had = {(f.code, f.where) for f in before.stops}
    return tuple(f for f in after.stops if (f.code, f.where) not in had)


def tried(before: Evaluation, remedy: Remedy) -> Evaluation | None:
    """The job with a remedy in it, evaluated; None when it cannot be built or gets a new stop."""
    try:
        after = evaluate(remedy.apply(before.job))
    except Refusal:
        return None
    return None if new_stops(before, after) else after


def _tried(e: Evaluation, finding: Finding) -> Finding:
    if finding.remedy is None:
        return finding
    for remedy in (finding.remedy, *finding.otherwise):
        after = tried(e, remedy)
        if after is not None:
            return replace(finding, remedy=replace(remedy, costs=_costs(e, after)), otherwise=())
    return replace(finding, remedy=None, otherwise=())


def _costs(e: Evaluation, after: Evaluation) -> str:
    a, b = e.results, after.results
    changes = (
        (b.capacity.usable.value - a.capacity.usable.value, "L usable", 0.05),
        (b.weight.dry.value - a.weight.dry.value, "kg", 0.05),
        ((b.weld.value - a.weld.value) / 1000, "m weld", 0.05),
    )
    return ", ".join(f"{value:+.1f} {sign}" for value, sign, least in changes if abs(value) >= least)


def evaluate(job: Job) -> Evaluation:
    """Everything about `job`. Raises Refusal (MakeUpError, OutlineError) when it cannot be built at all.

    Only what decides whether there is such a tank is worked out here; the rest is when it is asked for. Results are kept in the
    store of the job's uid: of an edit only what reads the changed parts is worked out again.
    """
    store, key = store_of(job.uid), digest(job)
    kept = store.get("evaluation", key)
    if isinstance(kept, Evaluation):
        return kept
    answers = Answers(CHAIN, job, store)
    for name in DECIDE:
        answers[name]
    _refuse_nothing_left(answers["capacity"])
    found = Evaluation(job, answers)
    store.put("evaluation", key, found)
    return found


def cuttable(e: Evaluation) -> Evaluation:
    """The evaluation, where its blanks can be cut. Refusal with the reason where not."""
    if e.results.uncut:
        raise Refusal(f"it cannot be cut: {e.results.uncut}")
    return e


def inside_of(job: Job, results: Results) -> Displaced:
    """What stands in the gross volume of a job's tank: baffle metal, tubes, what bends take."""
    return displaced(results.shell, results.roles, results.plates, job.inside.fittings, results.skins, results.rule)


def spare_of(job: Job) -> tuple[Figure, tuple[Approach, ...]]:
    """The spare room at the tightest and the nearest approaches, and nothing else worked out."""
    answers = Answers(CHAIN, job, store_of(job.uid))
    return answers["spare"], answers["approaches"]


def results_of(job: Job) -> Results:
    """The results without findings."""
    return evaluate(job).results


def _design(job: Job) -> Job:
    """The job without names: what the tank is, whoever it is for."""
    brief = job.brief.model_copy(update={"name": NAMELESS, "customer": ""})
    return job.model_copy(update={"uid": NAMELESS, "maker": "", "brief": brief})


def _shell(tank: TankFamily, flush: tuple[tuple[str, float], ...]) -> Shell:
    return set_in(tank.shell(), flush)


def _panelled(
    tank: TankFamily, plan: MakeUpPlan, shell: Shell, moved: tuple[MovedSeam, ...], flush: tuple[tuple[str, float], ...]
) -> Shell:
    """The shell with faces parted where a seam lies on a flat: the school's, then those that were moved off their corner."""
    panelled = set_in(tank.shell(plan.split), flush) if plan.split else shell
    for seam in moved:
        if any(edge.id == seam.edge and seam.onto in (edge.a, edge.b) for edge in panelled.edges):
            panelled = parted(panelled, seam.edge, seam.onto, seam.by_mm)
    return panelled


def _fitted(shell: Shell, fittings: tuple[Fitting, ...]) -> tuple[Fitting, ...]:
    _refuse_wide_holes(shell, fittings)
    return fittings


def _eased(roles: tuple[EdgeRole, ...], rule: BendRule, skins: Skins) -> tuple[tuple[str, float], ...]:
    found = ((role.edge, rule.radius_at(skins.of(role.edge.a))) for role in roles if role.kind == "bend")
    return tuple((between(edge.a, edge.b), radius) for edge, radius in found if radius > 0)


def _names(plan: MakeUpPlan, tank: TankFamily, thickness_mm: float) -> Named:
    bought = f"{plan.bought} × {thickness_mm:g}" if plan.bought else ""
    return Named(plan.whole, tank.main_faces, bought, plan.laps)


Cut = tuple[tuple[Blank, ...], str]  # blanks, and why there are none


def _or_why(run: Callable[..., tuple[Blank, ...]]) -> Callable[..., Cut]:
    """Blanks, or in words why they cannot be laid flat: the tank stands all the same, and that it cannot be cut is a stop."""

    @wraps(run)
    def cut(*arguments: Any, **named: Any) -> Cut:
        try:
            return run(*arguments, **named), ""
        except Refusal as error:
            return (), str(error)

    return cut


def _uncut(shell_blanks: Cut, baffle_blanks: Cut) -> str:
    gone = (b for b in (*shell_blanks[0], *baffle_blanks[0]) if not b.area_mm2 > 0)
    whole = (f"{b.name}: its holes take more than its whole area; leave some out or move them" for b in gone)
    return shell_blanks[1] or baffle_blanks[1] or next(whole, "")


def _blanks(shell_blanks: Cut, baffle_blanks: Cut, uncut: str) -> tuple[Blank, ...]:
    return () if uncut else shell_blanks[0] + baffle_blanks[0]


def _outside(shell: Shell, tank: TankFamily, skins: Skins, rims: tuple[Corners, ...]) -> OutsideSize:
    low, high = shell.bounds
    if skins.own or rims:
        spots = outside(shell, skins, rims).reshape(-1, 3)
        low, high = spots.min(axis=0) + skins.base_mm, spots.max(axis=0) - skins.base_mm
    size = high - low + 2 * (skins.base_mm + np.array(tank.overhang_mm()))
    return OutsideSize(float(size[0]), float(size[1]), float(size[2]))


def _approaches(
    space: MeasuredSpace,
    shell: Shell,
    skins: Skins,
    fittings: tuple[Fitting, ...],
    tank: TankFamily,
    rims: tuple[Corners, ...],
    straps: tuple[Laid, ...],
) -> tuple[Approach, ...]:
    """To walls and obstacles, where the space is more than a box to compare sizes with; a built-in tank has the walls."""
    if space.plain:
        return ()
    skin = outside(shell, skins, rims)
    low = skin.reshape(-1, 3).min(axis=0)
    stands_out = [disc_on(shell, fitting, skins) for fitting in fittings if fitting.out_mm > 0]
    bands = [triangles_of(block) for strap in straps for block in blocks_of(strap)]
    whole = np.concatenate([skin, *bands, *(part for part in stands_out if part is not None)])
    shift = space.seated() - low
    found = approaches(space, whole + shift)
    if tank.built_in:
        found = tuple(a for a in found if a.what not in WALLS)
    reaches = (_reach(space, reach, shell, fittings, skins, shift) for reach in space.reaches)
    return tuple(sorted([*found, *(r for r in reaches if r is not None)], key=lambda a: a.spare_mm))


def _strapped(
    shell: Shell, skins: Skins, rims: tuple[Corners, ...], placed_straps: tuple[Strap, ...]
) -> tuple[Laid, ...]:
    return laid(outside(shell, skins, rims), placed_straps) if placed_straps else ()


def _with_straps(outside: OutsideSize, straps: tuple[Laid, ...]) -> OutsideSize:
    """The outside with the bands over it, their feet left out: to either side and above."""
    out = max((band.strap.out_mm for band in straps), default=0.0)
    return OutsideSize(outside.length_mm, outside.width_mm + 2 * out, outside.height_mm + out)


def _sure(
    space: MeasuredSpace, shell: Shell, skins: Skins, rims: tuple[Corners, ...], outside: OutsideSize, tank: TankFamily
) -> Sure | None:
    """What is sure of the spare room; a built-in tank has the walls themselves."""
    if space.plain or tank.built_in:
        return None
    skin = skin_of(shell, skins, rims)
    sizes = np.array([outside.length_mm, outside.width_mm, outside.height_mm])
    return sure_of(space, sizes, skin + (space.seated() - skin.reshape(-1, 3).min(axis=0)))


def _second_near(space: MeasuredSpace, shell: Shell, skins: Skins, second: SecondTank | None) -> Approach | None:
    """What the second tank is nearest to, the first tank included; None where it has no place in the space."""
    if second is None or second.seat is None:
        return None
    skin = outside_of(second.tank.shell(), sheet(second.tank.sheet).thickness_mm)
    seat = np.array([second.seat.x_mm, second.seat.y_mm, second.seat.z_mm])
    skin = skin + (seat - skin.reshape(-1, 3).min(axis=0))
    first = outside(shell, skins)
    near = apart(skin, first + (space.seated() - first.reshape(-1, 3).min(axis=0)))
    return min((near, *approaches(space, skin)), key=lambda a: a.spare_mm)


def _reach(
    space: MeasuredSpace, reach: Reach, shell: Shell, fittings: tuple[Fitting, ...], skins: Skins, shift: Any
) -> Approach | None:
    """The nearest approach of room that is kept out of a fitting; None without that fitting."""
    fitting = next((f for f in fittings if f.id == reach.fitting), None)
    spot = None if fitting is None else seat(shell, fitting)
    if fitting is None or spot is None:
        return None
    normal = shell.by_id[fitting.face].normal_at(spot)
    foot = spot + normal * (skins.of(fitting.face) + fitting.out_mm) + shift
    near = approaches(space, disc(foot, normal, reach.diameter_mm / 2, reach.length_mm))[0]
    return replace(near, what=f"{near.what}, by room for {reach.name}", wants_mm=0.0)


def disc_on(shell: Shell, fitting: Fitting, skins: Skins) -> Any:
    """Triangles of a fitting's ring where it stands on the outside; None off its face."""
    spot, face = seat(shell, fitting), shell.by_id.get(fitting.face)
    if spot is None or face is None:
        return None
    normal = face.normal_at(spot)
    return disc(spot + normal * skins.of(fitting.face), normal, fitting.rim_mm, fitting.out_mm)


def _spare(
    space: MeasuredSpace, room: Room, strapped: OutsideSize, tank: TankFamily, approaches: tuple[Approach, ...]
) -> Figure:
    if space.free:
        return Figure("No hole to fit", 0.0, "length", SPARE, "it stands free")
    if tank.built_in and not approaches:
        return Figure("Spare to the hull", 0.0, "length", NEAREST, "its walls are the hull's own")
    if approaches:
        near = approaches[0]
        working = ", ".join(
            f"{a.what} {mm(a.mm, 1)} − {mm(a.wants_mm, None)} = {_signed(a.spare_mm)}" for a in approaches
        )
        return Figure(f"Spare to {near.what}", near.spare_mm, "length", NEAREST, working)
    ways = {
        "width": room.width_mm - strapped.width_mm,
        "length": room.depth_mm - strapped.length_mm,
        "height": room.height_mm - strapped.height_mm,
    }
    tightest = min(ways, key=lambda way: ways[way])
    working = ", ".join(f"{way} {_signed(spare)}" for way, spare in ways.items())
    return Figure(f"Spare in {tightest}", ways[tightest], "length", SPARE, working)


CHAIN = Chain()
for _name, _take in {
    "design": _design,
    "tank": lambda job: job.tank,
    "sheet_name": lambda job: job.tank.sheet,
    "thickness_mm": lambda job: sheet(job.tank.sheet).thickness_mm,
    "makeup": lambda job: job.makeup,
    "layup": lambda job: job.layup,
    "panel_layups": lambda job: job.panel_layups,
    "weld_process": lambda job: job.makeup.weld_process,
    "panels": lambda job: job.makeup.panels,
    "moved": lambda job: job.makeup.moved,
    "lid_screws": lambda job: job.makeup.lid,
    "band_heights": lambda job: job.makeup.bands,
    "doublers": lambda job: job.makeup.doublers,
    "both_sides": lambda job: job.makeup.both_sides,
    "baffle_rules": lambda job: job.inside.baffles,
    "placed_fittings": lambda job: job.inside.fittings,
    "placed_straps": lambda job: job.inside.straps,
    "brief": lambda job: _design(job).brief,
    "fluid_key": lambda job: job.brief.fluid,
    "moving": lambda job: job.brief.moving,
    "demand": lambda job: job.brief.demand,
    "space": lambda job: job.space,
    "pressure_kpa": lambda job: _test_kpa(job),
    "second": lambda job: job.second,
    "tested_full": lambda job: job.proving.tested_full,
}.items():
    CHAIN.part(_name, _take)
CHAIN.step(
    "sheet",
    lambda sheet_name, weld_process, layup: as_sheet(
        with_roller(with_process(sheet(sheet_name), weld_process), weld_process), layup
    ),
)
CHAIN.step("fluid", fluid, key="fluid_key")
CHAIN.step("room", lambda space: space.room)
CHAIN.step("wanted", lambda demand: demand.wanted)
CHAIN.plain("service", Service.of)
CHAIN.plain("flush", flush_of)
CHAIN.step("shell", _shell)
CHAIN.step("fittings", _fitted, fittings="placed_fittings")
CHAIN.step("plan", plan_of)
CHAIN.step("panelled", _panelled)
CHAIN.step("panel_sheets", lambda sheet_name, layup, panel_layups: sheets_of(sheet(sheet_name), layup, panel_layups))
CHAIN.plain("skins", skins_of)
CHAIN.plain("baffle_mm", lambda skins: skins.baffle_mm)
CHAIN.plain("rule", bend_rule)
CHAIN.step("roles", roles_of, shell="panelled")
CHAIN.plain("joint_rims", stand_outs)
CHAIN.step("bands", lambda shell, skins, band_heights, fluid: bands_on(shell, skins, band_heights, fluid.density))
CHAIN.step("rims", lambda joint_rims, bands: (*joint_rims, *(block for band in bands for block in band.blocks)))
CHAIN.step("lids", lids, screws="lid_screws")
CHAIN.step("straps", _strapped)
CHAIN.plain("baffles", placed, rules="baffle_rules", thickness_mm="baffle_mm")
CHAIN.plain("eased", _eased)
CHAIN.step("plates", plates, rules="baffle_rules", thickness_mm="baffle_mm")
CHAIN.step("bays", bays)
CHAIN.plain("names", _names)
CHAIN.step("shell_blanks", _or_why(shell_blanks), shell="panelled", base="shell")
CHAIN.step("baffle_blanks", _or_why(baffle_blanks), thickness_mm="baffle_mm")
CHAIN.step("uncut", _uncut)
CHAIN.step("blanks", _blanks)
CHAIN.step("seams", seam_list, shell="panelled")
CHAIN.step("rings", ring_seams)
CHAIN.step("capacity", capacity)
CHAIN.step("pair", pair)
CHAIN.step("weight", weigh)
CHAIN.step(
    "metal",
    lambda sheet, skins, both_sides, brief, fluid, band_heights: Metal(
        sheet, skins.own, both_sides or sheet.material.made, hottest(brief, fluid), band_heights, skins.stuffs
    ),
)
CHAIN.step("strength", strength)
CHAIN.step("litres_per_mm", litres_per_mm)
CHAIN.step("outside", _outside)
CHAIN.step("sheet_cost", lambda blanks, sheet, skins: _cost(blanks, sheet, skins))
CHAIN.step("strapped", _with_straps)
CHAIN.step("approaches", _approaches)
CHAIN.step("second_near", _second_near)
CHAIN.step("sure", _sure)
CHAIN.step("spare", _spare)
CHAIN.step("longest_bay", lambda bays: _longest(bays))
CHAIN.step("weld", lambda seams: _weld(seams))
CHAIN.whole(
    "findings", lambda design, answers: findings_of(design, Results(answers)), "design", *Results.__annotations__
)
DECIDE = ("shell", "fittings", "panelled", "roles", "plates", "seams", "capacity")  # whether an edit is taken


def _refuse_wide_holes(shell: Shell, fittings: tuple[Fitting, ...]) -> None:
    """A hole wider than its face has no metal round it anywhere: no place on it would do, so it is no finding."""
    for fitting in fittings:
        face = next((f for f in shell.faces if fitting.face in (f.id, f.parent)), None)
        if face is None:
            continue
        spread = np.ptp(face.outline, axis=0)
        if isinstance(face, CurvedFace) and isinstance(face.on, Cylinder):
            spread = np.append(spread, 1.8 * face.on.radius)
        if fitting.hole_mm >= float(spread.min()):
            raise Refusal(
                f"{fitting.id}: a hole of {fitting.hole_mm:g} mm does not fit {fitting.face}, which is "
                f"{spread.max():.0f} × {spread.min():.0f} mm; make it smaller or put it on another face"
            )


def _refuse_nothing_left(held: Capacity) -> None:
    """No figure of a tank comes out below zero: what would is refused with its reason."""
    if not held.net.value > 0:
        raise Refusal(
            f"what stands inside takes {held.gross.value - held.net.value:.1f} L of {held.gross.value:.1f} L: "
            "the tank holds nothing; leave baffles out or make it larger"
        )


def _test_kpa(job: Job) -> float:
    """The highest pressure of the planned tests of the tank; fills have none."""
    return max((t.test_kpa for t in job.proving.tests if t.pressed and t.what == "tank"), default=0.0)


def _signed(spare_mm: float) -> str:
    return ("+" if spare_mm >= 0 else "−") + mm(abs(spare_mm), 1)


def _longest(spans: tuple[BaySpan, ...]) -> Figure:
    longest = max(spans, key=lambda span: span.length_mm)
    way = "along" if longest.axis == "x" else "across"
    working = f"{way} the tank from {mm(longest.start_mm)} to {mm(longest.end_mm)}: {mm(longest.length_mm)}"
    return Figure("Longest bay", longest.length_mm, "length", BAY, working)


def _weld(seams: tuple[Seam, ...]) -> Figure:
    stitched = sum(seam.length_mm for seam in seams if seam.joint == "stitch")
    whole = sum(seam.length_mm for seam in seams)
    working = f"{(whole - stitched) / 1000:.2f} m of edges + {stitched / 1000:.2f} m of stitches = {whole / 1000:.2f} m"
    return Figure("Weld", whole, "weld", WELD, working)


def _cost(blanks: tuple[Blank, ...], stock: Sheet, skins: Skins) -> Figure:
    mass = sum(skins.piece(stock, b.role, b.faces, b.thickness_mm).mass_kg(b.area_mm2) for b in blanks)
    price = stock.material.price_per_kg
    return Figure("Sheet", mass * price, "money", COST, f"{kilos(mass, 2)} × {a_kilo(price)} = {mass * price:.2f}")
