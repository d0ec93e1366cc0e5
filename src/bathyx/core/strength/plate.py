"""Rectangular plates under uniform pressure, small deflection: simply supported and clamped, with computed coefficients.

Coefficients are computed, not looked up: Navier's double series for simple supports, a Ritz solution for clamped
edges. Sides a <= b in mm, pressure q in MPa, D = E t^3 / 12(1 - nu^2).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.polynomial import legendre

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Array
from bathyx.errors import Refusal

SMALL = formula(
    "strength.plate",
    "Rectangular plate, small deflection",
    "w = α q a⁴ / D, σ = β q a² / t²",
    source="Timoshenko & Woinowsky-Krieger, Theory of Plates and Shells, art. 30 (simple supports) and art. 44 (clamped)",
    valid="w up to t/2; beyond that the plate also stretches",
    check="tests/outside/test_plate_tables.py, tables 8 and 35",
    tolerance="coefficients within 1 % of the printed tables",
)
TERMS, POINTS = 5, 16


class PlateError(Refusal):
    """Sides or thickness that make no plate."""


@dataclass(frozen=True)
class PlateCoefficients:
    """alpha, beta of w = alpha q a^4/D and sigma = beta q a^2/t^2."""

    alpha: float
    beta: float


@lru_cache(maxsize=256)
def simply_supported(aspect: float, poisson: float = 0.3) -> PlateCoefficients:
    """Navier's double series for b/a = `aspect` >= 1, terms to 199: largest deflection and moment, both mid-plate."""
    _refuse(aspect)
    odd = np.arange(1, 200, 2)
    m, n = odd[:, None], odd[None, :]
    sign = np.where(((m + n) // 2 - 1) % 2 == 0, 1.0, -1.0)
    spread = m**2 + (n / aspect) ** 2
    alpha = 16 / np.pi**6 * (sign / (m * n * spread**2)).sum()
    moment = 16 / np.pi**4 * (sign * (m**2 + poisson * (n / aspect) ** 2) / (m * n * spread**2)).sum()
    return PlateCoefficients(float(alpha), 6 * float(moment))


@lru_cache(maxsize=256)
def clamped(aspect: float) -> PlateCoefficients:
    """Ritz with (1-x^2)^2 (1-y^2)^2 times even Legendre products for b/a = `aspect` >= 1; stress is at the long edge."""
    _refuse(aspect)
    x, weight = legendre.leggauss(POINTS)
    shapes = [
        legendre.legmul(legendre.poly2leg([1.0, 0.0, -2.0, 0.0, 1.0]), [0.0] * (2 * k) + [1.0]) for k in range(TERMS)
    ]

    def at(where: Array, order: int) -> Array:
        return np.array([legendre.legval(where, legendre.legder(s, order) if order else s) for s in shapes])

    # Half sides 1/2 and aspect/2 in units of a: d/dX = 2 d/dx, d/dY = 2/aspect d/dy.
    sx, sy = 2.0, 2.0 / aspect
    measure = np.multiply.outer(weight, weight).ravel() * aspect / 4
    laplace = _grid(at(x, 2) * sx**2, at(x, 0)) + _grid(at(x, 0), at(x, 2) * sy**2)
    c = np.linalg.solve((laplace * measure) @ laplace.T, _grid(at(x, 0), at(x, 0)) @ measure).reshape(TERMS, TERMS)
    middle, edge = at(np.zeros(1), 0)[:, 0], at(np.ones(1), 2)[:, 0]
    return PlateCoefficients(float(middle @ c @ middle), 6 * abs(float((edge * sx**2) @ c @ middle)))


def _grid(a: Array, b: Array) -> Array:
    """Products of two one-dimensional families at all points, (TERMS^2, POINTS^2)."""
    return np.asarray(np.einsum("ip,jq->ijpq", a, b).reshape(len(a) * len(b), -1))


def _refuse(aspect: float) -> None:
    if not aspect >= 1 - 1e-9:
        raise PlateError(f"aspect is long side over short side, at least 1; got {aspect:g}")
