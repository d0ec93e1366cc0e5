"""Clamped rectangular panels that bulge more than half their thickness: two bounds, read from a table.

A real tank's edges are neither held in the plane nor free to pull in: neighbours give way by bending. Both bounds are
kept; the bulge lies between them, and the lower of the pressures they bear decides.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cache, lru_cache
from importlib.resources import files
from typing import Literal

import numpy as np

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Array
from bathyx.core.strength.plate import PlateError

LARGE = formula(
    "strength.bulge",
    "Bulge and stress of a clamped panel, large deflection",
    "Ritz solution of von Kármán's plate: w/t and σ a²/E t² against Q = q a⁴ / E t⁴, edges held or pulled in",
    source="Ritz with 36 bulge and 128 in-plane terms (core/strength/ritz.py, tabulated by tools/plate_table.py); "
    "S. Levy, NACA TN 847 (1942), square plate, and Roark, large deflection, from memory",
    valid="Q up to 3000, stress below yield; edges that do not turn. Past it nothing is printed as a limit",
    check="tests/outside/test_plate_tables.py: Levy's and Roark's square plate, a long strip that pulls in",
    tolerance="bulge 3 %, edge stress 6 % on the held square; a real tank lies between the two bounds, and an edge that "
    "turns with a larger neighbour bulges more (engineering estimate)",
)
Edges = Literal["held", "pulled"]
BOTH: tuple[Edges, Edges] = ("held", "pulled")
LONGEST = 4.0


@dataclass(frozen=True, eq=False)
class Curve:
    """Against rising loads Q, each (n,): bulge/t, edge and middle stress in E t^2/a^2."""

    load: Array
    bulge: Array
    edge: Array
    middle: Array


@cache
def _table() -> dict[tuple[str, float], tuple[Array, Array]]:
    """(aspects (k,), values (k, n, 4)) by edges and Poisson's ratio."""
    text = files(__package__).joinpath("large_deflection.csv").read_text("utf-8").splitlines()[1:]
    rows: dict[tuple[str, float], dict[float, list[list[float]]]] = {}
    for line in text:
        edges, poisson, aspect, *values = line.split(",")
        rows.setdefault((edges, float(poisson)), {}).setdefault(float(aspect), []).append([float(v) for v in values])
    return {key: (np.array(sorted(found)), np.array([found[a] for a in sorted(found)])) for key, found in rows.items()}


@lru_cache(maxsize=512)
def curve(aspect: float, poisson: float, edges: Edges) -> Curve:
    """The curve for b/a = `aspect` >= 1, straight between tabulated aspects; beyond 4 as stiff as at 4."""
    if not aspect >= 1 - 1e-9:
        raise PlateError(f"aspect is long side over short side, at least 1; got {aspect:g}")
    (_, low), (_, high) = (_between(aspect, edges, p) for p in (0.3, 0.4))
    share = min(max((poisson - 0.3) / 0.1, -0.5), 1.5)
    mixed = low + (high - low) * share
    return Curve(mixed[:, 0], mixed[:, 1], mixed[:, 2], mixed[:, 3])


def _between(aspect: float, edges: Edges, poisson: float) -> tuple[float, Array]:
    aspects, values = _table()[edges, poisson]
    at = min(max(aspect, 1.0), LONGEST)
    k = min(int(np.searchsorted(aspects, at, side="right")) - 1, len(aspects) - 2)
    share = (at - aspects[k]) / (aspects[k + 1] - aspects[k])
    return at, np.asarray(values[k] + (values[k + 1] - values[k]) * share)


def _along(x: float, xs: Array, ys: Array) -> float:
    """y at x: in proportion below the table, straight in logarithms inside and beyond it."""
    if x <= xs[0]:
        return float(ys[0] * x / xs[0])
    k = min(int(np.searchsorted(xs, x)) - 1, len(xs) - 2)
    slope = math.log(ys[k + 1] / ys[k]) / math.log(xs[k + 1] / xs[k])
    return float(ys[k] * (x / xs[k]) ** slope)


