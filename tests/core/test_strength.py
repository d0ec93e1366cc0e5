"""Panels, welds and stitches, and the pressure they bear."""

import math
from dataclasses import replace

import pytest

from bathyx.core.evaluate import evaluate
from bathyx.core.inside.baffles import Baffle
from bathyx.core.inside.fittings import usual
from bathyx.core.material import fluid, sheet
from bathyx.core.proving.least import head_kpa, least_here
from bathyx.core.proving.plan import PlannedTest
from bathyx.core.strength.large import BOTH, bears, respond
from bathyx.core.strength.loads import Service, most_in_service, service_kpa
from bathyx.core.strength.panels import TEST_SHARE, Metal, stitch_kpa, strength
from bathyx.core.strength.plate import PlateError, clamped
from bathyx.core.strength.shapes import panels_of
from bathyx.core.tank.profile import Chamfer, Jog
from bathyx.demo import jobs
from tests.conftest import box, job_with

IDLE = Service(0.0, 835.0, 0.0, 0.0)


def of(tank=None, baffles=(), stock="5083/3", kpa=20.0, **more):
    metal = Metal(sheet(stock), (), more.pop("both_sides", False))
    return strength((tank or box()).shell(), baffles, metal, kpa, IDLE, **more)


def test_a_thin_panel_stretches_and_the_held_bound_bulges_less_than_the_pulled_one():
    held, pulled = (respond(300, 600, 1.5, 20, 70_000, 0.33, e) for e in BOTH)
    linear = clamped(2.0).alpha * 0.020 * 300**4 / (70_000 * 1.5**3 / 12 / (1 - 0.33**2))
    assert held.bulge_mm < pulled.bulge_mm < linear
    assert pulled.bulge_mm > 2 * held.bulge_mm


def test_the_lower_bound_decides_what_a_panel_bears():
    m = sheet("5083/3").material
    found = bears(300, 600, 3, 0.9 * 125, m.modulus, m.poisson)
    stresses = [respond(300, 600, 3, found.kpa, m.modulus, m.poisson, e).edge_mpa for e in BOTH]
    assert max(stresses) == pytest.approx(0.9 * 125, rel=1e-3)
    assert min(stresses) < 0.95 * max(stresses)


def test_past_the_table_nothing_is_printed_as_a_limit():
    r = respond(900, 900, 1.0, 50, 70_000, 0.33, "held")
    assert not r.in_range
    tough = bears(900, 900, 1.0, 5000.0, 70_000, 0.33)
    assert tough.beyond
    loads = of(box(900, 900, 900), stock="304/1", kpa=60.0)
    assert not loads.worst.in_range
    assert "past the plate table" in loads.bears.working


def test_a_baffle_divides_the_panels_it_is_welded_to():
    shell = box(600, 400, 200).shell()

    def sizes(*baffles):
        return sorted((round(p.short_mm), round(p.long_mm)) for p in panels_of(shell.by_id["top"], baffles))

    assert sizes() == [(400, 600)]
    assert sizes(Baffle(axis="x", at_mm=250)) == [(250, 400), (350, 400)]


def test_on_a_slope_the_division_is_measured_along_the_face():
    shell = box(300, 400, 200, chamfers=(Chamfer(corner="front_top", along_mm=120, up_mm=90),)).shell()
    found = panels_of(shell.by_id["front top chamfer"], (Baffle(axis="x", at_mm=60),))
    assert [round(p.short_mm) for p in found] == [75, 75]


def test_an_end_with_a_jog_is_no_rectangle_and_bears_more_than_the_one_round_it():
    tank = box(400, 300, 300, jog=Jog(end="rear", length_mm=200, rise_mm=150))
    (panel,) = panels_of(tank.shell().by_id["left end"], ())
    assert not panel.rectangular
    assert 150 < panel.short_mm < 300


def test_thicker_sheet_more_baffles_and_welds_inside_bear_more():
    shell = box(600, 400, 300)
    thin = of(shell, stock="5083/2").bears.value
    assert of(shell, stock="5083/4").bears.value > thin
    assert of(shell, (Baffle(axis="x", at_mm=300),), "5083/2").bears.value > thin
    one, both = of(shell).worst, of(shell, both_sides=True).worst
    assert both.bears_kpa > 1.1 * one.bears_kpa
    assert "one-sided corner weld" in one.link
    assert both.link == "the sheet beside its weld"


