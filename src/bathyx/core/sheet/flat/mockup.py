"""A mock-up in card: the outside of the tank laid flat without thickness, with folds, glue tabs and matching numbers."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from shapely.geometry import Polygon

from bathyx.core.geometry.shell import Array, CurvedFace, Face, Shell, close_shell
from bathyx.core.geometry.skin import corners_moved
from bathyx.core.geometry.surfaces import Revolved
from bathyx.core.sheet.bending.rule import BendRule
from bathyx.core.sheet.flat.unfold import FlatPiece, unfold
from bathyx.core.sheet.makeup.roles import NO_SKIN, MakeUp, roles_of
from bathyx.core.tank.family import TankFamily

TAB_MM, LEAST_TAB_MM, STEP_MM = 14.0, 6.0, 16.0
CARD = BendRule(0.0, 0.5)


@dataclass(frozen=True, eq=False)
class CardPiece:
    """A piece of card: its border (n, 2), folds, glue tabs (4, 2), and where each glued edge has its number. `formed`: a head that
    card cannot follow, cut as a disc."""

    name: str
    border: Array
    folds: tuple[tuple[Array, Array, str], ...]
    tabs: tuple[Array, ...]
    numbers: tuple[tuple[Array, int], ...]
    formed: bool = False


def outside_shell(shell: Shell, thickness_mm: float) -> tuple[Shell, bool]:
    """(the shell at the tank's outside, whether it is): corners mitred. One with curved faces stays at its inside size."""
    if any(isinstance(face, CurvedFace) for face in shell.faces):
        return shell, False
    moved = corners_moved(shell, thickness_mm)
    faces = [Face(f.id, moved(f.loop), f.parent, f.role, tuple(moved(hole) for hole in f.holes)) for f in shell.faces]
    return close_shell(faces), True


def card_pieces(
    shell: Shell, makeup: MakeUp, tank: TankFamily, thickness_mm: float
) -> tuple[tuple[CardPiece, ...], bool]:
    """(pieces, whether they are of the tank's outside).

    Args:
        shell: panelled.
        makeup: its bends are folds, its welds glue tabs.
        tank: whose schools say where seams run.
        thickness_mm: of the sheet, by which the outside is larger.

    Raises:
        MakeUpError: as the make-up itself.
    """
    outside, is_outside = outside_shell(shell, thickness_mm)
    roles = roles_of(outside, makeup.plainly(), tank)
    glued = [r for r in roles if r.kind in ("weld", "whole")]
    number = {r.edge.id: k for k, r in enumerate(glued, start=1)}
    flat = unfold(outside, roles, NO_SKIN, CARD)
    borders = [Polygon(piece.outline.faceted) for piece in flat]
    given: set[str] = set()
    found = []
    for piece, border in zip(flat, borders, strict=True):
        tabs: list[Array] = []
        numbers: list[tuple[Array, int]] = []
        formed = any(isinstance(getattr(outside.by_id[n], "surface", None), Revolved) for n in piece.lays)
        for name in piece.lays:
            face = outside.by_id[name]
            for role in glued:
                if name not in (role.edge.a, role.edge.b) or formed:
                    continue
                line = piece.lays[name].point(role.edge.line)
                inward = _inward(piece, face, line)
                middle = line[len(line) // 2] if len(line) > 2 else (line[0] + line[1]) / 2
                numbers.append((middle + inward * 7, number[role.edge.id]))
                if role.edge.id in given:
                    continue
                made = _tabs(line, -inward, border)
                if made:
                    given.add(role.edge.id)
                    tabs += made
        folds = tuple((b.start, b.end, f"{b.turn_deg:.0f}° {'in' if b.up else 'out'}") for b in piece.bends)
        found.append(CardPiece(_name(piece), piece.outline.faceted, folds, tuple(tabs), tuple(numbers), formed))
    return tuple(found), is_outside


def _name(piece: FlatPiece) -> str:
    names = list(piece.lays)
    return names[0] if len(names) == 1 else f"{names[0]} and {len(names) - 1} more"


def _inward(piece: FlatPiece, face: Face, line: Array) -> Array:
    """Unit (2,) from a glued edge into its face."""
    along = line[-1] - line[0]
    size = math.hypot(*along)
    if size < 1e-9:
        along, size = line[1] - line[0], math.hypot(*(line[1] - line[0]))
    out = np.array([along[1], -along[0]]) / size
    low, high = face.outline.min(axis=0), face.outline.max(axis=0)
    spot = piece.lays[face.id].point(
        face.centroid if face.kind == "plane" else face.points(((low + high) / 2)[None])[0]
    )
    return out if (spot - line[0]) @ out > 0 else -out


def _tabs(line: Array, out: Array, border: Polygon) -> list[Array]:
    """Glue tabs (4, 2) along an edge, small ones round a curve; none where they would lie on the piece itself."""
    steps = np.linalg.norm(np.diff(line, axis=0), axis=1)
    spots = [line[0]]
    if len(line) == 2:
        spots.append(line[1])
    else:
        run = 0.0
        for k, step in enumerate(steps):
            run += float(step)
            if run >= STEP_MM or k == len(steps) - 1:
                spots.append(line[k + 1])
                run = 0.0
    found = []
    for p, q in pairwise(spots):
        size = math.dist(p, q)
        deep = min(TAB_MM, 0.45 * size)
        if deep < LEAST_TAB_MM and len(line) == 2:
            continue
        along = (q - p) / max(size, 1e-9)
        way = np.array([along[1], -along[0]])
        way = way if way @ out > 0 or (len(line) > 2 and border.distance(_point((p + q) / 2 + way)) > 0) else -way
        tab = np.array([p, q, q + way * deep - along * 0.6 * deep, p + way * deep + along * 0.6 * deep])
        if Polygon(tab).intersection(border).area > 0.05 * size * deep:
            return []
        found.append(tab)
    return found


def _point(spot: Array) -> Polygon:
    return Polygon([spot, spot + [0.01, 0.0], spot + [0.0, 0.01]])
