"""Walls that run into one another without a corner: a closed frame, or an arch, which pressure bends.

A flat between arcs is no clamped panel: the arcs give. Carried round the section by bending alone, or along it by strips from
baffle to baffle, the load finds a way that keeps within its stress either way; the better of the two is what is counted on.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Array, CurvedFace, Shell, following
from bathyx.core.geometry.surfaces import Cylinder, Revolved
from bathyx.core.inside.baffles import AXIS_INDEX, Axis, Baffle, section
from bathyx.core.memory import remembered

FRAME = formula(
    "strength.frame",
    "Section rolled into its flats",
    "M = p/2 (|r|² − its best fit by 1, x and y between corners, or all round); along it p L²/8; σ = 6 M/t² + p R/t with the "
    "lesser M",
    source="Clamped arch or closed frame of even thickness under inside pressure (force method: bending strain closes); "
    "lower-bound theorem of plasticity for the choice of the two ways",
    valid="flats joined by rolled arcs, pressed halves; the sheet ductile; membrane action is not counted on",
    check="tests/core/test_frame.py: a square is the clamped strip, a circle bends nowhere, rounded sections by beam elements",
    tolerance="−0 / +100 %: ends, baffles and membrane action help (engineering estimate)",
)
FOLD = formula(
    "strength.fold",
    "Flat between small rolled corners",
    "as a panel between the corners that its planes would meet in: bears (w/(w + Σ R tan(θ/2)))² of the flat's own",
    source="An arc that turns 60° and is short beside its flats holds them as a fold does; geometry",
    valid="every arc between flats no longer than a quarter of either of them",
    check="tests/core/test_frame.py: as the radius goes to nothing, the box",
    tolerance="as the panel's (engineering estimate)",
)
FOLD_SHARE, FOLD_TURN = 0.25, math.radians(60)


@dataclass(frozen=True)
class Chain:
    """Walls that run into one another: their faces, the bending moment in mm² (N·mm a mm for each MPa) that counts, the largest
    radius in mm, and for a flat between folds the share of its own strength that it has, by face."""

    faces: frozenset[str]
    moment_mm2: float
    reach_mm: float
    folds: dict[str, float]


def frame_mm2(start: Array, end: Array) -> float:
    """Largest bending moment of a closed section, or of one clamped at both its ends, of sides from `start` to `end`.

    Args:
        start: (n, 2) mm, where each side begins; in no order.
        end: (n, 2) mm, where it ends.

    Returns:
        N·mm a mm of length for each MPa inside, so mm². A square of side s: s²/12, at its corners; a strip of length L the same
        at its ends; a circle 0.
    """
    length = np.hypot(*(end - start).T)
    centre = (length[:, None] * (start + end) / 2).sum(axis=0) / length.sum()
    at, share = np.polynomial.legendre.leggauss(3)  # exact to the fifth degree: |r|² times its fit is of the fourth
    spots = np.concatenate([start + s * (end - start) for s in (1 + at) / 2]) - centre
    weight = np.sqrt(np.concatenate([length * s for s in share / 2]))
    basis = np.column_stack([np.ones(len(spots)), spots])
    fit, *_ = np.linalg.lstsq(basis * weight[:, None], (spots**2).sum(axis=1) * weight, rcond=None)
    looked = np.concatenate([start, end, (start + end) / 2]) - centre
    moment = 0.5 * ((looked**2).sum(axis=1) - np.column_stack([np.ones(len(looked)), looked]) @ fit)
    return float(np.abs(moment).max())


@remembered()
def chains(shell: Shell, baffles: tuple[Baffle, ...]) -> tuple[Chain, ...]:
    """The shell's walls that run into one another, if any, each with the lesser of its moment and that of strips along it."""
    pressed = [f for f in shell.faces if isinstance(f, CurvedFace) and f.kind == "pressed"]
    if pressed:
        low, high = shell.bounds
        axes: tuple[Axis, ...] = ("x", "y")
        cuts = [section(shell, axis, float(low[i] + high[i]) / 2 + 0.01) for i, axis in enumerate(axes)]
        moment, reach = min((frame_mm2(cut, following(cut)), _reach(cut)) for cut in cuts)
        return (Chain(frozenset(f.id for f in pressed), moment, reach, {}),)
    return tuple(_chain(shell, baffles, names) for names in _joined(shell) if _rolled(shell, names))


