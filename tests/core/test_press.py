"""A press brake by hand: punch, ram, daylight, and what is closed by hand."""

import json
import math
from pathlib import Path

import pytest
from shapely import Polygon

from bathyx.core.evaluate import evaluate
from bathyx.core.sheet.bending.brake_steps import brake_steps
from bathyx.core.sheet.bending.machine import Brake
from bathyx.core.sheet.bending.order import along_bends, bend_order, shares_at, tools_at
from bathyx.core.sheet.bending.punches import punches
from bathyx.core.sheet.bending.tools import set_ups
from bathyx.core.sheet.cutting.list_for_yard import bend_orders
from bathyx.core.sheet.flat.laid import laid_pieces
from bathyx.errors import Refusal
from tests.conftest import box, job_with

STRAIGHT = {"punch": "straight", "punch_mm": 150.0, "ram_mm": 90.0, "pan_mm": 2000.0}


def bent(tank, edges, **brake):
    """A tank with these edges bent, on a press."""
    job = job_with(
        tank, makeup__school="plates", inside__fittings=[], inside__baffles__by_rule=False, makeup__brake=STRAIGHT | brake
    )  # fmt: skip
    known = {frozenset((e.a, e.b)): e.id for e in evaluate(job).results.shell.edges}
    return job.edited("makeup.edges", [{"edge": known[frozenset(e.split("/"))], "role": "bend"} for e in edges])


def channel(base, high, **brake):
    return bent(box(base, 400, high), ("bottom/rear", "front/bottom"), **brake)


def tray(high, **brake):
    return bent(box(300, 400, high), ["bottom/front", "bottom/rear", "bottom/left end", "bottom/right end"], **brake)


def looked(job):
    """(The bent piece, its order, its results)."""
    r = evaluate(job).results
    laid = next(piece for piece in laid_pieces(r.panelled, r.roles, r.skins, r.rule) if piece.bends)
    return laid, bend_order(laid, r.panelled, r.rule, job.makeup.brake), r


def order_of(job):
    return looked(job)[1]


@pytest.mark.parametrize(
    ("base", "high", "brake", "clear"),
    # At the second bend both sides stand at 45 degrees: the wall that stands ends (base - high) sin 45 beside the middle, and
    # (base + high) sin 45 high. The straight punch is 8 mm either side of it, the ram 45, above 150.
    [
        (300, 200, {}, True),
        (230, 200, {}, False),  # 21 beside the middle, 304 high: in the ram
        (230, 200, {"ram_mm": 30.0}, True),
        (60, 200, {"ram_mm": 30.0}, False),  # across the punch
        (60, 60, {}, False),  # in the middle 85 high: in the punch
        (60, 60, {"punch": "gooseneck"}, True),  # in its recess, 26 deep from 48 to 104
        (60, 60, {"punch": "gooseneck", "punch_mm": 75.0}, False),  # half as high: the recess ends at 52
    ],
)
def test_a_channel_under_punch_and_ram(base, high, brake, clear):
    assert (order_of(channel(base, high, **brake)) is not None) is clear


@pytest.mark.parametrize("punch_mm", [120.0, 150.0, 220.0])
def test_a_box_is_as_deep_as_the_rule_of_brake_hands_says(punch_mm):
    """Punch height = depth / sin 45 + half the ram: a rule of press-brake handbooks for boxes, from memory."""
    deep = (punch_mm - 45.0) * math.sin(math.pi / 4)
    assert order_of(tray(round(deep) - 4, punch_mm=punch_mm)) is not None
    assert order_of(tray(round(deep) + 6, punch_mm=punch_mm)) is None


def test_a_lipped_channel_comes_out_where_there_is_daylight():
    """Either side of a wall's bend has a lip 60 high or more: it comes out where die and punch part by that much."""
    lips = ("bottom/rear", "front/bottom", "top/rear")
    made = bent(box(320, 400, 60), lips, punch="gooseneck", open_mm=400.0, die_high_mm=90.0)
    assert made.makeup.brake.daylight_mm == 160
    assert order_of(made) is None  # a top of 320 over a wall of 60 is no lip
    wide = channel(300, 200, open_mm=250.0, die_high_mm=90.0)
    assert wide.makeup.brake.daylight_mm == pytest.approx(10)
    assert order_of(wide) is not None  # a wall alone goes behind: nothing of it stands
    shut = channel(300, 200, open_mm=200.0, die_high_mm=90.0)
    assert "sheet.daylight" in {f.code for f in evaluate(shut).findings}
    assert order_of(shut) is None


