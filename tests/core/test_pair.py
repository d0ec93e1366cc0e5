"""Two tanks on one job, by hand: boxes at two heights, a pump, a pipe; either side of a thing; as a job of its own."""

import json
import math

import numpy as np
import pytest
import trimesh
from PyQt6.QtWidgets import QPushButton

from bathyx.core.brief import RunningTime
from bathyx.core.evaluate import evaluate
from bathyx.core.geometry.skin import outside_of
from bathyx.core.inside.fittings import usual
from bathyx.core.job import JobError, job_of, own_job, read_job
from bathyx.core.propose import propose
from bathyx.core.space import MeasuredBox
from bathyx.core.space.said import parts_of
from bathyx.core.units import Reading
from tests.conftest import box, job_with
from tests.desk.test_parts import TANK, find

FEED = usual("pickup", "feed", "top", 150, 200).model_copy(update={"floor_clear_mm": 10.0, "hole_mm": 0.5})
VENTS = (usual("vent", "vent front", "top", 20, 200), usual("vent", "vent rear", "top", 280, 200))


def two(high=200.0, **joined):
    """A first box of 300 × 400 × 200 mm, 5 % air, and a second of 200 × 400 and `high`."""
    second = {"tank": box(200, 400, high).model_dump(mode="json"), **joined}
    job = job_with(box(), inside__baffles__by_rule=False, inside__fittings=[FEED, *VENTS])
    return evaluate(job.edited("second", second))


def test_by_a_pipe_both_stand_at_one_height():
    """Equal heights: 190 of 200 mm in both; what lies under the pickup's 10 mm in the first, under the pipe's 15 in the second."""
    both = two().results.pair
    assert both.full == pytest.approx((0.95 * 24, 0.95 * 16), abs=0.01)
    assert both.left == pytest.approx((0.12 * 10, 0.08 * 15), abs=0.01)
    assert both.usable.value == pytest.approx(0.95 * 40 - 1.2 - 1.2, abs=0.02)
    assert both.lost_l == pytest.approx((0, 0), abs=1e-6)


def test_a_second_that_is_lower_fills_first_and_one_that_is_higher_starves():
    """60 mm lower: its full surface, 190, stands at 130 in the first: 60 mm of 0.12 m² stay empty. A pump fills both."""
    e = two(higher_mm=-60.0)
    both = e.results.pair
    assert both.levels_mm[0] == both.levels_mm[1] == pytest.approx(130, abs=0.1)
    assert both.lost_l[0] == pytest.approx(0.12 * 60, abs=0.02)
    assert both.left[1] == pytest.approx(
        0.08 * 70, abs=0.02
    )  # its floor lies 60 under the first's, the pickup 10 over that
    said = {f.code: f for f in e.findings}
    assert "this tank stay empty" in said["second.tops"].message
    assert "second.floors" in said
    pumped = evaluate(said["second.tops"].remedy.apply(e.job))
    assert pumped.results.pair.lost_l == pytest.approx((0, 0))
    assert [f.code for f in pumped.findings if f.code.startswith("second")] == ["second.place"]
    higher = two(higher_mm=80.0).results.pair
    assert higher.levels_mm[0] == pytest.approx(190, abs=0.1)
    assert higher.full[1] == pytest.approx(0.08 * 110, abs=0.02)


def test_a_pump_takes_its_flow_and_a_pipe_what_torricelli_says():
    pumped = two(joined="pump", flow_l_min=1.7).results.pair
    moved = 0.95 * 16 - 0.08 * 15
    assert pumped.moved.value / 60 == pytest.approx(moved / 1.7, rel=1e-3)
    # Both boxes upright: the difference of heights h falls as dh/dt = −Q (1/A + 1/B), Q = 0.6 a √(2 g h); closed form by root h.
    a = math.pi / 4 * 25**2
    area = 1 / (1 / (300 * 400) + 1 / (200 * 400))
    start, end = moved / 0.08, 2.0
    exact = 2 * area * (math.sqrt(start) - math.sqrt(end)) / (0.6 * a * math.sqrt(2 * 9810))
    piped = two().results.pair
    assert piped.moved.value == pytest.approx(exact, rel=0.03)
    # 60 mm lower it keeps 70 mm of its own; what runs over stands above that: from 130 down to the first's 10, by hand.
    lower = two(higher_mm=-60.0).results.pair
    a_, b_ = lower.left[0] / 0.12, lower.left[1] / 0.08 - 60.0
    start = lower.levels_mm[1] - a_
    exact = 2 * area * (math.sqrt(start) - math.sqrt(end)) / (0.6 * a * math.sqrt(2 * 9810))
    assert b_ == pytest.approx(10, abs=0.3)
    assert lower.moved.value == pytest.approx(exact, rel=0.03)
    # 50 L by a small pump take about half an hour: common practice.
    assert pytest.approx(30, abs=2) == 50 / 1.7


def test_both_are_reckoned_into_the_running_time():
    e = two()
    timed = evaluate(e.job.edited("brief.demand", RunningTime(litres_per_hour=2.0, hours=5)))
    assert timed.results.pair.hours.value == pytest.approx(timed.results.pair.usable.value / 2)
    assert e.results.pair.hours is None


