"""A space that is more than a box, from the side, from above and from the rear, with what stands in it and the tank."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from shapely.geometry import MultiPoint, Polygon

from bathyx.core.evaluate import Evaluation
from bathyx.core.geometry.shell import Array
from bathyx.core.sheet.makeup.rims import outside
from bathyx.core.space import MeasuredBox, MeasuredSpace, StationSpace
from bathyx.core.space.openings import WayIn
from bathyx.core.space.touch import Approach
from bathyx.core.units import Family, show
from bathyx.draft.picture import Circle, Dim, Item, Label, Picture, Poly, line, side_by_side, stacked

MOST_LINES = 13
TINY_MM = 0.05
SEEN_EDGE_ON, DOT_SHARE, MOST_PLACES, FAR_OUT_MM = 0.9, 0.0035, 7, 700.0


@dataclass(frozen=True)
class View:
    """What is seen from one way: its name, the axes drawn to the right and up, and its words. None of them is a mirror image:
    x runs to the rear, y to the right as the machine faces, z up. `sign`: −1 where up the page is against its axis."""

    name: str
    right: int
    up: int
    words: str
    sign: float = 1.0

    def shift(self, across: float, up: float) -> Array:
        """(3,) what a move in the drawing is in the space."""
        moved = np.zeros(3)
        moved[self.right], moved[self.up] = across, self.sign * up
        return moved

    def flat(self, points: Array) -> Array:
        """(n, 2) of points (n, 3)."""
        return np.asarray(points[:, [self.right, self.up]] * [1.0, self.sign])


SIDE = View("side", 0, 2, "from the left, front at left")
ABOVE = View("above", 0, 1, "from above, front at left, right side up")
REAR = View("rear", 1, 2, "from the rear, looking forward: left at left")
PLAN = View("plan", 1, 0, "from above, front at the top", -1.0)
VIEWS = {view.name: view for view in (SIDE, ABOVE, REAR, PLAN)}


def scan_view(points: Array, picks: tuple[int, ...] = ()) -> Picture:
    """Three views of a scan's points (n, 3), each to be picked; those picked are ringed with their number."""
    reach = DOT_SHARE * float(np.ptp(points, axis=0).max())
    views = []
    for view in (SIDE, ABOVE, REAR):
        flat = view.flat(points)
        items: list[Item] = [
            Circle(spot, reach, None, "thin", 0, f"spot:{k}:{view.name}") for k, spot in enumerate(flat)
        ]
        for number, k in enumerate(picks, start=1):
            items.append(Circle(flat[k], 3 * reach, "accent", "lit", 2.0))
            items.append(Label(flat[k], str(number), 12, "accent", bold=True, shift=(12, 10), badge="paper"))
        axes = {"side": "x right, z up", "above": "x right, y up", "rear": "y right, z up"}[view.name]
        low = flat.min(axis=0)
        items.append(
            Label(np.array([flat[:, 0].mean(), low[1]]), f"the scan's own axes: {axes}", 9, "quiet", shift=(0, -14))
        )
        views.append(Picture(tuple(items)))
    tall = sum(view.bounds[3] - view.bounds[1] for view in views)
    return stacked(views, 0.12 * tall)


def hull_view(e: Evaluation, units: Family, offered: tuple[Array, ...] = (), *, across: bool = False) -> Picture:
    """The three views, the rear beside the side, or all three `across` a page.

    `offered`: triangles (k, 3, 3) of proposals' outsides, mm in the space, drawn over them.
    """
    views = [_view(e, units, view, offered) for view in (SIDE, ABOVE, REAR)]
    if across:
        return side_by_side(views, 0.08 * sum(view.bounds[2] - view.bounds[0] for view in views))
    items = [item for view, (dx, dy) in zip(views, _shifts(views), strict=True) for item in view.moved(dx, dy).items]
    return Picture(tuple(items))


def _shifts(views: list[Picture]) -> list[tuple[float, float]]:
    """Where the three go: the side over the plan, and the rear to the right of the side, on one floor with it."""
    side, above, rear = (view.bounds for view in views)
    gap = 0.17 * sum(b[3] - b[1] for b in (side, above, rear))
    wide = max(side[2] - side[0], above[2] - above[0])
    return [(-side[0], -side[3]), (-above[0], -(side[3] - side[1]) - gap - above[3]), (wide + gap - rear[0], -side[3])]


