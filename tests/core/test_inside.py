"""Baffles and fittings."""

import math

import numpy as np
import pytest

from bathyx.core.evaluate import evaluate
from bathyx.core.inside.baffles import AXIS_INDEX, Baffle, BaffleRules, bays, placed, plates, section
from bathyx.core.inside.fittings import inlets, seat, usual
from bathyx.core.job import Job, JobError
from bathyx.core.tank.profile import Chamfer, Jog
from bathyx.demo import jobs
from tests.conftest import box, job_with


@pytest.mark.parametrize(("size", "count"), [(449, 0), (451, 1), (900, 1), (901, 2)])
def test_the_rule_places_as_few_baffles_as_keep_bays_short(size, count):
    shell = box(length=size, width=300).shell()
    found = placed(shell, BaffleRules(), moving=True)
    assert len(found) == count
    assert max(b.length_mm for b in bays(shell, found)) <= 450


def test_a_thirty_inch_cube_gets_one_baffle_each_way():
    """Common practice: one baffle in a 30 in cube."""
    found = placed(box(762, 762, 762).shell(), BaffleRules(), moving=True)
    assert [b.axis for b in found] == ["x", "y"]


def test_a_fixed_tank_needs_none_in_thirty_inches():
    assert placed(box(750, 750, 400).shell(), BaffleRules(), moving=False) == ()


def test_where_both_ways_are_baffled_one_runs_through_and_the_other_is_cut():
    shell = box(600, 600, 300).shell()
    made = plates(shell, (Baffle(axis="x", at_mm=300), Baffle(axis="y", at_mm=300)), BaffleRules(), 3.0)
    assert [p.name for p in made] == ["B1a", "B1b", "B2"]
    assert made[0].outline.bounds[1][0] == pytest.approx(300 - 1.5 - 1)


def test_every_bottom_corner_of_a_stepped_baffle_drains():
    shell = box(
        jog=Jog(end="rear", length_mm=90, rise_mm=50), chamfers=(Chamfer(corner="front_top", along_mm=40, up_mm=40),)
    ).shell()
    plate = plates(shell, (Baffle(axis="y", at_mm=200),), BaffleRules(flow_hole_mm=0), 3.0)[0]
    points = plate.outline.points
    floor = points[:, 1] < 2
    assert points[floor][:, 0].min() == pytest.approx(1 + 25)
    # 25 mm legs at three floor corners, 20 mm at two roof corners, 5 mm at the chamfer's foot, and the 1 mm gap all round
    cut = plate.section_mm2 - plate.metal_mm2
    around = np.linalg.norm(np.roll(plate.section, -1, axis=0) - plate.section, axis=1).sum()
    assert cut == pytest.approx(3 * 25**2 / 2 + around, rel=0.2)


def test_a_pickup_through_the_top_ends_above_the_floor_under_it():
    shell = box(jog=Jog(end="rear", length_mm=100, rise_mm=40)).shell()
    high = usual("pickup", "a", "top", 260, 200)
    low = usual("pickup", "b", "top", 100, 200)
    levels = {f.id: spot[2] for f, spot in inlets(shell, (high, low))}
    assert levels == pytest.approx({"a": 52, "b": 12})


def test_a_fitting_on_a_face_that_is_gone_has_no_seat():
    assert seat(box().shell(), usual("vent", "v", "jog floor", 1, 1)) is None


def test_two_fittings_of_one_name_are_refused():
    pair = [usual("vent", "v", "top", 50, 50).model_dump(), usual("vent", "v", "top", 90, 90).model_dump()]
    with pytest.raises(JobError, match="own id"):
        job_with(inside__fittings=pair)


def test_baffles_put_by_hand_stay_when_the_tank_grows_and_leave_when_it_shrinks():
    by_hand = {"inside__baffles__by_rule": False, "inside__baffles__by_hand": [{"axis": "x", "at_mm": 250.0}]}
    job = job_with(**by_hand)
    assert len(evaluate(job.edited("tank.length_mm", 500.0)).results.baffles) == 1
    assert len(evaluate(job.edited("tank.length_mm", 240.0)).results.baffles) == 0


