"""A tank on a slope and under acceleration, swelling and filling: wedges, moments and limits by hand."""

import json
import math

import numpy as np
import pytest
from PyQt6.QtWidgets import QPushButton, QSlider

from bathyx.core.capacity.filling import filling, limit_l
from bathyx.core.capacity.leaning import Stance, leaning
from bathyx.core.evaluate import evaluate
from bathyx.core.inside.fittings import usual
from bathyx.core.job import Job, job_of
from bathyx.core.tank.attitude import apparent, attitude
from bathyx.core.tank.sump import Sump
from bathyx.core.units import Family
from bathyx.desk.stages.tank.use import leaning_of
from bathyx.draft.leaning_view import leaning_view
from bathyx.draft.picture import Label, Poly
from bathyx.papers.dipstick import stick_of
from tests.conftest import box, job_with
from tests.desk.test_parts import TANK, find

FEED = usual("pickup", "feed", "top", 20, 200).model_copy(update={"floor_clear_mm": 10.0, "hole_mm": 0.5})
VENTS = (usual("vent", "front vent", "top", 20, 200), usual("vent", "rear vent", "top", 280, 200))


def tank(*fittings, **more):
    return evaluate(job_with(box(), inside__baffles__by_rule=False, inside__fittings=list(fittings), **more))


@pytest.mark.parametrize(
    ("stance", "expected"),
    [
        (Stance(trim_deg=10), (10, 0)), (Stance(heel_deg=-7), (0, -7)), (Stance(braking_g=0.5), (-math.degrees(math.atan(0.5)), 0)),
        (Stance(cornering_g=-0.25), (0, math.degrees(math.atan(0.25)))),
        # Climbing 10° and braking as hard as tan 10° times what presses on the floor: the surface is parallel to the floor.
        (Stance(trim_deg=10, braking_g=math.sin(math.radians(10))), (0, 0)),
    ],
)  # fmt: skip
def test_the_surface_lies_square_to_gravity_less_acceleration(stance, expected):
    assert stance.apparent == pytest.approx(expected, abs=1e-9)


def test_the_surface_is_the_one_of_the_vectors_at_random():
    """Against the vectors themselves: gravity in the tank less its acceleration, forward −x, a left curve to −y."""
    rng = np.random.default_rng(4)
    for trim, heel, brake, corner in rng.uniform(-1, 1, (40, 4)) * [40, 40, 1, 1]:
        forward, left = np.array([-1.0, 0, 0]), np.array([0.0, -1, 0])
        gravity = attitude(trim, heel).T @ [0, 0, -1.0] - (-brake * forward + corner * left)
        found = attitude(*apparent(trim, heel, brake, corner))[2]
        assert found == pytest.approx(-gravity / np.linalg.norm(gravity), abs=1e-12)


def test_braking_uncovers_a_pickup_at_the_rear_and_floods_the_front_vent():
    """300 × 400 × 200, braking 0.4 g: the surface rises 0.4 mm a mm to the front. Wedges by hand."""
    rear = FEED.model_copy(update={"u_mm": 280.0})
    e = tank(rear, *VENTS)
    now = leaning_of(e, Stance(braking_g=0.4))
    ((_, dry),) = now.pickups
    assert dry == pytest.approx(
        (10 + 0.4 * (280 - 150)) * 300 * 400 / 1e6, abs=0.01
    )  # its level at the middle of the tank
    assert [name for name, _ in now.vents] == ["front vent", "rear vent"]
    front, back = (v for _, v in now.vents)
    air = (300 - 20) * 0.4 * (300 - 20) / 2 * 400 / 1e6
    assert front == pytest.approx(24 - air, abs=0.01)
    assert back == pytest.approx(24 - 20 * 0.4 * 20 / 2 * 400 / 1e6, abs=0.01)
    assert now.usable_l == pytest.approx(now.fill_l - dry, abs=1e-6)
    assert now.shut_in_l == pytest.approx(24 - back, abs=0.01)
    half = leaning_of(e, Stance(braking_g=0.4), 0.5)
    middle = float(half.level_mm - half.up @ [150, 200, 0]) / half.up[2]
    assert middle == pytest.approx(0.5 * 0.95 * 200, abs=0.1)


def test_a_curve_to_the_left_throws_the_fluid_to_the_right():
    left, right = (
        FEED.model_copy(update={"id": s, "u_mm": 150.0, "v_mm": v}) for s, v in (("left", 30.0), ("right", 370.0))
    )
    now = leaning_of(tank(left, right, *VENTS), Stance(cornering_g=0.3))
    assert [name for name, _ in now.pickups] == ["right", "left"]
    assert dict(now.pickups)["right"] < 0.5 < dict(now.pickups)["left"]


def test_warm_fuel_is_pushed_out_where_the_only_vent_is_under():
    """One vent at the front, standing rear up 20°: it goes under at 24 L less the wedge of air behind it, by hand."""
    room = 24 - (300 - 20) ** 2 * math.tan(math.radians(20)) / 2 * 400 / 1e6
    said = {f.code: f for f in tank(FEED, VENTS[0], brief__slope_deg=20.0).findings}["capacity.air_leaning"]
    assert f"under at {room:.1f} L" in said.message
    assert "20° rear up" in said.message
    eased = evaluate(said.remedy.apply(tank(FEED, VENTS[0], brief__slope_deg=20.0).job))
    assert not [f for f in eased.findings if f.code == "capacity.air_leaning"]
    # A second vent at the other end is always clear: what swells pushes out air.
    assert not [f for f in tank(FEED, *VENTS, brief__slope_deg=20.0).findings if f.code == "capacity.air_leaning"]


