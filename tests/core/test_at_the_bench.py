"""At the bench: shortening a built tank, what waits for a bend, what is left on to trim, reliefs, the grain."""

import json
import math

import ezdxf
import numpy as np
import pytest
from shapely import set_precision
from shapely.geometry import LineString, Polygon
from shapely.ops import polygonize, unary_union

from bathyx.cli.main import main
from bathyx.core.build.rejoin import KERFS, rejoined
from bathyx.core.evaluate import evaluate
from bathyx.core.inside.fittings import usual
from bathyx.core.makeups.plan import planned_pieces
from bathyx.core.sheet.bending.grain import grain_way
from bathyx.core.sheet.cutting.list_for_yard import cut_after
from bathyx.core.sheet.makeup.preparation import preparation
from bathyx.core.tank.hopper import HopperTank
from bathyx.core.units import Family
from bathyx.demo import jobs
from bathyx.errors import Refusal
from bathyx.papers.machine.dxf import write_dxf
from tests.conftest import box, codes, job_with


def test_with_shears_six_millimetres_go_with_the_cut():
    """Common practice: a tank cut in two and rejoined loses about 6 mm with shears."""
    assert KERFS["shears"] == 6.0
    found = rejoined(job_with(), "length", 50.0, KERFS["shears"])
    assert (found.strip_mm, found.changes) == (44.0, {"tank.length_mm": 250.0})
    assert rejoined(job_with(), "length", 6.0, 6.0).strip_mm == 0.0
    for way, by, words in (
        ("length", 3.0, "what the cut takes"),
        ("depth", 50.0, "length, width, height"),
        ("length", 299.0, "too little"),
    ):
        with pytest.raises(Refusal, match=words):
            rejoined(job_with(), way, by, 6.0)


def test_a_strip_is_cut_only_where_all_walls_run_straight():
    """What is left holds the old tank less the section times the strip, to the litre's thousandth; else it is refused in words."""
    hopper = job_with(
        HopperTank(
            sheet="5083/3",
            top_length_mm=500,
            top_width_mm=400,
            bottom_length_mm=300,
            bottom_width_mm=200,
            height_mm=350,
        )
    )
    for job, way, words in (
        (jobs.sawmill(), "width", "its walls run straight along it nowhere"),  # a round body: 34 mm was told
        (hopper, "height", "its walls run straight along it nowhere"),
        (hopper, "length", "no one size of the hopper family"),  # its taper would change: 71.21 L were told for 68.16
        (jobs.trolley(), "height", "over 177.0 mm at the most"),
    ):
        with pytest.raises(Refusal, match=words):
            rejoined(job, way, 190.0 if job.tank.family == "profile" else 40.0, 6.0)
    for name in ("trolley", "dryer", "vineyard", "orchard", "dairy"):
        job = getattr(jobs, name)()
        before = job.tank.shell()
        for way, by in (("length", 20.25), ("width", 33.5), ("height", 12.125)):
            if (name, way) == ("vineyard", "height"):
                continue  # its half-round tunnel leaves no straight wall of that height
            found = rejoined(job, way, by, 1.5)
            assert found.strip_mm == by - 1.5
            after = job.edited_many(found.changes).tank.shell()
            axis = ("length", "width", "height").index(way)
            assert (before.bounds[1] - after.bounds[1])[axis] == pytest.approx(
                by, abs=1e-9
            )  # not a fraction is dropped
            a, b = found.between_mm
            spots = np.concatenate([f.loop[:, axis] for f in before.faces])
            assert not ((spots > a + 1e-3) & (spots < b - 1e-3)).any()
            # By another way: where the facets cross a plane in the middle of the stretch, closed to a section.
            assert found.lost_l == pytest.approx(section_mm2(before, axis, (a + b) / 2) * by / 1e6, rel=2e-3)


