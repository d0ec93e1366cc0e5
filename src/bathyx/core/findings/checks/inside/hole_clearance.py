"""Is each hole and ring far enough from welded edges and from bends?"""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
from shapely.geometry import Point

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.findings.placing import named
from bathyx.core.inside.fittings import seat
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.sheet.bending.bend import setback_mm
from bathyx.core.units import mm

TORCH_ROOM_MM = 12.0
TORCH_SOURCE = "12 mm between a ring's weld and a corner weld, so that both can be reached: common practice"
BEND_SOURCE = (
    "hole edge at least 2.5 t from the tangent of a bend, or the hole pulls oval: press-brake handbooks, from memory"
)


def check(job: Job, r: Results) -> Iterator[Finding]:
    """Distance from the rim of hole or ring to each edge of its face; remedies move the fitting in."""
    roles = {role.edge.id: role for role in r.roles}
    for i, fitting in enumerate(job.inside.fittings):
        face = r.shell.by_id.get(fitting.face)
        spot = seat(r.shell, fitting)
        if face is None or spot is None or not face.shape.contains(Point(*face.wrapped(fitting.u_mm, fitting.v_mm))):
            continue
        rim, t = fitting.rim_mm, r.skins.of(fitting.face)
        for edge in r.panelled.edges_of[fitting.face]:
            role = roles[edge.id]
            if role.kind in ("roll", "whole"):
                continue
            foot = edge.foot(spot)
            distance = math.dist(spot, foot)
            if role.kind == "bend":
                back = setback_mm(edge.turn_deg, r.rule.radius_at(t), t, edge.reflex)
                limit = 2.5 * t
                # A ring or boss must lie on the flat: its rim may reach the tangent, no further.
                clear = distance - back - max(fitting.hole_mm / 2, fitting.ring_od_mm / 2 - limit)
                code, what, source = "hole.bend", "bend", BEND_SOURCE
            else:
                clear, limit = distance - rim, TORCH_ROOM_MM
                code, what, source = "hole.edge", "seam" if role.joint in ("butt", "backed") else "edge", TORCH_SOURCE
            if clear >= limit - 0.1:
                continue
            away = spot - foot
            if np.linalg.norm(away) < 1e-6:
                away = np.cross(face.normal_at(spot), edge.line[1] - edge.line[0])
            step = away / np.linalg.norm(away) * (limit - clear)
            u, v = face.tangents(spot)
            yield Finding(
                code,
                "warn" if clear >= 0 else "stop",
                f"The rim of {named(fitting)} is {mm(abs(clear))} {'over' if clear < 0 else 'from'} the {what} {edge.id}",
                f"at least {mm(limit)} of flat between rim and {what}",
                source,
                "inside",
                f"fitting:{fitting.id}",
                f"{mm(-clear)} over it" if clear < 0 else f"{mm(clear)} of flat",
                f"wants {mm(limit)}",
                Remedy(
                    f"Move it in by {mm(limit - clear)}",
                    (
                        (f"inside.fittings.{i}.u_mm", round(fitting.u_mm + float(step @ u), 1)),
                        (f"inside.fittings.{i}.v_mm", round(fitting.v_mm + float(step @ v), 1)),
                    ),
                ),
            )
