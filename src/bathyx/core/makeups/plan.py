"""Candidates for the make-up by an aim: the best unfoldings and the schools, each evaluated, the best first."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from bathyx.core.evaluate import Evaluation, cuttable, evaluate
from bathyx.core.geometry.shell import Edge
from bathyx.core.job import Job
from bathyx.core.makeups.aims import Aim
from bathyx.core.makeups.metal import border_mm, sheets_of
from bathyx.core.makeups.pieces import Pieces
from bathyx.core.makeups.positions import hardship_mm, position_of
from bathyx.core.makeups.rates import Rates
from bathyx.core.makeups.search import Found, best_forests
from bathyx.core.sheet.flat.blank import Blank
from bathyx.core.sheet.makeup.roles import SCHOOLS, EdgeChoice, bend_rule, roles_of
from bathyx.core.sheet.makeup.skins import skins_of
from bathyx.errors import Refusal

PART, LOW, POOL, PLANNED = 1e5, 1e4, 10, "planned"
EXACT = (
    "weld",
    "low",
    "flat",
    "parts",
)  # aims that are sums over edges; sheets depend on the nest, and money on sheets


@dataclass(frozen=True, eq=False)
class Candidate:
    """A make-up: its edits of the job, and what it takes. `weld_mm` without baffles, `hard_mm` weighted by position, the tank
    not turned, `flat_share` of it welded flat; money: sheets, or blanks where they do not
    nest, and work at `Rates`."""

    name: str
    changes: dict[str, Any]
    blanks: tuple[Blank, ...]
    weld_mm: float
    low_mm: float
    parts: int
    bends: int
    sheets: int | None
    minutes: float
    money: float
    hard_mm: float = 0.0
    flat_share: float = 0.0
    stops: tuple[str, ...] = ()


@dataclass(frozen=True, eq=False)
class MakeUps:
    """Candidates, the best first; `gap`: how much better one that was missed may be, in the aim's weight; `proven`:
    none is."""

    aim: Aim
    found: tuple[Candidate, ...]
    gap: float
    proven: bool = False


def make_ups(
    job: Job,
    aim: Aim = "weld",
    top: int = 6,
    rates: Rates | None = None,
    seconds: float = 4.0,
    heard: Callable[[float], bool] = lambda share: True,
    offcuts: tuple[tuple[float, float], ...] = (),
) -> MakeUps:
    """Candidates for the make-up of a tank.

    Args:
        job: as it stands; its joint, radius, K and brake hold for all.
        aim: what is best.
        top: how many to give.
        rates: of the shop.
        seconds: for each search.
        heard: called with the share done; False stops.
        offcuts: on the rack, mm; they are used first and cost nothing.

    Raises:
        Refusal: for a tank that is not made of sheared plates: there is nothing to choose.
    """
    rates = rates or Rates()
    base = evaluate(job)
    sets, gap = _sets(job, base, aim, rates, seconds, lambda: heard(0.3))
    tries: list[tuple[str, dict[str, Any], frozenset[str] | None]] = [
        (SCHOOLS[school], {"makeup.school": school, "makeup.edges": [], "makeup.moved": []}, None)
        for school in job.tank.schools()
    ]
    joints = [choice for choice in job.makeup.edges if choice.joint is not None]
    for bent in sets:
        choices = [EdgeChoice(edge=name, role="bend") for name in sorted(bent)]
        choices += [choice for choice in joints if choice.edge not in bent]
        edges = [choice.model_dump() for choice in choices]
        tries.append((PLANNED, {"makeup.school": "plates", "makeup.edges": edges, "makeup.moved": []}, bent))
    found: list[Candidate] = []
    heaviest: Candidate | None = None
    for k, (name, changes, of) in enumerate(tries):
        if not heard(0.3 + 0.7 * k / len(tries)):
            break
        made = _candidate(job, base, name, changes, rates, offcuts)
        if made is not None:
            found.append(made)
            heaviest = made if of is not None and of == sets[0] else heaviest
    best: list[Candidate] = []
    seen: set[tuple[Any, ...]] = set()
    for c in sorted(found, key=lambda c: (bool(c.stops), *_key(c, aim))):
        like = (round(c.weld_mm), c.parts, c.bends, c.sheets)
        if like not in seen:  # of those that take the same, the first stands for all
            seen.add(like)
            best.append(c)
    # Proven where the search ended and what it found the heaviest can be made: nothing that it stood for was dropped.
    proven = (
        aim in EXACT
        and gap == 0
        and not job.makeup.brake.looked_at  # an order that was not found is no proof that there is none
        and heaviest is not None
        and not heaviest.stops
        and _key(best[0], aim)[0] <= _key(heaviest, aim)[0]
    )
    return MakeUps(aim, tuple(best[:top]), gap, proven)


def _key(c: Candidate, aim: Aim) -> tuple[float, ...]:
    """Less is better: the aim first, then what any shop would have."""
    weld = round(c.weld_mm)
    return {
        "weld": (weld, c.parts, c.money),
        "low": (round(c.low_mm), weld, c.money),
        "flat": (round(c.hard_mm), weld, c.money),
        "parts": (c.parts, weld, c.money),
        "stock": (math.inf if c.sheets is None else c.sheets, c.money, weld),
        "money": (c.money, weld),
    }[aim]


def _sets(
    job: Job, base: Evaluation, aim: Aim, rates: Rates, seconds: float, go_on: Callable[[], bool]
) -> tuple[list[frozenset[str]], float]:
    """Sets of bends worth a look, and the gap of the first search."""
    pieces = planned_pieces(job, base)
    level = base.results.capacity.fill_level_mm
    weights: list[Callable[[Edge], float]] = [
        {
            "weld": lambda e: e.length_mm,
            "low": lambda e: e.length_mm + LOW * _wet(e, level),
            "flat": lambda e: hardship_mm(base.results.shell, e),
            "parts": lambda e: PART + e.length_mm,
            "stock": lambda e: e.length_mm,
            "money": lambda e: _saved(e, rates),
        }[aim]
    ]
    if aim == "stock":  # few sheets: long welds cost less than a blank that leaves no room beside it
        weights += [lambda e: PART + e.length_mm, lambda e: -PART]
    found: list[frozenset[str]] = []
    gap = 0.0
    for k, weigh in enumerate(weights):
        weight = {edge.id: weigh(edge) for edge in pieces.folds}
        result: Found = best_forests(pieces, weight, POOL, seconds, go_on)
        gap = result.gap if k == 0 else gap
        found += [bent for _, bent in result.best if bent not in found]
    return found, gap


def planned_pieces(job: Job, base: Evaluation) -> Pieces:
    """The pieces that may be made of a tank's plates. Refusal where it is not made of plates."""
    if job.tank.plan("plates") is None:
        fits = ", ".join(SCHOOLS[school].lower() for school in job.tank.schools())
        raise Refusal(f"a tank of the {job.tank.family} family is made as {fits}: there are no edges to choose between")
    if base.results.sheet.material.made:
        raise Refusal("a laminate is not bent: its panels are laid flat and tabbed, there is nothing to choose between")
    joints = tuple(choice for choice in job.makeup.edges if choice.joint is not None)
    plain = job.makeup.model_copy(update={"school": "plates", "edges": joints, "moved": ()})
    shell, sheet = base.results.shell, base.results.sheet
    skins, rule = skins_of(shell, sheet, plain.panels), bend_rule(plain, sheet)
    return Pieces(shell, roles_of(shell, plain, job.tank, skins, rule), sheet, rule, plain.brake, skins)


