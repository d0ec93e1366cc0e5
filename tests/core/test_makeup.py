"""Make-ups: which edges each school bends and welds, what laps, and the seam list."""

import pytest

from bathyx.core.evaluate import cuttable, evaluate
from bathyx.core.job import JobError
from bathyx.core.sheet.makeup.roles import MakeUp, MakeUpError, roles_of
from bathyx.core.tank.profile import Chamfer, Jog
from tests.conftest import box, job_with


@pytest.mark.parametrize(
    ("school", "bends", "blanks"), [("plates", 0, 6), ("two_l", 2, 4), ("wrap", 3, 3), ("perimeter", 4, 3)]
)
def test_each_school_bends_and_parts_a_box(school, bends, blanks):
    r = evaluate(job_with(makeup__school=school, inside__baffles__by_rule=False)).results
    assert sum(len(b.bends) for b in r.blanks) == bends
    assert len(r.blanks) == blanks
    wrap_seams = 4 - bends if school != "perimeter" else 1
    assert len(r.seams) == 8 + wrap_seams + (2 if school == "perimeter" else 0)


def test_fewer_bends_mean_more_weld():
    lengths = [
        evaluate(job_with(makeup__school=s, inside__baffles__by_rule=False)).results.weld_length_mm
        for s in ("wrap", "two_l", "plates")
    ]
    assert lengths == sorted(lengths)
    assert lengths[2] == pytest.approx(4 * (300 + 400 + 200))


def test_sides_of_a_perimeter_tank_always_cover_it():
    roles = roles_of(box().shell("top"), MakeUp(school="perimeter"), box())
    ends = [r for r in roles if "end" in r.edge.id]
    assert all(r.joint == "lap" and "end" in r.over for r in ends)
    assert [r.joint for r in roles if r.edge.id == "top:1/top:2"] == ["butt"]


@pytest.mark.parametrize("joint", ["corner", "lap"])
def test_at_an_inward_corner_one_plate_runs_through_and_the_other_stops_at_its_outside(joint):
    tank = box(jog=Jog(end="rear", length_mm=80, rise_mm=40))
    r = evaluate(job_with(tank, makeup__joint=joint, inside__baffles__by_rule=False)).results
    (role,) = [role for role in r.roles if role.edge.reflex]
    assert (role.joint, role.over) == ("lap", "jog floor")
    assert role.ends_of("jog riser").past_mm == pytest.approx(-3.0)
    assert role.ends_of("jog floor").past_mm == pytest.approx(0.0)
    riser = next(b for b in r.blanks if b.name == "jog riser")
    assert min(riser.size_mm) == pytest.approx(40 - 3.0)


def test_lapping_panels_grow_by_the_thickness():
    flat = {b.name: b.size_mm for b in evaluate(job_with(makeup__joint="lap")).results.blanks}
    assert flat["left end"] == pytest.approx((306, 206))
    assert sorted(flat["top"]) == pytest.approx([306, 400])


def test_a_single_edge_can_be_taken_out_of_the_schools_hands():
    job = job_with(makeup__edges=[{"edge": "bottom/rear", "role": "bend"}])
    assert "bottom + rear" in {b.name for b in evaluate(job).results.blanks}


def test_bending_the_whole_ring_is_refused():
    ring = [{"edge": e, "role": "bend"} for e in ("bottom/front", "bottom/rear", "rear/top", "front/top")]
    with pytest.raises(MakeUpError, match="closes the piece"):
        evaluate(job_with(makeup__edges=ring))


def test_bends_that_leave_no_flat_are_refused_with_a_way_out():
    tank = box(chamfers=(Chamfer(corner="front_top", along_mm=6, up_mm=6),))
    with pytest.raises(ValueError, match="bend radius smaller"):
        cuttable(evaluate(job_with(tank, makeup__school="wrap", makeup__bend_radius_mm=20.0)))


def test_baffles_are_stitched_half_their_contact_on_each_side():
    """Common practice: 75 mm on, 75 off."""
    r = evaluate(job_with(box(length=600))).results
    stitches = [s for s in r.seams if s.joint == "stitch"]
    assert len(stitches) == 1
    plate = r.plates[0]
    low, high = plate.outline.bounds
    around = 2 * (high[0] - low[0] + high[1] - low[1])
    assert stitches[0].length_mm == pytest.approx(around - 2 * (2 * 25 + 2 * 20))


def test_an_unknown_school_is_refused_by_name():
    with pytest.raises(JobError, match=r"makeup\.school is 'origami'"):
        job_with(makeup__school="origami")


def test_a_square_lap_at_an_oblique_edge_reaches_as_far_as_the_plate_under_it_and_no_further():
    chamfered = box(chamfers=(Chamfer(corner="front_top", along_mm=60, up_mm=60),))
    r = evaluate(job_with(chamfered, makeup__joint="lap")).results
    oblique = [role for role in r.roles if abs(role.edge.turn_deg - 90) > 1]
    assert len(oblique) == 2
    assert {role.joint for role in r.roles} == {"lap"}
    for role in oblique:  # 135 degrees inside: the plate under stops 3 / tan 45 short, the one over covers 3 / sin 45
        over, under = (role.edge.a, role.edge.b) if role.over == role.edge.a else (role.edge.b, role.edge.a)
        assert role.ends_of(over).past_mm == pytest.approx(3 * 2**0.5)
        assert role.ends_of(under).past_mm == pytest.approx(-3.0)
