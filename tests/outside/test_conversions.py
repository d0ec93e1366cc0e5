"""Conversion factors against their definitions: NIST Handbook 44 appendix C and the 1959 yard and pound agreement."""

import pytest

from bathyx.core.units import Family, parse_quantity, unit_of

INCH, POUND, G = 25.4, 0.45359237, 9.80665


@pytest.mark.parametrize(
    ("kind", "expected"),
    [
        ("volume", 231 * INCH**3 / 1e6),
        ("mass", POUND),
        ("pressure", POUND * G / INCH**2 * 1000),
        ("length", INCH),
        ("stress", POUND * G / INCH**2 * 1000),
        ("area", (12 * INCH) ** 2),
        ("weld", 12 * INCH),
        ("energy", POUND * G * 12 * INCH / 1000),
        ("leak", INCH**3 / 1000),
    ],
)
def test_the_us_unit_is_its_definition(kind, expected):
    assert unit_of(kind, Family.US).size == pytest.approx(expected, rel=1e-12)


def test_an_imperial_gallon_is_ten_pounds_of_water_by_act():
    """UK Weights and Measures Act 1985: 4.546 09 L."""
    assert parse_quantity("1 imp gal", "volume") == 4.54609


def test_a_bar_is_a_hundred_kilopascals():
    assert parse_quantity("1 bar", "pressure") == 100