def section_mm2(shell, axis, at):
    """Area inside the segments in which facets cross a plane."""
    lines = []
    for face in shell.faces:
        for loops, _ in face.blocks:
            for loop in loops:
                off = loop[:, axis] - at
                spots = [
                    np.delete(p + (q - p) * (d / (d - e)), axis)
                    for p, q, d, e in zip(loop, np.roll(loop, -1, axis=0), off, np.roll(off, -1), strict=True)
                    if d * e < 0
                ]
                order = np.argsort(np.array(spots) @ [1.0, 1e-3]) if spots else []
                lines += [LineString([spots[order[k]], spots[order[k + 1]]]) for k in range(0, len(spots) - 1, 2)]
    return max(polygonize(set_precision(unary_union(lines), 1e-4)), key=lambda p: p.area).area


def test_the_command_says_the_strip_the_litres_and_the_caution(tmp_path, capsys):
    path = tmp_path / "a.json"
    path.write_text(job_with().to_json())
    assert main(["shorten", str(path), "--by", "50", "--tool", "disc"]) == 0
    said = json.loads(capsys.readouterr().out)
    assert said["strip_to_cut_out_mm"] == 48.5
    assert said["usable_l_before"] - said["usable_l_after"] == pytest.approx(50 * 400 * 200 / 1e6 * 0.95, rel=0.05)
    assert "vapour" in said["caution"]
    assert main(["shorten", str(path), "--by", "1"]) != 0


def test_the_grain_lies_across_the_bends_or_there_is_a_larger_radius():
    r = evaluate(job_with(makeup__school="two_l", makeup__grain=True, inside__baffles__by_rule=False))
    bent = next(b for b in r.results.blanks if b.bends)
    way, along = grain_way(bent.bends)
    assert way @ (bent.bends[0].end - bent.bends[0].start) == pytest.approx(0.0, abs=1e-9)
    assert along == ()
    assert "sheet.grain" not in codes(r)
    pan = [{"edge": edge, "role": "bend"} for edge in ("bottom/front", "bottom/left end")]
    job = job_with(makeup__edges=pan, makeup__grain=True, makeup__brake={"pan_mm": 400})
    assert len(grain_way(next(b for b in evaluate(job).results.blanks if b.bends).bends)[1]) == 1
    found = next(f for f in evaluate(job).findings if f.code == "sheet.grain")
    assert "sheet.grain" not in codes(evaluate(found.remedy.apply(job)))
    assert "sheet.grain" not in codes(evaluate(found.otherwise[0].apply(job)))
    assert "sheet.grain" not in codes(evaluate(job.edited("makeup.grain", False)))
    pieces = planned_pieces(job, evaluate(job))
    assert "along the grain" in pieces.refusal(frozenset(c.edge for c in job.makeup.edges))


def test_flat_parts_that_meet_a_bent_one_are_cut_to_it():
    """Common practice: parts that must match a bent one are cut after it."""
    r = evaluate(
        job_with(makeup__school="wrap", makeup__brake={"open_ended": True}, inside__baffles__by_rule=False)
    ).results
    assert cut_after(r.blanks, r.roles) == {"left end": ("wrap",), "right end": ("wrap",)}
    assert cut_after(*(lambda x: (x.blanks, x.roles))(evaluate(job_with()).results)) == {}


def test_a_bent_part_keeps_its_trim_and_says_where_to_cut():
    plain = evaluate(job_with(makeup__school="two_l", inside__baffles__by_rule=False)).results
    left = evaluate(job_with(makeup__school="two_l", makeup__trim_mm=12.0, inside__baffles__by_rule=False)).results
    for was in (b for b in plain.blanks if b.bends):
        now = next(b for b in left.blanks if b.name == was.name)
        across = sorted(now.size_mm)[-1] - sorted(was.size_mm)[-1]
        assert across == pytest.approx(24.0)
        assert len([m for m in now.marks if m.text == "trim to here after bending"]) == 2
    ends = [next(b for b in r.blanks if b.name == "left end").size_mm for r in (plain, left)]
    assert ends[0] == ends[1]


