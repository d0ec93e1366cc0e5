"""Does the make-up say something of an edge or a panel that the tank has not any more?"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.sheet.makeup.doublers import seated


def check(job: Job, r: Results) -> Iterator[Finding]:
    """One finding for each choice that counts for nothing; the remedy takes it out."""
    edges, faces = {edge.id for edge in r.panelled.edges}, {face.parent for face in r.shell.faces}
    there = {edge.id for edge in r.shell.edges} | edges
    m = job.makeup
    parted = {face.parent for face in r.panelled.faces if face.id != face.parent}
    lost: list[tuple[str, str, str, tuple[Any, ...]]] = [
        (c.edge, "bent" if c.role == "bend" else "welded so", "edges", tuple(x for x in m.edges if x != c))
        for c in m.edges
        if c.edge not in edges
    ]
    lost += [
        (s.edge, f"left by its seam for {s.onto}", "moved", tuple(x for x in m.moved if x != s))
        for s in m.moved
        if s.edge not in there or s.onto not in parted
    ]
    lost += [
        (p.face, f"{p.thickness_mm:g} mm thick", "panels", tuple(x for x in m.panels if x != p))
        for p in m.panels
        if p.face not in faces
    ]
    lying = {id(d) for d, _ in seated(r.shell, m.doublers)}
    lost += [
        (d.face, f"doubled at {d.u_mm:g}, {d.v_mm:g}", "doublers", tuple(x for x in m.doublers if x is not d))
        for d in m.doublers
        if id(d) not in lying
    ]
    for name, what, part, kept in lost:
        yield Finding(
            "sheet.lost",
            "warn",
            f"{name} is to be {what}, but this tank has no {name} there: it counts for nothing",
            "what the make-up says is of edges and panels that are there",
            "the make-up",
            "cut",
            "",
            name,
            "an edge or a panel of this tank",
            Remedy("Take it out", ((f"makeup.{part}", [x.model_dump() for x in kept]),)),
        )
