"""Straps that hold a tank down: bands over the tank on strips of rubber, their cut lengths, and what each leg pulls."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from pydantic import Field
from shapely.geometry import MultiPoint, Polygon
from shapely.geometry import box as rectangle

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Array
from bathyx.core.units.frozen import Frozen

STRAP = formula(
    "inside.strap",
    "Cut length of a strap",
    "L = girth of the tightest band from the seat over the tank and down to the seat, at rubber + t/2 outside, + 2 feet",
    source="Geometry: a taut band is the convex hull of the section; it comes down upright where the tank draws in below",
    valid="bands across the tank that are bolted down level with its lowest point under them",
    check="tests/core/test_straps.py: a box and a lying cylinder in closed form",
    tolerance="0.1 % of the length on curved tanks; leave a foot longer and trim it",
)
LEG = formula(
    "inside.strap_leg",
    "Pull of a strap's leg",
    "F = m g a / (2 n), a the most the machine pounds or brakes with, 2 g at least",
    source="common practice: mounts carry the full tank at twice its weight",
    valid="n straps that share alike, two legs each; no tightening besides",
    check="tests/core/test_straps.py",
    tolerance="engineering estimate, 0.5 to 2 times: straps never share alike",
)
GRAVITY, PULL_G = 9.80665, 2.0
SLACK = 1e-6


class Strap(Frozen):
    """A band across the tank with its middle at x = `at_mm`; `rubber_mm` under it, `foot_mm` turned out at either end to be
    bolted."""

    at_mm: float = Field(ge=0, le=20_000)
    width_mm: float = Field(40.0, ge=10, le=300)
    thickness_mm: float = Field(3.0, gt=0, le=20)
    rubber_mm: float = Field(3.0, ge=0, le=40)
    foot_mm: float = Field(50.0, ge=0, le=300)

    @property
    def out_mm(self) -> float:
        """How far it stands off the tank."""
        return self.rubber_mm + self.thickness_mm


@dataclass(frozen=True, eq=False)
class Laid:
    """A strap as it lies: `inner` and `outer` are its sides as places (n, 2) in (y, z), from the seat up over the tank and down;
    `cut_mm` its length before it is bent; `number` counts the job's straps from 0."""

    number: int
    strap: Strap
    inner: Array
    outer: Array
    cut_mm: float

    @property
    def from_mm(self) -> float:
        """Its front edge."""
        return self.strap.at_mm - self.strap.width_mm / 2

    @property
    def to_mm(self) -> float:
        """Its rear edge."""
        return self.strap.at_mm + self.strap.width_mm / 2

    @property
    def mass_volume_mm3(self) -> float:
        """Metal in it."""
        return self.cut_mm * self.strap.width_mm * self.strap.thickness_mm

    def lies_over(self, x_mm: float, reach_mm: float) -> bool:
        """Whether something at x with that reach along would be under it."""
        return self.from_mm - reach_mm < x_mm < self.to_mm + reach_mm


def laid(skin: Array, straps: Sequence[Strap]) -> tuple[Laid, ...]:
    """Each strap where the tank is under it; one that lies beside the tank is left out.

    Args:
        skin: (k, 3, 3) triangles of the tank's outside, mm.
        straps: of the job.
    """
    found = []
    for number, strap in enumerate(straps):
        ring = _hull(skin, strap.at_mm - strap.width_mm / 2, strap.at_mm + strap.width_mm / 2)
        if ring is not None:
            middle = _over(ring, strap.rubber_mm + strap.thickness_mm / 2)
            cut = float(np.hypot(*np.diff(middle, axis=0).T).sum()) + 2 * strap.foot_mm
            inner, outer = _over(ring, strap.rubber_mm), _over(ring, strap.out_mm)
            found.append(Laid(number, strap, inner, outer, cut))
    return tuple(found)


def _hull(skin: Array, low: float, high: float) -> Polygon | None:
    """The convex hull in (y, z) of what of the tank stands from x = low to high, down upright to its lowest point."""
    spots = []
    x = skin[:, :, 0]
    near = skin[(x.min(axis=1) <= high) & (x.max(axis=1) >= low)]
    if not len(near):
        return None
    corners = near.reshape(-1, 3)
    spots.append(corners[(corners[:, 0] >= low) & (corners[:, 0] <= high)][:, 1:])
    for plane in (low, high):
        for k in range(3):
            a, b = near[:, k], near[:, (k + 1) % 3]
            across = (a[:, 0] - plane) * (b[:, 0] - plane) < 0
            share = (plane - a[across, 0]) / (b[across, 0] - a[across, 0])
            spots.append((a[across] + share[:, None] * (b[across] - a[across]))[:, 1:])
    flat = np.concatenate(spots)
    if len(flat) < 3:
        return None
    foot = flat[:, 1].min()
    feet = np.array([[flat[:, 0].min(), foot], [flat[:, 0].max(), foot]])
    ring = MultiPoint(np.concatenate([flat, feet])).convex_hull
    return ring if isinstance(ring, Polygon) else None


def _over(ring: Polygon, off_mm: float) -> Array:
    """(n, 2) the hull's border at a distance, from the right foot up over the tank to the left one: open below."""
    left, foot, right, top = ring.bounds
    far = off_mm + 1.0
    band = ring.buffer(off_mm, quad_segs=32).intersection(rectangle(left - far, foot, right + far, top + far))
    spots = np.array(band.exterior.coords)[:-1]
    if not band.exterior.is_ccw:
        spots = spots[::-1]
    low = spots[:, 1] < foot + SLACK
    start = int(np.argmax(np.where(low, spots[:, 0], -np.inf)))
    over = np.roll(spots, -start, axis=0)
    end = int(np.argmin(np.where(over[:, 1] < foot + SLACK, over[:, 0], np.inf)))
    return np.asarray(over[: end + 1])


def blocks_of(strap: Laid) -> list[Array]:
    """(8, 3) corners of each straight piece of a strap, without its rubber; in the order of
    `rims.block_at`."""
    found = []
    inner, outer = _even(strap.inner, strap.outer)
    for (a, b), (c, d) in zip(pairwise(inner), pairwise(outer), strict=True):
        rows = [(x, *spot) for spot in (a, b, c, d) for x in (strap.from_mm, strap.to_mm)]
        found.append(np.array(rows))
    return found


def _even(inner: Array, outer: Array) -> tuple[Array, Array]:
    """Both sides at the same shares of their length, so that they can be taken in pairs."""
    if len(inner) == len(outer):
        return inner, outer
    shares = _shares(outer)
    mine = _shares(inner)
    return np.column_stack([np.interp(shares, mine, inner[:, k]) for k in (0, 1)]), outer


def _shares(line: Array) -> Array:
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(line, axis=0).T))])
    return np.asarray(along / along[-1])


def leg_pull_n(full_kg: float, braking_g: float, count: int) -> float:
    """What each leg of `count` straps pulls with, N; infinite for none.

    >>> round(leg_pull_n(100, 0.5, 2))
    490
    """
    return math.inf if count < 1 else full_kg * GRAVITY * max(PULL_G, 1 + braking_g) / (2 * count)