@dataclass(frozen=True)
class Placed:
    """Where a view lies in the drawing of three: its shift, and its reach (left, bottom, right, top), mm of the drawing."""

    view: View
    shift: tuple[float, float]
    reach: tuple[float, float, float, float]

    def spot(self, x: float, y: float, other: float) -> Array:
        """(3,) of a place of the drawing, with the coordinate that this view does not show."""
        found = np.full(3, other)
        found[self.view.right] = x - self.shift[0]
        found[self.view.up] = self.view.sign * (y - self.shift[1])
        return found

    def flat(self, points: Array) -> Array:
        """(n, 2) of the drawing for points (n, 3)."""
        return np.asarray(self.view.flat(points) + np.array(self.shift))


def placed_views(e: Evaluation, units: Family) -> tuple[Placed, ...]:
    """Where the three views of `hull_view` lie in it."""
    pictures = [_view(e, units, view, ()) for view in (SIDE, ABOVE, REAR)]
    found = []
    for view, picture, (dx, dy) in zip((SIDE, ABOVE, REAR), pictures, _shifts(pictures), strict=True):
        left, bottom, right, top = picture.bounds
        found.append(Placed(view, (dx, dy), (left + dx, bottom + dy, right + dx, top + dy)))
    return tuple(found)


def tank_in_space(e: Evaluation) -> Array:
    """Triangles (k, 3, 3) of the tank's outside where it sits in the space."""
    skin = outside(e.results.shell, e.results.skins, e.results.rims)
    placed: Array = skin + (e.job.space.seated() - skin.reshape(-1, 3).min(axis=0))
    return placed


def _view(e: Evaluation, units: Family, view: View, offered: tuple[Array, ...]) -> Picture:
    space = e.job.space
    items: list[Item] = [*_walls(space, view)]
    if isinstance(space, StationSpace):
        dot = DOT_SHARE * float(np.ptp(np.stack(space.cavity.bounds), axis=0).max())
        items += [Circle(spot, dot, None, "thin", 0) for spot in view.flat(space.scanned)]
    bad = any(a.spare_mm < -TINY_MM for a in e.results.approaches)
    items.append(
        _outline(tank_in_space(e), view, "stop" if bad else "skin", "stop fill" if bad else "fluid glass", False)
    )
    for number, cut in enumerate(space.things[: len(space.things) - len(space.obstacles)]):
        items.append(Poly(_shadow(view.flat(cut.hull())), "ink", "bench", 1.4, tag=f"cut:{number}:{view.name}"))
    if space.way_in is not None:
        items += _way(space.way_in, view, low_high=space.cavity.bounds)
    for number, thing in enumerate(space.obstacles):
        low, high = space.cavity.bounds
        border = _shadow(view.flat(np.clip(thing.hull(), low - 60, high + 60)))
        items.append(Poly(border, "brass", "baffle", 1.2, tag=f"obstacle:{number}:{view.name}"))
        items.append(Label(border.mean(axis=0), thing.name, 9, "baffle line", badge="paper"))
    items += [_outline(triangles, view, "brass", "lit", True) for triangles in offered]
    items += _grips(e, view)
    near = e.results.approaches[0] if e.results.approaches else None
    if near is not None:
        low, high = space.cavity.bounds
        middle = float(low[view.right] + high[view.right]) / 2
        items += _nearest(near, view, middle, units)
        names = {thing.name for thing in space.things}
        items += [
            part
            for a in e.results.approaches[1:]
            if a.what in names and a.mm > 0
            for part in _gap(a, view, middle, units)
        ]
    if view is REAR and isinstance(space, MeasuredBox):
        low, high = space.cavity.bounds
        ends = np.array([[low[1], low[2]], [high[1], low[2]]])
        items.append(Dim(ends[1], ends[0], show(space.width.mm, "length", units), 18, tag="edit:space.width"))
    if view is SIDE:
        items += _sizes(space, units)
        items += _stations(space, units)
    low, _ = space.cavity.bounds
    left, bottom, right, _ = Picture(tuple(items)).bounds
    items.append(
        Label(np.array([(left + right) / 2, bottom]), view.words, 9, "quiet", shift=(0, -18 if view is ABOVE else -34))
    )
    return Picture(tuple(items))


