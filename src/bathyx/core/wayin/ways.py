"""What would make a tank go in: shorter one way, a wider opening, fittings put on after; each looked over by a way of its own."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np
from shapely.geometry import Polygon

from bathyx.core.evaluate import evaluate, spare_of
from bathyx.core.job import Job
from bathyx.core.tank.family import WAYS
from bathyx.core.units import Said, mm
from bathyx.core.wayin.plan import WayFound, way_in
from bathyx.errors import Refusal

MOST_SHARE, NEAR_MM, LEAST_S = 0.45, 2.0, 2.0
MOST_WIDER_MM = 250.0
Heard = Callable[[float], bool]


@dataclass(frozen=True, eq=False)
class Change:
    """Edits of the job with which the tank goes in: `words`, litres of gross volume it costs, and the way that was found."""

    words: Said
    changes: dict[str, Any]
    litres: float
    way: WayFound


def ways_in(job: Job, seconds: float = 60.0, seed: int = 1, heard: Heard = lambda share: True) -> tuple[Change, ...]:
    """Changes that make the tank go in, the cheapest in litres first; those that were found in the time there is.

    Args:
        job: whose tank was not found to go in.
        seconds: for all of them together.
        seed: of the searches.
        heard: called with the share done; False stops.

    Each is searched by halving between what goes in and what does not, to within 2 mm; every one that is given has a way that was
    found for it. Where a smaller change would have done, the search for it failed in its time.
    """
    space = job.space
    tasks: list[tuple[str, Callable[[float], tuple[str, dict[str, Any]] | None], float]] = []
    for way in WAYS:
        size = float(getattr(evaluate(job).results.outside, f"{way}_mm"))
        tasks.append((way, partial(_shorter, job, way), MOST_SHARE * size))
    if space.way_in is not None:
        for k in range(len(space.way_in.openings)):
            tasks.append((f"opening {k}", partial(_wider, job, k), MOST_WIDER_MM))
    each = max(seconds / (len(tasks) + 1), LEAST_S)
    found: list[Change] = []
    after = [f.id for f in job.inside.fittings if f.ring_mm > 0]
    if after:
        bare = _tried(job, {"space.way_in.after": after}, each, seed, lambda s: heard(s / (len(tasks) + 1)))
        if bare is not None:
            found.append(Change(Said("put the fittings on when it is in"), {"space.way_in.after": after}, 0.0, bare))
    for n, (_, make, most) in enumerate(tasks, start=1):
        if not heard(n / (len(tasks) + 1)):
            break
        change = _least(job, make, most, each, seed, lambda s, n=n: heard((n + 0.99 * s) / (len(tasks) + 1)))  # type: ignore[misc]
        if change is not None:
            found.append(change)
    return tuple(sorted(found, key=lambda c: c.litres))


def _least(
    job: Job,
    make: Callable[[float], tuple[str, dict[str, Any]] | None],
    most: float,
    seconds: float,
    seed: int,
    heard: Heard,
) -> Change | None:
    """The least of one kind of change that was found to do."""
    rounds = max(3, math.ceil(math.log2(most / NEAR_MM)))
    each = seconds / (rounds + 1)
    low, high = 0.0, most
    best: Change | None = None
    at = most / 3
    for _ in range(rounds + 1):
        made = make(math.ceil(at))
        way = None if made is None else _tried(job, made[1], each, seed, heard)
        if made is not None and way is not None:
            high = math.ceil(at)
            litres = (job.tank.volume_mm3() - job.edited_many(made[1]).tank.volume_mm3()) / 1e6
            best = Change(Said(made[0]), made[1], litres, way)
        else:
            low = at
        if high - low <= NEAR_MM or not heard(0.5):
            break
        at = (low + high) / 2
    return best


def _tried(job: Job, changes: dict[str, Any], seconds: float, seed: int, heard: Heard) -> WayFound | None:
    try:
        e = evaluate(job.edited_many(changes))
        found = way_in(e, seconds, seed, heard)
    except Refusal:
        return None
    keep = e.job.space.way_in.keep_mm if e.job.space.way_in is not None else 0.0
    roomy = found.tightest is not None and found.tightest.mm >= keep - 0.05
    return found if found.verdict == "goes_in" and roomy else None


def _shorter(job: Job, way: str, by: float) -> tuple[str, dict[str, Any]] | None:
    """The tank shorter one way, standing where it has most to spare: its front or left stays, its rear or right, or its middle."""
    fields = job.tank.shortened(way, by)
    if not fields:
        return None
    changes: dict[str, Any] = {f"tank.{path}": value for path, value in fields.items()}
    best: tuple[float, dict[str, Any]] | None = None
    for share in (0.5, 0.0, 1.0) if way != "height" else (0.0,):
        seat = job.space.seated().copy()
        seat[WAYS.index(way)] += by * share
        place = dict(zip(("x_mm", "y_mm", "z_mm"), (round(float(v), 3) for v in seat), strict=True))
        tried = changes | {"space.seat": place}
        try:
            spare = spare_of(job.edited_many(tried))[0].value
        except Refusal:
            continue
        if best is None or spare > best[0]:
            best = spare, tried
    return None if best is None else (f"{mm(by)} off its {way}", best[1])


def _wider(job: Job, number: int, by: float) -> tuple[str, dict[str, Any]] | None:
    """An opening larger by so much on every side."""
    assert job.space.way_in is not None
    opening = job.space.way_in.openings[number]
    wide = Polygon(opening.border).buffer(by, join_style="mitre")
    corners = np.array(wide.exterior.coords)[:-1]
    rows = [[round(float(a), 3), round(float(b), 3)] for a, b in corners]
    return f"{opening.name} {mm(by)} wider all round", {f"space.way_in.openings.{number}.corners": rows}
