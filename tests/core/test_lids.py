"""Lids that are bolted down: screws counted by hand, a flange with its room and weight, what is wrong with one said and mended."""

import json
import math

import pytest

from bathyx.core.build.day_before import needs
from bathyx.core.build.steps import steps
from bathyx.core.evaluate import evaluate
from bathyx.core.job import Job, JobError, read_job
from bathyx.core.sheet.makeup.roles import EdgeChoice
from bathyx.core.strength.plate import simply_supported
from tests.conftest import box, codes, job_with


def lidded(edges=4, sheet="pp/8", fluid="fresh_water", flange=30.0, gap=3.0, **lid):
    """A box of 800 × 500 × 400 whose roof is bolted."""
    job = job_with(box(800, 500, 400, sheet=sheet))
    shell = evaluate(job).results.panelled
    mine = [edge for edge in shell.edges if "top" in (edge.a, edge.b)][:edges]
    choices = [
        {"edge": edge.id, "role": "weld", "joint": "bolted", "over": "top", "past_mm": flange, "gap_mm": gap}
        for edge in mine
    ]
    return job.edited_many({"makeup.edges": choices, "makeup.lid": {"gasket": "epdm", **lid}, "brief.fluid": fluid})


def test_screws_are_counted_along_the_middle_of_the_flange():
    e = evaluate(lidded())
    (lid,) = e.results.lids
    long, wide, most = 800 + 2 * (8 + 15), 500 + 2 * (8 + 15), 2 * 6 + 6 * 8  # by hand: p = 2 d + 6 t / (0.5 + 0.5)
    spaces = 2 * math.ceil(long / most) + 2 * math.ceil(wide / most)
    assert lid.whole
    assert len(lid.spots) == spaces == 50
    assert lid.pitch_mm <= most
    assert lid.line_mm == pytest.approx(2 * (long + wide))
    xs, ys = [p[0] for p in lid.spots], [p[1] for p in lid.spots]
    assert (min(xs), max(xs), min(ys), max(ys)) == pytest.approx((-23, 823, -23, 523))
    roof = next(b for b in e.results.blanks if b.name == "top")
    assert roof.size_mm == pytest.approx((800 + 2 * 38, 500 + 2 * 38))
    assert len(roof.holes) == 50
    assert all(hole.diameter_mm == 6.6 for hole in roof.holes)
    walls = [b for b in e.results.blanks if b.role == "shell" and "end" in b.name]
    assert all(min(b.size_mm) == pytest.approx(400 - 3) for b in walls)  # the gasket stands on them


def test_its_flange_has_its_room_and_its_weight():
    plain, e = evaluate(job_with(box(800, 500, 400, sheet="pp/8"))), evaluate(lidded())
    out = e.results.outside
    assert (out.length_mm, out.width_mm, out.height_mm) == pytest.approx((876, 576, 416))
    low = min(corner[2] for block in e.results.rims for corner in block)
    assert low == pytest.approx(400 - 3 - 8)  # the strip under lid and gasket
    density = e.results.sheet.material.density
    more_lid = (876 * 576 - 800 * 500) * 8 - 50 * math.pi / 4 * 6.6**2 * 8
    frame = (876 * 576 - 816 * 516) * 8
    less_wall = 2 * (800 + 500) * 3 * 8
    weld = e.results.weight.dry.value - plain.results.weight.dry.value - (more_lid + frame - less_wall) * 1e-9 * density
    assert abs(weld) < 0.03
    assert e.results.capacity.gross.value == pytest.approx(plain.results.capacity.gross.value)
    strips = [row for row in needs(e) if row.what in ("screws_top", "gasket_top_m")]
    assert [(row.amount, row.unit) for row in strips] == [(50, "pieces"), (pytest.approx(1.05 * 2.784), "m")]


def test_no_baffle_holds_a_lid_that_comes_off():
    plain, e = evaluate(job_with(box(800, 500, 400, sheet="pp/8"))), evaluate(lidded())
    by = {p.face: p for p in e.results.strength.panels}
    assert (by["top"].short_mm, by["top"].long_mm) == pytest.approx((500, 800))
    assert by["top"].bears_kpa < 0.5 * {p.face: p for p in plain.results.strength.panels}["top"].bears_kpa
    assert "lid" in by["top"].link
    assert "lid.baffle" in codes(e)


@pytest.mark.parametrize(
    ("change", "code"),
    [
        ({"edges": 3}, "lid.half"),
        ({"flange": 18.0}, "lid.narrow"),
        ({"gap": 1.0}, "lid.gasket_thin"),
        ({"pitch_mm": 90.0}, "lid.pitch"),
        ({"gasket": "nitrile"}, "lid.gasket"),
        ({"gasket": ""}, "lid.gasket_unsaid"),
    ],
)
def test_what_is_wrong_with_one_is_said_and_put_right(change, code):
    e = evaluate(lidded(**change))
    (said,) = [f for f in e.findings if f.code == code]
    after = evaluate(said.remedy.apply(e.job))
    assert code not in codes(after)
    assert not {"lid.half", "lid.narrow"} & codes(after)
    assert "lid." not in " ".join(codes(evaluate(lidded()))).replace("lid.baffle", "")


