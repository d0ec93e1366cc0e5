"""The traveller: ordered steps generated from an evaluation, with cautions where they matter and hold points that block.

Step ids are stable (`cut`, `bend:wrap`, `fit`), so that ticks in the register keep their meaning when the tank changes.
"""

from __future__ import annotations

from collections.abc import Iterable

from bathyx.core.build.repair_steps import donor_steps, repair_steps
from bathyx.core.evaluate import Evaluation
from bathyx.core.geometry.shell import CurvedFace
from bathyx.core.geometry.surfaces import Cylinder, Revolved
from bathyx.core.job import Job, way_in_of
from bathyx.core.making import Step, making_of
from bathyx.core.material import Sheet, fluids
from bathyx.core.proving.plan import CAUTIONS, METHODS
from bathyx.core.repair import of_donors
from bathyx.core.results import Results
from bathyx.core.sheet.cutting.list_for_yard import cut_after
from bathyx.core.sheet.cutting.nest import by_thickness
from bathyx.core.sheet.flat.blank import Blank
from bathyx.core.sheet.makeup.own_parts import every_part
from bathyx.core.sheet.makeup.roles import SCHOOLS
from bathyx.core.units import kilos, litres, mm


def _by(job: Job) -> str:
    """The openings it has to go in by."""
    way = job.space.way_in
    if way is None:
        return ""
    kept = way.promise
    promised = f"promised: {kept.reason}; " if kept is not None and kept.of == way_in_of(job) else ""
    return f"by {way.words}, as the sheet of the way in says; {promised}"


def steps(evaluation: Evaluation) -> tuple[Step, ...]:
    """The traveller of this tank, in order."""
    job, r = evaluation.job, evaluation.results
    if job.repair is not None:
        known = fluids().get(job.repair.held)
        tests = [(t.words, CAUTIONS[t.method]) for t in job.proving.tests]
        name = job.repair.held if known is None else known.name.lower()
        return repair_steps(job.repair, name, r.sheet.thickness_mm, r.sheet.material.group, tests)
    shell_blanks = [b for b in r.blanks if b.role == "shell"]
    bought = [b for b in r.blanks if b.role == "bought"]
    baffles = [b for b in r.blanks if b.role == "baffle"]
    bent = [b for b in shell_blanks if b.bends]
    fittings = [f for f in job.inside.fittings if f.hole_mm]
    rings = [f for f in job.inside.fittings if f.ring_mm > 0]
    found = [
        Step(
            "agree",
            "Agree sketch and brief with the customer",
            f"{litres(r.capacity.usable.value)} usable of {r.fluid.name.lower()}, {kilos(r.weight.full.value, 0)} full",
        ),
        Step(
            "mock",
            "Card mock-up in the space",
            f"outside {mm(r.outside.length_mm)} × {mm(r.outside.width_mm)} × {mm(r.outside.height_mm)}; "
            "try the way in with tabs and fittings on",
        ),
        Step(
            "material",
            "Check the sheet",
            f"{', '.join(Sheet(r.sheet.material, t).said for t in by_thickness(r.blanks)) or r.sheet.said}"
            f"{''.join(f', {b.stock}' for b in bought)}; write the grade and certificate down, or that it is unknown",
        ),
        Step(
            "cut",
            "Cut blanks",
            ", ".join(f"{b.name} {b.said_size}" for b in r.blanks if b.role != "bought"),
            "Gloves and glasses; sheared edges cut.",
        ),
        *(
            Step(part.id, f"Cut {part.count} × {part.kind}", f"{part.size}, {part.place}")
            for part in every_part(job.own_parts, r.seams, r.skins, job.makeup.doublers, r.straps, r.lids, r.bands)
        ),
        Step("deburr", "Deburr and mark out", "mark bend lines and baffle places while edges are straight"),
        *_donors(job),
    ]
    found += [
        Step(
            f"length:{b.name}",
            f"Cut {b.name} to length",
            f"{b.said_size}; square both ends, measure the inside before the ends are cut, scale and mill oil out of it "
            "while both ends are open",
            "Clamp it: a closed section jumps when the saw breaks through.",
        )
        for b in bought
    ]
    found += [
        Step(
            f"bend:{b.name}",
            f"Bend {b.name}",
            f"{len(b.bends)} bends, inside radius {mm(b.bends[0].radius_mm, None)}; {SCHOOLS[job.makeup.school].lower()}",
        )
        for b in bent
    ]
    if bent:
        found.append(
            Step(
                "trim",
                "Measure and trim",
                f"bent parts come out long or short: measure, then cut the mating parts{_mates(r)}",
            )
        )
    found += _formed(evaluation, shell_blanks)
    if fittings:
        found.append(
            Step(
                "holes",
                "Cut holes",
                ", ".join(f"{f.id} ø{mm(f.hole_mm, None)}" for f in fittings) + "; same sizes in one set-up",
            )
        )
    if rings:
        found.append(
            Step(
                "bosses",
                "Weld rings and bosses into flat panels",
                ", ".join(f"{f.id} {mm(f.ring_mm, None)}" for f in rings),
                "Aim the arc at the thick side, clamp to a steel table as heat sink.",
            )
        )
    found += [
        Step(
            "clean",
            "Clean joints and rod",
            "dedicated brush, solvent on a rag, let it dry",
            "Never pour solvent: trapped between plates it burns under the arc, unseen through the helmet. "
            "No chlorinated cleaner near an arc: its fumes are poison.",
        ),
        Step(
            "tack",
            "Tack, square, check",
            "many small tacks, measure both diagonals of each opening",
            "Helmet, gloves, skin covered; draw fumes away, most of all from stainless and galvanised parts.",
        ),
        Step(
            "fit",
            "Fit check on its feet or frame, tacked only"
            if job.space.free
            else "Fit check in the real space, tacked only",
            f"{_by(job)}with tabs, fittings and spanner room; in and out again",
            hold=True,
        ),
    ]
    if baffles:
        found.append(
            Step(
                "baffles",
                "Baffles in",
                f"{', '.join(b.name for b in baffles)}: stitch to bottom, sides and top, {mm(75)} on {mm(75)} off; "
                "limber holes at the bottom",
                "A baffle that is not welded to the bottom lets it blow out under test.",
            )
        )
        found.append(
            Step(
                "closing",
                "Look inside before closing",
                "every bay drains, pickup and float clear, nothing left in the tank",
                hold=True,
            )
        )
    found += [
        Step(
            "weld",
            "Weld all seams",
            f"{r.weld_length_mm / 1000:.2f} m in {len(r.seams)} seams; skip about, turn the tank "
            "to weld flat; log each seam",
            "Fumes: ventilate. Argon and nitrogen push the air out of a closed room or a purged tank, and nobody smells it: no "
            "head in it, nobody alone. Enough gas, wire and rod on the bench before the first arc.",
        ),
        Step("dress", "Dress and look", "spatter off, look at every seam, mirror for the blind side"),
        *_lids(r),
        Step(
            "test",
            f"Prove it: {', then '.join(METHODS[t.method].lower() for t in job.proving.tests)}",
            "; ".join(t.words for t in job.proving.tests),
            " ".join(dict.fromkeys(CAUTIONS[t.method] for t in job.proving.tests)),
            hold=True,
        ),
        Step(
            "finish",
            "Coat, mount and earth",
            "paint steel outside; rubber under the tank; earth strap on fuel tanks",
            "Earth a fuel tank before the first fill." if r.fluid.flammable else "",
        ),
        Step(
            "first_fill",
            "First fill, and watch",
            "fill from a metered supply, check the dip chart, look again after a day",
            "No flame, no spark, vapour sinks and travels." if r.fluid.flammable else "",
        ),
        Step("learn", "What would be quicker next time?", "write it down while it is fresh"),
    ]
    making = making_of(r.sheet)
    besides = making.besides(job, r)
    told = []
    for step in found:
        said = making.told(step, job, r)
        told += ([] if said is None else [said]) + list(besides.get(step.id, ()))
    return tuple(told)