def _rolled(shell: Shell, names: frozenset[str]) -> bool:
    """Whether there is an arc among walls that run into one another: flats in one plane by themselves are panels."""
    return any(isinstance(shell.by_id[name], CurvedFace) for name in names)


def _joined(shell: Shell) -> Iterator[frozenset[str]]:
    """Groups of walls that smooth edges join; a wall by itself is none."""
    walls = {
        f.id
        for f in shell.faces
        if f.role not in ("end", "sump") and not isinstance(getattr(f, "surface", None), Revolved)
    }
    next_to: dict[str, set[str]] = {name: set() for name in walls}
    for edge in shell.edges:
        if edge.smooth and edge.a in walls and edge.b in walls:
            next_to[edge.a].add(edge.b)
            next_to[edge.b].add(edge.a)
    while walls:
        group, waiting = set[str](), [min(walls)]
        while waiting:
            name = waiting.pop()
            if name not in group:
                group.add(name)
                waiting += next_to[name]
        walls -= group
        if len(group) > 1:
            yield frozenset(group)


def _chain(shell: Shell, baffles: tuple[Baffle, ...], names: frozenset[str]) -> Chain:
    arcs = [
        f.on for f in map(shell.by_id.__getitem__, names) if isinstance(f, CurvedFace) and isinstance(f.on, Cylinder)
    ]
    axis = arcs[0].axis
    u = np.array([axis[2], 0.0, -axis[0]]) if abs(axis[1]) < 0.5 else np.array([1.0, 0.0, 0.0])
    u = u / np.linalg.norm(u)
    across = np.column_stack([u, np.cross(axis, u)])
    ends = {f.id for f in shell.faces if f.role == "end"}
    lines = {name: [e.line @ across for e in shell.edges if {e.a, e.b} & ends and name in (e.a, e.b)] for name in names}
    start = np.concatenate([line[:-1] for rows in lines.values() for line in rows])
    end = np.concatenate([line[1:] for rows in lines.values() for line in rows])
    moment = min(frame_mm2(start, end), _bay(shell, baffles, axis) ** 2 / 8)
    reach = max(_reach(np.concatenate([start, end])), *(arc.radius for arc in arcs))
    return Chain(names, moment, reach, _folds(shell, names, {name: _girth(rows) for name, rows in lines.items()}))


def _bay(shell: Shell, baffles: tuple[Baffle, ...], axis: Array) -> float:
    """The longest run along the walls between ends and baffles."""
    i = int(np.argmax(np.abs(axis)))
    low, high = shell.bounds
    if abs(axis[i]) < 1 - 1e-9 or i > 1:
        return float(np.ptp(shell.vertices @ axis))
    stops = sorted([float(low[i]), *(b.at_mm for b in baffles if AXIS_INDEX[b.axis] == i), float(high[i])])
    return float(np.diff(stops).max())


def _folds(shell: Shell, names: frozenset[str], girth: dict[str, float]) -> dict[str, float]:
    """Where every arc of the chain is as good as a fold: the share of its own strength that each flat has; else nothing."""
    lost = dict.fromkeys((n for n in names if shell.by_id[n].kind == "plane"), 0.0)
    for name in names - lost.keys():
        arc = shell.by_id[name]
        assert isinstance(arc, CurvedFace)
        assert isinstance(arc.on, Cylinder)
        turn = girth[name] / arc.on.radius
        beside = [n for e in shell.edges_of[name] if e.smooth for n in (e.a, e.b) if n != name]
        if turn < FOLD_TURN or any(n not in lost or girth[name] > FOLD_SHARE * girth[n] for n in beside):
            return {}
        for n in beside:
            lost[n] += arc.on.radius * math.tan(turn / 2)
    return {n: (girth[n] / (girth[n] + more)) ** 2 for n, more in lost.items()}


def _girth(rows: list[Array]) -> float:
    return max(float(np.hypot(*np.diff(row, axis=0).T).sum()) for row in rows)


def _reach(points: Array) -> float:
    return float(np.hypot(*(points - points.mean(axis=0)).T).max())
