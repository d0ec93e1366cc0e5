"""Which order of bends is clear of the brake's beam, by hand."""

import json

import numpy as np
import pytest

from bathyx.core.evaluate import evaluate
from bathyx.core.makeups.plan import planned_pieces
from bathyx.core.sheet.bending.order import bend_order, tools_at, usual_order
from bathyx.core.sheet.cutting.list_for_yard import bend_orders
from bathyx.core.sheet.flat.laid import laid_pieces
from tests.conftest import box, job_with


def channel(base, beam, **more):
    """A floor of `base` between two walls of 200, as one piece; the box is 400 wide."""
    edges = [{"edge": edge, "role": "bend"} for edge in ("bottom/rear", "front/bottom")]
    job = job_with(
        box(base, 400, 200), makeup__school="plates", inside__fittings=[], inside__baffles__by_rule=False,
        makeup__brake={"beam_mm": beam},
    )  # fmt: skip
    known = {frozenset((e.a, e.b)): e.id for e in evaluate(job).results.shell.edges}
    for edge in edges:
        edge["edge"] = known[frozenset(edge["edge"].split("/"))]
    return job.edited("makeup.edges", edges)


def order_of(job):
    r = evaluate(job).results
    laid = next(piece for piece in laid_pieces(r.panelled, r.roles, r.skins, r.rule) if piece.bends)
    return bend_order(laid, r.panelled, r.rule, job.makeup.brake)


@pytest.mark.parametrize(
    ("base", "beam", "clear"),
    # The wall that stands is `base` behind the second bend: clear where the beam is less deep. Swung over instead, the wall comes
    # down behind the nose at a height of `base`: over a beam that is no deeper than that.
    [(300, 100, True), (60, 100, False), (60, 40, True), (150, 100, True), (90, 200, False), (90, 0, True)],
)
def test_a_channel_leaves_the_beam_where_its_floor_is_wider(base, beam, clear):
    assert (order_of(channel(base, beam)) is not None) is clear


def test_what_cannot_be_bent_is_a_finding_and_no_candidate():
    job = channel(60, 100)
    codes = {f.code for f in evaluate(job).findings}
    assert "sheet.beam" in codes
    assert "sheet.beam" not in {f.code for f in evaluate(channel(300, 100)).findings}
    pieces = planned_pieces(job, evaluate(job))
    both = frozenset(choice.edge for choice in job.makeup.edges)
    assert pieces.refusal(both) == "no order of its bends was found that is clear of the brake's beam"
    assert pieces.refusal(frozenset([next(iter(both))])) == ""


def test_a_wrap_is_bent_outside_first_and_a_depth_not_said_is_not_written():
    job = job_with(box(300, 400, 200), makeup__school="two_l", makeup__brake={"beam_mm": 80})
    r = evaluate(job).results
    orders = bend_orders(r.panelled, r.roles, r.skins, r.rule, job.makeup.brake)
    assert orders
    for faces, order in orders.items():
        blank = next(b for b in r.blanks if b.faces == faces)
        assert sorted(step.edge for step in order) == sorted(b.edge for b in blank.bends)
    assert "beam_mm" not in json.loads(job_with().to_json())["makeup"]["brake"]


def test_the_beam_is_drawn_where_it_is_and_where_it_is_hit():
    def hit(floor, share):
        job = channel(floor, 100)
        r = evaluate(job).results
        laid = next(piece for piece in laid_pieces(r.panelled, r.roles, r.skins, r.rule) if piece.bends)
        return tools_at(laid, r.panelled, r.rule, job.makeup.brake, usual_order(laid), share)

    assert hit(300, 0.0) is None
    assert hit(300, 1.0) is None
    clear = hit(300, 0.9)
    assert len(clear.hits) == 0
    assert np.ptp(np.concatenate([ends.reshape(-1, 3) for _, ends in clear.tools if not _.under]), axis=0).max() >= 100
    struck = hit(60, 0.95)
    assert len(struck.hits) > 0


def test_what_stands_behind_a_long_bend_goes_into_the_throat():
    job = channel(300, 0).edited_many({"makeup.brake.between_mm": 350.0, "makeup.brake.throat_mm": 150.0})
    # Either bend is 400 long; behind each at least a wall of 200.
    found = [f for f in evaluate(job).findings if f.code == "sheet.throat"]
    assert len(found) == 2
    both = frozenset(choice.edge for choice in job.makeup.edges)
    assert "throat of 150 mm" in planned_pieces(job, evaluate(job)).refusal(both)
    mended = evaluate(found[0].remedy.apply(job))
    assert len([f for f in mended.findings if f.code == "sheet.throat"]) < 2
    assert not [f for f in evaluate(job.edited("makeup.brake.throat_mm", 250.0)).findings if f.code == "sheet.throat"]
    assert not [f for f in evaluate(job.edited("makeup.brake.between_mm", 500.0)).findings if f.code == "sheet.throat"]
