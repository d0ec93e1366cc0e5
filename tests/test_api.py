"""Ten worked examples of the library front, each with what it must come to by hand or by another way."""

import math

import ezdxf
import numpy as np
import pytest

from bathyx import api
from bathyx.demo import jobs


def box(**more):
    return api.tank("profile", {"length_mm": 600, "width_mm": 400, "height_mm": 300}, sheet="5083/3", **more)


def test_a_box_holds_what_its_sizes_say():
    found = api.work_out(box())
    assert api.capacity_l(found)["gross"] == pytest.approx(6 * 4 * 3)
    assert api.capacity_l(found)["usable"] < api.capacity_l(found)["net"]


def test_its_dip_table_is_its_floor_times_the_level():
    found = api.work_out(box())
    net = api.capacity_l(found)["net"]
    assert api.dip_l(found, [0, 150, 300]) == pytest.approx((0, net / 2, net), rel=1e-3)


def test_it_weighs_its_sheet_and_its_fluid():
    found = api.work_out(box(fluid="fresh_water"))
    skin = (2 * (0.6 * 0.4 + 0.6 * 0.3 + 0.4 * 0.3) + 0.4 * 0.3) * 0.003 * 2660  # and a baffle, by rule
    assert api.mass_kg(found)["dry"] == pytest.approx(skin, rel=0.06)
    assert api.mass_kg(found)["full"] - api.mass_kg(found)["dry"] == pytest.approx(
        api.capacity_l(found)["net"] * 0.95, rel=0.05
    )


def test_a_change_is_a_new_job_and_the_old_one_stands():
    job = box()
    longer = api.change(job, {"tank.length_mm": 700.0})
    gross = [api.capacity_l(api.work_out(j))["gross"] for j in (job, longer)]
    assert gross == pytest.approx([72, 84])
    with pytest.raises(api.Refusal, match="length_mm"):
        api.change(job, {"tank.length_mm": -1.0})
    with pytest.raises(api.Refusal, match="there are"):
        api.tank("profile", {"length_mm": 600, "width_mm": 400, "height_mm": 300}, sheet="5083/3", fluid="lemonade")


def test_a_tank_that_does_not_fit_is_stopped_in_words():
    stuck = api.work_out(box(space_mm=(390.0, 700.0, 400.0)))
    assert any("width" in words or "wide" in words for words in api.stops(stuck))
    assert any("mm" in words for words in api.stops(stuck))
    assert not any(" mm" in words for words in api.stops(stuck, api.Family.US))
    assert api.findings(stuck)[0].severity == "stop"


def test_fittings_are_put_in_where_no_rule_is_broken():
    job = api.with_fittings(box())
    kinds = {f.kind for f in job.inside.fittings}
    assert {"filler", "vent"} <= kinds
    assert not [f for f in api.work_out(job).stops if f.stage == "inside"]


def test_blanks_have_the_area_of_the_skin_and_are_written(tmp_path):
    found = api.work_out(box())
    flat = api.blanks(found)
    assert sum(b.area_mm2 for b in flat if b.role == "shell") == pytest.approx(1.08e6, rel=0.02)
    drawing = ezdxf.readfile(api.write_dxf(flat[0], tmp_path / "b.dxf"))
    assert not drawing.audit().errors


def test_the_largest_tank_fills_its_space():
    tanks = api.largest(box(space_mm=(420.0, 640.0, 330.0)))
    best = api.work_out(tanks[0])
    assert 0.8 * 4.2 * 6.4 * 3.3 < api.capacity_l(best)["gross"] < 4.2 * 6.4 * 3.3
    assert not [f for f in best.stops if f.stage == "space"]


def test_a_hold_that_leaks_and_one_that_does_not():
    """Of 10 L at 101.325 kPa and 20 °C, 20 mL/min take 0.2 kPa a minute."""
    t, rng = np.arange(0, 3600, 30.0), np.random.default_rng(4)
    noise = 0.004 * rng.normal(
        size=len(t)
    )  # a gauge that stands still to the last digit is taken for stuck, and proves nothing
    still = api.hold(10.0, t, 21.0 + noise, 20 + 0.1 * noise)
    assert (still.verdict, abs(still.leak_ml_min) < 1) == ("tight", True)
    assert api.hold(10.0, t, 21.0 + 0 * t, 20 + 0 * t).verdict == "not decided"
    falls = api.hold(10.0, t, 21.0 * np.exp(-0.2027 / 21 * t / 60) + noise, 20 + 0.1 * noise)
    assert falls.verdict == "leaks"
    assert falls.leak_ml_min == pytest.approx(20, rel=0.3)  # it falls as the pressure does: fitted in proportion to it
    assert falls.half_width_ml_min > 0
    with pytest.raises(api.Refusal, match="two readings"):
        api.hold(100.0, [0.0], [21.0], [20.0])
    assert math.isfinite(still.half_width_ml_min)


def test_a_way_in_needs_an_opening_and_is_told_with_its_air():
    with pytest.raises(api.Refusal, match="no opening"):
        api.way_in(api.work_out(box(space_mm=(500.0, 700.0, 400.0))))
    opening = {"axis": "z", "at_mm": 400.0, "corners": [[0, 0], [700, 0], [700, 500], [0, 500]]}
    open_lid = api.change(box(space_mm=(500.0, 700.0, 400.0)), {"space.way_in": {"openings": [opening]}})
    told = api.way_in(api.work_out(open_lid), 10.0)
    assert told.verdict == "goes_in"
    assert told.air_mm > 5
    assert told.moves


def test_a_job_comes_back_from_its_file_with_all_papers(tmp_path):
    path = api.save(jobs.trolley(), tmp_path / "t.json")
    job = api.load(path)
    assert job == jobs.trolley()
    found = api.work_out(job)
    assert {p.suffix for p in api.write_papers(found, tmp_path / "papers")} >= {".pdf", ".dxf", ".csv"}
    assert api.figures(found)["figures_version"] == 1


def test_the_front_is_typed_documented_and_whole():
    for name in api.__all__:
        assert getattr(api, name).__doc__, name
    for name, value in vars(api).items():
        if callable(value) and getattr(value, "__module__", "") == "bathyx.api" and not name.startswith("_"):
            assert name in api.__all__
