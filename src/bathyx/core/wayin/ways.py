"""What would make a tank go in: shorter one way or two, an edge cut off, a wider opening, fittings put on after, two tanks in place
of one; each looked over by a way of its own."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from itertools import combinations, product
from typing import Any

import numpy as np
from shapely.geometry import Polygon

from bathyx.core.evaluate import evaluate, spare_of
from bathyx.core.job import Job
from bathyx.core.tank.family import WAYS
from bathyx.core.units import Said, litres, mm
from bathyx.core.wayin.plan import way_in
from bathyx.core.wayin.whole import WayFound
from bathyx.errors import Refusal

MOST_SHARE, NEAR_MM, LEAST_S = 0.45, 2.0, 2.0
MOST_WIDER_MM, APART_MM = 250.0, 12.0
Heard = Callable[[float], bool]


@dataclass(frozen=True, eq=False)
class Change:
    """Edits of the job with which the tank goes in: `words`, litres of gross volume it costs, and the way that was found."""

    words: Said
    changes: dict[str, Any]
    litres: float
    way: WayFound


Make = Callable[[float], tuple[str, dict[str, Any]] | None]


def ways_in(job: Job, seconds: float = 60.0, seed: int = 1, heard: Heard = lambda share: True) -> tuple[Change, ...]:
    """Changes that make the tank go in, the cheapest in litres first; those that were found in the time there is.

    Args:
        job: whose tank was not found to go in.
        seconds: for all of them together.
        seed: of the searches.
        heard: called with the share done; False stops.

    Each is searched by halving between what goes in and what does not, to within 2 mm; every one that is given has a way that was
    found for it. Where a smaller change would have done, the search for it failed in its time. Two dimensions together and a
    chamfered edge are looked at only as far as they cost less than what was found before.
    """
    size = {way: float(getattr(evaluate(job).results.outside, f"{way}_mm")) for way in WAYS}
    tasks: list[tuple[Make, float, bool]] = [
        (partial(_shorter, job, (way,)), MOST_SHARE * size[way], False) for way in WAYS
    ]
    if job.space.way_in is not None:
        tasks += [(partial(_wider, job, k), MOST_WIDER_MM, False) for k in range(len(job.space.way_in.openings))]
    tasks += [
        (partial(_shorter, job, pair), MOST_SHARE * min(size[w] for w in pair), True) for pair in combinations(WAYS, 2)
    ]
    for edge in job.tank.chamfers_left(1.0):
        tasks.append((partial(_chamfered, job, edge), MOST_SHARE * min(size["length"], size["height"]), True))
    count = len(tasks) + 2
    each = max(seconds / count, LEAST_S)
    found = _put_on_after(job, each, seed, lambda s: heard(s / count))
    for n, (make, most, cheaper) in enumerate(tasks, start=1):
        if not heard(n / count):
            break
        limit = min((c.litres for c in found if c.litres > 0.005), default=math.inf) if cheaper else math.inf
        most = _worth(job, make, most, limit)
        change = _least(job, make, most, each, seed, partial(_share_of, heard, n, count))
        if change is not None and change.litres < limit:
            found.append(change)
    if heard((count - 1) / count):
        two = _two_tanks(job, each, seed, lambda s: heard((count - 1 + 0.99 * s) / count))
        found += [two] if two is not None else []
    return tuple(sorted(found, key=lambda c: c.litres))


def _share_of(heard: Heard, number: int, count: int, share: float) -> bool:
    return heard((number + 0.99 * share) / count)


def _worth(job: Job, make: Make, most: float, limit: float) -> float:
    """The largest change of a kind that still costs less than `limit` litres, mm."""
    if limit == math.inf:
        return most
    low, high = 0.0, most
    while high - low > NEAR_MM / 2:
        at = (low + high) / 2
        made = make(at)
        low, high = (at, high) if made is not None and _litres(job, made[1]) < limit else (low, at)
    return low


def _litres(job: Job, changes: dict[str, Any]) -> float:
    """Gross litres that changes cost; a job that they leave none of costs all."""
    try:
        return (job.tank.volume_mm3() - job.edited_many(changes).tank.volume_mm3()) / 1e6
    except Refusal:
        return math.inf


def _put_on_after(job: Job, seconds: float, seed: int, heard: Heard) -> list[Change]:
    """Fittings that are put on when it is in: all of them, and where that does it, the one that alone decides."""
    rings = [f.id for f in job.inside.fittings if f.out_mm > 0]
    if not rings or job.space.way_in is None:
        return []
    path = "space.way_in.after"
    bare = _tried(job, {path: rings}, seconds, seed, heard)
    if bare is None:
        return []
    for name in rings:
        alone = _tried(job, {path: [name]}, seconds / len(rings), seed, heard)
        if alone is not None:
            return [Change(Said(f"put the {name} on when it is in: it alone decides"), {path: [name]}, 0.0, alone)]
    return [Change(Said("put the fittings on when it is in"), {path: rings}, 0.0, bare)]


def _least(job: Job, make: Make, most: float, seconds: float, seed: int, heard: Heard) -> Change | None:
    """The least of one kind of change that was found to do, up to `most` mm."""
    if most < NEAR_MM:
        return None
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
            best = Change(Said(made[0]), made[1], _litres(job, made[1]), way)
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


def _shorter(job: Job, ways: tuple[str, ...], by: float) -> tuple[str, dict[str, Any]] | None:
    """The tank shorter one way or two, where it has most to spare: its front or left stays, its rear or right, or its middle."""
    changes: dict[str, Any] = {}
    short = job
    for way in ways:
        fields = short.tank.shortened(way, by)
        if not fields:
            return None
        changes |= {f"tank.{path}": value for path, value in fields.items()}
        try:
            short = job.edited_many(changes)
        except Refusal:
            return None
    best: tuple[float, dict[str, Any]] | None = None
    for shares in product(*((0.5, 0.0, 1.0) if way != "height" else (0.0,) for way in ways)):
        seat = job.space.seated().copy()
        for way, share in zip(ways, shares, strict=True):
            seat[WAYS.index(way)] += by * share
        tried = changes | {"space.seat": _place(seat)}
        try:
            spare = spare_of(job.edited_many(tried))[0].value
        except Refusal:
            continue
        if best is None or spare > best[0]:
            best = spare, tried
    return None if best is None else (f"{mm(by)} off its {' and its '.join(ways)}", best[1])


def _chamfered(job: Job, edge: str, by: float) -> tuple[str, dict[str, Any]] | None:
    """One edge of the tank cut off at 45°."""
    fields = job.tank.chamfers_left(by).get(edge)
    if fields is None:
        return None
    return f"its {edge} edge chamfered by {mm(by)}", {f"tank.{path}": value for path, value in fields.items()}


def _two_tanks(job: Job, seconds: float, seed: int, heard: Heard) -> Change | None:
    """Two tanks joined by a pipe in place of one, each half of it, one behind or beside the other; the second goes in first."""
    if job.second is not None or job.tank.built_in:
        return None
    outside = evaluate(job).results.outside
    for way in sorted(("length", "width"), key=lambda w: -float(getattr(outside, f"{w}_mm"))):
        size = float(getattr(outside, f"{way}_mm"))
        half = (size - APART_MM) / 2
        fields = job.tank.shortened(way, size - half)
        if not fields:
            continue
        first = {f"tank.{path}": value for path, value in fields.items()}
        try:
            tank = job.edited_many(first).tank
        except Refusal:
            continue
        far = job.space.seated().copy()
        far[WAYS.index(way)] += half + APART_MM
        near = job.space.seated()
        for mine, other in ((near, far), (far, near)):
            second = {"tank": tank.model_dump(mode="json"), "seat": _place(other)}
            changes = first | {"space.seat": _place(mine), "second": second}
            alone = _tried(job, first | {"space.seat": _place(other)}, seconds / 4, seed, heard)
            both = None if alone is None else _tried(job, changes, seconds / 4, seed, heard)
            if both is not None and _apart(job, changes):
                each = litres(tank.volume_mm3() / 1e6)
                words = f"two tanks of {each} joined by a pipe, in place of one; the second goes in first"
                return Change(Said(words), changes, _litres(job, first) - tank.volume_mm3() / 1e6, both)
    return None


def _apart(job: Job, changes: dict[str, Any]) -> bool:
    """Whether the two tanks of changed job clear one another and everything in the space."""
    near = evaluate(job.edited_many(changes)).results.second_near
    return near is not None and near.mm > 0


def _place(seat: Any) -> dict[str, float]:
    return dict(zip(("x_mm", "y_mm", "z_mm"), (round(float(v), 3) for v in seat), strict=True))


def _wider(job: Job, number: int, by: float) -> tuple[str, dict[str, Any]] | None:
    """An opening larger by so much on every side."""
    assert job.space.way_in is not None
    opening = job.space.way_in.openings[number]
    wide = Polygon(opening.border).buffer(by, join_style="mitre")
    corners = np.array(wide.exterior.coords)[:-1]
    rows = [[round(float(a), 3), round(float(b), 3)] for a, b in corners]
    return f"{opening.name} {mm(by)} wider all round", {f"space.way_in.openings.{number}.corners": rows}
