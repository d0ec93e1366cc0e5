"""Does anything draw from every pool that the floor falls apart into?"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.findings.placing import free_name, put, within
from bathyx.core.geometry.shell import Array, Face, covers
from bathyx.core.inside.fittings import Fitting, inlets, usual
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.units import litres, mm

SHARE, LEAST_L = 0.02, 1.0


def check(job: Job, r: Results) -> Iterator[Finding]:
    """A pool of more than 2 % of the fill that no pickup reaches; the remedy joins it to a drawn one with a balance pipe."""
    inlet = [spot for _, spot in inlets(r.shell, job.inside.fittings)]
    for volume, level, spot in r.capacity.left:
        held = volume / 1e6
        if held < max(LEAST_L, SHARE * r.capacity.fill_l) or any(abs(float(i[2]) - level) < 1.0 for i in inlet):
            continue
        yield Finding(
            "inside.pools",
            "warn",
            f"Below {mm(level)} the fluid falls apart: {litres(held)} stay in a pool that no pickup reaches",
            "every pool is drawn, or joined to a drawn one by a balance pipe",
            "connected parts of the tank below each sill; a pipe between two lobes: common practice",
            "inside",
            "",
            f"{litres(held)} stay",
            "drawn, or a balance pipe",
            _pipe(job, r, spot, inlet),
        )
        return


def _pipe(job: Job, r: Results, spot: Array, inlet: list[Array]) -> Remedy | None:
    """Two ends of a pipe in the floors of the pool and of the nearest pickup."""
    drawn = min(inlet, key=lambda i: float(np.linalg.norm(i - spot)))
    ends: list[Fitting] = []
    for place in (drawn, spot):
        face = _floor_under(r, place)
        if face is None or face.lower is None:
            return None
        so_far = job.edited("inside.fittings", [*job.inside.fittings, *ends])
        end = put(so_far, r, usual("balance", free_name(so_far, "balance"), face.id, *within(*face.lower, 0.5, 0.5)))
        if end is None:
            return None
        ends.append(end)
    return Remedy("Join it by a balance pipe", (("inside.fittings", [*job.inside.fittings, *ends]),))


def _floor_under(r: Results, place: Array) -> Face | None:
    """The lowest face that looks down under a place, sumps left out: a pipe leaves the floor beside them."""
    under = [
        face
        for face in r.shell.faces
        if face.lower is not None
        and face.role not in ("sump", "tunnel")
        and any(covers(loop[:, :2], float(place[0]), float(place[1])) for loops, _ in face.blocks for loop in loops)
    ]
    return min(under, key=lambda f: float(f.centroid[2]), default=None)
