"""Can a torch reach every seam from outside?"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from shapely.geometry import Point, Polygon

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.geometry.shell import Array, Edge, Face, Shell
from bathyx.core.job import Job
from bathyx.core.memory import remembered
from bathyx.core.results import Results
from bathyx.core.sheet.makeup.roles import may_bend
from bathyx.core.units import mm

ROOM_MM, OFF_MM = 60.0, 1.0
SOURCE = "a torch with its cup and the hand behind it: about 60 mm, common practice; a mirror shows the blind side"


def check(job: Job, r: Results) -> Iterator[Finding]:
    """One finding for the seam in the narrowest gap: between its outside and another wall of the tank there is no room for a torch.

    Looked at from the middle of each straight edge of a seam, along the middle of both plates' outsides; curved walls are left out.
    """
    if r.shell.convex:
        return  # nothing of it stands before anything else
    found = []
    for seam in r.seams:
        for edge in seam.edges:
            gap = gap_mm(r.panelled, edge, r.skins.most_mm)
            if gap is not None and gap < ROOM_MM:
                found.append((gap, seam.id, edge))
    if not found:
        return
    gap, name, edge = min(found, key=lambda row: row[0])
    kept = [c.model_dump() for c in job.makeup.edges if c.edge != edge.id]
    bend = Remedy(f"Bend {edge.a} to {edge.b} instead", (("makeup.edges", [*kept, {"edge": edge.id, "role": "bend"}]),))
    yield Finding(
        "sheet.torch",
        "warn",
        f"{name}, {edge.a} to {edge.b}, lies in a gap of {mm(gap)}: no torch gets to it once the tank is closed",
        f"at least {mm(ROOM_MM)} in front of a seam",
        SOURCE,
        "cut",
        f"seam:{name}",
        mm(gap),
        f"at least {mm(ROOM_MM)}",
        bend if may_bend(edge, r.panelled) else None,
    )


def gap_mm(shell: Shell, edge: Edge, thickness_mm: float) -> float | None:
    """Free room in front of an edge, mm: to the nearest flat face that looks back, less both skins; None where nothing is."""
    if len(edge.line) > 2 or edge.smooth:
        return None
    middle = (edge.start + edge.end) / 2
    look = shell.by_id[edge.a].normal_at(middle) + shell.by_id[edge.b].normal_at(middle)
    way = look / max(float(np.linalg.norm(look)), 1e-9)
    flat, normals, feet = _flats(shell)
    facing = normals @ way
    away = np.einsum("ij,ij->i", feet - middle, normals) / np.where(np.abs(facing) < 1e-9, 1.0, facing)
    best: float | None = None
    for k in np.flatnonzero((facing < -0.2) & (away > OFF_MM)):
        face, off = flat[k], float(away[k])
        if face.id in (edge.a, edge.b) or (best is not None and off >= best):
            continue
        if _holds(face.shape, face.uv((middle + way * off)[None])[0]):
            best = off
    return None if best is None else max(0.0, best - 2 * thickness_mm)


@remembered()
def _flats(shell: Shell) -> tuple[list[Face], Array, Array]:
    """(flat faces, their normals (n, 3), a corner of each (n, 3))."""
    flat = [face for face in shell.faces if face.kind == "plane"]
    return flat, np.array([f.normal for f in flat]).reshape(-1, 3), np.array([f.loop[0] for f in flat]).reshape(-1, 3)


def _holds(shape: Polygon, spot: Array) -> bool:
    return bool(shape.covers(Point(float(spot[0]), float(spot[1]))))