def _walls(space: MeasuredSpace, view: View) -> list[Item]:
    """The cavity: its border, and lines where it was measured."""
    c = space.cavity
    if isinstance(space, StationSpace):
        places = np.array([s.x_mm for s in space.stations])
        measured = np.array([int(np.argmin(np.abs(c.xs - x))) for x in places])
    else:
        measured = np.array([0, len(c.xs) - 1])
    x = np.repeat(c.xs[:, None], c.left.shape[1], axis=1)
    z = c.low[:, None] + c.shares * (c.high - c.low)[:, None]
    left, right = np.stack([x, c.left, z], axis=2), np.stack([x, c.right, z], axis=2)
    if view is REAR:
        rings = [np.concatenate([left[i, ::-1], right[i]]) for i in measured]
        widest = max(rings, key=lambda r: Polygon(view.flat(r)).area)
        items: list[Item] = [Poly(view.flat(widest), "ink", "space", 1.8)]
        items += [Poly(view.flat(ring), "thin", None, 0.8) for ring in rings[:: max(1, len(rings) // MOST_LINES)]]
        if isinstance(space, StationSpace):
            k = next(i for i, ring in enumerate(rings) if ring is widest)
            items += _doubtful(space, view, [left[measured[k]], right[measured[k]]])
            items += _knuckles(space, view)
        return items
    if view is SIDE:
        keel, top = left[:, 0], left[:, -1]
        items = [Poly(view.flat(np.concatenate([keel, top[::-1]])), "ink", "space", 1.8)]
        items += [Poly(view.flat(left[i, [0, -1]]), "thin", None, 0.7, False, True) for i in measured]
        return items
    widest_left = left[np.arange(len(c.xs)), np.argmin(c.left, axis=1)]
    widest_right = right[np.arange(len(c.xs)), np.argmax(c.right, axis=1)]
    items = [Poly(view.flat(np.concatenate([widest_left, widest_right[::-1]])), "ink", "space", 1.8)]
    rows = np.linspace(0, c.left.shape[1] - 1, 5).astype(int)[1:-1]
    for k in rows:
        items += [Poly(view.flat(side[:, k]), "thin", None, 0.7, False) for side in (left, right)]
    items += [
        Poly(view.flat(np.array([widest_left[i], widest_right[i]])), "thin", None, 0.7, False, True) for i in measured
    ]
    if isinstance(space, StationSpace):
        items += _doubtful(space, view, [widest_left, widest_right])
    return items


def _doubtful(space: StationSpace, view: View, walls: list[Array]) -> list[Item]:
    """How far in the walls, left and right, may stand by their doubt: a band along each line (n, 3)."""
    items: list[Item] = []
    for k, (wall, way) in enumerate(zip(walls, (1.0, -1.0), strict=True)):
        inner = wall.copy()
        inner[:, 1] += way * space.doubt_at(wall)[:, k]
        items.append(Poly(view.flat(np.concatenate([wall, inner[::-1]])), "warn", "band", 0.6))
    return items


def _knuckles(space: StationSpace, view: View) -> list[Item]:
    """A mark at each sharp turn of a wall, and what it is."""
    spots = []
    for s, side, row in space.knuckles:
        station = space.stations[s]
        y = getattr(station.rows[row], f"{side}_mm")
        spots.append((station.x_mm, -y if side == "left" else y, station.rows[row].z_mm))
    if not spots:
        return []
    dot = 2.5 * DOT_SHARE * float(np.ptp(np.stack(space.cavity.bounds), axis=0).max())
    flat = view.flat(np.array(spots))
    marks: list[Item] = [Circle(spot, dot, "brass", None, 1.4) for spot in flat]
    low = flat[int(np.argmax(flat[:, 0]))]
    return [*marks, Label(low, "sharp turn", 9, "quiet", shift=(34, 0), badge="paper")]


def _shadow(flat: Array) -> Array:
    """(n, 2) border round points."""
    around = MultiPoint(flat).convex_hull
    return np.array(around.exterior.coords)[:-1] if around.geom_type == "Polygon" else flat


def _way(way: WayIn, view: View, low_high: tuple[Array, Array]) -> list[Item]:
    """Openings as they are seen, from the edge as a line; and what stands outside."""
    items: list[Item] = []
    low, high = low_high
    for number, opening in enumerate(way.openings):
        flat = view.flat(opening.placed(opening.border))
        seen = opening.index not in (view.right, view.up)
        items.append(
            Poly(
                _shadow(flat) if seen else flat,
                "accent",
                None,
                2.4 if seen else 4.0,
                seen,
                True,
                tag=f"opening:{number}:{view.name}",
            )
        )
        items.append(Label(flat.mean(axis=0), opening.name, 9, "accent", shift=(0, 15 if seen else 0), badge="paper"))
    for number, thing in enumerate(way.outside):
        border = _shadow(view.flat(np.clip(thing.hull(), low - FAR_OUT_MM, high + FAR_OUT_MM)))
        items.append(Poly(border, "brass", "baffle", 1.0, tag=f"outside:{number}:{view.name}"))
        items.append(Label(border.mean(axis=0), thing.name, 9, "baffle line", badge="paper"))
    return items


def _grips(e: Evaluation, view: View) -> list[Item]:
    """Dots on the faces that may be dragged, in the view that sees them from the edge."""
    shell, t = e.results.shell, e.results.sheet.thickness_mm
    low = outside(shell, e.results.skins, e.results.rims).reshape(-1, 3).min(axis=0)
    cavity = np.ptp(np.stack(e.job.space.cavity.bounds), axis=0)
    items: list[Item] = []
    for grip in e.job.tank.grips(shell):
        flat = view.flat(grip.way[None])[0]
        if np.linalg.norm(flat) > SEEN_EDGE_ON:
            spot = grip.place + grip.way * t + (e.job.space.seated() - low)
            items.append(
                Circle(
                    view.flat(spot[None])[0],
                    0.011 * float(cavity.max()),
                    "accent",
                    "paper",
                    1.8,
                    f"grip:{view.name}:{grip.name}",
                )
            )
    return items


def _outline(triangles: Array, view: View, ink: str, fill: str, dashed: bool) -> Poly:
    """What a tank covers, its own corners turned in included."""
    flat = view.flat(triangles.reshape(-1, 3)).reshape(-1, 3, 2)
    shapes = shapely.buffer(shapely.polygons(flat), 0.05, quad_segs=1)
    whole = shapely.union_all(shapes[shapely.area(shapes) > 1.0])
    largest = max(getattr(whole, "geoms", [whole]), key=lambda g: g.area)
    return Poly(
        np.array(largest.exterior.coords)[:-1], ink, fill, 1.8, dashed=dashed, tag="" if dashed else "face:bottom"
    )


def _nearest(near: Approach, view: View, middle: float, units: Family) -> list[Item]:
    """A ring at the nearest approach, with its figure in the view where it is seen longest."""
    ink = "stop" if near.spare_mm < -TINY_MM else "accent"
    ends = np.stack([near.at, near.to])
    p = view.flat(ends)[0]
    ring = Circle(p, 8.0, ink, None, 1.6)
    if view is not max((SIDE, ABOVE, REAR), key=lambda v: float(np.linalg.norm(np.diff(v.flat(ends), axis=0)))):
        return [ring]
    said = f"{show(near.mm, 'length', units, places=1)}, {show(near.wants_mm, 'length', units)} wanted"
    side, inward = ("r", -6) if p[0] > middle else ("l", 6)
    return [ring, Label(p, f"{near.what}: {said}", 10, ink, side, bold=True, shift=(inward, 14), badge="paper")]


def _gap(near: Approach, view: View, middle: float, units: Family) -> list[Item]:
    """How near the tank comes to a thing, as a dimension where it is seen longest."""
    ends = np.stack([near.at, near.to])
    if view is not max((SIDE, ABOVE, REAR), key=lambda v: float(np.linalg.norm(np.diff(v.flat(ends), axis=0)))):
        return []
    p, q = view.flat(ends)
    side = "r" if p[0] > middle else "l"
    return [
        line(p, q, "dim", 2.0),
        Label((p + q) / 2, show(near.mm, "length", units, places=1), 9, "dim", side, badge="paper"),
    ]


def _stations(space: MeasuredSpace, units: Family) -> list[Item]:
    """Where each station stands, to be typed in the drawing."""
    if not isinstance(space, StationSpace):
        return []
    low = float(space.cavity.low.min())
    return [
        Label(
            np.array([s.x_mm, low]),
            show(s.x_mm, "length", units, unit=False),
            8.5,
            "dim",
            shift=(0, -10),
            tag=f"edit:space.stations.{k}.x_mm",
        )
        for k, s in list(enumerate(space.stations))[:: -(-len(space.stations) // MOST_PLACES)]
    ]


def _sizes(space: MeasuredSpace, units: Family) -> list[Item]:
    low, high = space.cavity.bounds
    depth, height = (float(v) for v in (high - low)[[0, 2]])
    tags = ("", "")
    if isinstance(space, MeasuredBox):
        depth, height, tags = space.depth.mm, space.height.mm, ("edit:space.depth", "edit:space.height")
    spots = np.array([[low[0], high[2]], [high[0], high[2]], [high[0], low[2]]])
    return [
        Dim(spots[0], spots[1], show(depth, "length", units), 20, tag=tags[0]),
        Dim(spots[1], spots[2], show(height, "length", units), 22, tag=tags[1]),
    ]
