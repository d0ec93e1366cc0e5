"""A measured filling: the curve follows it, says how far it is off, and refuses what no filling does."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bathyx.core.capacity.poured import Pouring
from bathyx.core.evaluate import evaluate
from bathyx.core.tank.hopper import HopperTank
from bathyx.core.tank.rolled import RolledTank
from bathyx.errors import Refusal
from tests.conftest import box, job_with

TANKS = {
    "box": lambda: job_with(box()),
    "lying": lambda: job_with(RolledTank(length_mm=800, diameter_mm=500, sheet="304/2"), makeup__school="rolled"),
    "hopper": lambda: job_with(
        HopperTank(
            sheet="5083/3",
            top_length_mm=500,
            top_width_mm=400,
            bottom_length_mm=300,
            bottom_width_mm=200,
            height_mm=350,
        )
    ),
}


@pytest.fixture(scope="module")
def curve():
    return evaluate(job_with()).results.capacity.curve


def litres_at(curve, level):
    return float(curve.at(curve.low_mm + level)) / 1e6


def test_the_curve_goes_through_every_row_and_keeps_its_shape_between(curve):
    rows = [(z, litres_at(curve, z) * 1.03) for z in (50.0, 120.0, 170.0)]
    held = Pouring.of(rows[::-1]).held_against(curve)
    for level, poured in rows:
        assert litres_at(held.curve, level) == pytest.approx(poured, rel=1e-9)
        assert float(held.curve.level_for(poured * 1e6)) == pytest.approx(curve.low_mm + level, abs=1e-3)
    assert litres_at(held.curve, 0.0) == pytest.approx(0.0, abs=1e-9)
    spots = np.linspace(0, 200, 400)
    known = [litres_at(curve, z) for z in spots]
    assert [litres_at(held.curve, z) for z in spots] == pytest.approx([1.03 * v for v in known], abs=1e-6)


@settings(max_examples=60, deadline=None, derandomize=True)
@given(st.lists(st.floats(0.85, 1.15), min_size=1, max_size=6), st.sampled_from(["lying", "hopper", "box"]))
def test_a_filling_never_makes_a_curve_that_falls(shares, which):
    """Held by plain interpolation of the volumes, over round and pointed tanks that hold next to nothing near the bottom."""
    curve = evaluate(TANKS[which]()).results.capacity.curve
    high = curve.high_mm - curve.low_mm
    levels = high * np.arange(1, len(shares) + 1) / (len(shares) + 0.5)
    took = np.array([litres_at(curve, z) for z in levels]) * shares
    if (np.diff(took) <= 1e-6).any():
        return
    held = Pouring.of(list(zip(levels, took, strict=True))).held_against(curve)
    spots = np.linspace(0, high, 500)
    mine = np.array([litres_at(held.curve, z) for z in spots])
    assert (np.diff(mine) >= -1e-9).all()
    known, rows = [0, *(litres_at(curve, z) for z in levels)], [0, *took]
    plain = np.interp([litres_at(curve, z) for z in spots[spots <= levels[-1]]], known, rows)
    assert mine[spots <= levels[-1]] == pytest.approx(plain, abs=1e-5)


def test_it_says_how_far_the_filling_is_off(curve):
    exact = Pouring.of([(100.0, litres_at(curve, 100.0))]).held_against(curve)
    assert not exact.far
    assert "bears the calculation out" in exact.words
    off = Pouring.of([(100.0, litres_at(curve, 100.0) + 1.2), (150.0, litres_at(curve, 150.0) + 0.1)]).held_against(
        curve
    )
    assert off.far
    assert off.worst == 0
    assert "(+" in off.words
    assert off.more_l == pytest.approx((1.2, 0.1))


def test_a_tank_calculated_at_45_gallons_took_45(curve):
    """Common practice: a bow tank calculated at 45 US gal took exactly 45: a filling within a tenth of a gallon bears it out."""
    full = curve.full_mm3 / 1e6
    held = Pouring.of([(curve.high_mm - curve.low_mm, full * (1 + 0.1 / 45))]).held_against(curve)
    assert not held.far


@pytest.mark.parametrize(
    ("rows", "words"),
    [
        ([], "1 to 200 rows"),
        ([(50, 6), (50, 7)], "do not rise"),
        ([(50, 6), (60, 5)], "do not rise"),
        ([(-1, 6)], "above nothing"),
        ([(50, float("nan"))], "above nothing"),
        ([(900, 60)], "above the top"),
    ],
)
def test_what_no_filling_does_is_refused(curve, rows, words):
    with pytest.raises(Refusal, match=words):
        Pouring.of(rows).held_against(curve)