def test_by_rule_no_baffle_stands_on_the_edge_of_a_riser():
    shell = box(800, 300, 300, jog=Jog(end="rear", length_mm=400, rise_mm=100)).shell()
    found = placed(shell, BaffleRules(), moving=True, thickness_mm=3.0)
    assert found
    assert all(abs(b.at_mm - 400) >= 16.5 for b in found if b.axis == "x")
    assert max(s.length_mm for s in bays(shell, found)) <= 450.5


@pytest.mark.parametrize("run", [0.0, 40.0])
def test_on_a_slope_or_across_a_riser_the_plate_fits_the_narrowest_of_its_thickness(run):
    shell = box(600, 400, 300, jog=Jog(end="rear", length_mm=300, rise_mm=100, run_mm=run)).shell()
    at = 300.0 if run == 0 else 320.0
    plate = plates(shell, (Baffle(axis="x", at_mm=at),), BaffleRules(by_rule=False), 6.0)[0]
    floor = plate.outline.points[:, 1].min()
    highest = max(section(shell, "x", at + s)[:, 1].min() for s in (-3, 0, 3))
    assert floor >= highest + 0.9


@pytest.mark.parametrize("size", [(150, 700, 60), (700, 150, 90), (900, 900, 60), (1200, 500, 900)])
def test_by_rule_every_plate_meets_the_open_share_limits(size):
    e = evaluate(job_with(box(*size)))
    assert e.results.plates
    for plate in e.results.plates:
        assert 0.03 <= plate.open_share <= 0.30, (plate.name, plate.open_share)


def test_a_baffle_clears_the_edges_that_are_bent_and_no_others():
    shell = box(400, 300, 300, chamfers=(Chamfer(corner="front_top", along_mm=80, up_mm=80),)).shell()
    one = (Baffle(axis="y", at_mm=150),)
    rules = BaffleRules(by_rule=False, limber_mm=0, air_gap_mm=0, flow_hole_mm=0)
    sharp = plates(shell, one, rules, 3.0)[0]
    round_ = plates(shell, one, rules, 3.0, (("front top chamfer/top", 20.0),))[0]
    lost = sharp.outline.area_mm2 - round_.outline.area_mm2
    turn = np.sin(np.radians(135))
    assert lost == pytest.approx((20**2 - 5**2) * turn / 2, rel=1e-6)


def test_baffles_by_rule_stay_inside_a_tank_of_many_corners():
    """Turns so close that no place is clear of them: evenly spread, and none pushed out through a wall."""
    turn = [2 * math.pi * (k + 0.5) / 60 for k in range(60)]
    ring = [{"x_mm": round(300 + 300 * math.cos(a), 2), "z_mm": round(300 + 300 * math.sin(a), 2)} for a in turn]
    tank = {"family": "outline", "width_mm": 500.0, "sheet": "5083/3", "corners": ring}
    found = evaluate(Job(tank=tank, makeup={"school": "wrap"})).results
    low, high = found.shell.bounds
    assert found.baffles
    assert all(low[AXIS_INDEX[b.axis]] + 5 < b.at_mm < high[AXIS_INDEX[b.axis]] - 5 for b in found.baffles)


def test_a_strip_too_narrow_to_weld_is_cut_off_a_plate():
    """The dryer's B1b stands over the tunnel with a leg of some 14 mm between a baffle that runs through and the tunnel's wall."""
    plate = next(p for p in evaluate(jobs.dryer()).results.plates if p.name == "B1b")
    left = plate.outline.points[:, 0].min()
    assert plate.outline.points[plate.outline.points[:, 0] < left + 20][:, 1].min() > 130
    for other in evaluate(jobs.dryer()).results.plates:
        if other.name != "B1b":
            assert other.outline.points[:, 1].min() < 10
