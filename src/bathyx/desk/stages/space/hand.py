"""What hangs at the pointer in the Space stage: boxes, tubes, planes, ledges, chamfers, hatches, room and layers."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from bathyx.core.evaluate import Evaluation
from bathyx.core.geometry.shell import Array
from bathyx.core.job import Job
from bathyx.core.space import MeasuredBox
from bathyx.core.space.cuts import WALLS
from bathyx.core.units import Family, show
from bathyx.desk.stages.space.things import free_title
from bathyx.desk.views.tray import TrayPart
from bathyx.draft.hull_view import Placed, placed_views
from bathyx.draft.picture import Circle, Dim, Item, Label, Picture, Poly, box, line

ROUND_CORNERS = 24
SIZE = {"box": (200.0, 200.0, 200.0), "tube": (0.0, 60.0, 60.0)}
HATCH_MM = (500.0, 400.0)
SMALL_SHARE = 0.3  # of the hole's side a new thing takes at most
TITLES = {
    "box": "box", "tube": "tube", "plane": "wall", "ledge": "ledge", "chamfer": "chamfer", "hatch": "hatch",
    "round hatch": "round hatch", "any hatch": "hatch with corners", "reach": "room for a hand", "layer": "layer",
}  # fmt: skip
OF_A_BOX = ("ledge", "chamfer")


@dataclass(frozen=True)
class Placing:
    """A part in the hand: its key, where the views lie, the view it is over, and the place there (3,)."""

    key: str
    views: tuple[Placed, ...]
    over: int
    at: tuple[float, float, float]

    @property
    def placed(self) -> Placed:
        """The view it is over."""
        return self.views[self.over]


def parts(job: Job) -> tuple[TrayPart, ...]:
    """What can be put into this kind of space, drawn plainly."""
    if job.space.free:
        return ()
    ring = np.array([[np.cos(t), np.sin(t)] for t in np.linspace(0, 2 * np.pi, 30, endpoint=False)])
    shapes: dict[str, tuple[Item, ...]] = {
        "box": (box(0, 0, 34, 26, "brass", "baffle", 1.4),),
        "tube": (box(0, 8, 44, 12, "brass", "baffle", 1.4), Circle(np.array([44.0, 14.0]), 6, "brass", "paper", 1.4)),
        "plane": (line((0, 0), (44, 0), "brass", 3.0), box(0, 0, 44, 14, None, "baffle")),
        "ledge": (
            Poly(np.array([[0, 0], [44, 0], [44, 28], [28, 28], [28, 12], [0, 12]], float), "brass", "baffle", 1.4),
        ),
        "chamfer": (Poly(np.array([[0, 0], [40, 0], [40, 28]], float), "brass", "baffle", 1.4),),
        "hatch": (box(0, 0, 40, 28, "accent", None, 2.4, dashed=True),),
        "round hatch": (Poly(ring * 15, "accent", None, 2.4, True, True),),
        "any hatch": (Poly(np.array([[0, 0], [40, 4], [36, 28], [8, 26]], float), "accent", None, 2.4, True, True),),
        "reach": (box(12, 0, 14, 30, "accent", None, 1.4, dashed=True), line((0, 0), (38, 0), "ink", 2.0)),
        "layer": (box(0, 0, 44, 20, "ink", None, 1.4), box(0, -6, 44, 6, "brass", "baffle", 1.0)),
    }
    is_box = isinstance(job.space, MeasuredBox)
    keys = [key for key in TITLES if is_box or key not in OF_A_BOX]
    return tuple(TrayPart(key, TITLES[key].capitalize(), Picture(shapes[key])) for key in keys)


def pick_up(e: Evaluation, units: Family, key: str) -> Placing:
    """A part in the hand, over the middle of the view from above; a ledge or chamfer over the side."""
    views = placed_views(e, units)
    low, high = e.job.space.cavity.bounds
    middle = (low + high) / 2
    return Placing(key, views, 0 if key in OF_A_BOX else 1, (float(middle[0]), float(middle[1]), float(middle[2])))


def moved(e: Evaluation, held: Placing, x: float, y: float) -> Placing:
    """Over another place of the drawing: in the view that is nearest to it."""

    def away(placed: Placed) -> float:
        left, bottom, right, top = placed.reach
        return max(left - x, x - right, bottom - y, y - top)

    over = min(range(len(held.views)), key=lambda k: away(held.views[k]))
    low, high = e.job.space.cavity.bounds
    spot = held.views[over].spot(x, y, float("nan"))
    spot = np.where(np.isnan(spot), (low + high) / 2, np.clip(np.round(spot), low, high))
    return Placing(held.key, held.views, over, (float(spot[0]), float(spot[1]), float(spot[2])))


def size_of(e: Evaluation, key: str) -> Array:
    """(3,) of a new thing: as usual, and no more than a share of the hole."""
    low, high = e.job.space.cavity.bounds
    usual = np.array(SIZE["box"]) if key != "tube" else np.array([float(high[0] - low[0]), *SIZE["tube"][1:]])
    most = np.maximum(np.round(SMALL_SHARE * (high - low), -1), 20.0)
    if key == "tube":
        most[0] = high[0] - low[0]
    return np.asarray(np.minimum(usual, most))


def made(e: Evaluation, held: Placing) -> tuple[str, dict[str, Any]]:
    """(group, document) of what is put down there."""
    job = e.job
    low, high = job.space.cavity.bounds
    at, view = np.array(held.at), held.placed.view
    name = free_title(job, TITLES[held.key])
    if held.key == "box":
        size = size_of(e, "box")
        corner = at - size / 2
        hidden = 3 - view.right - view.up
        corner[hidden] = low[hidden]
        corner = np.clip(np.round(corner), low, np.maximum(low, high - size))
        keys = ("x_mm", "y_mm", "z_mm", "length_mm", "width_mm", "height_mm")
        return "obstacle", {
            "kind": "box",
            "name": name,
            **dict(zip(keys, [float(v) for v in (*corner, *size)], strict=True)),
        }
    if held.key == "tube":
        start, end = at.copy(), at.copy()
        start[0], end[0] = low[0], high[0]
        r = size_of(e, "tube")[1]
        ends = ([float(round(v, 1)) for v in spot] for spot in (start, end))
        return "obstacle", {
            "kind": "tube",
            "name": name,
            **dict(zip(("from_mm", "to_mm"), ends, strict=True)),
            "diameter_mm": float(r),
        }
    if held.key == "plane":
        i = (
            view.right
            if abs(at[view.right] - (low + high)[view.right] / 2) > abs(at[view.up] - (low + high)[view.up] / 2)
            else view.up
        )
        side = "above" if at[i] >= (low + high)[i] / 2 else "below"
        return "obstacle", {
            "kind": "beyond",
            "name": name,
            "axis": "xyz"[i],
            "side": side,
            "at_mm": float(round(at[i])),
        }
    if held.key in OF_A_BOX:
        first, second = edge_at(e, held)
        sides = {
            word: float(max(round(abs(at[WALLS[word][0]] - (low, high)[WALLS[word][1]][WALLS[word][0]])), 20))
            for word in (first, second)
        }
        kind = "step" if held.key == "ledge" else "chamfer"
        return "cut", {
            "kind": kind,
            "name": name,
            "edge": f"{first} {second}",
            "first_mm": sides[first],
            "second_mm": sides[second],
        }
    if held.key == "reach":
        fitting = next((f.id for f in job.inside.fittings if f.does == "sender"), None) or next(
            (f.id for f in job.inside.fittings), "filler"
        )
        return "reach", {"name": name, "fitting": fitting, "length_mm": 300.0, "diameter_mm": 80.0}
    if held.key == "layer":
        return "layer", {"name": name, "sides": ["below"], "mm": 10.0}
    return "opening", {"name": name, **hatch(e, held)}


def hatch(e: Evaluation, held: Placing) -> dict[str, Any]:
    """A hatch in the wall that the view looks at: the top from above, the near side and the rear from there."""
    low, high = e.job.space.cavity.bounds
    view, at = held.placed.view, np.array(held.at)
    hidden = 3 - view.right - view.up
    plane = float(low[1] if view.name == "side" else high[hidden])
    a, b = sorted((view.right, view.up))
    half = np.minimum(np.array(HATCH_MM), 0.8 * (high - low)[[a, b]]) / 2
    middle = np.clip(at[[a, b]], low[[a, b]] + half, high[[a, b]] - half)
    if held.key == "round hatch":
        turn = np.linspace(0, 2 * np.pi, ROUND_CORNERS, endpoint=False)
        ring = middle + float(half.min()) * np.column_stack([np.cos(turn), np.sin(turn)])
    else:
        ring = middle + half * np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]])
        if held.key == "any hatch":
            ring = ring + half * np.array([[0, 0], [0.2, 0], [0, 0], [0.2, 0]])
    return {"axis": "xyz"[hidden], "at_mm": plane, "corners": [[float(round(v, 1)) for v in corner] for corner in ring]}


def edge_at(e: Evaluation, held: Placing) -> tuple[str, str]:
    """The edge of a box that is nearest in the view, its walls in the order of their names."""
    low, high = e.job.space.cavity.bounds
    found = []
    for axis in sorted((held.placed.view.right, held.placed.view.up)):
        far = abs(held.at[axis] - low[axis]) > abs(held.at[axis] - high[axis])
        found.append(next(word for word, (a, end) in WALLS.items() if a == axis and end == int(far)))
    return found[0], found[1]


def ghost(e: Evaluation, held: Placing, units: Family) -> Picture:
    """What hangs, as it would stand in the view it is over, with its distances to the walls."""
    placed, at = held.placed, np.array(held.at)
    low, high = e.job.space.cavity.bounds
    group, row = made(e, held)
    spot = placed.flat(at[None])[0]
    items: list[Item] = []
    if group == "obstacle" and row["kind"] in ("box", "tube"):
        if row["kind"] == "box":
            corner = np.array([row["x_mm"], row["y_mm"], row["z_mm"]])
            far = corner + np.array([row["length_mm"], row["width_mm"], row["height_mm"]])
        else:
            r = row["diameter_mm"] / 2
            corner, far = np.array(row["from_mm"]) - [0, r, r], np.array(row["to_mm"]) + [0, r, r]
        ends = placed.flat(np.array([corner, far]))
        a, b = ends.min(axis=0), ends.max(axis=0)
        items.append(box(float(a[0]), float(a[1]), float(b[0] - a[0]), float(b[1] - a[1]), "accent", "baffle", 2.0))
    elif group == "opening":
        places = np.full((len(row["corners"]), 3), row["at_mm"])
        places[:, sorted((placed.view.right, placed.view.up))] = np.array(row["corners"])
        items.append(Poly(placed.flat(places), "accent", None, 2.6, True, True))
    elif group == "cut":
        items.append(Label(spot, f"{row['name']} along {row['edge']}", 10, "paper", badge="accent", shift=(0, 18)))
        meets = at.copy()
        for word in row["edge"].split():
            axis, end = WALLS[word]
            meets[axis] = (low, high)[end][axis]
        ends = placed.flat(np.array([at, meets]))
        a, b = ends.min(axis=0), ends.max(axis=0)
        items.append(box(float(a[0]), float(a[1]), float(b[0] - a[0]), float(b[1] - a[1]), "accent", "baffle", 2.0))
    else:
        items += [
            Circle(spot, 8.0, "accent", "lit", 2.0),
            Label(spot, str(row["name"]), 10, "paper", badge="accent", shift=(0, 18)),
        ]
    for axis in (placed.view.right, placed.view.up):
        foot = at.copy()
        foot[axis] = low[axis] if abs(at[axis] - low[axis]) <= abs(at[axis] - high[axis]) else high[axis]
        if abs(foot[axis] - at[axis]) > 0.5:
            items.append(
                Dim(
                    spot,
                    placed.flat(foot[None])[0],
                    show(abs(float(foot[axis] - at[axis])), "length", units),
                    0.0,
                    "accent",
                )
            )
    return Picture(tuple(items))
