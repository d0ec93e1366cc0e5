"""Bands of steel box round a tank of plastic: their beam by hand, what they do for walls, room, weight, parts, faults."""

import math

import pytest

from bathyx.core.build.steps import steps
from bathyx.core.evaluate import evaluate
from bathyx.core.inside.fittings import usual
from bathyx.core.job import JobError
from bathyx.core.plastic.creep import bulges
from bathyx.core.propose.begin import WAYS, Asked, begun
from bathyx.core.sheet.makeup.bands import second_moment, section_mm2
from bathyx.core.sheet.makeup.own_parts import every_part
from bathyx.core.tank.profile import Chamfer
from bathyx.core.tank.saddle import SaddleTank
from bathyx.errors import Refusal
from tests.conftest import box, codes, job_with


def banded(*heights, tank=None, **edits):
    tank = tank or box(900, 600, 500, sheet="pp/10")
    return job_with(tank, brief__fluid="fresh_water", makeup__bands=heights, **edits)


def test_a_band_is_as_stiff_as_the_beam_of_the_handbook_wants():
    r = evaluate(banded(150.0, 300.0)).results
    low, high = r.bands
    span, d = 900.0, 900.0 / 300
    for band, (above, below) in ((low, (500 - 225, 500 - 75)), (high, (500 - 400, 500 - 225))):
        w = r.fluid.density * 9.80665e-9 * (below**2 - above**2) / 2  # N/mm: head over the strip that it carries
        needs = 5 * w * span**4 / (384 * 210_000 * d)
        assert band.needs_mm4 == pytest.approx(needs, rel=1e-6)
        assert second_moment(*band.box) >= needs
    assert low.needs_mm4 > high.needs_mm4


def test_it_takes_its_room_weighs_and_is_cut():
    plain, e = evaluate(banded()), evaluate(banded(250.0))
    (band,) = e.results.bands
    side = band.box[0]
    out, was = e.results.outside, plain.results.outside
    assert (out.length_mm - was.length_mm, out.width_mm - was.width_mm) == pytest.approx((2 * side, 2 * side))
    assert out.height_mm == pytest.approx(was.height_mm)
    ring = 2 * (900 + 600 + 2 * (2 * 10 + 2 * side))
    assert sum(mm for _, mm in band.pieces) == pytest.approx(ring)
    steel = ring * section_mm2(*band.box) * 7850e-9
    assert e.results.weight.dry.value - plain.results.weight.dry.value == pytest.approx(steel, rel=1e-6)
    r = e.results
    tubes = [p for p in every_part((), r.seams, r.skins, (), (), r.lids, r.bands) if p.kind == "tube"]
    assert len(tubes) == 4
    assert "steel box" in tubes[0].section
    assert "bands" in [step.id for step in steps(e)]
    assert e.results.capacity.gross.value == pytest.approx(plain.results.capacity.gross.value)


def test_walls_bear_more_between_bands_and_each_strip_is_pressed_by_its_own_head():
    by = [{p.face: p for p in evaluate(banded(*h)).results.strength.panels} for h in ((), (250.0,), (120.0, 300.0))]
    wall = [panels["left end"] for panels in by]
    assert wall[0].short_mm > wall[1].short_mm > wall[2].short_mm
    assert wall[0].service_bears_kpa < wall[1].service_bears_kpa < wall[2].service_bears_kpa
    assert wall[0].service_use > wall[1].service_use > wall[2].service_use
    low, top = wall[2].strip  # the strip that carries most of what it bears, by the head at a third of it
    head = 500 - (low + (top - low) / 3)
    pitched = 0.4 + math.sin(math.radians(8))
    density = evaluate(banded()).results.fluid.density
    assert wall[2].service_kpa == pytest.approx(density * 9.80665e-6 * (head + pitched * 900))
    assert by[0]["bottom"].short_mm == by[1]["bottom"].short_mm
    r = evaluate(banded(250.0)).results
    found = [b for b in bulges(r.shell, r.strength, r.sheet, r.skins, 500.0, 1000.0, 20.0) if b.face == "left end"]
    assert sorted(b.mean_kpa for b in found) == pytest.approx([1000 * 9.80665e-6 * head for head in (125, 375)])


