"""The measured space from above and from the rear, with the tank in it and the room that is left."""

from __future__ import annotations

import math

import numpy as np

from bathyx.core.evaluate import Evaluation
from bathyx.core.geometry.shell import Array
from bathyx.core.space import MeasuredBox
from bathyx.core.units import Family, show
from bathyx.draft.hull_view import hull_view
from bathyx.draft.picture import Circle, Dim, Item, Label, Picture, Poly, box, line, stacked
from bathyx.draft.tank_views import tank_view


def space_view(e: Evaluation, units: Family, offered: tuple[Array, ...] = ()) -> Picture:
    """Plan and front of a box; three views of any other space, `offered` proposals (triangles) drawn over it."""
    space = e.job.space
    if space.free:
        return tank_view(e, units)
    if isinstance(space, MeasuredBox) and space.plain and not offered:
        return stacked([_plan(e, space, units), _rear(e, space, units)], 0.3 * space.width.mm)
    return hull_view(e, units, offered)


def _plan(e: Evaluation, space: MeasuredBox, units: Family) -> Picture:
    """From above: width to the right, the front at the top, so that left is left as the machine faces. A skewed floor is drawn as
    the parallelogram the diagonals say."""
    r = e.results
    width, depth = space.width.mm, space.depth.mm
    square = space.squareness
    skew = 0.0
    if square and space.floor_diagonals:
        first, second = space.floor_diagonals
        skew = math.copysign(min(square.skew_mm, depth), first.mm - second.mm)
    deep = math.sqrt(depth**2 - skew**2)
    floor = np.array([[0, 0], [width, 0], [width + skew, -deep], [skew, -deep]], float)
    c = space.kept
    start = max(skew, 0.0)
    items: list[Item] = [Poly(floor, "ink", "space", 2.0)]
    room = box(
        start + c.left_mm,
        -c.front_mm - r.room.depth_mm,
        r.room.width_mm,
        r.room.depth_mm,
        "clear",
        None,
        1.0,
        dashed=True,
    )
    items.append(room)
    fits = r.strapped.width_mm <= r.room.width_mm + 0.05 and r.strapped.length_mm <= r.room.depth_mm + 0.05
    items.append(
        box(
            start + c.left_mm,
            -c.front_mm - r.outside.length_mm,
            r.outside.width_mm,
            r.outside.length_mm,
            "skin" if fits else "stop",
            "fluid" if fits else "stop fill",
            2.0,
            tag="face:bottom",
        )
    )
    items.append(
        Label(
            np.array([start + c.left_mm + r.outside.width_mm / 2, -c.front_mm - r.outside.length_mm / 2]),
            f"{show(r.outside.width_mm, 'length', units)} × {show(r.outside.length_mm, 'length', units)}",
            11,
            "ink",
        )
    )
    corner = np.array([start + c.left_mm, -c.front_mm])
    size = np.array([r.outside.width_mm, -r.outside.length_mm])
    items += grips(e, "plan", {"right": corner + size * [1, 0.5], "rear": corner + size * [0.5, 1]})
    items += [
        Dim(np.array([0.0, 0.0]), np.array([width, 0.0]), _read(space.width, units), 24, tag="edit:space.width"),
        Dim(floor[3], floor[0], show(space.depth.mm, "length", units), 24, tag="edit:space.depth"),
    ]
    if space.floor_diagonals:
        for k, (p, q) in enumerate(((floor[0], floor[2]), (floor[1], floor[3]))):
            items.append(line(p, q, "dim", 0.6, dashed=True))
            items.append(
                Label(
                    p + (q - p) * 0.8,
                    _read(space.floor_diagonals[k], units),
                    10,
                    "dim",
                    badge="paper",
                    tag=f"edit:space.floor_diagonals.{k}",
                )
            )
    items.append(Label((floor[2] + floor[3]) / 2, "from above, front at the top", 9, "quiet", shift=(0, -14)))
    return Picture(tuple(items))


def _rear(e: Evaluation, space: MeasuredBox, units: Family) -> Picture:
    r = e.results
    width, height, c = space.width.mm, space.height.mm, space.kept
    fits = r.strapped.height_mm <= r.room.height_mm + 0.05
    items: list[Item] = [
        box(0, 0, width, height, "ink", "space", 2.0),
        box(c.left_mm, c.below_mm, r.room.width_mm, r.room.height_mm, "clear", None, 1.0, dashed=True),
        box(
            c.left_mm,
            c.below_mm,
            r.outside.width_mm,
            r.outside.height_mm,
            "skin" if fits else "stop",
            "fluid" if fits else "stop fill",
            2.0,
            tag="face:rear",
        ),
        Label(
            np.array([c.left_mm + r.outside.width_mm / 2, c.below_mm + r.outside.height_mm / 2]),
            f"{show(r.outside.height_mm, 'length', units)} high",
            11,
            "ink",
        ),
        Dim(
            np.array([0.0, 0.0]),
            np.array([0.0, height]),
            show(space.height.mm, "length", units),
            24,
            tag="edit:space.height",
        ),
        Label(np.array([width / 2, 0.0]), "from the rear, looking forward: left at left", 9, "quiet", shift=(0, -48)),
    ]
    corner, size = np.array([c.left_mm, c.below_mm]), np.array([r.outside.width_mm, r.outside.height_mm])
    items += grips(e, "rear", {"right": corner + size * [1, 0.5], "top": corner + size * [0.5, 1]})
    return Picture(tuple(items))


def grips(e: Evaluation, view: str, spots: dict[str, Array]) -> list[Item]:
    """Dots on the faces that may be dragged, at places (2,) by their names."""
    names = {grip.name for grip in e.job.tank.grips(e.results.shell)}
    reach = 0.014 * float(e.results.outside.width_mm)
    return [
        Circle(at, reach, "accent", "paper", 1.8, f"grip:{view}:{name}") for name, at in spots.items() if name in names
    ]


def _read(reading: object, units: Family) -> str:
    """A reading as typed, with the other family's figure when that is what the maker looks at."""
    typed, mm = str(getattr(reading, "typed", "")), float(getattr(reading, "mm", 0.0))
    shown = show(mm, "length", units)
    imperial = any(sign in typed for sign in "\"'″′”’") or "in" in typed or "ft" in typed
    return f"{shown}  ({typed})" if imperial and not units.us else shown
