"""Figures that makers carry in their heads. Each is common practice."""

import pytest

from bathyx.core.evaluate import evaluate
from bathyx.core.material import fluid, sheet
from bathyx.core.units import Family, show
from tests.conftest import box, job_with

GAL = 3.785411784


def test_a_thirty_inch_cube_holds_116_9_us_gallons():
    """Common practice: 30 x 30 x 30 in over 231 is 116.9 US gal; 116.88 to two places."""
    gross = evaluate(job_with(box(762, 762, 762))).results.capacity.gross.value
    assert show(gross, "volume", Family.US) == "116.88 US gal"
    assert gross == pytest.approx(27_000 / 231 * GAL, rel=1e-9)


def test_a_100_mm_box_section_220_long_holds_about_1_9_litres():
    """Common practice: 100 x 100 mm with 3 mm walls, 220 mm long."""
    gross = evaluate(job_with(box(94, 220, 94, sheet="s235/3"))).results.capacity.gross.value
    assert gross == pytest.approx(1.94, abs=0.005)


def test_shortening_a_27_gallon_tank_by_six_inches_that_costs_5_gallons():
    """Common practice: 27 US gal less 6 in of length lost 5 US gal, so its section was about 193 sq in."""
    area = 5 * 231 / 6 * 25.4**2
    length = 27 * GAL * 1e6 / area
    tank = box(length, area / 300, 300)
    loss = tank.shell().volume_mm3 - box(length - 6 * 25.4, area / 300, 300).shell().volume_mm3
    assert loss / 1e6 / GAL == pytest.approx(5.0)


def test_about_5_percent_air_space_is_the_default_and_enough_for_diesel_warmed_by_40_k():
    job = job_with()
    assert job.brief.air_space_share == 0.05
    assert fluid("diesel").expansion * 40 < 0.05


def test_thin_skins_come_in_the_thicknesses_that_makers_use():
    """Common practice: 1.5 to 3 mm aluminium, 1050 in 1.6 mm, steel 2.5 to 6 mm, polypropylene 4.5 to 6 mm."""
    for name in (
        "5052/1.5",
        "5083/2",
        "5083/3",
        "1050/1.6",
        "s235/2.5",
        "s235/6",
        "pp/4.5",
        "pp/6",
        "304/1.5",
        "316/2",
    ):
        assert sheet(name).thickness_mm > 0


def test_what_does_not_do():
    """Common practice: mild steel rusts with water; petrol and welded polypropylene do not go together."""
    assert fluid("fresh_water").suits["steel"] == "no"
    assert fluid("petrol").suits["plastic"] == "no"
    assert fluid("diesel").suits["aluminium"] == "yes"