def _donors(job: Job) -> tuple[Step, ...]:
    """The gate of used tanks that parts come from; nothing where all of it is new."""
    if not job.donors:
        return ()
    known = fluids().get(of_donors(job.donors).held)
    return donor_steps(job.donors, "nobody knows what" if known is None else known.name.lower())


def _lids(r: Results) -> list[Step]:
    """How lids are bolted down, before the test: it is proved with them on."""
    if not any(lid.whole for lid in r.lids):
        return []
    return [
        Step(
            "bolt_lid",
            "Bolt the lid down",
            "; ".join(lid.said for lid in r.lids if lid.whole)
            + ". Lid and flange drilled in one set-up, the first two screws in before the rest; edges clean and "
            "flat; gasket in one "
            "piece or its ends scarfed between two screws, sealant on both sides of it; screws crosswise in three rounds till "
            "the gasket is a quarter thinner, again after a day",
            "Keep drill chips out of the tank: cover the opening, or drill lid and flange together before the baffles are in.",
        )
    ]


def _mates(r: Results) -> str:
    """Which part is cut to which bent one."""
    after = cut_after(r.blanks, r.roles)
    return "".join(f"; {name} to {' and '.join(bent)}" for name, bent in after.items())


def _formed(evaluation: Evaluation, blanks: list[Blank]) -> list[Step]:
    """What rolled bodies and formed heads need before they are tacked."""
    r = evaluation.results
    found: list[Step] = []
    for blank in blanks:
        faces = [r.panelled.by_id[name] for name in blank.faces]
        radii = sorted({f.on.radius for f in faces if isinstance(f, CurvedFace) and isinstance(f.on, Cylinder)})
        heads = [f for f in faces if isinstance(f, CurvedFace) and isinstance(f.on, Revolved)]
        if radii:
            said = ", ".join(f"R {mm(x, None)}" for x in radii)
            found += [
                Step(
                    f"roll:{blank.name}",
                    f"Roll {blank.name}",
                    f"{blank.size_mm[0]:.0f} mm of sheet, inside {said}; set both edges first, check with a template",
                    "Keep fingers and gloves off the rolls; stop them before you reach in.",
                ),
                Step(
                    f"long_seam:{blank.name}",
                    f"Tack and weld the long seam of {blank.name}, then planish it",
                    "band clamp while tacking; measure the girth against the ends before they are cut or trimmed",
                ),
            ]
        elif heads:
            what = "Roll the cone" if heads[0].kind == "cone" else "Form the head, or fit a bought one,"
            found.append(
                Step(
                    f"form:{blank.name}",
                    f"{what} {blank.name}",
                    "trim to the body's girth; holes in it are cut when it has its shape",
                )
            )
    return found


def next_open(all_steps: tuple[Step, ...], done: Iterable[str]) -> Step | None:
    """The first step not ticked, or None when all are."""
    ticked = set(done)
    return next((step for step in all_steps if step.id not in ticked), None)


def blocked_by(all_steps: tuple[Step, ...], step_id: str, done: Iterable[str]) -> Step | None:
    """The hold point before `step_id` that is not ticked yet, or None when it may be ticked."""
    ticked = set(done)
    for step in all_steps:
        if step.id == step_id:
            return None
        if step.hold and step.id not in ticked:
            return step
    return None
