"""Plate coefficients against printed tables.

Timoshenko & Woinowsky-Krieger, Theory of Plates and Shells, 2nd ed., table 8 (simply supported, nu 0.3) and table 35
(clamped, nu 0.3), from memory. S. Levy, Square plate with clamped edges under normal pressure producing large
deflections, NACA TN 847 (1942), from memory. Roark, Formulas for Stress and Strain, large deflection of a square plate,
held and fixed, nu 0.316, from memory.
"""

import csv
import math
from importlib.resources import files

import numpy as np
import pytest

from bathyx.core.strength.large import respond
from bathyx.core.strength.plate import clamped, simply_supported
from bathyx.core.strength.ritz import solve
from bathyx.core.strength.shapes import equal_scale

TABLE_8 = [
    (1.0, 0.00406, 0.0479),
    (1.2, 0.00564, 0.0627),
    (1.5, 0.00772, 0.0812),
    (2.0, 0.01013, 0.1017),
    (3.0, 0.01223, 0.1189),
    (4.0, 0.01282, 0.1235),
]
TABLE_35 = [(1.0, 0.00126, 0.0513), (1.2, 0.00172, 0.0639), (1.5, 0.00220, 0.0757), (2.0, 0.00254, 0.0829)]
LEVY = [(17.79, 0.237), (38.3, 0.471), (63.4, 0.695), (95.0, 0.912), (134.9, 1.121), (184.0, 1.323), (402.0, 1.902)]
ROARK_STRESS = [(12.5, 3.80), (50, 14.70), (75, 21.0), (100, 26.5), (250, 53.5)]


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


def at(load, aspect=1.0, edges="held", poisson=0.316):
    """A plate of side 100 and thickness 1 at Q = q a^4 / E t^4: (bulge / t, edge stress in E t^2 / a^2)."""
    r = respond(100.0, 100.0 * aspect, 1.0, load * 1e-5 * 1000, 1000.0, poisson, edges)
    return r.bulge_mm, r.edge_mpa / 0.1


@pytest.mark.parametrize(("load", "bulge"), LEVY)
def test_the_large_bulge_of_a_held_square_is_levys(load, bulge):
    assert at(load)[0] == pytest.approx(bulge, rel=0.03)


@pytest.mark.parametrize(("load", "stress"), ROARK_STRESS)
def test_its_edge_stress_is_roarks(load, stress):
    assert at(load)[1] == pytest.approx(stress, rel=0.06)


def test_small_loads_are_the_clamped_plates_in_both_bounds():
    for edges in ("held", "pulled"):
        for aspect in (1.0, 1.5, 2.0):
            k = clamped(aspect)
            bulge, stress = at(0.2, aspect, edges, 0.3)
            assert bulge == pytest.approx(12 * (1 - 0.09) * k.alpha * 0.2, rel=0.01)
            assert stress == pytest.approx(k.beta * 0.2, rel=0.01)


def test_a_long_strip_that_pulls_in_stays_a_beam():
    """Cylindrical bending without a pull in the plane: w = q a^4 / 384 D however large (beam theory)."""
    load = 30.0
    answer = solve(12.0, 0.3, [load], held=False)[0]
    assert answer.bulge == pytest.approx(12 * (1 - 0.09) * load / 384, rel=0.04)


def test_a_held_strip_stretches_as_timoshenko_says():
    """Built-in strip, Timoshenko art. 3: u from E^2 h^8/((1-nu^2)^2 q^2 l^8) = U1(u), then w from f1(u)."""
    from scipy.optimize import brentq

    q, nu = 200.0, 0.3

    def u1(u):
        return (
            -81 / (16 * u**7 * math.tanh(u)) - 27 / (16 * u**6 * math.sinh(u) ** 2) + 27 / (4 * u**8) + 9 / (8 * u**6)
        )

    u = brentq(lambda u: u1(u) - 1 / ((1 - nu**2) ** 2 * q**2), 0.2, 30)
    f1 = 24 / u**4 * (u**2 / 2 + u / math.sinh(u) - u / math.tanh(u))
    bulge = f1 * 12 * (1 - nu**2) * q / 384
    assert at(q, 4.0, "held", 0.3)[0] == pytest.approx(bulge, rel=0.03)


def test_the_shipped_table_is_what_the_ritz_solution_says():
    rows = list(csv.DictReader(files("bathyx.core.strength").joinpath("large_deflection.csv").read_text().splitlines()))
    for edges in ("held", "pulled"):
        mine = [r for r in rows if (r["edges"], r["poisson"], r["aspect"]) == (edges, "0.3", "1.5")]
        answers = solve(1.5, 0.3, [float(r["load"]) for r in mine[:18]], edges == "held")
        for row, answer in zip(mine[:18:6], answers[::6], strict=True):
            assert float(row["bulge"]) == pytest.approx(answer.bulge, rel=1e-4)
            assert float(row["edge_stress"]) == pytest.approx(answer.edge_stress, rel=1e-4)


def test_a_clamped_circle_bulges_as_timoshenko_says():
    """q a^4 / 64 D with the radius a; the square round it 0.00126 q (2a)^4 / D: a scale of (1/64 / 0.02016)^(1/4)."""
    turn = np.linspace(0, 2 * np.pi, 60, endpoint=False)
    points = tuple((round(float(100 + 100 * np.cos(a)), 1), round(float(100 + 100 * np.sin(a)), 1)) for a in turn)
    assert equal_scale(points) == pytest.approx((1 / 64 / (0.00126 * 16)) ** 0.25, rel=0.025)


def test_a_clamped_triangle_and_an_l_are_stiffer_than_the_rectangle_round_them():
    """A right triangle of equal legs a, clamped: about 0.00016 q a^4 / D (small-deflection tables, from memory, 15 %)."""
    scale = equal_scale(((0.0, 0.0), (200.0, 0.0), (0.0, 200.0)))
    assert 0.00126 * scale**4 == pytest.approx(0.00016, rel=0.3)
    wide = equal_scale(((0.0, 0.0), (300.0, 0.0), (300.0, 100.0), (100.0, 100.0), (100.0, 300.0), (0.0, 300.0)))
    assert 100 / 300 < wide < 0.6
