"""Rectangular plates under uniform pressure: simply supported and clamped, small and large deflection.

Coefficients are computed, not looked up: Navier's double series for simple supports, a Ritz solution for clamped
edges. The large-deflection bulge takes the clamped shape and adds the stretching of a plate whose edges are held.
Sides a <= b in mm, pressure q in MPa, D = E t^3 / 12(1 - nu^2).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.polynomial import legendre

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Array

SMALL = formula(
    "strength.plate",
    "Rectangular plate, small deflection",
    "w = α q a⁴ / D, σ = β q a² / t²",
    source="Timoshenko & Woinowsky-Krieger, Theory of Plates and Shells, art. 30 (simple supports) and art. 44 (clamped)",
    valid="w up to t/2; beyond that the plate also stretches",
    check="tests/outside/test_plate_tables.py, tables 8 and 35",
    tolerance="coefficients within 1 % of the printed tables",
)
LARGE = formula(
    "strength.bulge",
    "Bulge of a clamped panel, large deflection",
    "w + γ w³/t² = α q a⁴ / D; σ = edge bending + stretch",
    source="One-shape Ritz with von Kármán strains, edges clamped and held; Roark, large deflection table (from memory)",
    valid="w up to 1.6 t and stress below yield; a real box lets its edges in a little and bulges more",
    check="tests/outside/test_plate_tables.py, square plate of Roark's table",
    tolerance="bulge 5 % on the held plate; edge stress is steepened by 1 + 0.115 (w/t)², fitted to Roark's square plate "
    "to 12 %; in a real tank −10 / +40 % (engineering estimate)",
)
TERMS, POINTS = 5, 16
LARGE_RANGE_T = 1.6
EDGE_STEEPENING = 0.115


class PlateError(ValueError):
    """Sides or thickness that make no plate."""


@dataclass(frozen=True)
class PlateCoefficients:
    """alpha, beta of w = alpha q a^4/D and sigma = beta q a^2/t^2; gamma and stretch for large deflection (clamped).

    `gamma` as in w + gamma w^3/t^2 = w_small; `stretch` as in membrane stress = stretch E w^2/a^2 at the long edge.
    """

    alpha: float
    beta: float
    gamma: float = 0.0
    stretch: float = 0.0


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
def clamped(aspect: float, poisson: float = 0.3) -> PlateCoefficients:
    """Ritz with (1-x^2)^2 (1-y^2)^2 times even Legendre products for b/a = `aspect` >= 1; stress is at the long edge."""
    _refuse(aspect)
    basis = _basis()
    f, f1, f2 = basis.clamped
    # Half sides 1/2 and aspect/2 in units of a: d/dX = 2 d/dx, d/dY = 2/aspect d/dy.
    sx, sy = 2.0, 2.0 / aspect
    measure = np.multiply.outer(basis.weight, basis.weight).ravel() * aspect / 4
    laplace = _grid(f2 * sx**2, f) + _grid(f, f2 * sy**2)
    stiffness = (laplace * measure) @ laplace.T
    c = np.linalg.solve(stiffness, _grid(f, f) @ measure)
    grid = c.reshape(TERMS, TERMS)
    alpha = float(basis.middle @ grid @ basis.middle)
    edge_moment = float((basis.edge_bend * sx**2) @ grid @ basis.middle)
    unit = c / alpha
    wx, wy = unit @ _grid(f1 * sx, f), unit @ _grid(f, f1 * sy)
    stretching, stretch = _membrane(basis, measure, wx, wy, sx, sy, poisson)
    k_bend = float(((unit @ laplace) ** 2) @ measure)
    # Per E/(1-nu^2): bending energy t^3/24 k w^2, stretching energy t M w^4; dU/dw = F gives the cubic.
    return PlateCoefficients(alpha, 6 * abs(edge_moment), 48 * stretching / k_bend, stretch)


@dataclass(frozen=True, eq=False)
class _Basis:
    """One-dimensional shapes at the Gauss points: values and derivatives, each (TERMS, POINTS)."""

    weight: Array
    clamped: tuple[Array, Array, Array]
    odd: tuple[Array, Array]
    even: tuple[Array, Array]
    middle: Array
    edge_bend: Array
    even_middle: Array
    odd_edge_slope: Array


@lru_cache(maxsize=1)
def _basis() -> _Basis:
    """Bulges (1-x^2)^2 P_2k(x); in-plane movement with held edges (1-x^2) P_k(x), k odd or even."""
    x, weight = legendre.leggauss(POINTS)
    bulge = [_times([1.0, 0.0, -2.0, 0.0, 1.0], 2 * k) for k in range(TERMS)]
    odd = [_times([1.0, 0.0, -1.0], 2 * k + 1) for k in range(TERMS)]
    even = [_times([1.0, 0.0, -1.0], 2 * k) for k in range(TERMS)]

    def at(rows: list[Array], where: Array, order: int) -> Array:
        return np.array([legendre.legval(where, legendre.legder(row, order)) for row in rows])

    zero, one = np.zeros(1), np.ones(1)
    return _Basis(
        weight,
        (at(bulge, x, 0), at(bulge, x, 1), at(bulge, x, 2)),
        (at(odd, x, 0), at(odd, x, 1)),
        (at(even, x, 0), at(even, x, 1)),
        at(bulge, zero, 0)[:, 0],
        at(bulge, one, 2)[:, 0],
        at(even, zero, 0)[:, 0],
        at(odd, one, 1)[:, 0],
    )


def _times(envelope: list[float], order: int) -> Array:
    return np.asarray(legendre.legmul(legendre.poly2leg(envelope), [0.0] * order + [1.0]))


def _grid(a: Array, b: Array) -> Array:
    """Products of two one-dimensional families at all points, (TERMS^2, POINTS^2)."""
    return np.asarray(np.einsum("ip,jq->ijpq", a, b).reshape(len(a) * len(b), -1))


def _membrane(
    basis: _Basis, measure: Array, wx: Array, wy: Array, sx: float, sy: float, nu: float
) -> tuple[float, float]:
    """(energy coefficient, edge stress coefficient) of the in-plane field that relaxes the stretch of a unit bulge."""
    (odd, odd1), (even, even1) = basis.odd, basis.even
    zero = np.zeros((TERMS**2, POINTS**2))
    exx = np.concatenate([_grid(odd1 * sx, even), zero])
    eyy = np.concatenate([zero, _grid(even, odd1 * sy)])
    gxy = np.concatenate([_grid(odd, even1 * sy), _grid(even1 * sx, odd)])
    shear = (1 - nu) / 2
    stress = ((exx + nu * eyy) * measure, (eyy + nu * exx) * measure, gxy * measure * shear)
    first = (0.5 * wx**2, 0.5 * wy**2, wx * wy)
    stiffness = stress[0] @ exx.T + stress[1] @ eyy.T + stress[2] @ gxy.T
    d = np.linalg.solve(stiffness, -sum(s @ e for s, e in zip(stress, first, strict=True)))
    ex, ey, g = (e + d @ field for e, field in zip(first, (exx, eyy, gxy), strict=True))
    energy = 0.5 * float((ex**2 + ey**2 + 2 * nu * ex * ey + shear * g**2) @ measure)
    strain = float((basis.odd_edge_slope * sx) @ d[: TERMS**2].reshape(TERMS, TERMS) @ basis.even_middle)
    return energy, strain / (1 - nu**2)


def _refuse(aspect: float) -> None:
    if not aspect >= 1 - 1e-9:
        raise PlateError(f"aspect is long side over short side, at least 1; got {aspect:g}")


@dataclass(frozen=True)
class PanelResult:
    """Bulge (mm) and stress (MPa) of a clamped, held panel, beside the small-deflection figures."""

    bulge_mm: float
    stress_mpa: float
    small_bulge_mm: float
    small_stress_mpa: float
    in_range: bool


def _between(aspect: float, poisson: float) -> PlateCoefficients:
    """Clamped coefficients by straight lines between aspects 1.0, 1.1 .. 4.0, each solved once (0.3 % of alpha)."""
    low = min(math.floor(aspect * 10 + 1e-9), 39)
    share = aspect * 10 - low
    a, b = clamped(low / 10, poisson), clamped((low + 1) / 10, poisson)

    def mix(x: float, y: float) -> float:
        return x + (y - x) * share

    return PlateCoefficients(
        mix(a.alpha, b.alpha), mix(a.beta, b.beta), mix(a.gamma, b.gamma), mix(a.stretch, b.stretch)
    )


def panel(
    short_mm: float, long_mm: float, thickness_mm: float, pressure_kpa: float, modulus_mpa: float, poisson: float
) -> PanelResult:
    """A flat panel between welds under uniform pressure. PlateError for sides or thickness not above zero."""
    if min(short_mm, long_mm, thickness_mm) <= 0:
        raise PlateError(
            f"a panel needs sides and thickness above zero; got {short_mm:g} × {long_mm:g} × {thickness_mm:g}"
        )
    a, b = sorted((short_mm, long_mm))
    return respond(held(a, b, poisson), a, thickness_mm, pressure_kpa, modulus_mpa, poisson)


def loose_bulge_mm(
    short_mm: float, long_mm: float, thickness_mm: float, pressure_kpa: float, modulus_mpa: float, poisson: float
) -> float | None:
    """Bulge of the same panel with edges free to turn, the upper bound of a real edge; None past the formula's t/2."""
    a, b = sorted((short_mm, long_mm))
    k = simply_supported(round(min(b / a, 10.0), 2), poisson)
    rigidity = modulus_mpa * thickness_mm**3 / 12 / (1 - poisson**2)
    bulge = k.alpha * pressure_kpa / 1000 * a**4 / rigidity
    return bulge if bulge <= thickness_mm / 2 else None


