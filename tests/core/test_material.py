"""Sheet and fluid tables."""

import pytest

from bathyx.core.material import SheetError, fitting_metals, fluid, fluids, materials, parse_sheet, sheet

WANTED = {"5052", "5083", "1050", "3003", "304", "316", "s235", "pp", "pehd"}


def test_the_sheets_a_maker_asks_for_are_there():
    assert set(materials()) >= WANTED
    assert set(fluids()) >= {
        "petrol",
        "petrol_ethanol",
        "diesel",
        "hydraulic",
        "coolant",
        "fresh_water",
        "grey_water",
        "e85",
        "biodiesel",
    }
    assert set(fluids()) >= {"urea", "engine_oil", "jet", "black_water"}


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


@pytest.mark.parametrize(
    ("name", "weld", "away", "radius"),
    [("5083/3", 125, 125, 3.0), ("5083/6", 125, 125, 9.0), ("5083/8", 115, 115, 20.0), ("5052/3", 65, 160, 4.5),
     ("1050/1", 20, 85, 0.5), ("1050/3", 20, 85, 3.0)],
)  # fmt: skip
def test_yield_and_bend_radius_follow_the_thickness(name, weld, away, radius):
    """EN 485-2, 5083 O/H111 and 1050A H14; ASTM B209 5052-H32 minimum; Aluminum Association radii: all from memory."""
    s = sheet(name)
    assert s.material.yield_at(s.thickness_mm, weld=True) == weld
    assert s.material.yield_at(s.thickness_mm, weld=False) == away
    assert s.bend_radius_mm == pytest.approx(radius)


def test_what_fittings_must_not_touch():
    metals = fitting_metals()
    assert metals["brass"].sheets["stainless"][0] == "no"
    assert metals["galvanised"].fluids["urea"][0] == "no"
    assert all(verdict in ("no", "care") and why for m in metals.values() for verdict, why in m.sheets.values())
    assert {key for m in metals.values() for key in m.fluids} <= set(fluids())
