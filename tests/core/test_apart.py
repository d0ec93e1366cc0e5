"""Parts of a blank that touch along a line are cut apart; flanges are as wide as they are along their bend; the back gauge."""

import math
import sys
from pathlib import Path

import numpy as np
import pytest

sys.path.insert(0, str(Path(__file__).parents[2] / "tools"))
from fold_study import missing, taken_apart
from shapely import LineString, Polygon

from bathyx.core.evaluate import evaluate
from bathyx.core.material import sheet
from bathyx.core.sheet.bending.brake_steps import brake_steps
from bathyx.core.sheet.bending.flange_width import width_mm, widths_along
from bathyx.core.sheet.bending.on_brake import Made
from bathyx.core.sheet.flat import unfold
from bathyx.core.sheet.flat.apart import SLIT_MM, Part, cut_apart, touching
from bathyx.core.sheet.flat.blank import BendLine, Blank
from bathyx.core.tank.outline import OutlineTank
from bathyx.core.tank.profile import Jog
from bathyx.core.tank.saddle import SaddleTank
from tests.conftest import box, codes, job_with

SADDLE = SaddleTank(
    sheet="5083/3", length_mm=600, width_mm=700, height_mm=350, tunnel_width_mm=200, tunnel_height_mm=150
)
STEPPED = box(length=500, height=300, jog=Jog(end="rear", length_mm=200, rise_mm=100))


def bent(tank, *edges, joint="corner"):
    return job_with(tank, makeup__joint=joint, makeup__edges=[{"edge": e, "role": "bend"} for e in edges])


@pytest.mark.parametrize(
    ("tank", "edge", "joint", "faces"),
    [
        (SADDLE, "nose/tunnel crown", "corner", {"nose", "tunnel crown"}),
        (SADDLE, "tail/tunnel crown", "corner", {"tail", "tunnel crown"}),
        (STEPPED, "jog riser/right end", "lap", {"jog riser", "right end"}),
        (STEPPED, "jog floor/left end", "corner", {"jog floor", "left end"}),
    ],
)
def test_a_flap_in_a_notch_is_cut_along_its_sides(tank, edge, joint, faces, tmp_path, monkeypatch):
    """Read back from the DXF: without the bend's strip the blank falls into as many flats as it has faces."""
    job = bent(tank, edge, joint=joint)
    assert any(set(b.faces) == faces for b in evaluate(job).results.blanks)
    assert taken_apart(job, tmp_path) == (1, [])
    monkeypatch.setattr(unfold, "cut_apart", lambda whole, parts: whole)
    looked, bad = taken_apart(job.edited("tank.width_mm", tank.width_mm + 1), tmp_path)
    assert looked == 1
    assert len(bad) == 1  # what stood before: one flat, that nobody can fold


def test_a_gap_that_narrows_to_the_start_of_a_slit_is_opened_with_it(tmp_path):
    """What stood before: two parts that hang together at one point, a ring that no cutter follows."""
    looked, bad = missing(92, tmp_path)
    assert looked == 1
    assert bad == []


def test_slits_are_as_wide_as_they_are_told_and_hangs_stay_whole():
    plate = np.array([[0, 0], [100, 0], [100, 60], [60, 60], [60, 20], [40, 20], [40, 60], [0, 60]], float)
    flap = np.array([[40, 22], [60, 22], [60, 90], [40, 90]], float)
    strip = np.array([[40, 20], [60, 20], [60, 22], [40, 22]], float)
    parts = [Part("plate", plate), Part("bend", strip, (strip[[0, 1]], strip[[3, 2]])), Part("flap", flap)]
    assert len(touching(parts)) == 4  # either side of the strip, either side of the flap
    whole = Polygon(plate).union(Polygon(strip)).union(Polygon(flap))
    cut = cut_apart(whole, parts)
    assert cut.geom_type == "Polygon"
    assert whole.area - cut.area == pytest.approx(2 * 40 * SLIT_MM, rel=0.02)
    assert not cut.intersects(LineString([(40, 25), (40, 55)]))
    assert cut.contains(LineString([(50, 15), (50, 80)]))
    beside = [Part("a", plate), Part("b", flap + [200, 0])]
    assert cut_apart(Polygon(plate), beside) is not None
    assert touching(beside) == []


@pytest.mark.parametrize("seed", [4, 5, 7, 9, 15, 22, 28, 30, 35, 41])
def test_a_dxf_holds_every_cut_that_folding_takes(seed, tmp_path):
    """All but the last are tanks that had one missing."""
    looked, bad = missing(seed, tmp_path)
    assert looked >= (1 if seed != 41 else 0)
    assert bad == []


# -- widths ------------------------------------------------------------------------------------------------------------


