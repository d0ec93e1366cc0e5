"""One piece as it looks when it is bent, in the round: its faces and bends, painted back to front."""

from __future__ import annotations

import numpy as np

from bathyx.core.evaluate import Evaluation
from bathyx.core.sheet.bending.fold import folded
from bathyx.core.sheet.bending.order import shares_at
from bathyx.core.sheet.flat.blank import Blank
from bathyx.core.sheet.flat.laid import laid_pieces
from bathyx.draft.picture import Item, Label, Picture, Poly
from bathyx.draft.solid_view import Eye


def part_view(e: Evaluation, blank: Blank) -> Picture | None:
    """The folded piece of a blank with bends; None for one that stays flat, is rolled, or is not laid out of flat faces.

    Args:
        e: the evaluated job.
        blank: one of its blanks.
    """
    r = e.results
    laid = next(
        (piece for piece in laid_pieces(r.panelled, r.roles, r.skins, r.rule) if tuple(piece.lays) == blank.faces), None
    )
    if laid is None or not blank.bends:
        return None
    right, up, into = Eye().axes
    piece = folded(laid, r.panelled, r.rule, shares_at(laid, 1.0))
    found: list[tuple[float, Item]] = []
    names: list[Item] = []
    for name, placed in piece.faces.items():
        loop = placed.points(laid.cores[name])
        inside = float(placed.turn[2] @ into) < 0
        flat = np.stack([loop @ right, loop @ up], axis=-1)
        found.append((float(loop.mean(axis=0) @ into), Poly(flat, "ink", "sheet" if inside else "wall 2", 1.0)))
        names.append(Label(flat.mean(axis=0), name, 9, "quiet"))
    for quads in (*piece.strips.values(), *piece.flanges.values()):
        found += [
            (float(q.mean(axis=0) @ into), Poly(np.stack([q @ right, q @ up], axis=-1), "bend up", "baffle", 0.5))
            for q in quads
        ]
    return Picture((*(item for _, item in sorted(found, key=lambda pair: -pair[0])), *names))
