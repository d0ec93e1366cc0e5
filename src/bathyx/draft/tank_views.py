"""Flat views of the tank: from the side, from the end and from above, with fluid, baffles, fittings and live dimensions."""

from __future__ import annotations

import numpy as np

from bathyx.core.evaluate import Evaluation
from bathyx.core.geometry.clip import clip_loop
from bathyx.core.geometry.outline import offset_polygon
from bathyx.core.geometry.shell import Array
from bathyx.core.inside.baffles import Plate, section
from bathyx.core.inside.fittings import inlets, seat
from bathyx.core.units import Family, show
from bathyx.draft.picture import Circle, Dim, Item, Label, Picture, Poly, box, line, side_by_side, stacked

CHAMFER_SPOTS = {"front_bottom": (0, 0), "rear_bottom": (1, 0), "rear_top": (1, 1), "front_top": (0, 1)}


def tank_view(e: Evaluation, units: Family, *, across: bool = False) -> Picture:
    """Side and end view with the sizes that make the tank, each one live; one above the other, or `across` a page."""
    views = [side_view(e, units), end_view(e, units)]
    size = e.job.tank
    if across:
        return side_by_side(views, 0.25 * (size.length_mm + size.width_mm))
    return stacked(views, 0.85 * size.height_mm)


def side_view(e: Evaluation, units: Family, *, dims: bool = True) -> Picture:
    """The profile seen from the left end: x to the right, z up."""
    tank, r = e.job.tank, e.results
    crowded = tank.jog is not None or any("bottom" in c.corner for c in tank.chamfers)
    outline = r.shell.by_id["left end"].loop[:, [0, 2]]
    items = _walls(e, outline)
    for plate in r.plates:
        if plate.axis == "x":
            low, high = plate.outline.bounds
            items.append(_plate_edge(plate, low[1], high[1], e, f"baffle:{plate.name}"))
    items += _stubs(e, 0)
    items.append(_gravity(e, 0))
    if dims:
        length, height = tank.length_mm, tank.height_mm
        items += [
            Dim(
                np.array([length, 0.0]),
                np.array([0.0, 0.0]),
                show(length, "length", units),
                50 if crowded else 34,
                tag="edit:tank.length_mm",
            ),
            Dim(
                np.array([0.0, 0.0]),
                np.array([0.0, height]),
                show(height, "length", units),
                34,
                tag="edit:tank.height_mm",
            ),
        ]
        items += _profile_dims(e, units)
    items.append(
        Label(
            np.array([tank.length_mm / 2, 0.0]),
            "inside sizes, from the left, front at left",
            9,
            "quiet",
            shift=(0, -74 if crowded else -62),
        )
    )
    return Picture(tuple(items))


def _profile_dims(e: Evaluation, units: Family) -> list[Item]:
    tank = e.job.tank
    length, height = tank.length_mm, tank.height_mm
    items: list[Item] = []
    for i, c in enumerate(tank.chamfers):
        right, top = CHAMFER_SPOTS[c.corner]
        x, z = right * length, top * height
        if tank.jog and not top and (tank.jog.end == "front") == (right == 0):
            z += tank.jog.rise_mm
        inx, inz = (x - c.along_mm if right else x + c.along_mm), (z - c.up_mm if top else z + c.up_mm)
        level = (np.array([min(x, inx), z]), np.array([max(x, inx), z]))
        upright = (np.array([x, min(z, inz)]), np.array([x, max(z, inz)]))
        items.append(
            Dim(
                *(level if top else level[::-1]),
                show(c.along_mm, "length", units),
                16,
                tag=f"edit:tank.chamfers.{i}.along_mm",
            )
        )
        items.append(
            Dim(
                *(upright[::-1] if right else upright),
                show(c.up_mm, "length", units),
                16,
                tag=f"edit:tank.chamfers.{i}.up_mm",
            )
        )
    if tank.jog:
        jog = tank.jog
        x0, x1 = (0.0, jog.length_mm) if jog.end == "front" else (length - jog.length_mm, length)
        x, way = (length, 1) if jog.end == "rear" else (0.0, -1)
        foot, head = np.array([x, 0.0]), np.array([x, jog.rise_mm])
        items.append(
            Dim(
                np.array([x1, 0.0]),
                np.array([x0, 0.0]),
                show(jog.length_mm, "length", units),
                14,
                tag="edit:tank.jog.length_mm",
            )
        )
        items.append(
            Dim(
                *((head, foot) if way > 0 else (foot, head)),
                show(jog.rise_mm, "length", units),
                16,
                tag="edit:tank.jog.rise_mm",
            )
        )
    return items


def end_view(e: Evaluation, units: Family, *, dims: bool = True) -> Picture:
    """The tank seen from the rear, cut at the middle: y to the right, z up."""
    tank, r = e.job.tank, e.results
    outline = section(r.shell, "x", tank.length_mm * 0.5 + 0.01)
    items = _walls(e, outline)
    for plate in r.plates:
        if plate.axis == "y":
            low, high = plate.outline.bounds
            items.append(_plate_edge(plate, low[1], high[1], e, f"baffle:{plate.name}"))
    items += _stubs(e, 1)
    items.append(_gravity(e, 1))
    if dims:
        items.append(
            Dim(
                np.array([tank.width_mm, outline[:, 1].min()]),
                np.array([0.0, outline[:, 1].min()]),
                show(tank.width_mm, "length", units),
                34,
                tag="edit:tank.width_mm",
            )
        )
    items.append(
        Label(
            np.array([tank.width_mm / 2, outline[:, 1].min()]),
            "inside sizes, cut across, left end at left",
            9,
            "quiet",
            shift=(0, -62),
        )
    )
    return Picture(tuple(items))


