"""What would make a tank go in: shorter one way or two, an edge cut off, a wider opening, fittings put on after, two tanks in place
of one; each looked over by a way of its own."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from itertools import combinations, product
from typing import Any

import numpy as np
from shapely.geometry import Polygon

from bathyx.core.evaluate import evaluate, spare_of
from bathyx.core.job import Job
from bathyx.core.tank.family import WAYS
from bathyx.core.units import Said, litres, mm
from bathyx.core.wayin.built import outer, plates, scene_of
from bathyx.core.wayin.clock import now
from bathyx.core.wayin.path import CLOSE_MM, tightest
from bathyx.core.wayin.plan import way_in
from bathyx.core.wayin.pose import Pose
from bathyx.core.wayin.through import is_outside
from bathyx.core.wayin.told import begun, moves
from bathyx.core.wayin.whole import WayFound, refuse_bad_seat
from bathyx.errors import Refusal

MOST_SHARE, NEAR_MM, LEAST_S, EACH_S, KEEP_SLACK_MM = 0.45, 2.0, 2.0, 2.5, 0.05
WIDER_SHARE, PLAIN_SHARE, TWO_SHARE, MOST_TRIES, AGAIN = 0.4, 0.25, 0.1, 2, 2
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
    end = now() + seconds

    def told(share: float = 0.0) -> bool:
        """Whether to go on; how far it is goes by the time that is gone."""
        return heard(min(max(1 - (end - now()) / seconds, share), 0.99)) and now() < end

    def within(share: float) -> bool:
        return told()

    found = _put_on_after(job, max(0.1 * seconds, LEAST_S), seed, within)
    wider, plain, paired = _kinds(job)
    _run(wider, job, seed, min(end, now() + WIDER_SHARE * seconds), within)  # these cost no litres
    _run(plain, job, seed, min(end, now() + PLAIN_SHARE * seconds), within)
    found += _best(wider)
    limit = min((c.litres for c in (*found, *_best(plain)) if c.litres > 0.005), default=math.inf)
    for kind in paired:
        kind.most = _worth(job, kind.make, kind.most, limit)
    _run([k for k in paired if k.most >= NEAR_MM], job, seed, end - TWO_SHARE * seconds, within)
    found += _best(plain) + [c for c in _best(paired) if c.litres < limit]
    if told():
        two = _two_tanks(job, max(end - now(), LEAST_S), seed, within)
        found += [two] if two is not None else []
    return tuple(sorted(found, key=lambda c: c.litres))


@dataclass(eq=False)
class _Kind:
    """One kind of change: what is known of how much of it does. `proven`: so much cannot; `low`: so much was not found to."""

    make: Make
    most: float
    proven: float = 0.0
    low: float = 0.0
    best: Change | None = None
    high: float = math.inf
    tries: int = 0
    again: int = 0

    @property
    def open(self) -> bool:
        """Whether more looking may find less."""
        if self.best is None:
            return self.low < self.most and self.tries <= MOST_TRIES
        return self.high - self.low > NEAR_MM

    def next(self) -> float:
        """How much is tried next, mm: a third of the most, the most, then half way between what does and what does not."""
        if self.best is None:
            return self.most if self.tries else self.most / 3
        return (self.low + self.high) / 2

    def once_more(self) -> bool:
        """Look again below what was found, where that was not proven; False where it was looked at twice."""
        if self.best is None or self.again >= AGAIN or self.low - self.proven <= NEAR_MM:
            return False
        self.low, self.again = self.proven, self.again + 1
        return True

    def step(self, job: Job, seconds: float, seed: int, heard: Heard) -> None:
        """One try, of at most so many seconds."""
        at = math.ceil(self.next())
        self.tries += 1
        made = self.make(at)
        way, cannot = (None, False) if made is None else _found(job, made[1], seconds, seed + self.again, heard)
        if made is None or way is None:
            self.low = max(self.low, at)
            self.proven = max(self.proven, at if cannot else 0.0)
            return
        spare = _spare(job, way)
        if spare >= -KEEP_SLACK_MM:
            self._take(job, at, made, way)
        # The same path keeps what it has to spare where the change is less, and wins what it lacks where it is more.
        for by in (-spare, -0.6 * spare) if spare > 0 else (-spare, 1 - 2 * spare):
            other = math.ceil(at + by)
            changed = self.make(other) if 0 < other < min(self.high, self.most + 1) else None
            along = None if changed is None else _followed(job, changed[1], way)
            if changed is not None and along is not None:
                self._take(job, other, changed, along)
                return
        if spare < -KEEP_SLACK_MM:
            self.low = max(self.low, at)

    def _take(self, job: Job, at: float, made: tuple[str, dict[str, Any]], way: WayFound) -> None:
        self.high, self.low = at, min(self.low, max(at - 1.0, self.proven))
        self.best = Change(Said(made[0]), made[1], _litres(job, made[1]), way)


def _kinds(job: Job) -> tuple[list[_Kind], list[_Kind], list[_Kind]]:
    """(wider openings; shorter one way; shorter two ways, and edges cut off)."""
    size = {way: float(getattr(evaluate(job).results.outside, f"{way}_mm")) for way in WAYS}
    openings = job.space.way_in.openings if job.space.way_in is not None else ()
    wider = [_Kind(partial(_wider, job, k), MOST_WIDER_MM) for k in range(len(openings))]
    plain = [_Kind(partial(_shorter, job, (way,)), MOST_SHARE * size[way]) for way in WAYS]
    pairs = [
        _Kind(partial(_shorter, job, pair), MOST_SHARE * min(size[w] for w in pair)) for pair in combinations(WAYS, 2)
    ]
    edge_most = MOST_SHARE * min(size["length"], size["height"])
    return (
        wider,
        plain,
        pairs + [_Kind(partial(_chamfered, job, edge), edge_most) for edge in job.tank.chamfers_left(1.0)],
    )


def _run(kinds: list[_Kind], job: Job, seed: int, end: float, heard: Heard) -> None:
    """Try after try, turn about, until each is within 2 mm or the time is over; what was not found is looked for again, longer."""
    while now() < end and heard(0.0):
        live = [kind for kind in kinds if kind.open]
        if not live and not any([kind.once_more() for kind in kinds]):
            return
        for kind in live:
            left = end - now()
            if left > 0 and heard(0.0):
                kind.step(job, min(left, EACH_S * 2**kind.again), seed, heard)


def _best(kinds: list[_Kind]) -> list[Change]:
    return [kind.best for kind in kinds if kind.best is not None]


def _least(job: Job, make: Make, most: float, seconds: float, seed: int, heard: Heard) -> Change | None:
    """The least of one kind of change that was found to do, up to `most` mm."""
    kind = _Kind(make, most)
    _run([kind], job, seed, now() + seconds, heard)
    return kind.best


def _spare(job: Job, way: WayFound) -> float:
    """Air of a path beyond what is to be kept, mm; less than 0 where it lacks some."""
    keep = job.space.way_in.keep_mm if job.space.way_in is not None else 0.0
    return (way.tightest.mm if way.tightest is not None else 0.0) - keep


def _followed(job: Job, changes: dict[str, Any], way: WayFound) -> WayFound | None:
    """The way of a larger change, looked over for a smaller one: None where it keeps less air than is to be kept."""
    try:
        e = evaluate(job.edited_many(changes))
        if e.job.tank.built_in or e.job.space.way_in is None:
            return None
        scene, ways = scene_of(e)
        refuse_bad_seat(scene, e)
    except Refusal:
        return None
    off = scene.middle - way.path[-1].at
    path = [Pose(pose.at + off, pose.turn) for pose in way.path]
    outside = outer(plates(e.job.space, e.job.space.way_in), e.job.space)
    if not is_outside(scene, ways, outside, path[0]) or any(scene.hits(pose) for pose in path):
        return None
    least = tightest(scene, path, CLOSE_MM)
    if least.mm < e.job.space.way_in.keep_mm - KEEP_SLACK_MM:
        return None
    count = f"{len(path) - 1} move{'s' if len(path) != 2 else ''}"
    said = f"goes in by {way.opening} in {count}; tightest {mm(least.mm, 1)} to {least.what}"
    return replace(way, path=tuple(path), moves=(begun(path[0]), *moves(path)), tightest=least, reason=Said(said))


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


def _found(job: Job, changes: dict[str, Any], seconds: float, seed: int, heard: Heard) -> tuple[WayFound | None, bool]:
    """(the way with the changes made; whether it was proven that there is none)."""
    try:
        found = way_in(evaluate(job.edited_many(changes)), seconds, seed, heard)
    except Refusal:
        return None, False
    return (found if found.verdict == "goes_in" else None), found.verdict == "cannot"


def _tried(job: Job, changes: dict[str, Any], seconds: float, seed: int, heard: Heard) -> WayFound | None:
    """The way with the changes made, where it keeps the air that is to be kept."""
    way, _ = _found(job, changes, seconds, seed, heard)
    return way if way is not None and _spare(job, way) >= -KEEP_SLACK_MM else None


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