def test_what_closes_is_left_open_and_closed_by_hand():
    narrow = channel(60, 200, ram_mm=60.0)
    assert order_of(narrow) is None
    assert {"sheet.beam"} <= {f.code for f in evaluate(narrow).findings}
    soft = narrow.edited("makeup.brake.by_hand_mm", 3.0)
    laid, order, r = looked(soft)
    # 45 degrees open, the wall stands upright, 60 sin 45 beside the middle: clear of 30 of ram.
    assert [(step.share, step.hand) for step in order] == [(0.5, False), (1.0, False), (1.0, True)]
    assert order[0].edge == order[2].edge != order[1].edge
    # Of 45 it is not: then both are left open.
    assert [(step.share, step.hand) for step in order_of(channel(60, 200, by_hand_mm=3.0))] == [
        (0.5, False), (0.5, False), (1.0, True), (1.0, True),
    ]  # fmt: skip
    codes = {f.code for f in evaluate(soft).findings}
    assert "sheet.by_hand" in codes
    assert "sheet.beam" not in codes
    blank = next(b for b in r.blanks if b.bends)
    steps = brake_steps(blank, r.sheet, order)
    assert [round(step.turn_deg) for step in steps] == [45, 90, 90]
    assert [step.hand for step in steps] == [False, False, True]
    assert steps[0].bent_to_deg == pytest.approx(steps[1].bent_to_deg / 2, rel=0.02)
    # All of it is bent at the end, and nothing of it was before.
    assert shares_at(laid, 1.0, order) == {step.edge: 1.0 for step in order}
    assert set(shares_at(laid, 0.0, order).values()) == {0.0}
    assert shares_at(laid, 2 / 3, order)[order[0].edge] == pytest.approx(0.5)


def test_a_wrap_that_closes_round_the_beam_is_opened_for_a_hand():
    wrap = job_with(box(300, 400, 200), makeup__school="wrap", inside__fittings=[])
    assert "sheet.closed" in {f.code for f in evaluate(wrap).findings}
    soft = evaluate(wrap.edited("makeup.brake.by_hand_mm", 3.0))
    assert "sheet.closed" not in {f.code for f in soft.findings}
    r = soft.results
    order = next(iter(bend_orders(r.panelled, r.roles, r.skins, r.rule, soft.job.makeup.brake).values()))
    turned = {step.edge: 90 * step.share for step in order if not step.hand}
    assert sum(turned.values()) < 270
    assert {step.edge for step in order if step.hand} == {edge for edge, turn in turned.items() if turn < 90}
    thick = evaluate(wrap.edited("makeup.brake.by_hand_mm", 1.0))
    assert "sheet.closed" in {f.code for f in thick.findings}


def test_tools_are_where_the_bend_is():
    job = channel(300, 200, die_high_mm=60.0)
    laid, order, r = looked(job)
    at = tools_at(laid, r.panelled, r.rule, job.makeup.brake, order, 0.75)
    assert len(at.hits) == 0
    assert {tool.name for tool, _ in at.tools} == {"straight", "ram", "die", "bed"}
    tip = next(ends for tool, ends in at.tools if tool.name == "straight")[0][0]
    edge = next(e for e in r.panelled.edges if e.id == order[1].edge)
    # The tip is at the inside of the bend, its radius and no more from the sharp edge.
    assert min(math.dist(tip, edge.start), math.dist(tip, edge.end)) < 6
    seen = along_bends(laid, r.panelled, r.rule, job.makeup.brake, order)
    assert [one.clear for one in seen] == [True, True]
    for one in seen:
        punch = Polygon(next(ring for tool, ring in one.tools if tool.name == "straight")).buffer(-1.0)
        assert not any(Polygon([*face, face[0]]).buffer(0.01).intersects(punch) for face in one.faces if len(face) > 2)
    struck = along_bends(
        *(lambda got: (got[0], got[2].panelled, got[2].rule))(looked(channel(60, 200))), Brake(**STRAIGHT), order
    )
    assert [one.clear for one in struck] == [True, False]


def test_punches_are_rows_and_an_unknown_one_is_refused(tmp_path: Path):
    assert {"straight", "gooseneck"} <= set(punches())
    for section in punches().values():
        for high in (60.0, 150.0, 400.0):
            ring = Polygon(section.ring(high, 44.0))
            assert ring.is_valid
            assert ring.bounds[1] == 0
            assert ring.bounds[3] == pytest.approx(high)
            # Bent to a right angle both sides stand at 45 degrees: a punch that stands in them bends nothing.
            assert all(z > abs(y) - 0.1 for y, z in section.ring(high, 44.0))
    with pytest.raises(Refusal, match="straight, gooseneck"):
        job_with().edited("makeup.brake.punch", "swan")
    assert "punch" not in json.loads(job_with().to_json())["makeup"]["brake"]
    # A bend past 90 degrees has a sharper tip than the wings it stands between.
    acute = set_ups(Brake(**STRAIGHT), ("a", "b"), 135.0, 3.0, 2.0, reflex=False)[0].tools[0].ring
    half = math.degrees(math.atan2(acute[1][0] - acute[0][0], acute[1][1] - acute[0][1]))
    assert half < (180 - 135) / 2


@pytest.mark.parametrize("punch", list(punches()))
@pytest.mark.parametrize("punch_mm", [60.0, 150.0, 300.0])
def test_a_single_right_angle_is_bent_by_every_punch(punch, punch_mm):
    """A wide sheet with one bend: nothing but the sheet itself is near the tools."""
    job = bent(box(700, 400, 500), ("front/bottom",), punch=punch, punch_mm=punch_mm, die_high_mm=60.0)
    assert order_of(job) is not None


def test_the_stepped_floor_of_the_trolley_is_bent_by_a_gooseneck():
    from bathyx.demo import jobs

    e = evaluate(jobs.trolley().edited_many({"makeup.brake.punch": "gooseneck", "makeup.brake.die_high_mm": 60.0}))
    assert "sheet.beam" not in {f.code for f in e.findings}
