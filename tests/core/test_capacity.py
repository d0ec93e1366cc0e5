"""Capacity, dip curves, tilt and weight, against hand arithmetic and laws."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bathyx.core.evaluate import evaluate
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
    tube = math.pi / 4 * 14**2 * (200 - 12)
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
    assert r.weight.dry.value == pytest.approx(area * 3e-9 * 2660, rel=1e-9)
    assert r.weight.full.value == pytest.approx(r.weight.dry.value + r.capacity.fill_l * 0.835)
    assert r.weight.centre_dry == pytest.approx([150, 200, 100])
