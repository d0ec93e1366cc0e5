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
