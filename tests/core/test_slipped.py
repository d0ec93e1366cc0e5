"""What slipped past the tests beside it: changes that a mutation tool made and nothing noticed, each held here a second way."""

import math
from dataclasses import replace

import numpy as np
import pytest

from bathyx.core.capacity.capacity import displaced, gross_curve, net_curve, tilted_curve
from bathyx.core.evaluate import evaluate
from bathyx.core.findings.placing import free_spots, settled
from bathyx.core.geometry.dip import combined, dip_curve
from bathyx.core.inside.baffles import LEAST_APART_MM, OPEN_HIGH, OPEN_LOW, Baffle, arced_section
from bathyx.core.inside.fittings import floor_below, usual
from bathyx.core.strength.large import BOTH, respond
from bathyx.core.strength.membranes import round_panel
from bathyx.core.strength.panels import gives
from bathyx.core.strength.shapes import panels_of
from bathyx.core.tank.attitude import attitude
from bathyx.core.tank.profile import Jog
from bathyx.core.tank.rolled import End, RolledTank
from bathyx.core.tank.saddle import SaddleTank
from bathyx.errors import Refusal
from tests.conftest import box, job_with

BAFFLED = {"inside__baffles__by_rule": False, "inside__baffles__by_hand": [{"axis": "x", "at_mm": 260.0}]}


def inside_of(job):
    r = evaluate(job).results
    return r, displaced(r.shell, r.roles, r.plates, job.inside.fittings, r.skins, r.rule)


@pytest.mark.parametrize(("trim", "heel"), [(0.0, 0.0), (17.0, 0.0), (9.0, -23.0)])
def test_a_leaning_tank_holds_as_much_as_a_level_one(trim, heel):
    """Metal of baffles and pickups comes off however it leans; an upright box of water is its own second way."""
    job = job_with(box(600, 500, 400), **BAFFLED, inside__fittings=[usual("pickup", "p", "top", 100, 250)])
    r, inside = inside_of(job)
    leaning = tilted_curve(r.shell, inside, attitude(trim, heel))
    assert leaning.full_mm3 == pytest.approx(net_curve(r.shell, inside).full_mm3, rel=1e-9)
    assert leaning.full_mm3 < r.shell.volume_mm3 - 1000


def test_what_a_bend_takes_lies_along_its_edge():
    r, inside = inside_of(job_with(box(600, 500, 400), makeup__school="wrap", makeup__bend_radius_mm=20.0))
    middles = [edge.middle for edge in (role.edge for role in r.roles if role.kind == "bend")]
    for low, high, volume in inside.small:
        assert volume != 0
        assert min(math.dist((low + high) / 2, middle) for middle in middles) < 1e-6


def test_a_heavy_fitting_moves_the_centre_by_its_lever():
    """By hand: m x and the fitting's own mass half its ring out of the outside of the wall."""
    bare = evaluate(job_with(box(600, 500, 400), inside__fittings=[]))
    flange = usual("pad", "heavy", "rear", 250, 200).model_copy(update={"ring_mm": 40.0, "ring_od_mm": 200.0})
    full = evaluate(job_with(box(600, 500, 400), inside__fittings=[flange]))
    mass = math.pi / 4 * 200**2 * 40 * bare.results.sheet.material.density * 1e-9
    m0, m1 = bare.results.weight.full.value, full.results.weight.full.value
    assert m1 == pytest.approx(m0 + mass, rel=1e-9)
    where = bare.results.weight.centre * m0 / m1 + np.array([600 + 3 + 20, 250, 200]) * mass / m1
    assert full.results.weight.centre == pytest.approx(where, abs=1e-6)


def test_baffles_too_near_to_one_another_are_refused():
    near = [{"axis": "x", "at_mm": 200.0}, {"axis": "x", "at_mm": 200.0 + LEAST_APART_MM - 1}]
    with pytest.raises(Refusal, match="two baffles stand"):
        job_with(box(600, 500, 400), inside__baffles__by_hand=near)
    apart = [{"axis": "x", "at_mm": 200.0}, {"axis": "y", "at_mm": 200.0}]
    assert len(job_with(box(600, 500, 400), inside__baffles__by_hand=apart).inside.baffles.by_hand) == 2