def test_a_bare_hole_weakens_and_a_ring_mends_it():
    port = usual("inspection", "port", "top", 150, 200)
    bare = of(both_sides=True, stock="5052/3", fittings=[port.model_copy(update={"ring_mm": 0.0})])
    ringed = of(both_sides=True, stock="5052/3", fittings=[port])
    assert bare.worst.bears_kpa <= ringed.worst.bears_kpa


def test_stitches_are_in_the_chain():
    """A baffle that carries 1 m of floor on 1.5 mm stitches: 0.9 · 20 / √3 · 0.7 · 1.5 N/mm over 1000 mm is 10.9 kPa."""
    kpa, name = stitch_kpa(box(2000, 100, 100).shell(), (Baffle(axis="x", at_mm=1000.0),), sheet("1050/1.5"))
    assert kpa == pytest.approx(0.9 * 20 / 3**0.5 * 0.7 * 1.5, rel=1e-3)
    assert name == "B1"
    assert (
        of(box(600), (Baffle(axis="x", at_mm=300.0),)).worst.bears_kpa
        < stitch_kpa(box(600).shell(), (Baffle(axis="x", at_mm=300.0),), sheet("5083/3"))[0]
    )


def test_service_is_head_surge_and_working_pressure():
    shell = box(600, 400, 300).shell()
    resting = service_kpa(shell, shell.by_id["bottom"], IDLE)
    assert resting == pytest.approx(head_kpa(300, 835))
    braking = service_kpa(shell, shell.by_id["bottom"], Service(30.0, 835.0, 500.0, 0.5))
    assert braking == pytest.approx(30 + head_kpa(800, 835) + 835 * 0.5 * 9.80665 * 0.6 / 1000)


def test_water_at_a_test_is_heavier_than_the_fuel_the_tank_is_for():
    by_soap = job_with(box(600, 400, 300), brief__fluid="petrol", brief__moving=False, brief__slope_deg=0.0)
    tests = [{"method": "water_fill", "test_kpa": 0.0, "hold_min": 1440.0}]
    by_water = job_with(
        box(600, 400, 300), brief__fluid="petrol", brief__moving=False, brief__slope_deg=0.0, proving__tests=tests
    )
    carried = [evaluate(j).results.strength.worst_in_service.service_kpa for j in (by_soap, by_water)]
    assert carried[1] > 1.2 * carried[0]
    full = Service(0.0, 740.0, 0.0, 0.0, tested_full=True)
    shell = box(600, 400, 300).shell()
    assert service_kpa(shell, shell.by_id["bottom"], full) == pytest.approx(head_kpa(300, 999))


def test_braking_cornering_pitch_and_roll_press_together():
    """By hand on the floor of 600 x 400 x 300 of water: 999 kg/m3 (g 0.3 + 0.4 g 0.6 + 2 g 0.4 + g sin 10 0.6) m."""
    shell = box(600, 400, 300).shell()
    floor = shell.by_id["bottom"]
    assert service_kpa(shell, floor, Service(0, 999.0, 0, 0.4, cornering_g=2.0, pitch_deg=10.0)) == pytest.approx(
        999 * 9.80665 * (0.3 + 0.4 * 0.6 + 2.0 * 0.4 + math.sin(math.radians(10)) * 0.6) / 1000, rel=1e-6
    )
    rolled = service_kpa(shell, floor, Service(0, 999.0, 0, 0.0, roll_deg=30.0))
    assert rolled == pytest.approx(999 * 9.80665 * (0.3 + 0.5 * 0.4) / 1000, rel=1e-6)
    brief = job_with(brief__cornering_g=0.6, brief__roll_deg=5.0).brief
    assert Service.of(brief, fluid("diesel")).cornering_g == 0.6
    assert Service.of(job_with(brief__cornering_g=0.6, brief__moving=False).brief, fluid("diesel")).cornering_g == 0


def test_a_plastic_keeps_half_of_its_strength_for_years_at_60_degrees():
    warm = [evaluate(jobs.orchard().edited("brief.hottest_c", c)).results.strength for c in (20.0, 40.0, 60.0)]
    served = [s.worst_in_service.service_bears_kpa for s in warm]
    assert served[0] > served[1] > served[2]
    assert 0.3 * served[0] < served[2] < 0.62 * served[0]
    assert warm[0].bears.value == warm[2].bears.value  # a test is short, and cold
    codes_ = {f.code for f in evaluate(jobs.orchard().edited("brief.hottest_c", 45.0)).findings}
    assert "material.warm" in codes_
    metal = [
        evaluate(jobs.trolley().edited("brief.hottest_c", c)).results.strength.worst_in_service for c in (20.0, 60.0)
    ]
    assert metal[0].service_bears_kpa == metal[1].service_bears_kpa


