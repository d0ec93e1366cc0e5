"""Minutes by operation at the shop's rates, corrected by what was booked, and money with the shop's mark-up."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, fields, replace
from typing import Any

from bathyx.core.evaluate import Evaluation
from bathyx.core.formula import formula
from bathyx.core.makeups.metal import border_mm, sheets_of
from bathyx.core.makeups.rates import Rates
from bathyx.core.making import making_of

WORKS = {"cut": "Cutting", "bend": "Bending", "part": "Fitting", "weld": "Welding"}
FIELDS = {"cut": "cut_min_m", "bend": "bend_min", "part": "part_min", "weld": "weld_min_m"}
BOOKED = formula(
    "build.booked",
    "Rates corrected by what was booked",
    "rate × (booked + E) / (estimated + E) over the steps with booked minutes, E their mean estimate: a step's weight for it",
    source="A ratio shrunk towards the rate as it was; engineering estimate",
    valid="steps with minutes booked when they were ticked",
    check="tests/core/test_hours.py",
    tolerance="as good as what was booked",
)
LEAST, MOST = 0.2, 5.0


@dataclass(frozen=True)
class Booked:
    """Minutes booked for a step of one kind of work, and what had been estimated for it."""

    work: str
    estimated: float
    minutes: float


def booked_of(rows: Iterable[Mapping[str, Any]]) -> list[Booked]:
    """Bookings as ticks have them; what is none is left out."""
    found = []
    for row in rows:
        try:
            found.append(Booked(str(row["work"]), float(row["estimated"]), float(row["minutes"])))
        except (KeyError, TypeError, ValueError):
            continue
    return found


@dataclass(frozen=True)
class Offer:
    """What a tank costs the shop and its customer: minutes by work, metal and work in money, and both with the mark-up."""

    minutes: dict[str, float]
    metal: float
    work: float
    markup: float
    currency: str

    @property
    def total(self) -> float:
        """Metal and work with the mark-up."""
        return (self.metal + self.work) * (1 + self.markup)


def minutes_of(e: Evaluation, rates: Rates) -> dict[str, float]:
    """Estimated minutes of cutting, bending, fitting and welding, the baffles' too."""
    flat = [b for b in e.results.blanks if b.role != "bought"]
    usual = {
        "cut": sum(border_mm(b) for b in flat) / 1000 * rates.cut_min_m,
        "bend": sum(len(b.bends) for b in flat) * rates.bend_min,
        "part": len(e.results.blanks) * rates.part_min,
        "weld": e.results.weld_length_mm / 1000 * rates.weld_min_m,
    }
    return making_of(e.results.sheet).minutes(e.job, e.results, usual)


def work_of(step_id: str) -> str:
    """The work that a step of the traveller is; nothing for one that is not counted."""
    head = step_id.split(":", maxsplit=1)[0]
    return {"cut": "cut", "bend": "bend", "tack": "part", "weld": "weld"}.get(head, "")


def estimated_of(e: Evaluation, step_id: str, rates: Rates) -> float:
    """Minutes estimated for a step: all of its work, or a blank's own bends; 0 where it is not counted."""
    work = work_of(step_id)
    if work == "bend":
        name = step_id.partition(":")[2]
        return sum(len(b.bends) for b in e.results.blanks if b.name == name) * rates.bend_min
    return minutes_of(e, rates).get(work, 0.0)


def corrected(rates: Rates, booked: Iterable[Booked]) -> Rates:
    """The rates as the shop's own bookings have them, each between a fifth and five times what it was.

    Args:
        rates: as they were said.
        booked: steps with minutes.

    >>> corrected(Rates(), [Booked("weld", 100.0, 150.0)]).weld_min_m
    22.5
    """
    by_work: dict[str, list[Booked]] = {}
    for one in booked:
        if one.work in FIELDS and one.estimated > 0 and one.minutes > 0:
            by_work.setdefault(one.work, []).append(one)
    found: dict[str, float] = {}
    for work, mine in by_work.items():
        estimated = sum(one.estimated for one in mine)
        prior = estimated / len(mine)
        ratio = (sum(one.minutes for one in mine) + prior) / (estimated + prior)
        found[FIELDS[work]] = getattr(rates, FIELDS[work]) * min(max(ratio, LEAST), MOST)
    return replace(rates, **found)


def offer(e: Evaluation, rates: Rates, markup: float = 0.0, currency: str = "") -> Offer:
    """Minutes and money of a tank.

    Args:
        e: the evaluated job.
        rates: of the shop.
        markup: as a share, 0.15 for 15 %.
        currency: the sign that stands beside sums.
    """
    minutes, sheet = minutes_of(e, rates), e.results.sheet
    metal = sheets_of(e.results.blanks, sheet)[1] * sheet.material.price_per_kg
    return Offer(minutes, metal, sum(minutes.values()) / 60 * rates.hour, markup, currency)


def rates_of(said: Mapping[str, float]) -> tuple[Rates, float]:
    """(rates, mark-up as a share) of amounts by name: those of `Rates`, and `markup` in per cent."""
    known = {field.name for field in fields(Rates)}
    return replace(Rates(), **{k: v for k, v in said.items() if k in known}), said.get("markup", 0.0) / 100


NAMES = (*(field.name for field in fields(Rates)), "markup")
