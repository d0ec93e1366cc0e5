"""Integral tanks against the integral of their hull, their templates, and what cannot be."""

import json
import math

import numpy as np
import pytest
from scipy.integrate import dblquad

from bathyx.cli.main import main
from bathyx.core.evaluate import evaluate
from bathyx.core.job import Job, read_job
from bathyx.core.tank.integral import IntegralTank
from bathyx.demo import jobs
from bathyx.errors import Refusal
from tests.outside.test_stations import DEEP, LONG, hull, wigley

HULL = hull(wigley, np.linspace(-LONG / 2, LONG / 2, 9), np.linspace(0, DEEP, 5))


def tank(**more):
    sizes = {"from_mm": -600.0, "to_mm": 400.0, "top_mm": 450.0}
    return IntegralTank(sheet="5083/4", stations=HULL.stations, **(sizes | more))


@pytest.mark.parametrize("more", [{}, {"from_mm": -1500.0, "to_mm": 1500.0, "top_mm": 600.0}, {"top_mm": 200.0}])
def test_it_holds_the_integral_of_its_hull(more):
    made = tank(**more)
    exact = dblquad(lambda z, x: 2 * wigley(x, z), made.from_mm, made.to_mm, 0, made.top_mm)[0]
    assert made.shell().volume_mm3 == pytest.approx(exact, rel=1e-3)
    assert made.volume_mm3() == pytest.approx(exact, rel=1e-3)


def test_a_wall_of_straight_runs_is_exact():
    """A wedge of half-breadth z: 1,000 long and 300 high holds 90 L; its skin leans 45°."""
    wedge = hull(lambda x, z: z, [0, 500, 1500], [0, 150, 400], runs="straight")
    made = IntegralTank(sheet="5083/4", stations=wedge.stations, runs="straight", from_mm=200, to_mm=1200, top_mm=300)
    r = evaluate(Job(tank=made)).results
    assert r.capacity.gross.value == pytest.approx(90.0, rel=1e-6)
    lid = next(b for b in r.blanks if b.name == "lid")
    bevels = {m.text for m in lid.marks if m.text.startswith("bevel")}
    assert bevels == {"bevel 45°"}
    front = next(b for b in r.blanks if b.name == "front bulkhead")
    assert {m.text for m in front.marks if m.text.startswith("bevel")} == {"bevel 90°"}
    assert front.outline.area_mm2 == pytest.approx(300 * 300, rel=1e-6)


def test_the_bevel_is_the_hulls_own():
    """Wigley's hull at its top line: its normal there from the slopes of the formula."""
    r = evaluate(Job(tank=tank())).results
    rear = next(b for b in r.blanks if b.name == "rear bulkhead")
    bevels = [float(m.text.removeprefix("bevel ").removesuffix("°")) for m in rear.marks if m.text.startswith("bevel")]
    x, z, d = 400.0, 400.0, 1e-3
    slope_x = (wigley(x + d, z) - wigley(x - d, z)) / (2 * d)
    slope_z = (wigley(x, z + d) - wigley(x, z - d)) / (2 * d)
    at_top = math.degrees(math.acos(abs(slope_x) / math.sqrt(1 + slope_x**2 + slope_z**2)))
    assert bevels[0] == pytest.approx(at_top, abs=2.0)
    assert bevels[-1] == pytest.approx(at_top, abs=2.0)


def test_no_sheet_is_cut_for_the_hull_and_it_does_not_have_to_clear_it():
    r = evaluate(Job(tank=tank())).results
    assert {b.name for b in r.blanks if b.role == "shell"} == {"lid", "front bulkhead", "rear bulkhead"}
    assert {s.title for s in r.seams if s.joint != "stitch"} >= {"hull to lid", "hull to front bulkhead"}
    assert not any(p.face == "hull" for p in r.strength.panels)
    assert r.spare.value == 0.0


