"""A face of the tank dragged in its space: as far as it goes, what stops it, and what it is worth."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from bathyx.core.evaluate import Evaluation, spare_of
from bathyx.core.job import Job
from bathyx.core.sheet.makeup.rims import outside
from bathyx.core.sheet.makeup.skins import flush_of, set_in
from bathyx.core.units import mm
from bathyx.errors import Refusal

MOST_TRIES, EVEN_MM = 12, 1e-4


@dataclass(frozen=True, eq=False)
class Pull:
    """`changes` of the job; `by_mm` it went; `stopped_by`: what holds it, empty where it went all the way; `litres` won."""

    changes: dict[str, Any]
    by_mm: float
    stopped_by: str
    litres: float


def pulled(e: Evaluation, name: str, by_mm: float, last: Pull | None = None) -> Pull:
    """The tank with a face dragged out by whole millimetres, as far as everything keeps its clearance, or no worse than before.

    Args:
        e: the evaluated job as the drag began.
        name: of a face that may be dragged.
        by_mm: outward; negative pushes it in, which nothing stops but the tank's own shape.
        last: of this drag, to go on from.
    """
    if last is not None and last.by_mm * by_mm > 0 and abs(last.by_mm) <= abs(by_mm):
        if last.stopped_by:
            return last
    else:
        last = None
    before = e.results.spare.value
    bound = min(before, 0.0) - EVEN_MM
    words = ""
    lo, hi = 0.0, by_mm
    back: dict[str, Any] = {"tank": e.job.tank, "space.seat": e.job.space.seat}  # a face let back to where it was
    best: tuple[float, Job, dict[str, Any]] = (0.0, e.job, back)
    if last is not None:
        lo, best = last.by_mm, (last.by_mm, e.job.edited_many(last.changes), last.changes)
    at = by_mm
    for _ in range(MOST_TRIES):
        found = _tried(e, name, at)
        if isinstance(found, str):
            words, hi = found, at
            step = (lo + hi) / 2
        else:
            job, changes, spare, near = found
            if spare >= bound:
                best, lo = (at, job, changes), at
                step = (lo + hi) / 2
            else:
                words, hi = near, at
                # Most walls are met square: back by what is missing, then looked at closely.
                step = at - math.copysign(math.ceil(bound - spare), by_mm)
                step = step if abs(step) > abs(lo) else (lo + hi) / 2
        if abs(hi - lo) <= 1 or best[0] == by_mm:
            break
        at = float(math.trunc(step)) if math.trunc(step) not in (lo, hi) else lo + math.copysign(1.0, by_mm)
    went, job, changes = best
    litres = (job.tank.volume_mm3() - e.job.tank.volume_mm3()) / 1e6
    return Pull(changes, went, words if went != by_mm else "", litres)


def _tried(e: Evaluation, name: str, by_mm: float) -> tuple[Job, dict[str, Any], float, str] | str:
    """(job, changes, least spare, what it is spare to) with the face there; or why it cannot be."""
    space = e.job.space
    try:
        fields, shift = e.job.tank.pulled(name, by_mm)
        changes: dict[str, Any] = {f"tank.{path}": value for path, value in fields.items()}
        job = e.job.edited_many(changes)
        if not space.plain or shift.any():
            skins, rims = e.results.skins, e.results.rims
            was = outside(e.results.shell, skins, e.results.rims).reshape(-1, 3).min(axis=0)
            inside = set_in(job.tank.shell(), flush_of(job.makeup.panels, skins.base_mm))
            now = outside(inside, skins, rims).reshape(-1, 3).min(axis=0)
            seat = space.seated() + shift + now - was
            seats = dict(zip(("x_mm", "y_mm", "z_mm"), (round(float(v), 4) for v in seat), strict=True))
            changes["space.seat"] = seats
            job = job.edited("space.seat", seats)
        spare, near = spare_of(job)
    except Refusal as error:
        return str(error)
    said = f"{near[0].what}, {mm(near[0].wants_mm)} kept" if near else f"the space {spare.label.removeprefix('Spare ')}"
    return job, changes, spare.value, said
