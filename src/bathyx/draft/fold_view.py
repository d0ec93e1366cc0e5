"""The blanks on their way from the flat sheet to the tank, in the round: flats and bends painted back to front."""

from __future__ import annotations

import numpy as np

from bathyx.core.evaluate import Evaluation
from bathyx.core.geometry.shell import Array
from bathyx.core.sheet.fold import folded, shares_at
from bathyx.core.sheet.unfold import laid_pieces
from bathyx.draft.picture import Item, Picture, Poly

APART = 0.7


def fold_view(e: Evaluation, axes: tuple[Array, Array, Array], share: float) -> Picture:
    """Every piece of flat faces, as far folded; pieces stand off the tank and come together as they are folded.

    Args:
        e: the evaluated job.
        axes: (right, up, into the picture), each (3,).
        share: 0 flat, 1 the tank; bends are made one after another, all pieces alike.
    """
    r = e.results
    right, up, into = axes
    size = float(np.ptp(r.panelled.vertices, axis=0).max())
    found: list[tuple[float, Item]] = []

    def flat(points: Array) -> Array:
        return np.stack([points @ right, points @ up], axis=-1)

    for laid in laid_pieces(r.panelled, r.roles, r.skins, r.rule):
        piece = folded(laid, r.panelled, r.rule, shares_at(laid, share))
        apart = r.panelled.by_id[next(iter(laid.lays))].normal * (1 - share) * APART * size
        for name, placed in piece.faces.items():
            loop = placed.points(laid.cores[name]) + apart
            inside = float(placed.turn[2] @ into) < 0
            fill = "sheet" if inside else f"wall {_shade(placed.turn[2])}"
            found.append((float(loop.mean(axis=0) @ into), Poly(flat(loop), "ink", fill, 1.2, tag=f"face:{name}")))
        for quads in (strip + apart for strip in piece.strips.values()):
            found += [(float(q.mean(axis=0) @ into), Poly(flat(q), "bend up", "baffle", 0.6)) for q in quads]
    return Picture(tuple(item for _, item in sorted(found, key=lambda pair: -pair[0])))


def _shade(normal: Array) -> int:
    return min(3, int(4 * abs(float(normal @ np.array([0.35, 0.5, 0.79])))))
