"""The order of a piece's bends in which nothing of it stands in the brake's upper beam or its bed, if there is one."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Array, Edge, Shell
from bathyx.core.sheet.bending.fold import Folded, folded, in_order
from bathyx.core.sheet.bending.rule import BendRule
from bathyx.core.sheet.flat.laid import Laid, outward

BEAM = formula(
    "sheet.beam",
    "Clear of the brake's beam",
    "on the clamped side nothing over or under the sheet within the beam's depth; on the other nothing over its nose",
    source="A folder: one side is clamped under a beam whose nose leans back 45°, the other is swung up; geometry",
    valid="the beam as deep as is said, as high as may be, its fingers as wide as the bend; either side clamped, either face up",
    check="tests/core/test_bend_order.py: a channel, its lips and a box by hand",
    tolerance="60 bends are tried at most, on a grid over the sheet's inside: a thickness either way; the shop's own beam decides",
)
GRID, LOOKS, AIR_MM, MOST_LOOKS = 7, (0.25, 0.5, 0.75, 1.0), 1.0, 60


def bend_order(laid: Laid, shell: Shell, rule: BendRule, beam_mm: float) -> tuple[str, ...] | None:
    """Bends by their edge in an order that is clear of the beam, outer flanges first where that does; None where none was found.

    Args:
        laid: the flat piece.
        shell: of the tank.
        rule: radius and K.
        beam_mm: depth of the beam behind the bend line; 0 where it is not looked at.
    """
    usual = tuple(in_order(laid))
    if beam_mm <= 0 or len(usual) < 2:
        return usual
    look = _Look(laid, shell, rule, beam_mm)
    failed: set[frozenset[str]] = set()

    def after(made: frozenset[str]) -> tuple[str, ...] | None:
        if len(made) == len(usual):
            return ()
        if made in failed:
            return None
        for edge in usual:
            if edge in made or not look.clear(edge, made):
                continue
            rest = after(made | {edge})
            if rest is not None:
                return (edge, *rest)
        failed.add(made)
        return None

    return after(frozenset())


@dataclass(frozen=True, eq=False)
class Beam:
    """The brake's beam at a bend: its six corners (6, 3), nose first on either end, and the places of the piece in it (n, 3)."""

    corners: Array
    hits: Array


def beam_at(
    laid: Laid, shell: Shell, rule: BendRule, beam_mm: float, order: Sequence[str], share: float
) -> Beam | None:
    """Where the beam is at a share of a piece's folding; None before, after, and where its depth is not said.

    Args:
        laid: the flat piece.
        shell: of the tank.
        rule: radius and K.
        beam_mm: depth of the beam behind the bend line.
        order: of the bends.
        share: 0 flat, 1 all bends made, one after another.
    """
    if beam_mm <= 0 or not order or not 0 < share < 1:
        return None
    along = share * (len(order) + len(laid.flanges)) - len(laid.flanges)
    at = min(int(along), len(order) - 1)
    return None if along < 0 else _Look(laid, shell, rule, beam_mm).beam(order[at], frozenset(order[:at]), along - at)


