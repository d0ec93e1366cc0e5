"""Fluid rows against CoolProp, a general property library."""

import pytest
from CoolProp.CoolProp import PropsSI

from bathyx.core.material import fluid


@pytest.mark.parametrize(
    ("key", "name", "tolerance"), [("fresh_water", "Water", 0.001), ("coolant", "INCOMP::MEG[0.5]", 0.01)]
)
def test_density_at_15_degrees(key, name, tolerance):
    assert fluid(key).density == pytest.approx(PropsSI("D", "T", 288.15, "P", 101325, name), rel=tolerance)


def test_water_swells_as_its_row_says_at_20_degrees():
    low, high = (PropsSI("D", "T", t, "P", 101325, "Water") for t in (292.15, 294.15))
    assert fluid("fresh_water").expansion == pytest.approx((low - high) / low / 2, rel=0.05)


@pytest.mark.parametrize(("key", "name"), [("fresh_water", "Water"), ("coolant", "INCOMP::MEG[0.5]")])
@pytest.mark.parametrize("warm", [20.0, 40.0, 70.0])
def test_swelling_over_the_whole_range_is_that_of_the_densities(key, name, warm):
    """Water at 20 degC swells at half the rate it has at 50: one figure for all will not do."""
    cold, hot = (PropsSI("D", "T", t, "P", 300000, name) for t in (288.15, 288.15 + warm))
    assert fluid(key).swell(warm) == pytest.approx(cold / hot - 1, rel=0.1, abs=0.0004)