def _wet(edge: Edge, level: float) -> float:
    """Length of an edge below a level, mm."""
    a, b = sorted((float(edge.start[2]), float(edge.end[2])))
    return edge.length_mm * (1.0 if b <= level else 0.0 if a >= level else (level - a) / (b - a))


def _saved(edge: Edge, rates: Rates) -> float:
    """Money that bending an edge saves: its weld, two cut edges and a part, less the bend."""
    metres = edge.length_mm / 1000
    minutes = metres * (rates.weld_min_m + 2 * rates.cut_min_m) + rates.part_min - rates.bend_min
    return minutes * rates.hour / 60


def _candidate(
    job: Job,
    base: Evaluation,
    name: str,
    changes: dict[str, Any],
    rates: Rates,
    offcuts: tuple[tuple[float, float], ...],
) -> Candidate | None:
    """A make-up evaluated; None where the job itself would refuse it."""
    try:
        e = cuttable(evaluate(job.edited_many(changes)))
    except Refusal:
        return None
    r = e.results
    sheet, level = r.sheet, r.capacity.fill_level_mm
    mine = tuple(b for b in r.blanks if b.role == "shell")
    edges = [edge for seam in r.seams for edge in seam.edges]
    weld = sum(edge.length_mm for edge in edges)
    cut = sum(border_mm(b) for b in mine)
    bends = sum(len(b.bends) for b in mine)
    minutes = (
        weld / 1000 * rates.weld_min_m
        + cut / 1000 * rates.cut_min_m
        + bends * rates.bend_min
        + len(mine) * rates.part_min
    )
    sheets, mass = sheets_of(mine, sheet, offcuts)
    money = mass * sheet.material.price_per_kg + minutes / 60 * rates.hour
    there = {stop.code for stop in base.stops if not stop.code.startswith("sheet.")}
    stops = tuple(str(stop.message) for stop in e.stops if stop.code not in there)
    return Candidate(
        name,
        changes,
        r.blanks,
        weld,
        sum(_wet(edge, level) for edge in edges),
        len(mine),
        bends,
        sheets,
        minutes,
        money,
        sum(hardship_mm(r.panelled, edge) for edge in edges),
        sum(e.length_mm for e in edges if position_of(r.panelled, e) == "flat") / max(weld, 1e-9),
        stops,
    )