class _Look:
    """A piece on the brake, bend by bend."""

    def __init__(self, laid: Laid, shell: Shell, rule: BendRule, beam_mm: float) -> None:
        self.laid, self.shell, self.t, self.rule, self.beam_mm = laid, shell, laid.t, rule, beam_mm
        self.edges = {edge.id: edge for edge in shell.edges}
        self.looked = 0
        self.spots = {name: _grid(core) for name, core in laid.cores.items()}
        self.sides: dict[str, tuple[frozenset[str], frozenset[str]]] = {}
        beside: dict[str, list[tuple[str, str]]] = defaultdict(list)
        for bend in laid.bends:
            edge = self.edges[bend.edge]
            beside[edge.a].append((edge.b, edge.id))
            beside[edge.b].append((edge.a, edge.id))
        for bend in laid.bends:
            edge = self.edges[bend.edge]
            self.sides[edge.id] = _reached(beside, edge.a, edge.id), _reached(beside, edge.b, edge.id)

    def clear(self, name: str, made: frozenset[str]) -> bool:
        """Whether a bend can be made after others, with one side or the other clamped. Not after `MOST_LOOKS`."""
        self.looked += 1
        if self.looked > MOST_LOOKS:
            return False
        edge = self.edges[name]
        before = self._folded(made, name, 0.0)
        for held, swung, face in ((0, 1, edge.a), (1, 0, edge.b)):
            if self._held_clear(before, edge, face, self.sides[name][held]) and all(
                self._swing_clear(self._folded(made, name, share), edge, face, self.sides[name][swung])
                for share in LOOKS
            ):
                return True
        return False

    def _folded(self, made: frozenset[str], name: str, share: float) -> Folded:
        shares = dict.fromkeys(made, 1.0) | {name: share}
        return folded(self.laid, self.shell, self.rule, shares)

    def beam(self, name: str, made: frozenset[str], share: float) -> Beam:
        """The beam at a bend that is made as far as `share`: on the side where it is clear of the piece, or hits it least."""
        edge = self.edges[name]
        found: list[Beam] = []
        for held, swung, face in ((0, 1, edge.a), (1, 0, edge.b)):
            state = self._folded(made, name, share)
            a, axes, long = self._frame(state, edge, face)
            back = np.array([[0.0, 0.0], [-self.beam_mm, 0.0], [-self.beam_mm, self.beam_mm]])
            corners = np.array([[x, y, z] for x in (0.0, long) for y, z in back]) @ axes + a
            spots = [self._in_beam(state, edge, face, self.sides[name][side]) for side in (held, swung)]
            found.append(Beam(corners, np.concatenate(spots) @ axes + a))
        return min(found, key=lambda beam: len(beam.hits))

    def _in_beam(self, state: Folded, edge: Edge, face: str, names: frozenset[str]) -> Array:
        """(n, 3) local places of faces that stand in the beam."""
        p = self._local(state, edge, face, names)
        back, up = -p[:, 1], p[:, 2]
        return np.asarray(p[(back > AIR_MM) & (back < self.beam_mm) & (up > AIR_MM) & (back > up)])

    def _frame(self, state: Folded, edge: Edge, face: str) -> tuple[Array, Array, float]:
        """(the bend's end (3,), rows along the bend, out from the clamped side and up (3, 3), length of the bend)."""
        placed = state.faces[face]
        flat = self.laid.lays[face].point(np.stack([edge.start, edge.end]))
        a, b = placed.points(flat)
        along = (b - a) / math.dist(a, b)
        up = placed.turn[2] * (-1.0 if edge.reflex else 1.0)
        off = outward(self.laid.lays[face], self.shell.by_id[face], flat[0], flat[1])
        return a, np.stack([along, np.array([*off, 0.0]) @ placed.turn, up]), math.dist(a, b)

    def _local(self, state: Folded, edge: Edge, face: str, names: frozenset[str]) -> Array:
        """(n, 3) places of faces as (along the bend, out from the clamped side, up where it is swung), the bend's end at 0."""
        a, axes, long = self._frame(state, edge, face)
        spots = np.concatenate([state.faces[name].points(self.spots[name]) for name in names])
        found = (spots - a) @ axes.T
        return np.asarray(found[(found[:, 0] > AIR_MM) & (found[:, 0] < long - AIR_MM)])

    def _held_clear(self, state: Folded, edge: Edge, face: str, names: frozenset[str]) -> bool:
        """On the clamped side: nothing in the beam above it, nothing in the bed below it."""
        p = self._local(state, edge, face, names)
        back, up = -p[:, 1], p[:, 2]
        within = (back > AIR_MM) & (back < self.beam_mm)
        above = within & (up > AIR_MM) & (back > up)
        below = within & (up < -self.t - AIR_MM)
        return not bool((above | below).any())

    def _swing_clear(self, state: Folded, edge: Edge, face: str, names: frozenset[str]) -> bool:
        """On the side that is swung: nothing comes over the nose."""
        return len(self._in_beam(state, edge, face, names)) == 0


def _reached(beside: dict[str, list[tuple[str, str]]], start: str, without: str) -> frozenset[str]:
    """Faces that hang together with one, not over an edge."""
    found, queue = {start}, [start]
    while queue:
        for other, edge in beside[queue.pop()]:
            if edge != without and other not in found:
                found.add(other)
                queue.append(other)
    return frozenset(found)


def _grid(core: Array) -> Array:
    """(n, 2) places on a flat polygon: its corners, along its sides, and shrunk towards its middle."""
    shares = np.linspace(0, 1, GRID, endpoint=False)[:, None]
    ring = np.concatenate([p + shares * (q - p) for p, q in zip(core, np.roll(core, -1, axis=0), strict=True)])
    middle = core.mean(axis=0)
    return np.concatenate([middle + k * (ring - middle) for k in (1.0, 0.75, 0.5, 0.25)])