@pytest.mark.parametrize(
    ("job", "code"),
    [
        (
            banded(
                60.0,
                tank=box(
                    900, 600, 500, sheet="pp/10", chamfers=(Chamfer(corner="rear_bottom", along_mm=80, up_mm=120),)
                ),
            ),
            "band.leans",
        ),
        (banded(700.0), "band.beside"),
        (banded(60.0, tank=SaddleTank.started({"length": 600, "width": 700, "height": 300}, "pp/10")), "band.leans"),
        (banded(150.0, inside__fittings=[usual("drain", "tap", "front", 200, 150)]), "band.fitting"),
        (banded(900.0, tank=box(3900, 2600, 2500, sheet="pp/10")), "band.weak"),
    ],
)
def test_what_is_wrong_with_one_is_said_and_put_right(job, code):
    e = evaluate(job)
    (said,) = [f for f in e.findings if f.code == code]
    assert code not in codes(evaluate(said.remedy.apply(job)))


@pytest.mark.parametrize(
    ("heights", "why"), [((5.0,), "20 to 5000"), ((100.0, 120.0), "50 mm apart"), ((math.nan,), "band")]
)
def test_bands_that_cannot_be_are_refused_in_words(heights, why):
    with pytest.raises(JobError, match=why):
        banded(*heights)


def test_a_wall_that_stands_out_is_offered_bands_and_keeps_to_its_limit_with_them():
    job = banded(tank=box(900, 800, 600, sheet="pp/10"), brief__moving=False, brief__flat_base=True)
    (said,) = [f for f in evaluate(job).advice if f.code == "plastic.bulge"]
    assert "band" in said.remedy.label
    after = evaluate(said.remedy.apply(job))
    assert after.job.makeup.bands
    r = after.results
    left = bulges(r.shell, r.strength, r.sheet, r.skins, r.capacity.fill_level_mm, r.fluid.density, 40.0)
    walls = [b for b in left if r.shell.by_id[b.face].role in ("wall", "end")]
    assert walls
    assert all(b.over <= 1.0 for b in walls)


@pytest.mark.parametrize("making", [way for way in WAYS if way])
def test_a_tank_begins_in_every_way_of_making_with_nothing_to_put_right(making):
    family = "halves" if making == "roller" else "profile"
    fluid = "fresh_water" if making in ("plastic", "cored") else "diesel"
    job = begun(Asked("free", family, fluid, 50.0, making=making))
    e = evaluate(job)
    assert [f.code for f in e.stops] == []
    assert "prove.least" not in {
        f.code for f in e.findings if f.severity == "warn"
    }  # the test that is planned proves it
    assert e.results.capacity.usable.value >= 50.0
    group = {"metal": ("aluminium", "stainless"), "roller": ("steel",), "cored": ("laminate",)}.get(making, (making,))
    assert e.results.sheet.material.group in group
    assert (job.layup is not None and bool(job.layup.core)) == (making == "cored")
    assert job.brief.flat_base == (making == "plastic")


@pytest.mark.parametrize(
    ("making", "family", "fluid", "why"),
    [
        ("plastic", "profile", "petrol", "in plastic"),
        ("roller", "profile", "diesel", "two pressed halves"),
        ("clay", "profile", "diesel", "no way of making"),
    ],
)
def test_what_does_not_go_together_is_refused_in_words(making, family, fluid, why):
    with pytest.raises(Refusal, match=why):
        begun(Asked("free", family, fluid, 50.0, making=making))


def test_braking_counts_against_what_plastic_bears_for_seconds():
    still, braked = (
        evaluate(banded(brief__braking_g=g, brief__slope_deg=0.0, brief__moving=True)).results.strength
        for g in (0.0, 0.5)
    )
    a, b = ({p.face: p for p in s.panels}["left end"] for s in (still, braked))
    extra = b.service_kpa - a.service_kpa
    assert extra > 0
    # by hand: what stands for years over what is borne for years, and the rest against 30 / 10 as much
    assert b.service_use == pytest.approx(a.service_use + extra * 10 / 30 / a.service_bears_kpa, rel=1e-6)