def test_breathers_that_are_not_joined_are_told():
    said = next(f for f in two(breathers_joined=False).findings if f.code == "second.breathers")
    assert evaluate(said.remedy.apply(two(breathers_joined=False).job)).job.second.breathers_joined


def hole():
    space = MeasuredBox(width=Reading.of(900), depth=Reading.of(500), height=Reading.of(300))
    post = parts_of("post: tube from 250, 400, -10 to 250, 400, 310, dia 80, keep 12", box=True)
    return MeasuredBox.model_validate(space.model_dump(mode="json") | post)


def test_two_boxes_either_side_of_a_post_hold_what_the_post_leaves():
    """A post across the middle: 400 − 40 − 12 − 6 wide on its left, 900 − 452 − 6 on its right, by hand; contained by trimesh."""
    job = job_with(box(), space=hole())
    (found,) = propose(job, ("two",))
    t = 3.0
    widths = (400 - 40 - 12 - 6 - 2 * t, 900 - 452 - 6 - 2 * t)
    by_hand = sum(widths) * (500 - 12 - 2 * t) * (300 - 6 - 25 - 2 * t) / 1e6
    assert found.gross_l == pytest.approx(by_hand, rel=0.01)
    e = evaluate(job.edited_many(found.changes))
    assert e.results.second_near.spare_mm > -0.02
    assert not [f for f in e.findings if f.code == "second.fit"]
    skins = [outside_of(e.results.shell, t), outside_of(e.job.second.tank.shell(), t)]
    for skin, seat in zip(
        skins, (e.job.space.seated(), [getattr(e.job.second.seat, f"{a}_mm") for a in "xyz"]), strict=True
    ):
        spots = skin.reshape(-1, 3) + (np.array(seat) - skin.reshape(-1, 3).min(axis=0))
        assert spots.min() > 6 - 0.02
        assert (spots.max(axis=0) < [494.02, 894.02, 275.02]).all()
        mesh = trimesh.Trimesh(spots, np.arange(len(spots)).reshape(-1, 3))
        assert np.hypot(spots[:, 0] - 250, spots[:, 1] - 400).min() > 52 - 0.02
        assert mesh.bounds[0][2] > 0
    own = evaluate(own_job(e.job))
    first = next(a for a in own.results.approaches if a.what == "the first tank")
    # The post and its clearance on either side lie between them; the post by the corners of a prism round it.
    assert first.mm == pytest.approx(2 * (40 / math.cos(math.pi / 32) + 12), abs=0.2)
    assert not [f for f in own.findings if f.code == "fit.walls"]
    small = propose(job, ("two",), litres=40)[0]
    assert small.gross_l == pytest.approx(40, abs=1.5)


def test_a_second_that_stands_in_the_first_or_a_wall_is_told():
    job = job_with(box(), space=hole().model_copy(update={"obstacles": ()}))
    second = {"tank": box(200, 200, 100).model_dump(mode="json"), "seat": {"x_mm": 60, "y_mm": 60, "z_mm": 30}}
    said = next(f for f in evaluate(job.edited("second", second)).findings if f.code == "second.fit")
    assert (said.severity, "the first tank" in said.message) == ("stop", True)
    second["seat"] = {"x_mm": 60, "y_mm": 690, "z_mm": 30}
    wall = next(f for f in evaluate(job.edited("second", second)).findings if f.code == "second.fit")
    assert "right side" in wall.message


def test_it_is_written_with_the_job_and_begun_as_a_job_of_its_own():
    e = two(name="tail tank")
    assert read_job(e.job.to_json()) == e.job
    assert "second" not in json.loads(e.job.edited("second", None).to_json())
    own = own_job(e.job)
    assert own.uid != e.job.uid
    assert (own.tank, own.second) == (e.job.second.tank, None)
    assert job_of(json.loads(own.to_json())) == own
    with pytest.raises(JobError, match="no second tank"):
        own_job(own)


def test_the_desk_adds_joins_draws_and_takes_away_a_second_tank(window, qtbot, tmp_path):
    window.choose(TANK)
    before = window.bench.job
    find(window, QPushButton, "add second").click()
    qtbot.wait(10)
    assert window.bench.job.second.tank == before.tank
    find(window, QPushButton, "show pair").click()
    texts = [getattr(i, "text", "") for i in window.stage.flat().items]
    usable = window.bench.evaluation.results.pair.usable.value
    assert f"{usable:.1f} L usable of both" in texts
    window.grab()
    find(window, QPushButton, "second as job").click()
    written = [p for p in window.bench.file.path.parent.glob("*second tank*.json")]
    assert len(written) == 1
    assert read_job(written[0].read_text("utf-8")).tank == before.tank
    written[0].unlink()
    find(window, QPushButton, "drop second").click()
    qtbot.wait(10)
    assert window.bench.job == before
    assert not any("usable of both" in getattr(i, "text", "") for i in window.stage.flat().items)
    window.grab()