def test_over_fuel_it_is_questioned_and_wants_other_rubber():
    found = codes(evaluate(lidded(fluid="diesel", sheet="5052/3")))
    assert {"lid.fuel", "lid.gasket"} <= found
    assert "lid.gasket" not in codes(evaluate(lidded(fluid="diesel", sheet="5052/3", gasket="fluoro")))
    assert "lid.gasket" in codes(evaluate(lidded(fluid="e85", sheet="304/2", gasket="nitrile")))


def test_the_traveller_bolts_it_before_the_test():
    ids = [step.id for step in steps(evaluate(lidded()))]
    assert ids.index("dress") < ids.index("bolt_lid") < ids.index("test")
    said = next(step for step in steps(evaluate(lidded())) if step.id == "bolt_lid")
    assert "one set-up" in said.detail
    assert "50 screws of M6" in said.detail
    assert "bolt_lid" not in [step.id for step in steps(evaluate(lidded(edges=3)))]


def test_it_is_refused_where_it_cannot_lie():
    job = lidded()
    for change, words in (
        ({"past_mm": 0.0}, "as far as the flange is wide"),
        ({"joint": "butt", "over": ""}, "no joint"),
    ):
        edges = [e.model_dump() | change for e in job.makeup.edges]
        with pytest.raises(Exception, match=words):
            evaluate(job.edited_many({"makeup.edges": edges}))
    with pytest.raises(JobError, match="screw"):
        job.edited_many({"makeup.lid": {"screw_mm": 2.0}})


def test_documents_without_one_are_as_they_were():
    assert "lid" not in json.loads(job_with(box()).to_json())["makeup"]
    job = lidded(pitch_mm=50.0)
    again = read_job(job.to_json())
    assert isinstance(again, Job)
    assert again.makeup.lid == job.makeup.lid
    assert again.makeup.edges == job.makeup.edges
    assert isinstance(again.makeup.edges[0], EdgeChoice)


@pytest.mark.parametrize(
    ("long", "wide", "sheet"),
    [(300, 300, "304/3"), (1200, 200, "304/3"), (300, 300, "s235/6"), (900, 300, "s235/6"), (900, 300, "pp/10")],
)
def test_a_lid_bears_no_more_than_a_plate_on_supports(long, wide, sheet):
    """Timoshenko's plate on four supports, at first yield in its middle: the edges of a lid turn."""
    job = job_with(box(long, wide, 300, sheet=sheet), makeup__school="plates").edited("inside.baffles.by_rule", False)
    mine = [edge for edge in evaluate(job).results.panelled.edges if "top" in (edge.a, edge.b)]
    bolts = {"role": "weld", "joint": "bolted", "over": "top", "past_mm": 30.0, "gap_mm": 3.0}
    r = evaluate(job.edited("makeup.edges", [{"edge": edge.id, **bolts} for edge in mine])).results
    lid = {p.face: p for p in r.strength.panels}["top"]
    m, t = r.sheet.material, r.sheet.thickness_mm
    beta = simply_supported(lid.long_mm / lid.short_mm, m.poisson).beta
    first = 1000 * 0.9 * m.yield_at(t, weld=False) / (beta * (lid.short_mm / t) ** 2)
    assert 0.5 * first < lid.bears_kpa < first


def test_a_lid_under_the_fluid_and_screws_that_are_pulled_too_hard_are_said():
    job = job_with(box(800, 500, 400, sheet="304/3"), brief__fluid="fresh_water", makeup__school="plates")
    around = [edge for edge in evaluate(job).results.panelled.edges if "front" in (edge.a, edge.b)]
    bolts = {"role": "weld", "joint": "bolted", "over": "front", "past_mm": 30.0, "gap_mm": 3.0}
    wet = job.edited_many({"makeup.edges": [{"edge": e.id, **bolts} for e in around], "makeup.lid": {"gasket": "epdm"}})
    assert "lid.wet" in codes(evaluate(wet))
    small = lidded(screw_mm=3.0, pitch_mm=300.0).edited("proving.tests", [{"method": "water_press", "test_kpa": 60.0}])
    (said,) = [f for f in evaluate(small).findings if f.code == "lid.screws"]
    (lid,) = evaluate(small).results.lids
    # by hand: the pressure on the lid, and 1.5 times it under half of the flange, over the screws; half of 210 MPa on 0.75 of M3
    pull = 0.060 * (800 * 500 + 1.5 * lid.line_mm * 15) / len(lid.spots)
    assert str(said.figure) == f"{pull:.0f} N"
    assert str(said.limit) == f"{0.5 * 210 * 0.75 * math.pi / 4 * 9:.0f} N"
    assert "lid.screws" not in codes(evaluate(small.edited("makeup.lid", {"gasket": "epdm"})))
