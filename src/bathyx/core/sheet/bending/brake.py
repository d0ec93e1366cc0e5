"""What a brake cannot do with one piece: a section that closes round its beam, a box deeper than its fingers."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping

import numpy as np

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Array, Edge, Face, Shell

CLOSING_DEG, PARALLEL = 270.0, 0.999
THROAT_ROOM = formula(
    "sheet.throat",
    "Throat of the brake",
    "a bend longer than the frames stand apart: its shorter side ≤ depth of the throat",
    source="A press brake's frames, common practice",
    valid="the flat piece; flanges bent before make it shorter",
    check="tests/core/test_bend_order.py: a channel by hand",
    tolerance="a rule of thumb for what goes behind: the shop's own brake decides",
)
PAN = formula(
    "sheet.pan",
    "Depth of a box on the brake",
    "the lower of two flanges on neighbouring edges of one face ≤ height of the brake's fingers",
    source="A box-and-pan brake: the second flange is bent with fingers between those that stand, common practice",
    valid="the lower flange bent first; flanges with flanges of their own as deep as their own face",
    check="tests/core/test_make_ups.py",
    tolerance="an estimate: the shop's own fingers and their least width decide",
)


def behind_mm(cores: Iterable[Array], start: Array, end: Array) -> float:
    """How far the shorter side of a flat piece reaches from a bend line from `start` to `end`, mm: what goes into the throat.

    Args:
        cores: (n, 2) flats of the piece.
        start: of the bend.
        end: of the bend.
    """
    along = (end - start) / np.linalg.norm(end - start)
    off = np.concatenate([(core - start) @ np.array([along[1], -along[0]]) for core in cores])
    return float(min(off.max(), -off.min()))


def turned_round(edges: Iterable[Edge], shares: Mapping[str, float] | None = None) -> float:
    """The furthest that a piece turns about one axis, degrees: the largest sum of bends that run parallel, one after another.

    Args:
        edges: the bends of one piece, which form a tree over its faces. A reflex bend turns back.
        shares: of its turn that a bend has so far, by its edge; whole where none is said.
    """
    shares = shares or {}
    beside: dict[str, list[tuple[str, Edge]]] = defaultdict(list)
    for edge in edges:
        beside[edge.a].append((edge.b, edge))
        beside[edge.b].append((edge.a, edge))
    most = 0.0
    for start, around in list(beside.items()):
        for first in around:
            way = _way(first[1])
            stack = [(start, *first, 0.0)]
            while stack:
                before, face, edge, turned = stack.pop()
                if abs(float(_way(edge) @ way)) < PARALLEL:
                    continue
                turn = edge.turn_deg * shares.get(edge.id, 1.0)
                turned += -turn if edge.reflex else turn
                most = max(most, turned)
                stack += [(face, other, more, turned) for other, more in beside[face] if other != before]
    return most


def _way(edge: Edge) -> np.ndarray[tuple[int, ...], np.dtype[np.float64]]:
    return np.asarray((edge.end - edge.start) / edge.length_mm)


def pan_depth_mm(shell: Shell, edges: Iterable[Edge]) -> tuple[float, str]:
    """(depth mm, face) of the deepest box among the bends of a piece: flanges on neighbouring edges of a face; 0 for none.

    Args:
        shell: whose faces they join.
        edges: the bends of one piece.
    """
    beside: dict[str, list[tuple[Face, Edge]]] = defaultdict(list)
    for edge in edges:
        beside[edge.a].append((shell.by_id[edge.b], edge))
        beside[edge.b].append((shell.by_id[edge.a], edge))
    deepest = (0.0, "")
    for face, around in beside.items():
        for k, (one, first) in enumerate(around):
            for other, second in around[:k]:
                if _meet(first, second):
                    deepest = max(deepest, (min(height_mm(one, first), height_mm(other, second)), face))
    return deepest


def height_mm(face: Face, edge: Edge) -> float:
    """How far a flat face reaches from one of its edges, mm."""
    way = _way(edge)
    off = face.loop - edge.start
    return float(np.linalg.norm(off - np.outer(off @ way, way), axis=1).max())


def _meet(one: Edge, other: Edge) -> bool:
    ends = np.stack([one.start, one.end])[:, None] - np.stack([other.start, other.end])[None]
    return float(np.linalg.norm(ends, axis=2).min()) < 1e-6