def plan_view(e: Evaluation, units: Family) -> Picture:
    """From above, y upward from the left end at the bottom: baffles with live places, fittings, bays."""
    tank, r = e.job.tank, e.results
    t = r.sheet.thickness_mm
    length, width = tank.length_mm, tank.width_mm
    items: list[Item] = [
        box(-t, -t, length + 2 * t, width + 2 * t, "skin", "skin", 1.0),
        box(0, 0, length, width, "ink", "fluid", 1.0),
    ]
    for face in r.shell.faces:
        if face.normal[2] > 0.1 and face.id != "top":
            items.append(Poly(face.loop[:, :2], "thin", "slope", 0.8, tag=f"face:{face.id}"))
    for edge in r.shell.edges:
        if abs(edge.start[1] - edge.end[1]) > 1:
            hidden = edge.start[2] < tank.height_mm - 1
            items.append(line(edge.start[:2], edge.end[:2], "thin", 0.7, dashed=bool(hidden)))
    for plate in r.plates:
        items.append(_plate_plan(plate, t))
        middle = plate.outline.faceted.mean(axis=0)
        at = np.array([plate.at_mm, middle[0]]) if plate.axis == "x" else np.array([middle[0], plate.at_mm])
        items.append(Label(at, plate.name, 10, "paper", bold=True, badge="baffle", tag=f"baffle:{plate.name}"))
    for fitting in e.job.inside.fittings:
        spot = seat(r.shell, fitting)
        if spot is None:
            continue
        upright = abs(r.shell.by_id[fitting.face].normal[2]) < 0.3
        tag = f"fitting:{fitting.id}"
        if upright:
            items.append(Circle(spot[:2], fitting.hole_mm / 2, "hole", None, 1.0, tag))
        else:
            top = r.shell.by_id[fitting.face].normal[2] > 0
            if fitting.ring_od_mm > fitting.hole_mm and top:
                items.append(Circle(spot[:2], fitting.ring_od_mm / 2, "hole", "ring", 1.0, tag))
            items.append(
                Circle(spot[:2], fitting.hole_mm / 2, "hole", "paper" if top else None, 1.4 if top else 0.8, tag)
            )
        if fitting.hole_mm >= 70:
            items.append(Label(spot[:2], fitting.id, 10, "ink", tag=tag))
        else:
            far = max(fitting.hole_mm, fitting.ring_od_mm) / 2
            items.append(Label(spot[:2] - [0.0, far], fitting.id, 10, "ink", shift=(0, -8), tag=tag))
    for axis, spans in (("x", [b for b in r.bays if b.axis == "x"]), ("y", [b for b in r.bays if b.axis == "y"])):
        for k, bay in enumerate(spans):
            p, q = (np.array([bay.start_mm, width]), np.array([bay.end_mm, width]))
            if axis == "y":
                p, q = np.array([length, bay.end_mm]), np.array([length, bay.start_mm])
            live = f"edit:baffle.{axis}.{k}" if k < len(spans) - 1 else ""
            items.append(Dim(p, q, show(bay.length_mm, "length", units), 20, tag=live))
    items.append(Label(np.array([length / 2, 0.0]), "from above, front at left", 9, "quiet", shift=(0, -24)))
    return Picture(tuple(items))


def _gravity(e: Evaluation, axis: int) -> Label:
    """Where the weight of the full tank sits."""
    centre = e.results.weight.centre
    return Label(np.array([centre[axis], centre[2]]), "G", 9, "paper", bold=True, badge="ink", tag="gravity")


def _walls(e: Evaluation, outline: Array) -> list[Item]:
    """Skin, empty inside, and fluid to the fill level of one section."""
    t = e.results.sheet.thickness_mm
    items: list[Item] = [
        Poly(offset_polygon(outline, np.full(len(outline), t)), "skin", "skin", 1.0),
        Poly(outline, "ink", "paper", 1.0),
    ]
    for level, ink, fill in (
        (e.results.capacity.fill_level_mm, "fluid line", "fluid"),
        (e.results.capacity.dead_level_mm, "dead", "dead"),
    ):
        wet = _below(outline, level)
        if len(wet) and level > outline[:, 1].min() + 0.5:
            items.append(Poly(wet, ink, fill, 1.0))
    return items


def _below(outline: Array, level: float) -> Array:
    flat = np.column_stack([outline[:, 0], np.zeros(len(outline)), outline[:, 1]])
    return clip_loop(flat, np.array([0.0, 0.0, level]), np.array([0.0, 0.0, 1.0]))[:, [0, 2]]


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
        up = float(shell.by_id[f.face].normal[2])
        if abs(up) < 0.7:
            continue
        x, z, tag = float(spot[axis]), float(spot[2]), f"fitting:{f.id}"
        tall = (18.0 if f.kind in ("filler", "inspection") else 12.0) * (1 if up > 0 else -1)
        od = max(f.ring_od_mm, f.hole_mm)
        items.append(box(x - od / 2, z + (t if up > 0 else -t), od, tall * 0.5, "hole", "ring", 0.8, tag=tag))
        items.append(box(x - f.hole_mm / 2, z + (t if up > 0 else -t), f.hole_mm, tall, "hole", "paper", 0.8, tag=tag))
        if f.id in depth and up > 0:
            foot = float(depth[f.id][2])
            items.append(box(x - f.hole_mm / 2, foot, f.hole_mm, z - foot, "hole", "paper", 0.8, tag=tag))
    return items
