"""The map of attitudes against wedges of a tilted box by hand, and its place on the desk."""

import math

import pytest
from PyQt6.QtWidgets import QPushButton

from bathyx.core.capacity.attitude_map import attitude_map
from bathyx.core.capacity.capacity import displaced
from bathyx.core.evaluate import evaluate
from bathyx.core.inside.fittings import usual
from bathyx.core.tank.attitude import attitude
from bathyx.core.units import Family
from bathyx.draft.charts import attitude_chart
from bathyx.draft.picture import Label
from tests.conftest import box, job_with
from tests.desk.test_parts import TANK, find


def mapped(*fittings, progress=lambda share: True):
    e = evaluate(
        job_with(box(), inside__baffles__by_rule=False, inside__fittings=list(fittings), brief__air_space_share=0.05)
    )
    r = e.results
    inside = displaced(r.shell, r.roles, r.plates, e.job.inside.fittings, r.skins, r.rule)
    return attitude_map(r.shell, inside, e.job.inside.fittings, r.capacity, progress)


def test_a_tilted_box_leaves_a_wedge_behind():
    """Pickup 20 mm over the middle of the floor of 300 × 400 × 200: rear lifted by φ leaves the wedge below its level, by hand."""
    feed = usual("pickup", "feed", "top", 150, 200).model_copy(update={"floor_clear_mm": 20.0, "hole_mm": 0.5})
    found = mapped(feed)
    level = found.usable[4][4]
    assert level == pytest.approx(0.95 * 24 - 0.3 * 0.4 * 20, abs=0.02)
    tan = math.tan(math.radians(5))
    # The surface through (150, 20) with slope tan: heights 20 ± 150 tan at the ends, all above the floor.
    assert found.usable[3][4] == pytest.approx(level, abs=0.02)
    steep = math.tan(math.radians(20))
    run = 150 + 20 / steep  # where it meets the floor
    wedge = run * run * steep / 2 * 400 / 1e6
    assert tan < 20 / 150 < steep
    assert found.usable[0][4] == pytest.approx(found.fill_l - wedge, abs=0.02)
    assert found.usable[8][4] == pytest.approx(found.usable[0][4], abs=1e-6)


def test_what_is_called_up_goes_up():
    """x runs to the rear and y to the right: front up raises −x, right end up raises +y, and a vent on the left floods then."""
    assert (attitude(10, 0) @ [-1.0, 0, 0])[2] == pytest.approx(math.sin(math.radians(10)))
    assert (attitude(0, 10) @ [0.0, 1, 0])[2] == pytest.approx(math.sin(math.radians(10)))
    left = mapped(usual("vent", "vent", "top", 150, 30)).vents_flood
    assert left[4][8] < left[4][0] - 1  # at roll +20, right end up, the fluid runs to the left


def test_a_vent_goes_under_where_the_surface_reaches_it():
    vent = usual("vent", "vent", "top", 20, 200)
    found = mapped(vent)
    assert found.vents_flood[4][4] == pytest.approx(24, abs=0.01)
    steep = math.tan(math.radians(20))
    # Front down by 20°: a surface through (20, 200) falls to the rear, and cuts the roof behind it: what lies above it is air.
    low_front = found.vents_flood[0][4]
    height = 200 - (300 - 20) * steep
    air = (200 - height) * 280 / 2 * 400 / 1e6
    assert low_front == pytest.approx(24 - air, abs=0.02)
    assert mapped().vents_flood[0][0] is None


def test_it_stops_when_told_and_is_drawn_with_its_figures():
    assert mapped(progress=lambda share: share < 0.5) is None
    found = mapped(usual("vent", "vent", "top", 20, 200))
    words = [item.text for item in attitude_chart(found, (12.0, 4.0), Family.METRIC).items if isinstance(item, Label)]
    assert sum(w == f"{found.usable[4][4]:.0f}" for w in words) >= 1
    assert "v" in words


def test_the_desk_shows_the_map_and_the_tank_again(window, qtbot):
    window.choose(TANK)
    find(window, QPushButton, "map attitudes").click()
    stage = window.stage
    qtbot.waitUntil(lambda: stage.study.result is not None)
    assert any(getattr(i, "text", "").startswith("Usable, L") for i in stage.flat().items)
    window.grab()
    window.bench.edit({"tank.height_mm": 280.0}, "lower")
    qtbot.waitUntil(lambda: not stage.study.running and not stage.study.stale(stage._inputs()))
    assert any(getattr(i, "text", "").startswith("Usable, L") for i in stage.flat().items)
    find(window, QPushButton, "map attitudes").click()
    assert not any(getattr(i, "text", "").startswith("Usable, L") for i in stage.flat().items)
