"""Panels between welds, and the pressure they bear."""

import pytest

from bathyx.core.inside.baffles import Baffle
from bathyx.core.material import sheet
from bathyx.core.strength.panels import TEST_STRESS_SHARE, bears_kpa, largest_panel, strength
from bathyx.core.strength.plate import PlateError, clamped, loose_bulge_mm, panel
from bathyx.core.tank.profile import Chamfer
from tests.conftest import box


def test_a_small_bulge_follows_the_small_deflection_formula():
    result = panel(200, 300, 6, 1.0, 70_000, 0.33)
    assert result.bulge_mm == pytest.approx(result.small_bulge_mm, rel=0.01)
    assert result.in_range


def test_a_thin_panel_stretches_and_bulges_less_than_bending_alone_says():
    result = panel(300, 400, 1.5, 20, 70_000, 0.33)
    assert result.bulge_mm < 0.5 * result.small_bulge_mm
    assert not result.in_range


def test_a_baffle_divides_the_panels_it_is_welded_to():
    shell = box(600, 400, 200).shell()
    whole = largest_panel(shell.by_id["top"], ())
    halved = largest_panel(shell.by_id["top"], (Baffle(axis="x", at_mm=300),))
    assert (whole, halved) == ((400, 600), (300, 400))


def test_on_a_slope_the_division_is_measured_along_the_face():
    shell = box(300, 400, 200, chamfers=(Chamfer(corner="front_top", along_mm=120, up_mm=90),)).shell()
    short, _ = largest_panel(shell.by_id["front top chamfer"], (Baffle(axis="x", at_mm=60),))
    assert short == pytest.approx(75)


def test_what_a_panel_bears_is_where_its_stress_meets_the_limit():
    stock = sheet("5052/2")
    kpa = bears_kpa(250, 350, stock)
    m = stock.material
    assert panel(250, 350, 2, kpa, m.modulus, m.poisson).stress_mpa == pytest.approx(
        TEST_STRESS_SHARE * m.yield_weld, rel=0.01
    )


def test_thicker_sheet_and_more_baffles_bear_more():
    shell = box(600, 400, 300).shell()
    thin = strength(shell, (), sheet("5083/2"), 20).bears.value
    thick = strength(shell, (), sheet("5083/4"), 20).bears.value
    held = strength(shell, (Baffle(axis="x", at_mm=300),), sheet("5083/2"), 20).bears.value
    assert thin < thick
    assert thin < held


@pytest.mark.parametrize("sides", [(0, 100, 2), (100, 100, 0)])
def test_a_panel_without_size_is_refused(sides):
    with pytest.raises(PlateError):
        panel(*sides, 10, 70_000, 0.3)


def test_an_aspect_under_one_is_refused():
    with pytest.raises(PlateError, match="long side over short"):
        clamped(0.5)


def test_edges_free_to_turn_bulge_more_and_past_half_a_thickness_say_nothing():
    loose = loose_bulge_mm(200, 300, 6, 1.0, 70_000, 0.33)
    assert loose > 3 * panel(200, 300, 6, 1.0, 70_000, 0.33).bulge_mm
    assert loose_bulge_mm(400, 400, 1.5, 20, 70_000, 0.33) is None
    stiff = strength(box().shell(), (), sheet("5083/6"), 5.0).bears
    assert "free to turn" in stiff.working