def test_a_lower_test_does_not_silence_a_tank_that_its_own_fluid_bends():
    job = job_with(box(900, 1200, 800, sheet="5083/1.5"), inside__baffles__by_rule=False)
    low = job.edited_many({"proving.tests.0.test_kpa": 1.0})
    found = next(f for f in evaluate(low).advice if f.code == "panel.service")
    assert found.severity == "stop"
    assert "mm sheet serves" in found.message or "no stocked sheet" in found.message
    assert "baffle" in found.message


def test_working_pressure_presses_on_a_pressurised_tank_only():
    job = job_with(brief__working_kpa=30.0)
    assert Service.of(job.brief, fluid("diesel")).working_kpa == 0
    assert Service.of(job.edited("brief.pressure", "pressurised").brief, fluid("diesel")).working_kpa == 30


def test_plastic_is_reckoned_by_creep_in_service_and_by_yield_at_a_test():
    pp = sheet("pp/8").material
    assert pp.lasting(8, weld=True) < 0.25 * pp.yield_at(8, weld=True)
    assert TEST_SHARE * pp.yield_at(8, weld=True) > 15


@pytest.mark.parametrize("sides", [(0, 100, 2), (100, 100, 0)])
def test_a_panel_without_size_is_refused(sides):
    with pytest.raises(PlateError):
        respond(*sides, 10, 70_000, 0.3, "held")


def test_an_aspect_under_one_is_refused():
    with pytest.raises(PlateError, match="long side over short"):
        clamped(0.5)


def test_a_seam_across_a_flat_makes_it_as_soft_as_beside_any_weld():
    """Half-hard 1050 keeps a quarter of its yield beside a weld; with every other edge bent, the seam decides."""
    moved = [{"edge": "front/top", "onto": "top", "by_mm": 150.0}]
    r = evaluate(job_with(box(sheet="1050/2"), makeup__moved=moved, inside__baffles__by_rule=False)).results
    bent = [role if role.edge.smooth else replace(role, kind="bend", joint="bend") for role in r.roles]
    without = [role for role in bent if not role.edge.smooth]

    def top(roles):
        metal = Metal(r.sheet, (), both_sides=True)
        return {p.face: p for p in strength(r.shell, (), metal, 20.0, IDLE, roles).panels}["top"]

    assert top(bent).link == "the seam across its flat"
    assert top(bent).bears_kpa < 0.6 * top(without).bears_kpa
    assert top(bent).service_bears_kpa < 0.6 * top(without).service_bears_kpa


def test_a_flange_is_welded_at_its_rim_alone_even_where_corners_are_welded_inside_too():
    plain = job_with(makeup__both_sides=True, inside__baffles__by_rule=False)
    choice = {"edge": "bottom/front", "role": "weld", "joint": "edge flange", "flange_mm": 25.0}
    a, b = (
        {p.face: p for p in evaluate(job).results.strength.panels}["bottom"]
        for job in (plain, plain.edited("makeup.edges", [choice]))
    )
    assert b.bears_kpa < a.bears_kpa
    assert "throat" in b.link


def test_a_test_presses_no_less_than_service_does():
    """By hand: ρ (g h + a L) at the floor, with the slope's share of g along the tank."""
    brief = job_with().brief.model_copy(
        update={
            "moving": True,
            "braking_g": 1.5,
            "cornering_g": 0.0,
            "slope_deg": 10.0,
            "roll_deg": 0.0,
            "fill_rise_mm": 100.0,
        }
    )
    oil = fluid("diesel")
    face, kpa = most_in_service(box(length=3000).shell(), brief, oil)
    by_hand = oil.density * 9.80665 * (0.2 + 0.1 + (1.5 + math.sin(math.radians(10))) * 3.0) / 1000
    assert (face, kpa) == ("bottom", pytest.approx(by_hand, rel=1e-6))
    least = least_here(PlannedTest(), brief, oil, box(length=3000).shell())
    assert (least.kpa, least.rule) == (round(kpa, 2), "what presses on bottom in service")
    standing = least_here(PlannedTest(), brief.model_copy(update={"moving": False}), oil, box().shell())
    assert (standing.kpa, standing.rule) == (20.68, "the greater of 3 psi and 1.5 times the filling head")