def test_a_hole_beside_a_bend_waits_and_no_beam_cuts_it_flat(tmp_path):
    near = usual("drain", "drain", "bottom", 150, 200).model_copy(
        update={"u_mm": 20.0, "hole_mm": 20.0, "ring_od_mm": 24.0}
    )
    far = near.model_copy(update={"id": "far", "u_mm": 150.0})
    job = job_with(
        makeup__school="wrap", inside__fittings=[near.model_dump(), far.model_dump()], inside__baffles__by_rule=False
    )
    wrap = next(b for b in evaluate(job).results.blanks if b.name == "wrap")
    waits = {h.label.split()[-1].lower(): h.waits for h in wrap.holes}
    assert waits == {"drain": True, "far": False}
    document = ezdxf.readfile(write_dxf(wrap, tmp_path / "w.dxf"))
    layers = [c.dxf.layer for c in document.modelspace().query("CIRCLE")]
    assert sorted(layers) == ["HOLES", "LATER"]


def test_reliefs_are_round_where_bends_meet_and_take_their_metal():
    bends = [{"edge": edge, "role": "bend"} for edge in ("bottom/front", "bottom/left end")]
    job = job_with(makeup__edges=bends, inside__baffles__by_rule=False, inside__fittings=[])
    plain, eased = (
        max(evaluate(j).results.blanks, key=lambda b: b.area_mm2) for j in (job, job.edited("makeup.relief_mm", 8.0))
    )
    # Of the circle of 8 mm three quarters lie in metal, less what the bend strips' sides leave open.
    taken = plain.area_mm2 - eased.area_mm2
    assert 0.5 * math.pi * 16 < taken < 1.0 * math.pi * 16
    assert (np.abs(eased.outline.bulges) > 0.1).sum() == 2
    assert Polygon(eased.outline.faceted).is_valid


def test_thick_plate_is_prepared_as_the_trade_does_it():
    """6 mm: 45 degrees each side, a land of 1 to 2 mm, a gap of 1 mm, a root pass and a cap each side: common practice."""
    six = preparation("butt", (6.0, 6.0), "steel")
    assert (six.form, six.bevel_deg, six.gap_mm, six.passes) == ("double V", 45.0, 1.0, 3)
    assert 1.0 <= six.land_mm <= 2.0
    assert preparation("butt", (2.0, 3.0), "aluminium").passes == 1
    assert preparation("butt", (4.0, 4.0), "aluminium").form == "V"
    assert preparation("corner", (3.0, 6.0), "steel", both_sides=True).passes == 2
    assert preparation("lap", (3.0, 6.0), "steel").said() == "fillet, legs of 3.0 mm, 1 pass"
    assert preparation("lap", (3.0, 6.0), "steel").said().in_family(Family.US).startswith("fillet, legs of 0.1")
    assert preparation("backed", (6.0, 6.0), "steel").gap_mm == 3.0


@pytest.mark.parametrize(("school", "axis"), [("perimeter", "y"), ("wrap", "y"), ("two_l", "y")])
def test_a_baffle_clears_the_rounding_of_every_bend_it_meets(school, axis):
    """A corner stands clear of an inside radius r by r either way, whichever school parts which face for its seam."""
    baffle = {"axis": axis, "at_mm": 150.0}
    job = job_with(
        box(400.0, 400.0, 300.0, "s235/4"), makeup__school=school, makeup__bend_radius_mm=12.0, inside__fittings=[],
        inside__baffles__by_rule=False, inside__baffles__by_hand=[baffle],
        inside__baffles__limber_mm=0.0, inside__baffles__air_gap_mm=0.0,
    )  # fmt: skip
    r = evaluate(job).results
    across = 1 - "xy".index(axis)
    bent = {
        frozenset((role.edge.a.split(":")[0], role.edge.b.split(":")[0])) for role in r.roles if role.kind == "bend"
    }
    crossed = 0
    for edge in r.shell.edges:
        start, end = edge.start, edge.end
        if frozenset((edge.a, edge.b)) not in bent or abs(start["xy".index(axis)] - end["xy".index(axis)]) < 1:
            continue
        corner = np.array([start[across], start[2]])
        crossed += 1
        for plate in r.plates:
            legs = np.abs(plate.outline.faceted - corner)
            near = legs[(legs.max(axis=1) < 40)]
            assert near.sum(axis=1).min() >= 12.0 - 1e-6, (school, edge.id)
    assert crossed >= 1
