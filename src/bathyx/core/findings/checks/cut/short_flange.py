"""Is every flat between bends and edges long enough for the brake?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.sheet.bending.bend import SHORT_FLANGE, shortest_flange_mm
from bathyx.core.sheet.bending.flange_width import width_mm
from bathyx.core.units import mm


def check(job: Job, r: Results) -> Iterator[Finding]:
    """Outside length of each bent face across its bends, against what the usual die takes."""
    yield from _flanges(job, r)
    for face in r.panelled.faces:
        bent = [role for role in r.roles if role.kind == "bend" and face.id in (role.edge.a, role.edge.b)]
        if not bent:
            continue
        t = r.skins.of(face)
        limit = shortest_flange_mm(t, job.makeup.brake.die_mm)
        widths = {
            role.edge.id: width_mm(face, role.edge, limit) + (t if not role.edge.reflex else 0.0)
            for role in bent
            if face.kind == "plane" and role.edge.arc is None
        }
        edge = min(widths, key=lambda name: widths[name], default="")
        if not edge or (flange := widths[edge]) >= limit:
            continue
        mine = {role.edge.id for role in bent}
        kept = [choice.model_dump() for choice in job.makeup.edges if choice.edge not in mine]
        yield Finding(
            "sheet.flange",
            "stop",
            f"{face.id} is {mm(flange)} wide along {edge}; the brake's die needs {mm(limit)} to bend it",
            SHORT_FLANGE.expression,
            SHORT_FLANGE.source,
            "cut",
            f"face:{face.id}",
            f"{mm(flange)}",
            f"{mm(limit)}",
            Remedy(
                "Weld its edges instead",
                (("makeup.edges", [*kept, *({"edge": role.edge.id, "role": "weld"} for role in bent)]),),
            ),
        )


def _flanges(job: Job, r: Results) -> Iterator[Finding]:
    """The flanges of joints."""
    for role in r.roles:
        for name in (role.edge.a, role.edge.b):
            flange = role.ends_of(name).flange
            limit = shortest_flange_mm(r.skins.of(name), job.makeup.brake.die_mm)
            if flange is not None and flange.length_mm < limit:
                yield Finding(
                    "sheet.flange",
                    "stop",
                    f"The flange of {name} at {role.edge.id} is {mm(flange.length_mm)}; the brake's die needs {mm(limit)}",
                    SHORT_FLANGE.expression,
                    SHORT_FLANGE.source,
                    "cut",
                    f"face:{name}",
                    mm(flange.length_mm),
                    mm(limit),
                )
