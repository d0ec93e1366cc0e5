"""Unfolding: lengths by hand and the law that flat area is neutral-surface area."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bathyx.core.evaluate import evaluate
from bathyx.core.geometry.outline import Outline, OutlineError, offset_polygon, rounded
from bathyx.core.sheet.bending.bend import allowance_mm, setback_mm
from bathyx.core.sheet.bending.rule import BendRule
from bathyx.core.sheet.flat.blanks import pieces_of
from bathyx.core.sheet.makeup.roles import MakeUp, plan_of, roles_of
from bathyx.core.sheet.makeup.skins import Skins
from bathyx.core.tank.profile import Chamfer, Jog
from tests.conftest import box, job_with

SQUARE = np.array([[0, 0], [100, 0], [100, 60], [0, 60]], float)


def test_a_two_bend_wrap_is_as_long_as_a_maker_works_it_out():
    """Inside 200 + 300 with r 3, K 0.4, 3 mm: flats less two set-backs, plus one bend allowance."""
    r = evaluate(job_with(makeup__school="two_l", inside__baffles__by_rule=False)).results
    piece = next(b for b in r.blanks if b.name == "bottom + rear")
    allowance = math.pi / 2 * (3.0 + 0.4 * 3)
    assert sorted(piece.size_mm) == pytest.approx(sorted([300 + 200 - 2 * 3.0 + allowance, 400]))
    bend = piece.bends[0]
    assert bend.up
    assert abs(bend.start[0] - bend.end[0]) < 1e-9


def test_a_jog_bends_up_and_down():
    r = evaluate(job_with(box(jog=Jog(end="rear", length_mm=90, rise_mm=60)), makeup__school="two_l")).results
    ups = {b.edge: b.up for blank in r.blanks for b in blank.bends}
    assert ups["bottom/jog riser"]
    assert not ups["jog floor/jog riser"]


@settings(max_examples=30, deadline=None)
@given(
    st.floats(0.5, 8),
    st.floats(0.3, 0.5),
    st.floats(1, 5),
    st.sampled_from(["two_l", "wrap", "perimeter"]),
    st.floats(40, 90),
    st.floats(40, 80),
    st.floats(0, 40),
)
def test_flat_area_is_neutral_surface_area(radius, k, t, school, chamfer, rise, run):
    tank = box(
        length=420,
        height=320,
        chamfers=(Chamfer(corner="front_top", along_mm=chamfer, up_mm=chamfer),),
        jog=Jog(end="rear", length_mm=130, rise_mm=rise, run_mm=run),
    )
    makeup = MakeUp(school=school)
    shell = tank.shell(plan_of(makeup, tank).split)
    roles = roles_of(shell, makeup, tank, Skins(t), BendRule(radius, k))
    flat = sum(p.outline.area_mm2 for p in pieces_of(shell, roles, Skins(t), BendRule(radius, k)) if p.bends)
    walls = [f for f in shell.faces if "end" not in f.id]
    neutral = sum(f.area_mm2 for f in walls)
    for role in roles:
        if role.kind == "bend":
            e = role.edge
            arc = math.radians(e.turn_deg) * (radius + k * t)
            neutral += (arc - 2 * setback_mm(e.turn_deg, radius, t, e.reflex)) * e.length_mm
    # ends lap over in the perimeter school, so the strip is as wide as the inside in all three
    assert flat == pytest.approx(neutral, rel=1e-9)


def test_an_end_plate_is_rounded_where_its_neighbours_are_bent():
    r = evaluate(job_with(makeup__school="wrap", inside__baffles__by_rule=False)).results
    end = next(b for b in r.blanks if b.name == "left end")
    assert sum(abs(b) > 0 for b in end.outline.bulges) == 3
    assert end.area_mm2 == pytest.approx(300 * 200 - 3 * 3.0**2 * (1 - math.pi / 4))


def test_holes_and_baffle_marks_land_on_the_blank():
    from bathyx.demo.jobs import trolley

    r = evaluate(trolley()).results
    top = next(b for b in r.blanks if "top" in b.name)
    assert len(top.holes) == 7
    assert sum(m.text == "B1" for m in top.marks) == 3
    low, high = top.outline.bounds
    assert all(np.all(h.centre > low) and np.all(h.centre < high) for h in top.holes)
    # distances between holes on one face survive unfolding
    fittings = {f.id: f for f in trolley().inside.fittings}
    flat = {f.id: next(h.centre for h in top.holes if h.label == f.said) for f in fittings.values() if f.face == "top"}
    a, b = fittings["filler"], fittings["port"]
    there = (
        next(v for k, v in flat.items() if k.endswith("filler")),
        next(v for k, v in flat.items() if k.endswith("port")),
    )
    assert np.linalg.norm(there[0] - there[1]) == pytest.approx(math.hypot(a.u_mm - b.u_mm, a.v_mm - b.v_mm))


def test_offsetting_moves_each_edge_by_its_own_amount():
    moved = offset_polygon(SQUARE, np.array([1.0, 2.0, 3.0, 4.0]))
    assert moved == pytest.approx(np.array([[-4, -1], [102, -1], [102, 63], [-4, 63]]))


def test_rounding_keeps_arcs_exact_and_refuses_what_does_not_fit():
    outline = rounded(SQUARE, np.full(4, 10.0))
    assert outline.area_mm2 == pytest.approx(6000 - (4 - math.pi) * 100)
    assert outline.bounds[1] == pytest.approx([100, 60])
    with pytest.raises(OutlineError, match="too short"):
        rounded(SQUARE, np.full(4, 31.0))


def test_bounds_reach_the_belly_of_an_arc():
    circle = Outline(np.array([[-5.0, 0], [5.0, 0]]), np.array([1.0, 1.0]))
    assert circle.bounds[0] == pytest.approx([-5, -5])
    assert circle.area_mm2 == pytest.approx(math.pi * 25)


@pytest.mark.parametrize("turn", [0.0, -10.0, 181.0])
def test_a_bend_outside_0_to_180_degrees_is_refused(turn):
    with pytest.raises(ValueError, match="between 0 and 180"):
        allowance_mm(turn, 3, 2, 0.4)