@pytest.mark.parametrize(
    "size", [(900, 700, 500), (1200, 300, 180), (700, 260, 140), (1500, 900, 700), (2600, 1200, 800)]
)
def test_baffles_by_rule_are_open_by_as_much_as_is_usual(size):
    """3 to 30 % of the section, common practice; and by rule nothing narrower stands where wider would do."""
    r = evaluate(job_with(box(*size, sheet="5083/4"))).results
    assert r.plates
    for plate in r.plates:
        assert OPEN_LOW - 1e-9 <= plate.open_share <= OPEN_HIGH + 1e-9, (plate.name, plate.open_share)
    assert all(isinstance(b, Baffle) for b in r.baffles)


def test_what_is_held_too_near_to_an_edge_gives_way_by_as_little_as_it_must():
    job = job_with(box(600, 500, 400), inside__fittings=[])
    r = evaluate(job).results
    held = settled(job, r, usual("vent", "v", "rear", 10, 210), 8.0)
    rim, room = 15.0, 12.0
    assert held.clear
    assert rim + room <= held.fitting.u_mm <= rim + room + 3
    assert held.fitting.v_mm == pytest.approx(210, abs=4)
    assert settled(job, r, usual("vent", "v", "rear", 2, 210), 4.5).clear  # six times the snap away
    assert not settled(job, r, usual("vent", "v", "rear", -2, 210), 4.5).clear  # and no further


def test_free_places_are_looked_for_on_a_grid_of_a_thirty_sixth():
    job = job_with(box(720, 720, 400), inside__fittings=[])
    spots = free_spots(job, evaluate(job).results, usual("vent", "v", "top", 0, 0))
    assert min(np.diff(sorted(set(spots[:, 0])))) == 20.0


def test_beside_the_plan_there_is_no_floor():
    shell = box(600, 500, 400, jog=Jog(end="rear", length_mm=200, rise_mm=90)).shell()
    assert floor_below(shell, 500, 250) == 90
    assert floor_below(shell, 500, 560) == floor_below(shell, 500, -40) == 0.0
    assert floor_below(shell, 300, 250) == 0.0


def test_a_thin_dished_head_is_as_strong_as_its_knuckle_and_a_deep_one_as_its_sheet():
    def weakest(kind, stock):
        head = End(kind=kind)
        tank = RolledTank(sheet=stock, length_mm=900, diameter_mm=900, front=head, rear=head)
        panels = evaluate(job_with(tank, makeup__school="rolled")).results.strength.panels
        return {p.face: p.link for p in panels}

    assert "knuckle" in weakest("dished", "304/1.5")["front end"]
    assert "knuckle" not in weakest("hemisphere", "304/3")["front end"]


def test_a_tunnel_of_thin_sheet_buckles_and_one_of_thick_sheet_does_not():
    def link(stock, wide):
        tank = SaddleTank(
            sheet=stock,
            length_mm=600,
            width_mm=wide + 500,
            height_mm=wide,
            tunnel="half_round",
            tunnel_width_mm=wide,
            tunnel_height_mm=wide / 2,
        )
        panels = evaluate(job_with(tank)).results.strength.panels
        return next(p.link for p in panels if "tunnel" in (p.curved or "") or p.face.startswith("tunnel"))

    assert "arch" in link("5083/1.5", 600.0)
    assert "arch" not in link("5083/8", 120.0)


def test_edges_that_turn_let_a_panel_stand_further_out():
    """A wide top beside low sides turns their common edge: it stands out further than a panel held all round, the sides less."""
    r = evaluate(
        job_with(box(700, 600, 150, sheet="5083/3"), inside__fittings=[], inside__baffles__by_rule=False)
    ).results
    m = r.sheet.material
    for name, wider in (("top", True), ("front", False)):
        load = next(p for p in r.strength.panels if p.face == name)
        held = [
            respond(load.short_mm, load.long_mm, 3.0, r.strength.pressure_kpa, m.modulus, m.poisson, e).bulge_mm
            for e in BOTH
        ]
        assert load.bulge_mm[1] > max(held) if wider else load.bulge_mm[0] < min(held)


