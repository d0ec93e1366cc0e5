"""Bend allowance against Machinery's Handbook, "Bending sheet metal: length of stock", 90 degree bends (from memory).

Soft brass and copper: L = 0.55 T + 1.57 R. Half-hard brass and copper, soft steel, aluminium: L = 0.64 T + 1.57 R.
Hard copper, bronze, cold-rolled and spring steel: L = 0.71 T + 1.57 R.
"""

import math

import pytest

from bathyx.core.material import materials
from bathyx.core.sheet.bending.bend import allowance_mm


@pytest.mark.parametrize(("coefficient", "k"), [(0.55, 0.35), (0.64, 0.407), (0.71, 0.452)])
@pytest.mark.parametrize("t", [1.0, 1.6, 3.0])
@pytest.mark.parametrize("radius", [1.6, 3.2, 6.0])
def test_allowance_is_the_handbooks_for_soft_half_hard_and_hard_sheet(coefficient, k, t, radius):
    assert allowance_mm(90, radius, t, k) == pytest.approx(coefficient * t + 1.57 * radius, rel=0.005)


def test_each_metal_of_the_table_lies_between_soft_and_hard():
    for material in materials().values():
        if material.group in ("plastic", "laminate"):
            continue
        t, r = 2.0, material.bend_radius_t * 2.0
        length = allowance_mm(90, r, t, material.k_factor)
        assert 0.55 * t + 1.57 * r <= length * 1.005
        assert length <= 0.71 * t + 1.57 * r


def test_half_a_bend_takes_half_the_stock():
    assert allowance_mm(45, 3, 2, 0.4) == pytest.approx(allowance_mm(90, 3, 2, 0.4) / 2)


def test_k_of_a_half_lays_the_neutral_surface_in_the_middle():
    assert allowance_mm(180, 3, 2, 0.5) == pytest.approx(math.pi * 4)
