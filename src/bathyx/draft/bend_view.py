"""The bends of a blank in their order, each seen along its line as it is made, with the brake's tools where they are said."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from shapely import Polygon, box

from bathyx.core.evaluate import Evaluation
from bathyx.core.geometry.shell import Array
from bathyx.core.making import making_of
from bathyx.core.sheet.bending.brake_steps import BrakeStep, brake_steps
from bathyx.core.sheet.bending.on_brake import Along, Made
from bathyx.core.sheet.cutting.list_for_yard import bend_orders, bends_along
from bathyx.core.sheet.flat.blank import Blank
from bathyx.core.units import Family, show
from bathyx.draft.picture import Item, Label, Picture, Poly

ROUND, EDGE_ON_MM2, ROW, GAP = 0.12, 5.0, 4, 0.25


def bend_views(e: Evaluation, blank: Blank) -> tuple[Picture, ...]:
    """A picture for each step of a blank, all to one scale; none for one that is not bent, or not laid out of flat faces.

    Args:
        e: the evaluated job.
        blank: one of its blanks.
    """
    r = e.results
    if not making_of(r.sheet).on_brake:
        return ()
    seen = bends_along(r.panelled, r.roles, r.skins, r.rule, e.job.makeup.brake).get(blank.faces, ())
    if not seen:
        return ()
    spots = np.concatenate([face for one in seen for face in one.faces])
    reach = float(np.ptp(spots, axis=0).max())
    pictures = [_picture(one, reach) for one in seen]
    # One frame for all: a picture is as large as its tools and its piece.
    left, bottom = (min(p.bounds[k] for p in pictures) for k in (0, 1))
    right, top = (max(p.bounds[k] for p in pictures) for k in (2, 3))
    frame = Poly(np.array([[left, bottom], [right, bottom], [right, top], [left, top]]), None, None)
    return tuple(Picture((frame, *p.items)) for p in pictures)


def bend_steps(e: Evaluation, blank: Blank) -> tuple[BrakeStep, ...]:
    """The bends of a blank in the order in which they are clear of the brake."""
    r = e.results
    order: tuple[Made, ...] = bend_orders(r.panelled, r.roles, r.skins, r.rule, e.job.makeup.brake).get(blank.faces, ())
    return brake_steps(blank, r.sheet, order)


def said(step: BrakeStep, k: int, units: Family) -> str:
    """A step in a few words: its number, how far it turns and which way, and what the gauge reads."""
    way = "up" if step.bend.up else "down"
    if step.hand:
        return f"{k}: by hand to {step.turn_deg:.0f}° {way}"
    gauge = f", gauge {show(step.gauge_mm, 'cut', units)}" if step.gauge_mm is not None else ", to the line"
    return f"{k}: {step.turn_deg:.0f}° {way}{gauge}"


def bend_strip(e: Evaluation, blank: Blank, units: Family, wide_mm: float) -> Picture:
    """All steps of a blank in rows, as wide as is said, their tops at 0, each with its words under it.

    Args:
        e: the evaluated job.
        blank: one of its blanks.
        units: metric or US.
        wide_mm: of a row.
    """
    pictures = bend_views(e, blank)
    if not pictures:
        return Picture(())
    steps = [step for step in bend_steps(e, blank) if not step.bend.flange]
    left, bottom, right, top = pictures[0].bounds
    columns = min(ROW, len(pictures))
    each = wide_mm / columns
    share = min(each * (1 - GAP) / (right - left), each / (top - bottom))
    high = (top - bottom) * share
    items: list[Item] = []
    for k, (picture, step) in enumerate(zip(pictures, steps, strict=True)):
        x = (k % columns + 0.5) * each - (left + right) / 2 * share
        y = -(k // columns) * high * 1.35 - top * share
        items += [_scaled(item, share, np.array([x, y])) for item in picture.items]
        at = np.array([(k % columns + 0.5) * each, y + bottom * share])
        items.append(Label(at, said(step, k + 1, units), 9, "ink", shift=(0, -9), tag=f"blank:{blank.name}"))
    return Picture(tuple(items))


def _picture(one: Along, reach: float) -> Picture:
    """The piece as it is bent, the tools round it cut off at the piece's own reach."""
    piece = np.concatenate(one.faces)
    low, high = piece.min(axis=0), piece.max(axis=0)
    room = ROUND * reach
    window = box(low[0] - room, min(low[1], 0.0) - room, high[0] + room, max(high[1], 0.0) + room)
    ink = "quiet" if one.clear else "stop"
    items: list[Item] = []
    for tool, ring in one.tools:
        clipped = Polygon(ring).intersection(window)
        for part in getattr(clipped, "geoms", [clipped]):
            if part.geom_type == "Polygon" and not part.is_empty:
                items.append(
                    Poly(np.array(part.exterior.coords)[:-1], ink, "wall 2" if tool.runs_on else "wall 1", 0.7)
                )
    for face in one.faces:
        edge_on = Polygon(face).area < EDGE_ON_MM2
        items.append(Poly(face, "ink", None, 1.8) if edge_on else Poly(face, "quiet", "sheet", 0.6))
    items += [Poly(_line(bend), "bend up", None, 1.8, closed=False) for bend in one.bends]
    return Picture(tuple(items))


def _line(quad: Array) -> Array:
    """A strip of a bend seen along it: from its first side to its last."""
    return np.stack([(quad[0] + quad[1]) / 2, (quad[2] + quad[3]) / 2])


def _scaled(item: Item, share: float, shift: Array) -> Item:
    assert isinstance(item, Poly)
    return replace(item, points=item.points * share + shift)
