"""How much more stays behind when the machine climbs or brakes, and can a pickup do better?"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from bathyx.core.brief import Brief
from bathyx.core.capacity.capacity import capacity
from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.findings.placing import free_name, free_spots
from bathyx.core.inside.fittings import Fitting, usual
from bathyx.core.job import Job
from bathyx.core.memory import remembered
from bathyx.core.results import Results
from bathyx.core.units import litres, mm

SHARE = 0.12
SPOTS = 7


def check(job: Job, r: Results) -> Iterator[Finding]:
    """More than 12 % of the fill lost on the slope: the best place for the pickup, or a second one, or the true figure."""
    fill, lost = r.capacity.fill_l, r.capacity.unusable_tilted_l
    if fill > 0 and lost > SHARE * fill:
        yield replace(_loss(fill, lost, job), think=lambda: _thought(job, r, fill, lost))
    short = r.wanted.value - r.capacity.usable_tilted.value
    if short > 0.005 * r.wanted.value and r.capacity.usable.value >= r.wanted.value and lost <= SHARE * fill:
        yield Finding(
            "capacity.slope",
            "note",
            f"Level it gives what was asked; on the slope {litres(short)} less than that can be drawn",
            "the brief is met level; the figure on the slope is what the engine sees there",
            "the brief",
            "tank",
            "",
            f"{litres(r.capacity.usable_tilted.value)} on the slope",
            f"asked for {litres(r.wanted.value)}",
        )


def _loss(fill: float, lost: float, job: Job, more: str = "", remedy: Remedy | None = None) -> Finding:
    pickups = [f.id for f in job.inside.fittings if f.does == "pickup"]
    return Finding(
        "pickup.slope",
        "note" if remedy is None else "warn",
        f"On the slope the pickup leaves {litres(lost)} behind; it sucks air before that is used{more}",
        "at most 12 % of the fill stays behind at the working tilt",
        "steady tilt of the surface; 12 % is Bathyx's own line",
        "inside",
        f"fitting:{pickups[0]}" if pickups else "",
        f"leaves {litres(lost)}",
        f"at most {litres(SHARE * fill)}",
        remedy,
    )


def _thought(job: Job, r: Results, fill: float, lost: float) -> Finding:
    """The finding with the best that can be done: a better place, a second pickup, or the true figure."""
    pickups = [(i, f) for i, f in enumerate(job.inside.fittings) if f.does == "pickup" and f.face == "top"]
    if len(pickups) != 1:
        return _loss(fill, lost, job)
    index, fitting = pickups[0]
    spot, least = _best(job, r, fitting)
    if spot is not None and least <= SHARE * fill:
        at = f"inside.fittings.{index}"
        remedy = Remedy(
            f"Put the pickup at {spot[0]:.0f}, {mm(spot[1])}", ((f"{at}.u_mm", spot[0]), (f"{at}.v_mm", spot[1]))
        )
        return _loss(fill, lost, job, f". At {spot[0]:.0f}, {mm(spot[1])} it would leave {litres(least)}", remedy)
    best = min(least, lost)
    two, left = _second(job, r, fitting)
    if two and left < 0.75 * best:
        remedy = Remedy("Add a second pickup at the other end", (("inside.fittings", two),))
        return _loss(
            fill,
            lost,
            job,
            f". One pickup leaves {litres(best)} at the best; a second one leaves {litres(left)}",
            remedy,
        )
    return _loss(
        fill, lost, job, f". No place leaves less than {litres(best)} in this shape: reckon with it, or give it a sump"
    )


@remembered(64)
def _leaves(r: Results, fittings: tuple[Fitting, ...], brief: Brief) -> float:
    pickups = tuple(f for f in fittings if f.does == "pickup")
    return capacity(r.shell, r.roles, r.plates, pickups, r.skins, r.rule, brief).unusable_tilted_l


def _best(job: Job, r: Results, fitting: Fitting) -> tuple[tuple[float, float] | None, float]:
    """(place, litres left) of the best of a few free places spread over the top."""
    spots = free_spots(job, r, fitting, fitting.id)
    if not len(spots):
        return None, float("inf")
    middle = spots.mean(axis=0)
    wishes = [
        middle,
        *(spots.min(axis=0) + (np.ptp(spots, axis=0)) * s for s in ((0.25, 0.5), (0.75, 0.5), (0.5, 0.25))),
    ]
    found = []
    for wish in wishes[:SPOTS]:
        u, v = spots[np.argmin(np.linalg.norm(spots - wish, axis=1))].tolist()
        moved = fitting.model_copy(update={"u_mm": u, "v_mm": v})
        found.append((_leaves(r, (moved,), job.brief), (u, v)))
    least, spot = min(found)
    return spot, least


def _second(job: Job, r: Results, fitting: Fitting) -> tuple[list[Fitting] | None, float]:
    """(fittings, litres left) with one pickup at each end."""
    spots = free_spots(job, r, fitting, fitting.id)
    if not len(spots):
        return None, float("inf")
    across = float(np.median(spots[:, 1]))
    ends = []
    for u in (float(spots[:, 0].min()), float(spots[:, 0].max())):
        ends.append(spots[np.argmin(abs(spots[:, 0] - u) + abs(spots[:, 1] - across))].tolist())
    first = fitting.model_copy(update={"u_mm": ends[0][0], "v_mm": ends[0][1]})
    other = usual("pickup", free_name(job, "pickup"), fitting.face, *ends[1]).model_copy(
        update={"floor_clear_mm": fitting.floor_clear_mm, "hole_mm": fitting.hole_mm, "ring_od_mm": fitting.ring_od_mm}
    )
    kept = [first if f.id == fitting.id else f for f in job.inside.fittings]
    return [*kept, other], _leaves(r, (first, other), job.brief)
