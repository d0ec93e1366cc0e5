"""Does the sheet stand its bend radius, and does a punch get into the channel?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.geometry.shell import CurvedFace
from bathyx.core.geometry.surfaces import Cylinder
from bathyx.core.job import Job
from bathyx.core.material import Sheet
from bathyx.core.results import Results
from bathyx.core.units import mm

NARROW_MM = 80.0


def check(job: Job, r: Results) -> Iterator[Finding]:
    """A radius below the sheet's least cracks it; a channel deeper than it is wide lets no straight punch in."""
    bends = [role for role in r.roles if role.kind == "bend"]
    for t in sorted({r.skins.of(role.edge.a) for role in bends}):
        sheet = Sheet(r.sheet.material, t)
        radius, least = r.rule.radius_at(t), sheet.bend_radius_mm
        if radius >= least - 0.05:
            continue
        yield Finding(
            "sheet.radius",
            "stop",
            f"Inside radius {mm(radius, None)} in {sheet.said}: the sheet cracks at the outside of the bend",
            "inside radius at least the sheet's own for its thickness",
            r.sheet.material.source,
            "cut",
            "",
            f"{mm(radius, None)}",
            f"at least {mm(least, None)}",
            Remedy("Use the sheet's own radius", (("makeup.bend_radius_mm", None),)),
        )
    yield from _rolled(r)
    for face in r.panelled.faces:
        mine = [x for x in bends if face.id in (x.edge.a, x.edge.b) and not x.edge.reflex and x.edge.turn_deg > 80]
        if len(mine) != 2:
            continue
        width = face.area_mm2 / mine[0].edge.length_mm
        sides = [r.panelled.by_id[x.edge.a if x.edge.b == face.id else x.edge.b] for x in mine]
        deep = min(s.area_mm2 / mine[k].edge.length_mm for k, s in enumerate(sides))
        if width >= NARROW_MM or deep <= width:
            continue
        kept = [c.model_dump() for c in job.makeup.edges if c.edge != mine[0].edge.id]
        yield Finding(
            "sheet.channel",
            "stop",
            f"{face.id} is the floor of a channel {mm(width)} wide and {mm(deep)} deep: no punch gets in for its second bend",
            "a channel at most as deep as it is wide under a straight punch",
            "press-brake handbooks, from memory",
            "cut",
            f"face:{face.id}",
            f"{mm(deep)} deep",
            f"at most {mm(width)}",
            Remedy("Weld one of its edges", (("makeup.edges", [*kept, {"edge": mine[0].edge.id, "role": "weld"}]),)),
        )


def _rolled(r: Results) -> Iterator[Finding]:
    """A wall that is rolled tighter than the sheet may be bent."""
    for face in r.panelled.faces:
        if not isinstance(face, CurvedFace) or not isinstance(face.on, Cylinder):
            continue
        sheet = r.skins.sheet(r.sheet, face)
        least = sheet.bend_radius_mm
        inside = face.on.radius if face.on.outward > 0 else face.on.radius - sheet.thickness_mm
        if inside < least - 0.05:
            yield Finding(
                "sheet.rolled",
                "stop",
                f"{face.id} is rolled to {mm(inside, None)} inside in {sheet.said}: the sheet cracks at its outside",
                "inside radius at least the sheet's own for its thickness",
                r.sheet.material.source,
                "cut",
                f"face:{face.id}",
                mm(inside, None),
                f"at least {mm(least, None)}",
            )
