"""Sheet and fluid tables."""

import pytest

from bathyx.core.material import SheetError, fluid, fluids, materials, parse_sheet, sheet

WANTED = {"5052", "5083", "1050", "304", "316", "s235", "pp"}


def test_the_sheets_a_maker_asks_for_are_there():
    assert set(materials()) >= WANTED
    assert set(fluids()) >= {"petrol", "petrol_ethanol", "diesel", "hydraulic", "coolant", "fresh_water", "grey_water"}


@pytest.mark.parametrize("key", sorted(WANTED))
def test_every_row_is_physical(key):
    m = materials()[key]
    assert m.thicknesses == tuple(sorted(m.thicknesses))
    assert 0 < m.yield_weld <= m.yield_delivered < m.modulus / 20
    assert 0.33 <= m.k_factor <= 0.5
    assert 0.25 < m.poisson < 0.45
    assert 800 < m.density < 9000
    assert all(w <= h for w, h in m.stock)


def test_a_weld_takes_strength_from_hardened_aluminium_but_not_from_steel():
    assert materials()["5052"].yield_weld < 0.5 * materials()["5052"].yield_delivered
    assert materials()["s235"].yield_weld == materials()["s235"].yield_delivered


def test_a_square_metre_of_3_mm_5083_weighs_8_kg():
    assert sheet("5083/3").mass_kg(1e6) == pytest.approx(7.98)


@pytest.mark.parametrize(
    ("name", "says"), [("gold/3", "5052, 5083"), ("5083", "5083/3"), ("5083/x", "5083/3"), ("304/7", "not stocked")]
)
def test_an_unknown_sheet_says_what_there_is(name, says):
    with pytest.raises(SheetError, match=says):
        parse_sheet(name)


def test_an_unknown_fluid_says_what_there_is():
    with pytest.raises(ValueError, match="diesel"):
        fluid("honey")


def test_every_no_and_every_care_says_why():
    groups = {m.group for m in materials().values()}
    for f in fluids().values():
        assert set(f.suits) == groups
        for group, verdict in f.suits.items():
            assert verdict in ("yes", "care", "no")
            assert verdict == "yes" or f.why[group], (f.key, group)
