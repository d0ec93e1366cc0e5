"""Flat views of the tank: from the side, from the end and from above, with fluid, baffles, fittings and live dimensions."""

from __future__ import annotations

import numpy as np
from shapely import polygonize, union_all
from shapely.geometry import LineString, MultiPoint, Polygon
from shapely.geometry import box as rectangle

from bathyx.core.evaluate import Evaluation
from bathyx.core.geometry.outline import offset_polygon, polygon_area
from bathyx.core.geometry.shell import Array, Shell
from bathyx.core.geometry.skin import outside_of
from bathyx.core.inside.baffles import AXIS_INDEX, Axis, Plate, section, sections
from bathyx.core.inside.fittings import inlets, seat
from bathyx.core.units import Family, show
from bathyx.draft.fitting_view import fitting_on, fitting_side
from bathyx.draft.laid_view import laid_end, laid_plan, laid_side
from bathyx.draft.picture import Circle, Dim, Item, Label, Picture, Poly, box, line, side_by_side, stacked

JOIN_MM = 0.05
UPRIGHT = {"side": (0, 2), "end": (1, 2)}


def tank_view(e: Evaluation, units: Family, *, across: bool = False) -> Picture:
    """Side and end view with the sizes that make the tank, each one live; one above the other, or `across` a page."""
    views = [side_view(e, units), end_view(e, units)]
    size = np.ptp(e.results.shell.vertices, axis=0)
    if across:
        return side_by_side(views, 0.25 * float(size[0] + size[1]))
    high = float(e.results.shell.bounds[1][2])
    above = any(d.view == "end" and d.start[2] > high - 1 and d.end[2] > high - 1 for d in e.job.tank.dims())
    return stacked(views, (1.2 if above else 0.85) * float(size[2]))


def side_view(e: Evaluation, units: Family, *, dims: bool = True) -> Picture:
    """Cut along its middle, or where more of it shows, seen from the left end: x to the right, z up."""
    shell = e.results.shell
    low, high = shell.bounds
    middle = float(low[1] + high[1]) / 2
    sump = e.job.tank.sump
    spots = [middle, middle - (high[1] - low[1]) / 4, middle + (high[1] - low[1]) / 4, *([sump.y_mm] if sump else [])]
    best = middle
    if not _alike_across(shell):
        areas = [abs(polygon_area(section(shell, "y", float(y) + 0.01))) for y in spots]
        best = spots[max(range(len(spots)), key=lambda k: areas[k] * (1.001 if k == 0 else 1.0))]
    words = "inside sizes, from the left, front at left"
    if best != middle:
        words = f"cut {show(float(best), 'length', units)} from the left, front at left"
    return _cut_view(e, units, "side", float(best), words, dims)


def _alike_across(shell: Shell) -> bool:
    """Whether every cut across y is the same: flat walls that all run along y, between two ends."""
    across = [abs(float(face.normal[1])) if face.kind == "plane" else 0.5 for face in shell.faces]
    return sum(y > 1 - 1e-9 for y in across) == 2 and all(y > 1 - 1e-9 or y < 1e-9 for y in across)


def end_view(e: Evaluation, units: Family, *, dims: bool = True) -> Picture:
    """The tank seen from the rear, cut at the middle: y to the right, z up."""
    low, high = e.results.shell.bounds
    return _cut_view(e, units, "end", float(low[0] + high[0]) / 2, "inside sizes, cut across, left end at left", dims)


def _cut_view(e: Evaluation, units: Family, view: str, at_mm: float, words: str, dims: bool) -> Picture:
    tank, r = e.job.tank, e.results
    cut: Axis = "y" if view == "side" else "x"
    axis = UPRIGHT[view][0]
    outline = whole_section(r.shell, cut, at_mm + 0.01)
    items = _walls(e, outline, axis, at_mm)
    for plate in r.plates:
        if AXIS_INDEX[plate.axis] == axis:
            low, high = plate.outline.bounds
            items.append(_plate_edge(plate, low[1], high[1], e, f"baffle:{plate.name}"))
    items += laid_side(e) if view == "side" else laid_end(e)
    items += _stubs(e, axis)
    items.append(_gravity(e, axis))
    live = [d for d in tank.dims() if d.view == view] if dims else []
    for d in live:
        value = e.job.value_at(f"tank.{d.path}") if d.path else np.linalg.norm(d.end - d.start)
        shown = show(float(value), "length", units)
        p, q = (spot[list(UPRIGHT[view])] for spot in (d.start, d.end))
        items.append(Dim(p, q, shown, d.away, tag=f"edit:tank.{d.path}" if d.path else ""))
    if dims and view == "side":
        items += _handles(e)
    lowest = min([float(outline[:, 1].min()), *(float(d.start[2]) for d in live)])
    foot = np.array([float(outline[:, 0].min() + outline[:, 0].max()) / 2, lowest])
    far = max((d.away for d in live), default=34)
    items.append(Label(foot, words, 9, "quiet", shift=(0, -28 - far)))
    return Picture(tuple(items))