def test_widths_across_a_bend_are_those_of_the_face_at_each_spot():
    r = evaluate(job_with(OutlineTank(sheet="5083/3", width_mm=300, corners=[
        {"x_mm": x, "z_mm": z} for x, z in ((0, 0), (400, 0), (400, 200), (200, 200), (200, 12), (0, 12))
    ]))).results  # fmt: skip
    end = next(f for f in r.shell.faces if f.role == "end")
    floor = next(e for e in r.shell.edges if end.id in (e.a, e.b) and e.length_mm == pytest.approx(400))
    at, wide = widths_along(end, floor)
    low = at < 199 if abs(floor.start[0]) < 1 else at > 201
    assert wide[low] == pytest.approx(12)
    assert wide[~low & (np.abs(at - 200) > 2)] == pytest.approx(200)
    assert end.area_mm2 / 400 > 100  # on the average it is wide enough for any die
    assert width_mm(end, floor, 17) == pytest.approx(12)


def test_a_flange_too_narrow_for_the_die_along_half_its_bend_is_a_stop_and_never_proposed():
    tank = OutlineTank(sheet="5083/3", width_mm=300, corners=[
        {"x_mm": x, "z_mm": z} for x, z in ((0, 0), (400, 0), (400, 200), (200, 200), (200, 12), (0, 12))
    ])  # fmt: skip
    e = evaluate(job_with(tank))
    end = next(f for f in e.results.shell.faces if f.role == "end")
    floor = next(x for x in e.results.shell.edges if end.id in (x.a, x.b) and x.length_mm == pytest.approx(400))
    made = evaluate(job_with(tank, makeup__edges=[{"edge": floor.id, "role": "bend"}]))
    assert "sheet.flange" in codes(made)
    told = next(f for f in made.findings if f.code == "sheet.flange")
    assert f"{end.id} is 15 mm wide along {floor.id}" in told.message
    wider = evaluate(job_with(tank, makeup__edges=[{"edge": floor.id, "role": "bend"}], makeup__brake__die_mm=12.0))
    assert "sheet.flange" not in codes(wider)  # 0.7 of the die that is set: 8.4 mm


# -- the back gauge ----------------------------------------------------------------------------------------------------


def furthest(distance, radius, t, up, flange=60.0):
    """How far a strip reaches beyond a bend line `distance` from the middle of a bend of 90° already made: both faces, sampled."""
    allowance = math.pi / 2 * (radius + 0.42 * t)
    tangent = distance - allowance / 2
    turn = np.linspace(0, math.pi / 2, 400)
    reach = 0.0
    for depth in (radius, radius + t):  # the inside of the bend, and its outside; it turns away from or into the bed
        x = tangent + depth * np.sin(turn)
        reach = max(reach, float(x.max()))
        wall = np.column_stack([np.full(50, x[-1]), np.linspace(0, flange, 50) * (1 if up else -1)])
        reach = max(reach, float(wall[:, 0].max()))
    return reach, allowance


@pytest.mark.parametrize("seed", range(12))
def test_the_back_gauge_meets_the_far_face_of_a_flange_whichever_way_it_stands(seed):
    """A brake that knows no formula: the folded strip is sampled, and what stands out furthest is what the finger meets."""
    dice = np.random.default_rng(seed)
    t, radius = float(dice.choice([1.5, 2, 3, 4])), float(dice.choice([2, 3, 4.5, 6]))
    at = np.cumsum(dice.uniform(60, 200, 4))
    ways = [bool(x) for x in dice.integers(0, 2, 3)]
    allowance = math.pi / 2 * (radius + 0.42 * t)
    spots = [(0, 0), (at[3], 0), (at[3], 300), (0, 300)]
    bends = tuple(
        BendLine(np.array([x, 0.0]), np.array([x, 300.0]), 90.0, up, radius, allowance, f"b{k}")
        for k, (x, up) in enumerate(zip(at[:3], ways, strict=True))
    )
    from bathyx.core.geometry.outline import Outline

    blank = Blank(
        "strip", t, Outline(np.array(spots, float), np.zeros(4)), (), bends, (), ("a", "b", "c", "d"), "shell"
    )
    steps = brake_steps(blank, sheet(f"5083/{t:g}"), [Made(b) for b in ("b0", "b1", "b2")])
    assert steps[0].gauge_mm == pytest.approx(min(at[0], at[3] - at[0]))
    for step, before in zip(steps[1:], steps, strict=False):
        line = step.bend.start[0]
        reach, _ = furthest(line - before.bend.start[0], radius, t, before.bend.up == step.bend.up)
        assert step.gauge_mm == pytest.approx(min(reach, at[3] - line), abs=1e-9)
