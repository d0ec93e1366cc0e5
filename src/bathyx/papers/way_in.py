"""The way in on paper, to take along: how the tank is held, move by move, and where it is tightest."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from bathyx.core.evaluate import Evaluation
from bathyx.core.units import Family, Said, show, worded
from bathyx.core.wayin.built import body_of
from bathyx.core.wayin.handling import handling
from bathyx.core.wayin.pose import Array, Pose
from bathyx.draft.hull_view import hull_view
from bathyx.papers.page.sheet_of_paper import Paper
from bathyx.papers.page.stationery import Stationery

HIGH, MOST_DRAWN = 190.0, 12


@dataclass(frozen=True, eq=False)
class Told:
    """A way as it is printed: a pose and its words each, from outside to the seat; the tightest moment, what it is to, and mm;
    `out` where it is the way out, from the seat."""

    poses: Sequence[Pose]
    words: Sequence[str]
    tightest: Pose
    to: str
    mm: float
    out: bool = False


def write_way_in(e: Evaluation, path: Path, way: Told, units: Family, on: Stationery | None = None) -> Path:
    """A page or more: each move with a box to tick, drawn in three views; the tightest moment last.

    Args:
        e: the evaluated job, whose tank the way is for.
        path: file to write.
        way: as it was found.
        units: metric or US.
        on: the shop's stationery.
    """
    body = body_of(e, bare=True)
    spots = body_of(e, out=way.out).reshape(-1, 3)
    middle = (spots.min(axis=0) + spots.max(axis=0)) / 2

    def drawn(pose: Pose) -> tuple[Array, ...]:
        return (pose.points(body - middle),)

    paper = Paper(
        path,
        "The way out" if way.out else "The way in",
        f"{e.job.brief.name} for {e.job.brief.customer or 'stock'}",
        on,
        e,
    )
    if e.job.space.way_in is not None:
        paper.words(worded(handling(e.job.space.way_in, e.results.weight.dry.value), units), 9, "stop", bold=True)
    paper.words(
        f"Tightest {show(way.mm, 'length', units, places=1)} to {way.to}. The tank and the walls are taken as rigid and "
        "as they were measured; left and right as the machine faces.",
        9,
    )
    for k, (pose, words) in enumerate(zip(way.poses, way.words, strict=True)):
        paper.room(HIGH + 30)
        paper.tick_box(f"{k or 'Begin'}: {worded(Said(words), units)}")
        if k < MOST_DRAWN:
            paper.picture(hull_view(e, units, drawn(pose), across=True), HIGH)
    paper.room(1.5 * HIGH)
    paper.heading("Where it is tightest")
    paper.picture(hull_view(e, units, drawn(way.tightest), across=True), 1.2 * HIGH)
    paper.tick_box("Came out so.   Found otherwise:" if way.out else "Went in so.   Found otherwise:")
    return paper.finish()
