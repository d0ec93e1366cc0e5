"""Can every piece be bent in an order that is clear of the brake's beam, or its punch and ram?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.sheet.bending.machine import Brake
from bathyx.core.sheet.bending.order import BY_HAND, SOFT_MM
from bathyx.core.sheet.bending.tools import BEAM, PRESS
from bathyx.core.sheet.cutting.list_for_yard import bend_orders
from bathyx.core.sheet.flat.laid import laid_pieces
from bathyx.core.units import Said, mm


def check(job: Job, r: Results) -> Iterator[Finding]:
    """One finding for each piece without such an order, or with a bend that has to be closed by hand, where the tools are said."""
    brake = job.makeup.brake
    if not (brake.looked_at or brake.by_hand_mm) or not any(role.kind == "bend" for role in r.roles):
        return
    if brake.punch and brake.open_mm and brake.daylight_mm <= 0:
        yield Finding(
            "sheet.daylight",
            "warn",
            Said(f"Punch and die leave no room in a brake that opens {mm(brake.open_mm)}"),
            PRESS.expression,
            PRESS.source,
            "cut",
            "makeup.brake.open_mm",
            Said(f"{mm(brake.daylight_mm)} between them"),
            "more than the pieces are high",
        )
    orders = bend_orders(r.panelled, r.roles, r.skins, r.rule, brake)
    rule = PRESS if brake.punch else BEAM
    plates = Remedy("Make it of sheared plates", (("makeup.school", "plates"), ("makeup.edges", [])))
    for laid in laid_pieces(r.panelled, r.roles, r.skins, r.rule):
        if not laid.bends:
            continue
        blank = next((b.name for b in r.blanks if b.faces == tuple(laid.lays)), next(iter(laid.lays)))
        order = orders.get(tuple(laid.lays))
        if order is None and brake.looked_at:
            by_hand = Remedy("Close it by hand", (("makeup.brake.by_hand_mm", laid.t),))
            yield Finding(
                "sheet.beam",
                "warn",
                f"No order of its bends was found that keeps {blank} clear of the brake's {brake.named}",
                rule.expression,
                rule.source,
                "cut",
                f"blank:{blank}",
                f"{len(laid.bends)} bends",
                _said(brake),
                plates,
                (by_hand,) if brake.by_hand_mm < laid.t <= SOFT_MM else (),
            )
        elif order is not None and any(step.hand for step in order):
            many = sum(step.hand for step in order)
            yield Finding(
                "sheet.by_hand",
                "note",
                f"{blank} closes on the brake: {many} of its bends left half open, and closed by hand after",
                BY_HAND.expression,
                BY_HAND.source,
                "cut",
                f"blank:{blank}",
                f"{many} of {len(laid.bends)} bends by hand",
                "all on the brake",
                plates,
            )


def _said(brake: Brake) -> Said:
    """The tools that were looked at."""
    if not brake.punch:
        return Said(f"a beam {mm(brake.beam_mm)} deep")
    opens = Said(f", {mm(brake.daylight_mm)} of daylight") if brake.open_mm else ""
    return Said(f"a {brake.punch} punch {mm(brake.punch_mm)} high{opens}")
