"""Does a lid that is bolted down come off, hold, and stay tight?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.sheet.makeup.lids import PITCH, Lid
from bathyx.core.sheet.makeup.screws import GASKETS, gasket_for
from bathyx.core.units import mm

LEAST_GASKET_MM, REACHES_MM = 1.5, 5.0
TOUCH_MM = 0.5


def check(job: Job, r: Results) -> Iterator[Finding]:
    """All round or not at all; a flange as wide, a pitch as short, a gasket of such stuff as it takes; above the fluid."""
    for lid in r.lids:
        yield from _laid(job, r, lid)
        if lid.whole:
            yield from _tight(job, r, lid)


def _edges(job: Job, lid: Lid, **change: object) -> list[dict[str, object]]:
    """The make-up's edges with a change to those of the lid."""
    return [e.model_dump() | (change if e.edge in lid.edges else {}) for e in job.makeup.edges]


def _laid(job: Job, r: Results, lid: Lid) -> Iterator[Finding]:
    where = f"face:{lid.face}"
    if not lid.whole:
        mine = [role for role in r.roles if lid.face in (role.edge.a, role.edge.b)]
        like = next(e for e in job.makeup.edges if e.edge in lid.edges)
        names = {role.edge.id for role in mine}
        others = [e.model_dump() for e in job.makeup.edges if e.edge not in names]
        square = all(abs(role.edge.turn_deg - 90) <= 1 for role in mine)
        all_round = [like.model_dump() | {"edge": role.edge.id} for role in mine]
        yield Finding(
            "lid.half", "stop",
            f"{lid.face} is bolted on {len(lid.edges)} of its {lid.of} edges: it neither comes off nor is it welded",
            "a lid is bolted all round", "a lid that is bolted comes off whole; Bathyx's own line", "cut", where,
            f"{len(lid.edges)} edges", f"{lid.of}",
            Remedy("Bolt it all round", (("makeup.edges", [*others, *all_round]),)) if square else None,
        )  # fmt: skip
        return
    if lid.flange_mm < lid.least_flange_mm:
        yield Finding(
            "lid.narrow", "stop",
            f"the flange under {lid.face} is {mm(lid.flange_mm)} wide: screws of M{lid.screw_mm:g} stand too "
            f"near its edges, and the "
            "gasket tears out between them",
            PITCH.expression, PITCH.source, "cut", where, mm(lid.flange_mm, 1), mm(lid.least_flange_mm, 1),
            Remedy(f"Make it {mm(lid.least_flange_mm)} wide", (("makeup.edges", _edges(job, lid, past_mm=lid.least_flange_mm)),)),
        )  # fmt: skip
    if lid.gasket_mm < LEAST_GASKET_MM:
        yield Finding(
            "lid.gasket_thin", "warn",
            f"a gasket of {mm(lid.gasket_mm, 1)} under {lid.face} does not take up what a welded flange is out of flat",
            "gasket of 1.5 mm at least, 3 mm under plastic",
            "welded flanges are some 1 mm out of flat; Bathyx's own line", "cut", where,
            mm(lid.gasket_mm, 1), mm(LEAST_GASKET_MM, 1),
            Remedy(f"Take {mm(3.0)}", (("makeup.edges", _edges(job, lid, gap_mm=3.0)),)),
        )  # fmt: skip


def _tight(job: Job, r: Results, lid: Lid) -> Iterator[Finding]:
    where, screws = f"face:{lid.face}", job.makeup.lid
    by_rule = job.makeup.lid.model_copy(update={"pitch_mm": None})
    if lid.pitch_mm > lid.most_pitch_mm + 1e-6:
        yield Finding(
            "lid.pitch", "warn",
            f"screws of {lid.face} stand {mm(lid.pitch_mm)} apart: between them the lid of "
            f"{mm(lid.strip_mm, 1)} lifts off its gasket",
            PITCH.expression, PITCH.source, "cut", where, mm(lid.pitch_mm), mm(lid.most_pitch_mm),
            Remedy("Space them by the rule", (("makeup.lid", by_rule.model_dump()),)),
        )  # fmt: skip
    carried = lid.newtons(r.strength.pressure_kpa)
    if carried > lid.screw_holds_n:
        yield Finding(
            "lid.screws", "stop",
            f"{carried / 1000:.1f} kN pull at each of {len(lid.spots)} screws of {lid.face} at the test: more "
            f"than half of what stainless "
            f"A2-50 of M{lid.screw_mm:g} holds",
            "pull a screw ≤ half its proof load, 210 MPa on its core",
            "ISO 3506-1, A2-50 (from memory)", "cut", where, f"{carried:.0f} N", f"{lid.screw_holds_n:.0f} N",
        )  # fmt: skip
    wants = gasket_for(r.fluid)
    good = {wants, "fluoro"} if wants == "nitrile" else {wants}
    if screws.gasket and screws.gasket not in good:
        name, suits = GASKETS[screws.gasket]
        yield Finding(
            "lid.gasket", "stop",
            f"a gasket of {name} under {lid.face} is for {suits}; in {r.fluid.name.lower()} it swells or goes soft",
            "gasket by fluid: nitrile for fuel and oil, EPDM for water, fluorocarbon with alcohol in the fuel",
            "rubber makers' tables, from memory", "cut", where, name, GASKETS[wants][0],
            Remedy(f"Take {GASKETS[wants][0]}", (("makeup.lid", screws.model_dump() | {"gasket": wants}),)),
        )  # fmt: skip
    elif not screws.gasket:
        yield Finding(
            "lid.gasket_unsaid", "warn",
            f"what the gasket under {lid.face} is made of is not said; for {r.fluid.name.lower()} it is {GASKETS[wants][0]}",
            "gasket by fluid", "rubber makers' tables, from memory", "cut", where, "not said", GASKETS[wants][0],
            Remedy(f"Take {GASKETS[wants][0]}", (("makeup.lid", screws.model_dump() | {"gasket": wants}),)),
        )  # fmt: skip
    lowest = float(min(p[2] for p in r.panelled.by_id[lid.face].loop))
    if lowest < r.capacity.fill_level_mm - TOUCH_MM:
        yield Finding(
            "lid.wet", "warn",
            f"the fluid stands {mm(r.capacity.fill_level_mm - lowest)} over the lowest edge of {lid.face}: a "
            f"gasket that is always wet "
            "weeps in the end",
            "a lid that is bolted lies above the fluid", "common practice: raised ports fill above the gasket", "cut", where,
            mm(lowest), mm(r.capacity.fill_level_mm),
        )  # fmt: skip
    if r.fluid.flammable:
        yield Finding(
            "lid.fuel", "warn",
            f"{lid.face} is bolted over {r.fluid.name.lower()}: one long gasket, and what weeps from it burns",
            "fuel under a bolted lid only where the code in force allows it",
            "rules for boats and vehicles differ: ask who inspects it; a welded roof with a port of six screws is the usual way",
            "cut", where,
        )  # fmt: skip
    for plate in r.plates:
        top = float(plate.outline.faceted[:, 1].max())
        if top > lowest - REACHES_MM:
            yield Finding(
                "lid.baffle", "warn",
                f"baffle {plate.name} reaches {lid.face}, which comes off: it is stitched to floor and sides "
                f"alone, and holds no roof",
                "nothing is welded to a lid that comes off", "Bathyx's own line", "cut", f"baffle:{plate.name}",
            )  # fmt: skip