def test_stitches_hold_the_walls_that_a_baffle_crosses_and_no_others():
    tank = box(1500, 260, 120, sheet="5083/5")
    hand = {"inside__baffles__by_rule": False, "inside__baffles__by_hand": [{"axis": "x", "at_mm": 750.0}]}
    links = {p.face: p.link for p in evaluate(job_with(tank, makeup__both_sides=True, **hand)).results.strength.panels}
    held = {face for face, link in links.items() if "stitches" in link}
    assert held
    assert held <= {"bottom", "top", "left end", "right end"}  # front and rear lie beside it


def test_a_flat_round_end_is_reckoned_as_a_round_plate_and_its_wall_as_a_ring():
    """The wall grows by p r² / (E t), any handbook; the middle of what the walls give is above nothing."""
    tank = RolledTank(sheet="5083/3", length_mm=700, diameter_mm=400)
    e = evaluate(job_with(tank, makeup__school="rolled", inside__baffles__by_rule=False, inside__fittings=[]))
    r = e.results
    loads = {p.face: p for p in r.strength.panels}
    end = loads["front end"]
    assert (end.short_mm, end.long_mm) == pytest.approx(
        (round_panel(200.0).short_mm, round_panel(200.0).long_mm), rel=2e-3
    )
    wall, t = loads["wall"], 3.0
    grown = r.strength.pressure_kpa / 1000 * 200**2 / (r.sheet.material.modulus * t)
    closed = 1 - r.sheet.material.poisson / 2  # the ends draw it in as they pull it long
    assert wall.bulge_mm == pytest.approx((closed * grown, grown), rel=0.03)
    low, high = gives(r.strength, r.shell)
    assert 0 < low < high <= 0.02


def test_curves_that_are_put_together_are_their_sum_at_every_level():
    job = job_with(box(600, 500, 400), **BAFFLED)
    r, inside = inside_of(job)
    whole, (share, solid) = gross_curve(r.shell), inside.plates[0]
    plate = dip_curve(solid)
    together = combined([(1.0, whole), (-share, plate)])
    for level in np.linspace(whole.low_mm, whole.high_mm, 37):
        clipped = min(max(level, plate.low_mm), plate.high_mm)
        assert together.at(level) == pytest.approx(whole.at(level) - share * plate.at(clipped), abs=1e-3)


def test_only_what_fills_the_box_round_it_is_square_to_it():
    shell = box(600, 500, 400, jog=Jog(end="rear", length_mm=200, rise_mm=90)).shell()
    shapes = {face.id: panels_of(face, ()) for face in shell.faces}
    assert [p.rectangular for p in shapes["top"]] == [True]
    assert not any(p.rectangular and p.area == pytest.approx(600 * 400) for p in shapes["left end"])
    away = [panels_of(replace(face, loop=face.loop + np.array([0.0, 0.0, 700.0])), ()) for face in shell.faces]
    assert [[(p.short_mm, p.rectangular) for p in found] for found in away] == [
        [(p.short_mm, p.rectangular) for p in found] for found in shapes.values()
    ]


def test_the_section_of_a_baffle_has_its_arcs_on_the_side_they_turn_to():
    """In closed form: a box less a half-round tunnel, an obround of two half circles."""
    tunnel = SaddleTank(
        sheet="5083/3", length_mm=600, width_mm=700, height_mm=350, tunnel="half_round",
        tunnel_width_mm=200, tunnel_height_mm=150,
    )  # fmt: skip
    assert arced_section(tunnel.shell(), "x", 300.0).area_mm2 == pytest.approx(
        700 * 350 - 200 * 50 - math.pi * 100**2 / 2
    )
    obround = RolledTank(sheet="5083/3", length_mm=700, section="obround", width_mm=500, height_mm=300)
    assert arced_section(obround.shell(), "x", 300.0).area_mm2 == pytest.approx(200 * 300 + math.pi * 150**2)