@dataclass(frozen=True)
class Response:
    """One bound at a pressure: bulge (mm), surface stress at the long edge and the middle (MPa), inside the table or not."""

    bulge_mm: float
    edge_mpa: float
    middle_mpa: float
    in_range: bool


def _refuse(short_mm: float, long_mm: float, thickness_mm: float) -> None:
    if min(short_mm, long_mm, thickness_mm) <= 0:
        raise PlateError(
            f"a panel needs sides and thickness above zero; got {short_mm:g} × {long_mm:g} × {thickness_mm:g}"
        )


def respond(
    short_mm: float,
    long_mm: float,
    thickness_mm: float,
    pressure_kpa: float,
    modulus_mpa: float,
    poisson: float,
    edges: Edges,
) -> Response:
    """A clamped panel at a pressure, by one bound.

    Args:
        short_mm, long_mm: its sides between welds, bends or baffles, in either order.
        thickness_mm: of the sheet.
        pressure_kpa: uniform, on one side.
        modulus_mpa, poisson: of the sheet.
        edges: held in the plane, or pulled in freely.

    Raises:
        PlateError: a side or thickness not above zero.

    >>> round(respond(100, 100, 1, 250.0 / 1e8 * 1e3 * 1000, 1000, 0.316, "held").bulge_mm, 1)
    1.5
    """
    _refuse(short_mm, long_mm, thickness_mm)
    a, b = sorted((short_mm, long_mm))
    c = curve(round(b / a, 2), poisson, edges)
    load = pressure_kpa / 1000 * a**4 / (modulus_mpa * thickness_mm**4)
    unit = modulus_mpa * thickness_mm**2 / a**2
    return Response(
        _along(load, c.load, c.bulge) * thickness_mm,
        _along(load, c.load, c.edge) * unit,
        _along(load, c.load, c.middle) * unit,
        load <= float(c.load[-1]) * (1 + 1e-9),
    )


@dataclass(frozen=True)
class Bears:
    """Pressure (kPa) at which a stress is reached, by the lower bound; `beyond`: the table ended first, it bears at least that."""

    kpa: float
    beyond: bool


def bears(
    short_mm: float,
    long_mm: float,
    thickness_mm: float,
    limit_mpa: float,
    modulus_mpa: float,
    poisson: float,
    middle: bool = False,
) -> Bears:
    """The pressure at which a clamped panel's edge (or middle) reaches a stress, by the lower of both bounds.

    Args:
        short_mm: one side.
        long_mm: the other; their order does not matter.
        thickness_mm: of the sheet.
        limit_mpa: the stress.
        modulus_mpa: of elasticity.
        poisson: ratio.
        middle: whether the middle's stress counts instead of the edge's.

    Returns:
        kPa, and whether the table ends below it (then it bears at least that).

    Raises:
        Refusal: for sizes that are none.

    >>> small = bears(300.0, 300.0, 3.0, 0.5, 200_000.0, 0.3)  # small bulge: 0.3078 q a²/t², Timoshenko's table 35
    >>> round(0.5e3 * 9 / (0.3078 * 300**2) / small.kpa, 2)
    1.0
    """
    _refuse(short_mm, long_mm, thickness_mm)
    a, b = sorted((short_mm, long_mm))
    aspect = round(b / a, 2)
    unit, per_load = modulus_mpa * thickness_mm**2 / a**2, modulus_mpa * thickness_mm**4 / a**4 * 1000
    found = []
    for edges in BOTH:
        c = curve(aspect, poisson, edges)
        stress = c.middle if middle else c.edge
        wanted = limit_mpa / unit
        if wanted > float(stress[-1]):
            found.append(Bears(float(c.load[-1]) * per_load, True))
        else:
            found.append(Bears(_along(wanted, stress, c.load) * per_load, False))
    return min(found, key=lambda x: x.kpa)
