"""Capacity, dip curves, tilt and weight, against hand arithmetic and laws."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.geometry import Point, Polygon
from shapely.geometry import box as rectangle

from bathyx.core.evaluate import evaluate
from bathyx.core.geometry.clip import centroid_below
from bathyx.core.geometry.dip import LevelError, dip_curve, volume_below
from bathyx.core.geometry.shell import turned
from bathyx.core.inside.fittings import usual
from bathyx.core.inside.inside import Inside
from bathyx.core.tank.attitude import attitude
from bathyx.core.tank.profile import Jog
from tests.conftest import box, job_with

PICKUP = Inside(fittings=(usual("pickup", "feed", "top", 150, 200),))


def test_net_is_gross_less_plate_less_tube_less_bend_rounding():
    r = evaluate(job_with(box(width=600), makeup__school="two_l", inside=PICKUP)).results
    rounding = 2 * (3.0**2 * (1 - math.pi / 4)) * 600
    tube = math.pi / 4 * (14**2 - 11**2) * (200 - 12)  # the wall of 1.5 mm; the bore is full of fluid
    metal = sum(p.metal_mm2 for p in r.plates) * 3
    assert r.capacity.net.value == pytest.approx((300 * 600 * 200 - rounding - tube - metal) / 1e6, rel=2e-6)


def test_a_reflex_bend_gives_some_volume_back():
    job = job_with(box(jog=Jog(end="rear", length_mm=80, rise_mm=60)), makeup__school="wrap")
    r = evaluate(job).results
    inside = 5 * 3.0**2 * (1 - math.pi / 4)
    outside = 6.0**2 * (1 - math.pi / 4)
    metal = sum(p.metal_mm2 for p in r.plates) * 3
    # six corners of the profile: five inside (the seam one stays sharp), one reflex
    bends = sum(len(b.bends) for b in r.blanks)
    assert bends == 5
    expected = r.shell.volume_mm3 - (inside / 5 * 4 - outside) * 400 - metal
    assert r.capacity.net.value * 1e6 == pytest.approx(expected, rel=1e-6)


def test_usable_leaves_the_air_space_and_what_is_under_the_inlet():
    r = evaluate(job_with(inside=PICKUP, inside__baffles__by_rule=False)).results.capacity
    assert r.air_l == pytest.approx(0.05 * r.net.value)
    assert r.unusable_l == pytest.approx(300 * 400 * 12 / 1e6, rel=1e-3)
    assert r.usable.value == pytest.approx(r.net.value - r.air_l - r.unusable_l)


def test_on_a_slope_the_wedge_in_the_low_end_stays_behind():
    edits = {"inside": PICKUP, "brief__slope_deg": 10.0, "brief__braking_g": 0.0, "inside__baffles__by_rule": False}
    r = evaluate(job_with(**edits)).results.capacity
    # The surface through the inlet (mid length, 12 up) meets the low wall 12 + 150 tan 10 up: a triangle in section.
    up = 12 + 150 * math.tan(math.radians(10))
    wedge = up * (up / math.tan(math.radians(10))) / 2 * 400 / 1e6
    assert r.unusable_tilted_l == pytest.approx(wedge, rel=2e-3)


def test_braking_tilts_like_a_slope():
    still = evaluate(job_with(inside=PICKUP, brief__slope_deg=math.degrees(math.atan(0.4)), brief__braking_g=0.0))
    braking = evaluate(job_with(inside=PICKUP, brief__slope_deg=0.0, brief__braking_g=0.4))
    assert still.results.capacity.unusable_tilted_l == pytest.approx(braking.results.capacity.unusable_tilted_l)


@settings(max_examples=25, deadline=None)
@given(st.floats(-40, 40), st.floats(-40, 40), st.integers(0, 10_000))
def test_a_dip_curve_rises_and_its_inverse_comes_back(trim, heel, seed):
    shell = box(jog=Jog(end="rear", length_mm=80, rise_mm=60, run_mm=seed % 30)).shell()
    half = turned(shell.half_edges, attitude(trim, heel))
    curve = dip_curve(half)
    levels = np.sort(np.random.default_rng(seed).uniform(curve.low_mm, curve.high_mm, 40))
    volumes = curve.at(levels)
    assert np.all(np.diff(volumes) >= -1e-6)
    assert curve.full_mm3 == pytest.approx(shell.volume_mm3, rel=1e-9)
    wet = (volumes > 1e-6 * curve.full_mm3) & (volumes < (1 - 1e-6) * curve.full_mm3)
    assert curve.level_for(volumes)[wet] == pytest.approx(levels[wet], abs=1e-6)
    assert volume_below(half, float(levels[20])) == pytest.approx(float(volumes[20]), abs=1e-6 * curve.full_mm3)


def test_more_than_full_is_refused():
    curve = dip_curve(box().shell().half_edges)
    with pytest.raises(LevelError, match="holds 0 to 24"):
        curve.level_for(25e6)


def test_dry_weight_is_the_sheet_that_is_cut():
    r = evaluate(job_with(inside__baffles__by_rule=False)).results
    area = 2 * (300 * 400 + 300 * 200 + 400 * 200)
    weld = 4 * (300 + 400 + 200) * 3**2 / 2  # half a square of sheet along each edge
    assert r.weight.dry.value == pytest.approx((area * 3 + weld) * 1e-9 * 2660, rel=1e-9)
    assert r.weight.full.value == pytest.approx(r.weight.dry.value + r.capacity.fill_l * 0.835)
    assert r.weight.centre_dry == pytest.approx([150, 200, 100])


def test_a_seam_on_the_flat_does_not_weigh_the_top_twice():
    plain = {"inside__baffles__by_rule": False, "inside__fittings": []}
    cube = box(500, 500, 500)
    split = evaluate(job_with(cube, makeup__school="perimeter", makeup__joint="lap", **plain)).results.weight
    plates = evaluate(job_with(cube, **plain)).results.weight
    assert split.centre_dry[2] == pytest.approx(250, abs=1.0)
    assert split.centre_dry == pytest.approx(plates.centre_dry, abs=1.5)


def test_a_baffle_weighs_at_the_centre_of_its_metal():
    tank = box(600, 400, 300, jog=Jog(end="rear", length_mm=250, rise_mm=150))
    edits = {"inside__baffles__by_rule": False, "inside__fittings": []}
    with_one = evaluate(job_with(tank, inside__baffles__by_hand=[{"axis": "y", "at_mm": 200.0}], **edits)).results
    without = evaluate(job_with(tank, **edits)).results
    plate = with_one.plates[0]
    metal = Polygon(plate.outline.faceted)
    for x, z, d in plate.holes:
        metal = metal.difference(Point(x, z).buffer(d / 2, 256))
    a, b = with_one.weight, without.weight
    added = (a.centre_dry * a.dry.value - b.centre_dry * b.dry.value) / (a.dry.value - b.dry.value)
    assert added == pytest.approx([metal.centroid.x, 200, metal.centroid.y], abs=0.2)


def test_a_half_full_tank_has_its_centre_where_the_fluid_is():
    half = evaluate(job_with(box(500, 500, 500), inside__baffles__by_rule=False, brief__air_space_share=0.5)).results
    assert half.weight.centre_contents == pytest.approx([250, 250, 125], abs=0.01)


def test_fluid_below_a_level_has_the_centroid_of_its_section():
    tank = box(500, 400, 300, jog=Jog(end="rear", length_mm=200, rise_mm=80, run_mm=30))
    volume, centre = centroid_below(tank.shell().triangles, 170.0)
    wet = Polygon([(x, z) for _, x, z in tank.profile()]).intersection(rectangle(-1, -1, 501, 170))
    assert volume == pytest.approx(wet.area * 400, rel=1e-12)
    assert centre == pytest.approx([wet.centroid.x, 200, wet.centroid.y], rel=1e-12)


def test_weld_rings_and_what_is_screwed_in_weigh_something():
    bare = evaluate(job_with(inside__baffles__by_rule=False, inside__fittings=[])).results.weight.dry.value
    fitted = evaluate(job_with(inside=PICKUP, inside__baffles__by_rule=False)).results.weight.dry.value
    ring = math.pi / 4 * (36**2 - 14**2) * 6 * 2660e-9
    hole = math.pi / 4 * 14**2 * 3 * 2660e-9
    tube = math.pi / 4 * (14**2 - 11**2) * 188 * 2660e-9
    assert fitted - bare == pytest.approx(ring - hole + tube + 0.1, rel=1e-6)
    both = evaluate(job_with(inside__baffles__by_rule=False, inside__fittings=[], makeup__both_sides=True))
    assert both.results.weight.dry.value - bare == pytest.approx(4 * 900 * 9 / 2 * 2660e-9, rel=1e-6)


def test_a_weld_is_as_thick_as_the_thinner_of_its_panels():
    """A floor of 6 mm under walls of 3: its own plate weighs twice, and no bead grows by it. Walls of 2 thin the beads, by hand."""
    plain = job_with(box(), inside__baffles__by_rule=False, inside__fittings=[])
    thick = plain.edited("makeup.panels", [{"face": "bottom", "thickness_mm": 6.0}])
    a, b = evaluate(plain).results, evaluate(thick).results
    plates = [sum(x.area_mm2 * x.thickness_mm for x in r.blanks) * 1e-9 * 2660 for r in (a, b)]
    assert b.weight.dry.value - a.weight.dry.value == pytest.approx(plates[1] - plates[0], abs=1e-6)
    thin = plain.edited("makeup.panels", [{"face": "front", "thickness_mm": 2.0}])
    c = evaluate(thin).results
    plates = [sum(x.area_mm2 * x.thickness_mm for x in r.blanks) * 1e-9 * 2660 for r in (a, c)]
    beads = (
        sum(s.length_mm for s in c.seams if any("front" in (e.a, e.b) for e in s.edges))
        * (3**2 - 2**2)
        / 2
        * 1e-9
        * 2660
    )
    assert a.weight.dry.value - c.weight.dry.value == pytest.approx(plates[0] - plates[1] + beads, rel=1e-3)