def test_the_command_line_makes_one_in_its_hull(tmp_path, capsys):
    table, out = tmp_path / "hull.csv", tmp_path / "job.json"
    zs = [0, 150, 300, 450, 600]
    rows = [f"x_mm, {', '.join(map(str, zs))}"]
    rows += [f"{x}, {', '.join(f'{max(wigley(x, z), 0):.2f}' for z in zs)}" for x in range(-2000, 2001, 500)]
    table.write_text("\n".join(rows), "utf-8")
    line = ["new", "--family", "integral", "--offsets", str(table), "--sheet", "5083/4", "--top-mm", "450"]
    assert main([*line, "--from-mm", "-600", "--to-mm", "400", str(out)]) == 0
    capsys.readouterr()
    assert main(["figures", str(out)]) == 0
    exact = dblquad(lambda z, x: 2 * wigley(x, z), -600, 400, 0, 450)[0] / 1e6
    assert json.loads(capsys.readouterr().out)["capacity_l"]["gross"] == pytest.approx(exact, rel=1e-3)
    job = read_job(out.read_text("utf-8"), "job")
    assert not [f for f in evaluate(job).findings if f.code.startswith("fit.")]
    assert main([*line, "--from-mm", "-600", "--to-mm", "4000", str(tmp_path / "no.json")]) != 0
    assert "was measured from -2000 to 2000 mm" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("more", "why"),
    [
        ({"to_mm": -590.0}, "the rear one stands 40 mm or more behind"),
        ({"top_mm": 700.0}, "stands above the hull, which was measured up to 600 mm"),
        ({"top_mm": 20.0}, "leaves 20 mm over the keel"),
    ],
)
def test_what_does_not_lie_in_the_hull_says_why(more, why):
    with pytest.raises(ValueError, match=why):
        tank(**more)


def test_a_lid_runs_over_its_edge_all_round_and_old_files_read_the_same():
    """A wedge's lid is 1,000 × 600: with 30 mm of lap 1,060 × 660, its edge drawn on it."""
    wedge = hull(lambda x, z: z, [0, 500, 1500], [0, 150, 400], runs="straight")
    made = IntegralTank(
        sheet="5083/4", stations=wedge.stations, runs="straight", from_mm=200, to_mm=1200, top_mm=300, lap_mm=30
    )
    plain = evaluate(Job(tank=made.model_copy(update={"lap_mm": 0.0}))).results
    r = evaluate(Job(tank=made)).results
    lid, was = (next(b for b in x.blanks if b.name == "lid") for x in (r, plain))
    assert sorted(lid.size_mm) == pytest.approx([s + 60 for s in sorted(was.size_mm)], abs=1e-6)
    assert lid.outline.area_mm2 == pytest.approx((was.size_mm[0] + 60) * (was.size_mm[1] + 60), rel=1e-6)
    assert any(m.text == "edge of the hull" for m in lid.marks)
    assert r.weight.dry.value > plain.weight.dry.value
    assert "lap_mm" not in json.loads(Job(tank=made.model_copy(update={"lap_mm": 0.0})).to_json())["tank"]
    assert read_job(Job(tank=made).to_json()).tank == made


def test_bilge_water_gets_past_through_a_straight_tube_that_takes_its_volume():
    e = evaluate(Job(tank=tank()))
    said = next(f for f in e.findings if f.code == "inside.limber")
    after = evaluate(said.remedy.apply(e.job))
    assert not any(f.code == "inside.limber" for f in after.findings)
    tubes = [f for f in after.job.inside.fittings if f.kind == "limber"]
    assert len(tubes) == 2
    a, b = (after.results.shell.by_id[f.face].place(f.u_mm, f.v_mm) for f in tubes)
    assert (b - a)[1:] == pytest.approx([0, 0], abs=0.2)
    taken = e.results.capacity.net.value - after.results.capacity.net.value
    assert taken == pytest.approx(math.pi / 4 * 38**2 * 1000 / 1e6, rel=1e-3)
    assert after.results.weight.dry.value > e.results.weight.dry.value
    for name in ("front bulkhead", "rear bulkhead"):
        assert any(h.diameter_mm == 38 for h in next(x for x in after.results.blanks if x.name == name).holes)
    moved = after.job.edited("inside.fittings.1.v_mm", tubes[1].v_mm + 60)
    assert any("out of line" in f.message for f in evaluate(moved).findings)


def test_one_that_is_begun_takes_the_stations_that_were_measured():
    space = jobs.barge().space
    tank = IntegralTank.started_in(space, {"length": 500, "width": 300, "height": 200}, "5083/4")
    assert tank.stations == space.stations
    assert tank.runs == space.runs
    assert tank.volume_mm3() <= space.cavity.volume_mm3 * 1.001
    assert tank.volume_mm3() > 0.5 * space.cavity.volume_mm3
    with pytest.raises(Refusal, match="measure the space as stations first"):
        IntegralTank.started_in(jobs.trolley().space, {"length": 500, "width": 300, "height": 200}, "5083/4")
