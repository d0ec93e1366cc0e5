"""Is a dished end within the radii that its formula and its makers know?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.geometry.shell import CurvedFace
from bathyx.core.geometry.surfaces import Revolved
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.units import mm

LEAST_KNUCKLE, LEAST_THICKNESSES = 0.06, 3.0
SOURCE = "ASME VIII-1, UG-32 (j): crown at most the outside diameter, knuckle at least 6 % of it and 3 t; from memory"


def check(job: Job, r: Results) -> Iterator[Finding]:
    """Crown and knuckle of each dished end."""
    t = r.sheet.thickness_mm
    for face in r.shell.faces:
        if not isinstance(face, CurvedFace) or not isinstance(face.on, Revolved) or face.kind != "dish":
            continue
        outside = 2 * (face.on.radius + t)
        knuckle, crown = face.on.meridian.pieces[0][1][2], face.on.meridian.pieces[1][1][2]
        least = max(LEAST_KNUCKLE * outside, LEAST_THICKNESSES * t)
        fields = job.tank.head_fields(face.id)
        if knuckle < least - 0.05:
            yield Finding(
                "head.knuckle",
                "warn",
                f"The knuckle of {face.id} is {mm(knuckle, None)}: it buckles or cracks there before the figure says so",
                "knuckle at least 6 % of the outside diameter and three thicknesses",
                SOURCE,
                "tank",
                f"face:{face.id}",
                mm(knuckle, None),
                f"at least {mm(least)}",
                _to(fields, "knuckle", float(round(face.on.radius / 5))),
            )
        if crown > outside + 0.05:
            yield Finding(
                "head.crown",
                "warn",
                f"The crown of {face.id} is flatter than its diameter: {mm(crown, None)} on {mm(outside)}",
                "crown radius at most the outside diameter",
                SOURCE,
                "tank",
                f"face:{face.id}",
                mm(crown, None),
                f"at most {mm(outside)}",
                _to(fields, "crown", 2 * face.on.radius),
            )


def _to(fields: dict[str, str], what: str, value: float) -> Remedy | None:
    path = fields.get(what)
    return None if path is None else Remedy(f"Make its {what} {mm(value)}", ((f"tank.{path}", value),))