def held(short_mm: float, long_mm: float, poisson: float) -> PlateCoefficients:
    """Coefficients of a clamped panel with sides a <= b; beyond b/a = 4 it is as stiff as a long strip."""
    return _between(min(long_mm / short_mm, 4.0), poisson)


def respond(
    k: PlateCoefficients, a: float, t: float, pressure_kpa: float, modulus_mpa: float, poisson: float
) -> PanelResult:
    """Bulge and stress of a panel whose coefficients are known; short side `a` and thickness `t` in mm."""
    q = pressure_kpa / 1000
    small = k.alpha * q * a**4 / (modulus_mpa * t**3 / 12 / (1 - poisson**2))
    # One real root of w + g w^3 = s, by Cardano in its stable hyperbolic form.
    g = math.sqrt(3 * k.gamma) / t
    bulge = 2 / g * math.sinh(math.asinh(1.5 * small * g) / 3)
    small_stress = k.beta * q * a**2 / t**2
    stress = small_stress * (bulge / small if small > 0 else 1.0) + k.stretch * modulus_mpa * bulge**2 / a**2
    stress *= 1 + EDGE_STEEPENING * (bulge / t) ** 2
    return PanelResult(bulge, stress, small, small_stress, bulge <= LARGE_RANGE_T * t)