def whole_section(shell: Shell, axis: Axis, at_mm: float) -> Array:
    """(n, 2) the inside outline of a cut with what hangs under the floor."""
    from shapely import union_all

    parts = [Polygon(loop).buffer(JOIN_MM) for loop in sections(shell, axis, at_mm) if abs(polygon_area(loop)) > 1]
    if len(parts) < 2:
        return section(shell, axis, at_mm)
    whole = union_all(parts).buffer(-JOIN_MM, join_style="mitre")
    largest = max(getattr(whole, "geoms", [whole]), key=lambda g: g.area)
    return np.array(largest.exterior.coords)[:-1][::-1]


def plan_view(e: Evaluation, units: Family) -> Picture:
    """From above, y upward from the left end at the bottom: baffles with live places, fittings, bays."""
    r = e.results
    t = r.sheet.thickness_mm
    length = float(r.shell.bounds[1][0])
    plan = np.array(MultiPoint(r.shell.vertices[:, :2]).convex_hull.exterior.coords)[:-1][::-1]
    items: list[Item] = [
        Poly(offset_polygon(plan, np.full(len(plan), t)), "skin", "skin", 1.0),
        Poly(plan, "ink", "fluid", 1.0),
    ]
    for face in r.shell.faces:
        if face.kind == "plane" and face.role != "roof" and face.normal[2] > 0.1:
            items.append(Poly(face.loop[:, :2], "thin", "slope", 0.8, tag=f"face:{face.id}"))
    for edge in r.shell.edges:
        if len(edge.line) > 2:
            items.append(Poly(edge.line[:, :2], "thin", None, 0.7, False))
        elif abs(edge.start[1] - edge.end[1]) > 1:
            hidden = edge.start[2] < r.shell.bounds[1][2] - 1
            items.append(line(edge.start[:2], edge.end[:2], "thin", 0.7, dashed=bool(hidden)))
    for plate in r.plates:
        items.append(_plate_plan(plate, t))
        middle = plate.outline.faceted.mean(axis=0)
        at = np.array([plate.at_mm, middle[0]]) if plate.axis == "x" else np.array([middle[0], plate.at_mm])
        items.append(Label(at, plate.name, 10, "paper", bold=True, badge="baffle", tag=f"baffle:{plate.name}"))
    items += laid_plan(e)
    items += _fittings_plan(e)
    items += _bays_plan(e, units)
    items.append(Label(np.array([length / 2, 0.0]), "from above, front at left", 9, "quiet", shift=(0, -24)))
    return Picture(tuple(items))


def _fittings_plan(e: Evaluation) -> list[Item]:
    """Fittings from above: on the roof with their rings, under it as thin circles."""
    shell, items = e.results.shell, list[Item]()
    for fitting in e.job.inside.fittings:
        spot = seat(shell, fitting)
        if spot is None:
            continue
        looks_up = float(shell.by_id[fitting.face].normal_at(spot)[2])
        upright = abs(looks_up) < 0.3
        tag = f"fitting:{fitting.id}"
        if upright:
            items.append(Circle(spot[:2], fitting.hole_mm / 2 or fitting.rim_mm, "hole", None, 1.0, tag))
        else:
            top = looks_up > 0
            if top:
                items += fitting_on(fitting, spot[:2], tag)
            else:
                items.append(Circle(spot[:2], fitting.hole_mm / 2 or fitting.rim_mm, "hole", None, 0.8, tag))
        if fitting.hole_mm >= 70:
            items.append(Label(spot[:2], fitting.id, 10, "ink", tag=tag))
        else:
            far = max(fitting.hole_mm, fitting.ring_od_mm) / 2
            items.append(Label(spot[:2] - [0.0, far], fitting.id, 10, "ink", shift=(0, -8), tag=tag))
    return items


def _bays_plan(e: Evaluation, units: Family) -> list[Item]:
    """Lengths of the bays, live but for the last each way."""
    r, items = e.results, list[Item]()
    length, width = (float(x) for x in r.shell.bounds[1][:2])
    for axis, spans in (("x", [b for b in r.bays if b.axis == "x"]), ("y", [b for b in r.bays if b.axis == "y"])):
        for k, bay in enumerate(spans):
            p, q = (np.array([bay.start_mm, width]), np.array([bay.end_mm, width]))
            if axis == "y":
                p, q = np.array([length, bay.end_mm]), np.array([length, bay.start_mm])
            live = f"edit:baffle.{axis}.{k}" if k < len(spans) - 1 else ""
            items.append(Dim(p, q, show(bay.length_mm, "length", units), 20, tag=live))
    return items


def _handles(e: Evaluation) -> list[Item]:
    """What may be dragged: corners as rings, middles of sides as dots that make a new one."""
    low, high = e.results.shell.bounds
    reach = 0.016 * float(max(high[0] - low[0], high[2] - low[2]))
    items: list[Item] = []
    for tag, spot in e.job.tank.handles():
        corner = tag.startswith("corner")
        fill = "paper" if corner else "dim"
        items.append(Circle(spot[[0, 2]], reach * (1.0 if corner else 0.45), "dim", fill, 1.6, tag))
    return items


