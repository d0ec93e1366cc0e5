"""A tank on a slope: cut along and across as it stands, its surface as it lies then, and what happens at which volume."""

from __future__ import annotations

import math

import numpy as np
from shapely.geometry import Polygon

from bathyx.core.capacity.leaning import Leaning
from bathyx.core.evaluate import Evaluation
from bathyx.core.geometry.outline import offset_polygon
from bathyx.core.geometry.shell import Array
from bathyx.core.inside.fittings import Fitting, inlets, seat
from bathyx.core.units import Family, show
from bathyx.draft.picture import Circle, Item, Label, Picture, Poly, box, stacked
from bathyx.draft.tank_views import whole_section

ROW_PX, FIGURE_PX = 19.0, 84.0


def leaning_view(e: Evaluation, units: Family, now: Leaning, other: tuple[str, Leaning] | None = None) -> Picture:
    """The two cuts, one above the other, and under them what is uncovered and flooded at which volume.

    Args:
        e: the evaluated job.
        units: metric or US.
        now: how it stands.
        other: (words, how the tank would stand) with its sump taken away.
    """
    size = np.ptp(e.results.shell.vertices, axis=0)
    cuts = stacked([_cut(e, now, "side"), _cut(e, now, "end")], 0.42 * float(size[2]))
    return Picture((*cuts.items, *_table(now, units, cuts, other)))


def _cut(e: Evaluation, now: Leaning, view: str) -> Picture:
    """A cut through the pickup, or the middle, turned on the page as the machine stands; the surface lies as it does in it."""
    r = e.results
    axis, across = (0, 1) if view == "side" else (1, 0)
    low, high = r.shell.bounds
    inlet = next((spot for f, spot in inlets(r.shell, e.job.inside.fittings) if f.does == "pickup"), (low + high) / 2)
    middle = float(inlet[across])
    outline = whole_section(r.shell, "y" if view == "side" else "x", middle + 0.01)
    lean = math.radians(now.stance.trim_deg if view == "side" else -now.stance.heel_deg)
    turn = np.array([[math.cos(lean), math.sin(lean)], [-math.sin(lean), math.cos(lean)]])
    centre = outline.mean(axis=0)

    def placed(points: Array) -> Array:
        return np.asarray((points - centre) @ turn.T)

    items: list[Item] = [
        Poly(placed(offset_polygon(outline, np.full(len(outline), r.sheet.thickness_mm))), "skin", "skin", 1.0),
        Poly(placed(outline), "ink", "paper", 1.0),
    ]
    normal, level = now.up[[axis, 2]], now.level_mm - now.up[across] * middle
    for wet in below(outline, normal, level):
        items.append(Poly(placed(wet), "fluid line", "fluid", 1.0))
    items += _spots(e, now, axis, placed)
    foot = float(placed(outline)[:, 1].min())
    words = {"side": "from the left, front at left", "end": "from the rear, left at left"}[view]
    items.append(Label(np.array([0.0, foot]), words, 9, "quiet", shift=(0, -16)))
    return Picture(tuple(items))


def below(outline: Array, normal: Array, level: float) -> list[Array]:
    """What of an outline lies below the surface normal·p = level."""
    long = float(np.linalg.norm(normal))
    if long < 1e-9:
        return []
    n, reach = normal / long, 4 * float(np.abs(outline).max() + np.ptp(outline, axis=0).max() + 1)
    foot, way = n * level / long, np.array([-n[1], n[0]])
    half = Polygon(
        [foot + way * reach, foot - way * reach, foot - way * reach - n * reach, foot + way * reach - n * reach]
    )
    under = Polygon(outline).buffer(0).intersection(half)
    return [
        np.array(p.exterior.coords)[:-1]
        for p in getattr(under, "geoms", [under])
        if p.geom_type == "Polygon" and p.area > 1
    ]


def _spots(e: Evaluation, now: Leaning, axis: int, placed: object) -> list[Item]:
    """Inlets of pickups and seats of vents: red where a pickup sucks air or a vent is under."""
    shell, items = e.results.shell, list[Item]()
    assert callable(placed)
    dry = {name for name, left in now.pickups if left > now.litres + 1e-6}
    under = {name for name, floods in now.vents if floods < now.litres - 1e-6}
    pickups = {f.id: spot for f, spot in inlets(shell, e.job.inside.fittings) if f.does == "pickup"}
    marks: list[tuple[Fitting, Array, bool]] = [
        (f, pickups[f.id], f.id in dry) for f in e.job.inside.fittings if f.id in pickups
    ]
    names = {name for name, _ in now.vents}
    marks += [
        (f, spot, f.id in under)
        for f in e.job.inside.fittings
        if f.id in names and (spot := seat(shell, f)) is not None
    ]
    reach = 0.012 * float(np.ptp(shell.vertices, axis=0).max())
    for fitting, spot, bad in marks:
        at = placed(spot[[axis, 2]][None])[0]
        ink = "stop" if bad else "hole"
        items.append(Circle(at, reach, ink, "stop fill" if bad else "paper", 1.6, f"fitting:{fitting.id}"))
        up = fitting.does != "pickup"
        items.append(Label(at, fitting.id, 9, ink, "c", bold=bad, shift=(0, 11 if up else -11), badge="paper"))
    return items


def _table(now: Leaning, units: Family, cuts: Picture, other: tuple[str, Leaning] | None) -> list[Item]:
    """Rows under the cuts: usable, then from the lowest volume up what happens at it; a second column for the other tank."""
    left, bottom, right, top = cuts.bounds
    tall = 0.3 * (top - bottom)
    foot, wide = bottom - 0.12 * (top - bottom), right - left
    items: list[Item] = [box(left, foot - tall, wide, tall, None, None, 0)]
    held = [now] if other is None else [now, other[1]]
    rows = [("usable of the fill", [show(h.usable_l, "volume", units) for h in held], "ink")]
    kept = [dict(h.pickups) | dict(h.vents) for h in held]
    told = [(v, f"{name} sucks air", v > now.litres + 1e-6, name) for name, v in now.pickups]
    told += [(v, f"{name} under", v < now.litres - 1e-6, name) for name, v in now.vents]
    for _, words, bad, name in sorted(told):
        figures = [show(k[name], "volume", units) if name in k else "none" for k in kept]
        rows.append((words, figures, "stop" if bad else "ink"))
    spot = np.array([left, foot])
    for k, (words, figures, ink) in enumerate(rows):
        down = -ROW_PX * (k + 1)
        for n, figure in enumerate(figures):
            across = FIGURE_PX * (n + 1)
            items.append(Label(spot, figure, 14 if k == 0 else 11, ink, "r", bold=True, shift=(across, down)))
        items.append(Label(spot, words, 10, ink, "l", shift=(FIGURE_PX * len(figures) + 10, down)))
    if other is not None:
        for n, words in enumerate(("as it is", other[0])):
            items.append(Label(spot, words, 9, "quiet", "r", shift=(FIGURE_PX * (n + 1), 0)))
    return items
