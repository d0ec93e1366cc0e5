"""Piecewise polynomials against SciPy's PPoly."""

import numpy as np
import pytest
from scipy.interpolate import PPoly

from bathyx.core.geometry.pieces import Pieces


@pytest.mark.parametrize("degree", [0, 1, 2, 3])
@pytest.mark.parametrize("count", [1, 2, 17])
def test_values_slopes_and_integrals_are_scipys(degree, count):
    rng = np.random.default_rng(degree * 10 + count)
    x = np.cumsum(rng.uniform(0.1, 5, count + 1))
    c = rng.normal(size=(degree + 1, count))
    mine, theirs = Pieces(c, x), PPoly(c, x)
    z = np.concatenate([x, rng.uniform(x[0], x[-1], 200)])
    assert mine(z) == pytest.approx(theirs(z), rel=1e-12, abs=1e-12)
    assert mine.antiderivative()(z) == pytest.approx(theirs.antiderivative()(z), rel=1e-11, abs=1e-11)
    if degree:
        assert mine.derivative()(z) == pytest.approx(theirs.derivative()(z), rel=1e-11, abs=1e-11)
    assert float(mine(float(z[3]))) == pytest.approx(float(theirs(z[3])))


def test_beyond_its_breaks_the_outermost_piece_goes_on():
    line = Pieces(np.array([[2.0], [1.0]]), np.array([0.0, 1.0]))
    assert line(np.array([[-1.0, 2.0]])).tolist() == [[-1.0, 5.0]]
