"""Ways to split a piece that cannot be made whole: weld one of its bends, or part a panel with a seam across its flat."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from bathyx.core.findings.finding import Remedy
from bathyx.core.geometry.shell import Array, edge_id
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.sheet.flat.blank import BendLine, Blank
from bathyx.core.units import mm

Fits = Callable[[float, float], bool]
MOST_OFFERED = 3


def weld_instead(job: Job, r: Results, bends: Sequence[BendLine]) -> tuple[Remedy, ...]:
    """A remedy for each bend, that it be welded; the least weld first.

    Args:
        job: whose make-up it changes.
        r: its results.
        bends: of a blank, those that would help.
    """
    edges = {role.edge.id: role.edge for role in r.roles}
    rows = sorted((edges[bend.edge].length_mm, bend.edge) for bend in bends if not bend.flange)
    return tuple(
        Remedy(
            f"Weld {edges[name].a} to {edges[name].b} instead: {mm(long)} more weld",
            (("makeup.edges", [*_kept(job, name), {"edge": name, "role": "weld"}]),),
        )
        for long, name in rows[:MOST_OFFERED]
    )


def that_help(r: Results, bends: Sequence[BendLine], helps: Callable[[list[str]], bool]) -> tuple[BendLine, ...]:
    """The first few bends without which the rest of them would do: the shortest, of equal ones those in the middle of the piece.

    Args:
        r: results.
        bends: of a blank.
        helps: whether bends, by their edges, are right without the one that is left out.
    """
    edges = {role.edge.id: role.edge for role in r.roles}
    names = [bend.edge for bend in bends if not bend.flange]
    order = sorted(range(len(names)), key=lambda k: (round(edges[names[k]].length_mm), abs(k - len(names) // 2)))
    found: list[BendLine] = []
    for k in order:
        if helps(names[:k] + names[k + 1 :]):
            found.append(next(bend for bend in bends if bend.edge == names[k]))
            if len(found) == MOST_OFFERED:
                break
    return tuple(found)


def halved(blank: Blank, fits: Fits) -> tuple[BendLine, ...]:
    """The bends of a blank along which it falls into two that fit, by their bounding rectangles as they are drawn."""
    ring = blank.outline.faceted
    return tuple(bend for bend in blank.bends if not bend.flange and _both_fit(ring, bend, fits))


def parted_across(job: Job, r: Results, blank: Blank, fits: Fits) -> tuple[Remedy, ...]:
    """A panel that is one flat face, parted half way by a seam along one of its edges; the least weld first."""
    if len(blank.faces) != 1 or blank.role != "shell":
        return ()
    face = r.panelled.by_id[blank.faces[0]]
    edges = [e for e in r.panelled.edges if face.id in (e.a, e.b)]
    flat = face.kind == "plane" and face.id == face.parent and not face.holes
    if not flat or any(r.panelled.by_id[e.b if e.a == face.id else e.a].kind != "plane" for e in edges):
        return ()
    found = []
    for edge in edges:
        along = (edge.end - edge.start) / edge.length_mm
        off = face.loop - edge.start
        deep, wide = float(np.abs(off @ np.cross(face.normal, along)).max()), float(np.ptp(off @ along))
        if deep > 2.0 and fits(deep / 2, wide):
            found.append((wide, edge, deep / 2))
    rows = []
    for wide, edge, by in sorted(found, key=lambda row: row[0])[:MOST_OFFERED]:
        other = edge.b if edge.a == face.id else edge.a
        near = edge_id(other, f"{face.id}:1")
        moved = [*(m.model_dump() for m in job.makeup.moved), {"edge": edge.id, "onto": face.id, "by_mm": round(by, 1)}]
        rows.append(
            Remedy(
                f"Part {face.id} {mm(by)} from {other} with a seam across: {mm(wide)} more weld",
                (("makeup.moved", moved), ("makeup.edges", [*_kept(job, near), {"edge": near, "role": "weld"}])),
            )
        )
    return tuple(rows)


def _kept(job: Job, edge: str) -> list[dict[str, object]]:
    return [choice.model_dump() for choice in job.makeup.edges if choice.edge != edge]


def _both_fit(ring: Array, bend: BendLine, fits: Fits) -> bool:
    along = (bend.end - bend.start) / np.linalg.norm(bend.end - bend.start)
    side = (ring - bend.start) @ np.array([along[1], -along[0]])
    for way in (1.0, -1.0):
        part = ring[side * way > 1e-6]
        if len(part) < 2:
            return False
        part = np.concatenate([part, np.stack([bend.start, bend.end])])
        if not fits(*(float(v) for v in np.ptp(part, axis=0))):
            return False
    return True
