"""A picture: lines, areas, circles, words and dimensions in millimetres, y up. It knows nothing of screens or paper.

Colours are roles ("skin", "fluid", "seam leaks"); the desk's theme and the papers give them their ink.
A `tag` says what an item stands for: `seam:S3`, `fitting:drain`, `edit:tank.length_mm`.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from bathyx.core.geometry.shell import Array


@dataclass(frozen=True, eq=False)
class Poly:
    """A line or area. `points` (n, 2); `width` in points of print or screen."""

    points: Array
    ink: str | None = "ink"
    fill: str | None = None
    width: float = 1.0
    closed: bool = True
    dashed: bool = False
    tag: str = ""


@dataclass(frozen=True, eq=False)
class Circle:
    """A circle of `radius` mm."""

    centre: Array
    radius: float
    ink: str | None = "ink"
    fill: str | None = None
    width: float = 1.0
    tag: str = ""


@dataclass(frozen=True, eq=False)
class Label:
    """Words at a place. `size` in points, or `tall_mm` to scale; `anchor` is l, c or r; `shift` in points (right, up).

    With `room_mm`, words that would be wider are drawn smaller.
    """

    at: Array
    text: str
    size: float = 10.0
    ink: str = "ink"
    anchor: str = "c"
    bold: bool = False
    shift: tuple[float, float] = (0.0, 0.0)
    badge: str | None = None
    tag: str = ""
    tall_mm: float = 0.0
    room_mm: float = 0.0


@dataclass(frozen=True, eq=False)
class Dim:
    """A dimension between two points, drawn `offset` points to the left of p -> q. A tag `edit:path` makes it live."""

    p: Array
    q: Array
    text: str
    offset: float = 22.0
    ink: str = "dim"
    tag: str = ""


Item = Poly | Circle | Label | Dim


@dataclass(frozen=True, eq=False)
class Picture:
    """Items in painting order."""

    items: tuple[Item, ...]

    @cached_property
    def bounds(self) -> tuple[float, float, float, float]:
        """(left, bottom, right, top) of everything but words, mm; a unit square when empty."""
        points = [np.atleast_2d(p) for item in self.items for p in _reach(item)]
        if not points:
            return 0.0, 0.0, 1.0, 1.0
        stack = np.concatenate(points)
        low, high = stack.min(axis=0), stack.max(axis=0)
        return float(low[0]), float(low[1]), float(high[0]), float(high[1])

    def moved(self, dx: float, dy: float) -> Picture:
        """The picture shifted."""
        shift = np.array([dx, dy])
        return Picture(tuple(_moved(item, shift) for item in self.items))


def _reach(item: Item) -> list[Array]:
    if isinstance(item, Poly):
        return [item.points]
    if isinstance(item, Circle):
        return [item.centre - item.radius, item.centre + item.radius]
    if isinstance(item, Dim):
        return [item.p, item.q]
    return []


def _moved(item: Item, shift: Array) -> Item:
    from dataclasses import replace

    if isinstance(item, Poly):
        return replace(item, points=item.points + shift)
    if isinstance(item, Circle):
        return replace(item, centre=item.centre + shift)
    if isinstance(item, Dim):
        return replace(item, p=item.p + shift, q=item.q + shift)
    return replace(item, at=item.at + shift)


def side_by_side(pictures: Iterable[Picture], gap: float) -> Picture:
    """Pictures in a row on one base line, `gap` mm apart."""
    items: list[Item] = []
    x = 0.0
    for picture in pictures:
        left, bottom, right, _ = picture.bounds
        items.extend(picture.moved(x - left, -bottom).items)
        x += right - left + gap
    return Picture(tuple(items))


def stacked(pictures: Iterable[Picture], gap: float) -> Picture:
    """Pictures above one another, the first on top, left edges in line."""
    items: list[Item] = []
    y = 0.0
    for picture in pictures:
        left, bottom, _, top = picture.bounds
        items.extend(picture.moved(-left, y - top).items)
        y -= top - bottom + gap
    return Picture(tuple(items))


def line(
    p: Iterable[float], q: Iterable[float], ink: str = "ink", width: float = 1.0, *, dashed: bool = False, tag: str = ""
) -> Poly:
    """A straight line.

    Args:
        p: from, (2,) mm.
        q: to, (2,) mm.
        ink: name of its colour.
        width: of the line, points.
        dashed: or drawn through.
        tag: what it stands for, for picking.
    """
    return Poly(np.array([list(p), list(q)], float), ink, None, width, False, dashed, tag)


def box(  # noqa: PLR0913 - a place, a size, and how it is drawn
    x: float,
    y: float,
    w: float,
    h: float,
    ink: str | None = "ink",
    fill: str | None = None,
    width: float = 1.0,
    *,
    dashed: bool = False,
    tag: str = "",
) -> Poly:
    """A rectangle from its lower left corner.

    Args:
        x: left, mm.
        y: bottom, mm.
        w: width, mm.
        h: height, mm.
        ink: colour of its border, None without.
        fill: colour inside, None without.
        width: of the border, points.
        dashed: or drawn through.
        tag: what it stands for, for picking.
    """
    return Poly(np.array([[x, y], [x + w, y], [x + w, y + h], [x, y + h]], float), ink, fill, width, True, dashed, tag)
