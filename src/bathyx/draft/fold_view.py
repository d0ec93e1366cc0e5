"""The blanks on their way from the flat sheet to the tank, in the round: flats and bends painted back to front."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from bathyx.core.evaluate import Evaluation
from bathyx.core.geometry.shell import Array
from bathyx.core.sheet.bending.fold import folded
from bathyx.core.sheet.bending.on_brake import ToolsAt
from bathyx.core.sheet.bending.order import shares_at, tools_at, usual_order
from bathyx.core.sheet.cutting.list_for_yard import bend_orders
from bathyx.core.sheet.flat.laid import laid_pieces
from bathyx.draft.picture import Circle, Item, Label, Picture, Poly

APART = 0.7
Flatten = Callable[[Array], Array]


def fold_view(e: Evaluation, axes: tuple[Array, Array, Array], share: float) -> Picture:
    """Every piece of flat faces, as far folded; pieces stand off the tank and come together as they are folded.

    Args:
        e: the evaluated job.
        axes: (right, up, into the picture), each (3,).
        share: 0 flat, 1 the tank; bends are made one after another, all pieces alike.
    """
    r, brake = e.results, e.job.makeup.brake
    right, up, into = axes
    size = float(np.ptp(r.panelled.vertices, axis=0).max())
    found: list[tuple[float, Item]] = []

    def flat(points: Array) -> Array:
        return np.stack([points @ right, points @ up], axis=-1)

    orders = bend_orders(r.panelled, r.roles, r.skins, r.rule, brake)
    for laid in laid_pieces(r.panelled, r.roles, r.skins, r.rule):
        order = orders.get(tuple(laid.lays)) or usual_order(laid)
        piece = folded(laid, r.panelled, r.rule, shares_at(laid, share, order))
        apart = r.panelled.by_id[next(iter(laid.lays))].normal * (1 - share) * APART * size
        for name, placed in piece.faces.items():
            loop = placed.points(laid.cores[name]) + apart
            inside = float(placed.turn[2] @ into) < 0
            fill = "sheet" if inside else f"wall {_shade(placed.turn[2])}"
            found.append((float(loop.mean(axis=0) @ into), Poly(flat(loop), "ink", fill, 1.2, tag=f"face:{name}")))
        for quads in (strip + apart for strip in (*piece.strips.values(), *piece.flanges.values())):
            found += [(float(q.mean(axis=0) @ into), Poly(flat(q), "bend up", "baffle", 0.6)) for q in quads]
        tools = tools_at(laid, r.panelled, r.rule, brake, order, share)
        if tools is not None:
            found += _tools(tools, apart, flat, into, brake.named)
    return Picture(tuple(item for _, item in sorted(found, key=lambda pair: -pair[0])))


def _tools(at: ToolsAt, apart: Array, flat: Flatten, into: Array, named: str) -> list[tuple[float, Item]]:
    """The tools as their sections at both ends with lines between, and marks where the piece stands in them."""
    struck = len(at.hits) > 0
    ink, width = ("stop", 1.8) if struck else ("quiet", 1.0)
    found: list[tuple[float, Item]] = []
    for tool, ends in at.tools:
        if tool.runs_on:  # ram, die and bed would hide the piece
            continue
        near, far = ends + apart
        sides = [near, far, *(np.array([p, q]) for p, q in zip(near, far, strict=True))]
        found += [(float(side.mean(axis=0) @ into), Poly(flat(side), ink, None, width)) for side in sides]
    spots = at.hits + apart
    if struck:
        middle = flat(spots.mean(axis=0))
        found += [(-1e9, Circle(flat(spot), 3.0, "stop", "stop", 1.0)) for spot in spots[:: max(1, len(spots) // 12)]]
        found.append((-1e9, Label(middle, f"hits the {named}", 10, "paper", bold=True, badge="stop", shift=(0, 14))))
    return found


def _shade(normal: Array) -> int:
    return min(3, int(4 * abs(float(normal @ np.array([0.35, 0.5, 0.79])))))
