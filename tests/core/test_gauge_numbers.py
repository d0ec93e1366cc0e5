"""Gauge numbers against the tables that yards print: decimal inches to four places."""

import pytest

from bathyx.core.material import Sheet, materials
from bathyx.core.material.gauge_numbers import IN_640THS, SHARE, gauge_number
from bathyx.core.units import Family

# Manufacturers' Standard Gauge (steel) and US Standard Gauge (stainless), inches; handbook tables, from memory.
STEEL = {
    7: 0.1793, 8: 0.1644, 9: 0.1495, 10: 0.1345, 11: 0.1196, 12: 0.1046, 13: 0.0897, 14: 0.0747, 16: 0.0598, 18: 0.0478, 20: 0.0359,
}  # fmt: skip
STAINLESS = {
    7: 0.1875, 10: 0.1406, 11: 0.1250, 12: 0.1094, 14: 0.0781, 16: 0.0625, 18: 0.0500, 20: 0.0375, 24: 0.0250,
}  # fmt: skip


@pytest.mark.parametrize(("group", "table"), [("steel", STEEL), ("stainless", STAINLESS)])
def test_a_gauge_is_as_thick_as_the_handbooks_say(group, table):
    for number, inches in table.items():
        assert SHARE[group] * IN_640THS[number] / 640 == pytest.approx(inches, abs=1e-4)
        assert gauge_number(group, inches * 25.4) == number


def test_only_what_is_near_a_gauge_has_one_and_only_in_inches():
    of = materials()
    assert Sheet(of["s235"], 3.0).shown(Family.US) == f'0.118" (11 ga) {of["s235"].name}'
    assert Sheet(of["s235"], 3.0).shown(Family.METRIC) == f"3 mm {of['s235'].name}"
    assert gauge_number(of["304"].group, 2.0) == 14
    assert gauge_number(of["s235"].group, 2.0) is None  # 14 ga is 1.90, 5 % less
    assert gauge_number(of["5083"].group, 3.0) is None
