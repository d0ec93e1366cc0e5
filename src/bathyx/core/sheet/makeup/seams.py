"""The seam list: welded edges of the shell, and stitch welds of the baffles, numbered, with true lengths."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal, cast

import numpy as np

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Array, CurvedFace, Edge, Shell
from bathyx.core.geometry.surfaces import Revolved
from bathyx.core.inside.baffles import Plate
from bathyx.core.sheet.makeup.joints import JointName
from bathyx.core.sheet.makeup.roles import EdgeRole

Joint = JointName | Literal["stitch", "ring"]
STITCH_SHARE, STITCH_SIDES = 0.5, 2
STITCH = formula(
    "sheet.stitch",
    "Weld on a baffle",
    "L = contact length × 75 / (75 + 75) on each of two sides, staggered",
    source="75 mm on, 75 mm off, staggered on the other side: common practice",
    valid="baffle plates",
    check="tests/core/test_makeup.py",
    tolerance="±1 stitch per edge",
)


@dataclass(frozen=True, eq=False)
class Seam:
    """One weld. Shell seams keep their line in space and the edges it runs along; the first of them is its name in records.

    A baffle's seam stands for its stitches on both sides.
    """

    id: str
    title: str
    joint: Joint
    length_mm: float
    start: Array | None
    end: Array | None
    edge: str
    line: Array | None = None
    edges: tuple[Edge, ...] = ()

    def at(self, share: float) -> Array | None:
        """The point (3,) at a share of its length; None for a baffle's stitches."""
        if self.line is None:
            return None
        steps = np.linalg.norm(np.diff(self.line, axis=0), axis=1)
        along = np.concatenate([[0.0], np.cumsum(steps)]) / steps.sum()
        return np.array([np.interp(share, along, self.line[:, k]) for k in range(3)])


def seam_list(shell: Shell, roles: tuple[EdgeRole, ...], plates: tuple[Plate, ...]) -> tuple[Seam, ...]:
    """Shell seams S1.. from the bottom up (the low ones are the ones that leak), then stitch welds of plates.

    Round an end, edges of walls that are rolled out of one sheet are one seam: nobody stops a bead at a tangent.
    """
    rims = _rims(shell, [r for r in roles if r.kind == "weld"], [r for r in roles if r.kind == "roll"])
    rims.sort(key=lambda rim: (round(_height(rim), 3), rim[0].edge.id))
    found = []
    for number, rim in enumerate(rims, start=1):
        role, edges = rim[0], tuple(r.edge for r in rim)
        line = _joined_up([edge.line for edge in edges])
        length = sum(edge.length_mm for edge in edges) + _further_out_mm(shell, edges)
        found.append(
            Seam(
                f"S{number}",
                _title(shell, edges),
                _joint_of(role),
                length,
                line[0],
                line[-1],
                role.edge.id,
                line,
                edges,
            )
        )
    for plate in plates:
        length = plate.contact_mm * STITCH_SHARE * STITCH_SIDES
        found.append(Seam(f"W{plate.name}", f"baffle {plate.name} stitches", "stitch", length, None, None, plate.name))
    return tuple(found)


def _further_out_mm(shell: Shell, edges: tuple[Edge, ...]) -> float:
    """By how much a weld is longer than the edge where it runs round the rim of flanges that stand out: once round, as far out."""
    if len(edges) != 1 or math.dist(edges[0].line[0], edges[0].line[-1]) > 1e-6:
        return 0.0
    faces = [shell.by_id[name] for name in (edges[0].a, edges[0].b)]
    out = [f.on.flange_mm if isinstance(f, CurvedFace) and isinstance(f.on, Revolved) else 0.0 for f in faces]
    return 2 * math.pi * min(out)


def _joint_of(role: EdgeRole) -> Joint:
    """The joint of a welded edge."""
    return cast("JointName", role.joint)


def _height(rim: list[EdgeRole]) -> float:
    """Twice the height of a seam's middle."""
    spots = np.concatenate([role.edge.line for role in rim])
    return float(spots[:, 2].min() + spots[:, 2].max())


def _rims(shell: Shell, welded: list[EdgeRole], rolled: list[EdgeRole]) -> list[list[EdgeRole]]:
    """Welded edges, those of one end along walls that roll on into one another together, in order along them."""
    runs_on = {frozenset((r.edge.a, r.edge.b)) for r in rolled}
    rims: list[list[EdgeRole]] = []
    waiting: dict[tuple[str, str, str | None], list[EdgeRole]] = {}
    for role in welded:
        end = next((name for name in (role.edge.a, role.edge.b) if shell.by_id[name].role == "end"), None)
        if end is None or role.edge.a == role.edge.b or not runs_on:
            rims.append([role])
        else:
            over = None if role.over is None else "end" if role.over == end else "wall"
            waiting.setdefault((end, role.joint, over), []).append(role)
    for (end, _, _), mine in waiting.items():
        left = {(r.edge.b if r.edge.a == end else r.edge.a): r for r in mine}
        spare = [r for r in mine if r not in left.values()]  # a wall that meets the end twice stands for itself
        rims += [[r] for r in spare]
        while left:
            wall = next(iter(left))
            row = [left.pop(wall)]
            for forward in (True, False):
                at = wall
                while True:
                    nxt = next((w for w in left if frozenset((w, at)) in runs_on), None)
                    if nxt is None:
                        break
                    row.insert(len(row) if forward else 0, left.pop(nxt))
                    at = nxt
            rims.append(row)
    return rims


def _joined_up(lines: list[Array]) -> Array:
    """Rows of points that follow one another, end to end, as one row."""
    if len(lines) == 1:
        return lines[0]
    first, second = lines[0], lines[1]
    meets = min(float(np.abs(first[-1] - p).max()) for p in (second[0], second[-1]))
    row = first if meets < 1e-6 else first[::-1]
    for line in lines[1:]:
        forward = np.abs(line[0] - row[-1]).max() <= np.abs(line[-1] - row[-1]).max()
        row = np.concatenate([row, (line if forward else line[::-1])[1:]])
    return row


def _title(shell: Shell, edges: tuple[Edge, ...]) -> str:
    edge = edges[0]
    if edge.a == edge.b:
        return f"{edge.a}, long seam"
    if len(edges) == 1:
        return f"{edge.a} to {edge.b}"
    end = next(name for name in (edge.a, edge.b) if shell.by_id[name].role == "end")
    walls = [e.b if e.a == end else e.a for e in edges]
    ring = {f.id for f in shell.faces if f.role not in ("end", "sump")}
    if set(walls) == ring:
        return f"{end}, all round"
    return f"{', '.join(walls)} to {end}"