def _gravity(e: Evaluation, axis: int) -> Label:
    """Where the weight of the full tank sits."""
    centre = e.results.weight.centre
    return Label(np.array([centre[axis], centre[2]]), "G", 9, "paper", bold=True, badge="ink", tag="gravity")


def _walls(e: Evaluation, outline: Array, axis: int, at_mm: float) -> list[Item]:
    """Skin, empty inside, and fluid to the fill level of one section."""
    items: list[Item] = [Poly(_outer(e, outline, axis, at_mm), "skin", "skin", 1.0), Poly(outline, "ink", "paper", 1.0)]
    held = e.results.capacity
    items += [Poly(wet, "fluid line", "fluid", 1.0) for wet in _below(outline, held.fill_level_mm)]
    left: list[tuple[float, float | None]] = [(held.dead_level_mm, None)]
    if held.left:
        # Of pools beside one another only the nearest to the cut lies in it.
        off = [abs(float(spot[1 - axis]) - at_mm) if axis == 0 else 0.0 for *_, spot in held.left]
        left = [
            (level, float(spot[axis]))
            for (_, level, spot), away in zip(held.left, off, strict=True)
            if away <= min(off) + 1.0
        ]
    for level, at in left:
        for wet in _below(outline, level):
            if at is None or wet[:, 0].min() - 1 <= at <= wet[:, 0].max() + 1:
                items.append(Poly(wet, "dead", "dead", 1.0))
    return items


def _outer(e: Evaluation, outline: Array, axis: int, at_mm: float) -> Array:
    """(n, 2) the outside in one section: panels of their own thickness as thick as they are."""
    skins = e.results.skins
    if skins.own:
        skin = outside_of(e.results.shell, skins.base_mm, skins.own)
        across = 1 - axis
        lines = []
        for triangle in skin:
            off = triangle[:, across] - at_mm
            spots = [
                triangle[k] + (triangle[(k + 1) % 3] - triangle[k]) * off[k] / (off[k] - off[(k + 1) % 3])
                for k in range(3)
                if (off[k] < 0) != (off[(k + 1) % 3] < 0)
            ]
            if len(spots) == 2:
                lines.append(LineString([(float(p[axis]), float(p[2])) for p in spots]))
        rings = polygonize([union_all(lines, grid_size=1e-4)]).geoms
        if len(rings):
            return np.array(max(rings, key=lambda ring: float(ring.area)).exterior.coords)[:-1]
    return np.asarray(offset_polygon(outline, np.full(len(outline), skins.base_mm)))


def _below(outline: Array, level: float) -> list[Array]:
    """The pieces of a section below a level, each (n, 2)."""
    low = outline.min(axis=0)
    if level <= low[1] + 0.5:
        return []
    under = Polygon(outline).intersection(rectangle(low[0] - 1, low[1] - 1, float(outline[:, 0].max()) + 1, level))
    parts = getattr(under, "geoms", [under])
    return [np.array(p.exterior.coords)[:-1] for p in parts if p.geom_type == "Polygon" and p.area > 1]


def _plate_edge(plate: Plate, low: float, high: float, e: Evaluation, tag: str) -> Poly:
    t = e.results.sheet.thickness_mm
    return box(plate.at_mm - t / 2, float(low), t, float(high - low), "baffle", "baffle", 1.5, tag=tag)


def _plate_plan(plate: Plate, t: float) -> Poly:
    low, high = plate.outline.bounds
    run = float(high[0] - low[0])
    tag = f"baffle:{plate.name}"
    if plate.axis == "x":
        return box(plate.at_mm - t / 2, float(low[0]), t, run, "baffle", "baffle", 2.0, tag=tag)
    return box(float(low[0]), plate.at_mm - t / 2, run, t, "baffle", "baffle", 2.0, tag=tag)


def _stubs(e: Evaluation, axis: int) -> list[Item]:
    """Fittings on top as necks, pickup tubes down to their inlet, drains below."""
    items: list[Item] = []
    shell, t = e.results.shell, e.results.sheet.thickness_mm
    depth = {f.id: spot for f, spot in inlets(shell, e.job.inside.fittings)}
    for f in e.job.inside.fittings:
        spot = seat(shell, f)
        if spot is None:
            continue
        up = float(shell.by_id[f.face].normal_at(spot)[2])
        if abs(up) < 0.7:
            continue
        x, z, tag = float(spot[axis]), float(spot[2]), f"fitting:{f.id}"
        way = 1.0 if up > 0 else -1.0
        items += fitting_side(f, np.array([x, z + way * t]), way, tag)
        if f.id in depth and up > 0:
            foot = float(depth[f.id][2])
            items.append(box(x - f.tube_od_mm / 2, foot, f.tube_od_mm, z - foot, "hole", "paper", 0.8, tag=tag))
    return items
