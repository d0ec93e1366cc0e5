"""Large deflection of a clamped rectangular plate under uniform pressure, by Ritz with von Kármán's strains.

Two bounds for the edges in the plane: `held` cannot move, `pulled` draw in freely (no stress across them). Everything is
without dimension: x, y in half sides; w in thicknesses t; load Q = q a^4 / E t^4; stress in E t^2 / a^2; a the short side.
Not used while a job is evaluated: tools/plate_table.py tabulates it into large_deflection.csv.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.polynomial import legendre

from bathyx.core.geometry.shell import Array

W_TERMS, UV_TERMS, POINTS = 6, 8, 26


@dataclass(frozen=True)
class Answer:
    """At a load: bulge w/t in the middle, and surface stresses in E t^2/a^2 at the long edge's and the plate's middle."""

    load: float
    bulge: float
    edge_stress: float
    middle_stress: float


def _family(envelope: list[float], orders: Sequence[int], x: Array) -> tuple[Array, Array, Array]:
    """Values, first and second derivatives (k, n) of envelope x Legendre polynomials of the given orders."""
    rows = [legendre.legmul(legendre.poly2leg(envelope), [0.0] * k + [1.0]) for k in orders]
    return tuple(  # type: ignore[return-value]
        np.array([legendre.legval(x, legendre.legder(row, d) if d else row) for row in rows]) for d in range(3)
    )


def _outer(a: Array, b: Array) -> Array:
    return np.asarray(np.einsum("ip,jq->ijpq", a, b).reshape(len(a) * len(b), -1))


def solve(aspect: float, poisson: float, loads: Sequence[float], held: bool) -> list[Answer]:
    """Answers at rising `loads` for b/a = `aspect`. Raises ArithmeticError when Newton's method does not settle.

    Args:
        aspect: long side over short, 1 or more.
        poisson: of the sheet.
        loads: rising, as q a⁴ / (E t⁴).
        held: edges held against pulling in, else free to.
    """
    nodes, weight = legendre.leggauss(2 * POINTS)
    keep = nodes > 0  # a quarter of the plate: everything is even or odd
    x, weight = nodes[keep], weight[keep]
    x = np.append(x, [0.0, 1.0])  # two more points to read the answer at
    sx, sy = 2.0, 2.0 / aspect
    f, f1, f2 = _family([1.0, 0.0, -2.0, 0.0, 1.0], range(0, 2 * W_TERMS, 2), x)
    rim = [1.0, 0.0, -1.0] if held else [1.0]
    odd, odd1, _ = _family(rim, range(1, 2 * UV_TERMS, 2), x)
    even, even1, _ = _family(rim if held else [1.0], range(0, 2 * UV_TERMS, 2), x)
    full = np.append(weight, [0.0, 0.0])
    measure = np.multiply.outer(full, full).ravel() * aspect  # a quarter of half sides 1/2 and aspect/2, times four
    nu, shear = poisson, (1 - poisson) / 2
    w_x, w_y, w_0 = _outer(f1 * sx, f), _outer(f, f1 * sy), _outer(f, f)
    w_xx, w_yy = _outer(f2 * sx**2, f), _outer(f, f2 * sy**2)
    zero = np.zeros((UV_TERMS**2, len(measure)))
    e_x = np.concatenate([_outer(odd1 * sx, even), zero])
    e_y = np.concatenate([zero, _outer(even, odd1 * sy)])
    g_xy = np.concatenate([_outer(odd, even1 * sy), _outer(even1 * sx, odd)])
    laplace = w_xx + w_yy
    bending = (laplace * measure) @ laplace.T / 12
    push = w_0 @ measure
    plane = (
        ((e_x + nu * e_y) * measure) @ e_x.T + ((e_y + nu * e_x) * measure) @ e_y.T + (g_xy * measure * shear) @ g_xy.T
    )
    solver = np.linalg.pinv(plane, rcond=1e-12, hermitian=True)
    c = np.zeros(len(w_0))
    answers = []
    for load in loads:
        force = load * (1 - nu**2) * push
        for step in range(60):
            wx, wy = c @ w_x, c @ w_y
            n_x, n_y, n_xy = _membrane(wx, wy, e_x, e_y, g_xy, solver, measure, nu, shear)
            residual = (
                bending @ c
                + (w_x * measure) @ (n_x * wx + n_xy * wy)
                + (w_y * measure) @ (n_y * wy + n_xy * wx)
                - force
            )
            tangent = bending + _tangent(wx, wy, w_x, w_y, e_x, e_y, g_xy, solver, measure, nu, shear, (n_x, n_y, n_xy))
            change = np.linalg.solve(tangent, residual)
            scale = min(1.0, 0.5 / max(float(abs(change @ w_0).max()), 1e-12)) if step < 8 else 1.0
            c = c - scale * change
            if float(abs(change @ w_0).max()) < 1e-9 * max(1.0, float(abs(c @ w_0).max())):
                break
        else:
            raise ArithmeticError(f"no balance found at load {load:g}, aspect {aspect:g}")
        wx, wy = c @ w_x, c @ w_y
        n_x, n_y, _ = _membrane(wx, wy, e_x, e_y, g_xy, solver, measure, nu, shear)
        k_x, k_y = -(c @ w_xx), -(c @ w_yy)
        m_x, m_y = (k_x + nu * k_y) / 2, (k_y + nu * k_x) / 2
        n = len(x)
        middle, edge = (n - 2) * n + (n - 2), (n - 1) * n + (n - 2)
        surface = [abs(n_x[middle]) + abs(m_x[middle]), abs(n_y[middle]) + abs(m_y[middle])]
        answers.append(
            Answer(
                float(load),
                float((c @ w_0)[middle]),
                float(max(n_x[edge], 0.0) + abs(m_x[edge])) / (1 - nu**2),
                float(max(surface)) / (1 - nu**2),
            )
        )
    return answers


def _membrane(  # noqa: PLR0913, PLR0917 - the letters of the formula
    wx: Array, wy: Array, e_x: Array, e_y: Array, g_xy: Array, solver: Array, measure: Array, nu: float, shear: float
) -> tuple[Array, Array, Array]:
    """Forces in the plane, each (points,), after the plane has relaxed."""
    sx, sy, sg = wx**2 / 2, wy**2 / 2, wx * wy
    load = e_x @ ((sx + nu * sy) * measure) + e_y @ ((sy + nu * sx) * measure) + g_xy @ (sg * shear * measure)
    d = -solver @ load
    sx, sy, sg = sx + d @ e_x, sy + d @ e_y, sg + d @ g_xy
    return sx + nu * sy, sy + nu * sx, shear * sg


def _tangent(  # noqa: PLR0913, PLR0917 - the letters of the formula
    wx: Array, wy: Array, w_x: Array, w_y: Array, e_x: Array, e_y: Array, g_xy: Array, solver: Array, measure: Array,
    nu: float, shear: float, n: tuple[Array, Array, Array],
) -> Array:  # fmt: skip
    """Stiffness of the stretched plate against a change of its bulge, (terms, terms)."""
    n_x, n_y, n_xy = n
    b_x, b_y, b_g = w_x * wx, w_y * wy, w_x * wy + w_y * wx
    m_x, m_y, m_g = (b_x + nu * b_y) * measure, (b_y + nu * b_x) * measure, b_g * shear * measure
    mixed = m_x @ e_x.T + m_y @ e_y.T + m_g @ g_xy.T
    geometric = (w_x * (n_x * measure)) @ w_x.T + (w_y * (n_y * measure)) @ w_y.T
    crossed = (w_x * (n_xy * measure)) @ w_y.T
    return np.asarray(
        m_x @ b_x.T + m_y @ b_y.T + m_g @ b_g.T - mixed @ solver @ mixed.T + geometric + crossed + crossed.T
    )
