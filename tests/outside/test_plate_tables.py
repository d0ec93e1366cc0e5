"""Plate coefficients against printed tables.

Timoshenko & Woinowsky-Krieger, Theory of Plates and Shells, 2nd ed., table 8 (simply supported, nu 0.3) and table 35
(clamped, nu 0.3), from memory. Roark, Formulas for Stress and Strain, large deflection of a square plate, held and
fixed, nu 0.316, from memory.
"""

import pytest

from bathyx.core.strength.plate import clamped, panel, simply_supported

TABLE_8 = [
    (1.0, 0.00406, 0.0479),
    (1.2, 0.00564, 0.0627),
    (1.5, 0.00772, 0.0812),
    (2.0, 0.01013, 0.1017),
    (3.0, 0.01223, 0.1189),
    (4.0, 0.01282, 0.1235),
]
TABLE_35 = [(1.0, 0.00126, 0.0513), (1.2, 0.00172, 0.0639), (1.5, 0.00220, 0.0757), (2.0, 0.00254, 0.0829)]
ROARK = [
    (12.5, 0.165, 3.80),
    (25, 0.32, 6.90),
    (50, 0.59, 14.70),
    (75, 0.80, 21.0),
    (100, 0.95, 26.5),
    (250, 1.54, 53.5),
]


@pytest.mark.parametrize(("aspect", "alpha", "moment"), TABLE_8)
def test_simply_supported_is_table_8(aspect, alpha, moment):
    k = simply_supported(aspect)
    assert k.alpha == pytest.approx(alpha, rel=0.003)
    assert k.beta / 6 == pytest.approx(moment, rel=0.003)


@pytest.mark.parametrize(("aspect", "alpha", "moment"), TABLE_35)
def test_clamped_is_table_35(aspect, alpha, moment):
    k = clamped(aspect)
    assert k.alpha == pytest.approx(alpha, rel=0.01)
    assert k.beta / 6 == pytest.approx(moment, rel=0.01)


def test_a_long_clamped_plate_bends_like_a_strip():
    """A clamped strip: w = q a^4 / 384 D, edge moment q a^2 / 12 (beam theory)."""
    k = clamped(4.0)
    assert k.alpha == pytest.approx(1 / 384, rel=0.01)
    assert k.beta / 6 == pytest.approx(1 / 12, rel=0.01)


@pytest.mark.parametrize(("load", "bulge", "stress"), ROARK)
def test_the_large_bulge_of_a_held_square_is_roarks(load, bulge, stress):
    """q a^4 / E t^4 against w / t and sigma a^2 / E t^2. The stress is partly fitted to this table, the bulge is not."""
    a, t, e = 100.0, 1.0, 1000.0
    result = panel(a, a, t, load * e * t**4 / a**4 * 1000, e, 0.316)
    assert result.bulge_mm / t == pytest.approx(bulge, rel=0.05)
    assert result.stress_mpa * a**2 / (e * t**2) == pytest.approx(stress, rel=0.12)