def test_weight_and_centre_as_a_box_fills_and_where_to_stop():
    e = tank(FEED, *VENTS, brief__most_kg=18.0)
    r = e.results
    found = filling(r.shell, r.capacity, r.weight, r.fluid, 18.0)
    dry, rho = r.weight.dry.value, r.fluid.density / 1000
    assert found.mass_kg == pytest.approx(dry + found.litres * rho)
    k = len(found.litres) // 2
    height = found.litres[k] / (0.3 * 0.4)
    by_hand = (dry * r.weight.centre_dry[2] + found.litres[k] * rho * height / 2) / (dry + found.litres[k] * rho)
    assert found.centre[k, 2] == pytest.approx(by_hand, abs=0.3)
    assert found.centre[-1] == pytest.approx(r.weight.centre, abs=1e-6)
    assert found.limit_l == pytest.approx((18 - dry) / rho)
    finding = next(f for f in e.findings if f.code == "weight.limit")
    assert f"Do not fill above {found.limit_l:.1f} L" in finding.message
    lighter = evaluate(finding.remedy.apply(e.job)).results
    assert lighter.weight.full.value <= 18.0 + 1e-6
    assert limit_l(20, 800, 15, 100) == 0
    assert limit_l(20, 800, None, 100) is limit_l(20, 800, 101, 100) is None
    assert any(f.severity == "stop" for f in tank(brief__most_kg=1.0).findings if f.code == "weight.limit")
    named = dict((words, along) for along, words in stick_of(e, Family.METRIC).named)
    assert named["do not fill above: weight"] == pytest.approx(found.limit_l / 0.12, abs=1.5)


def test_a_chosen_level_warning_is_on_the_stick():
    named = [words for _, words in stick_of(tank(FEED, *VENTS, brief__warn_l=6.5), Family.METRIC).named]
    assert "low: 6.5 L left" in named


def test_what_came_later_is_not_written_where_it_is_not_said():
    """A revision that was frozen before reads the same."""
    job = job_with(box())
    assert not {"cornering_g", "most_kg", "warn_l"} & set(json.loads(job.to_json())["brief"])
    full = job.edited_many({"brief.most_kg": 40.0, "brief.cornering_g": 0.3, "brief.warn_l": 3.0})
    assert job_of(json.loads(full.to_json())) == full
    assert isinstance(full, Job)


def test_it_is_drawn_as_it_stands_with_the_surface_level_at_rest():
    """At rest the surface is level on the page, whatever the tank does; and a well under the floor is in the cut."""
    e = tank(FEED, *VENTS, tank__sump=Sump(x_mm=100, y_mm=200, length_mm=80, width_mm=80, depth_mm=40).model_dump())
    for stance in (Stance(trim_deg=15), Stance(heel_deg=-11), Stance(trim_deg=-8, heel_deg=20)):
        now = leaning_of(e, stance, 0.5)
        items = leaning_view(e, Family.METRIC, now).items
        wet = [i.points for i in items if isinstance(i, Poly) and i.fill == "fluid"]
        assert len(wet) == 2
        if 0.0 in (stance.trim_deg, stance.heel_deg):
            top = sorted(p[:, 1].max() for p in wet)
            flat = [np.sort(p[:, 1])[-2:] for p in wet]
            assert all(abs(a - b) < 0.05 for a, b in flat), top
    texts = [i.text for i in items if isinstance(i, Label)]
    assert "feed" in texts
    assert f"{now.usable_l:.1f} L" in texts


def test_an_empty_and_an_over_full_tank_are_kept_within_it():
    e = tank(FEED, *VENTS)
    r = e.results
    from bathyx.core.capacity.capacity import displaced

    inside = displaced(r.shell, r.roles, r.plates, e.job.inside.fittings, r.skins, r.rule)
    for litres, held in ((-5.0, 0.0), (1e9, r.capacity.net.value)):
        assert leaning(r.shell, inside, e.job.inside.fittings, r.capacity, Stance(), litres).litres == held


def test_the_desk_stands_the_tank_on_a_slope(window, qtbot):
    window.choose(TANK)
    before = window.bench.job
    find(window, QPushButton, "show slope").click()
    find(window, QSlider, "trim_deg").setValue(12)
    find(window, QSlider, "braking_g").setValue(6)
    find(window, QSlider, "filled share").setValue(40)
    window.grab()
    use = window.stage.use
    assert (use.stance.trim_deg, use.stance.braking_g, use.share) == (12, pytest.approx(0.3), 0.4)
    shown = leaning_of(window.bench.evaluation, use.stance, 0.4)
    assert f"{shown.usable_l:.1f} L" in [i.text for i in window.stage.flat().items if isinstance(i, Label)]
    find(window, QPushButton, "stand level").click()
    assert use.stance == Stance()
    find(window, QPushButton, "show filling").click()
    assert any("Weight" in getattr(i, "text", "") for i in window.stage.flat().items)
    window.grab()
    find(window, QPushButton, "show filling").click()
    assert window.bench.job == before  # a what-if is no edit
