"""What a tank of this fluid usually has, put in where the findings let it."""

from __future__ import annotations

from dataclasses import dataclass

from bathyx.core.evaluate import evaluate
from bathyx.core.findings.placing import floor, free_name, put, roof, within
from bathyx.core.inside.fittings import Fitting, usual
from bathyx.core.inside.kinds import kind as kind_of
from bathyx.core.job import Job
from bathyx.core.material import fluid
from bathyx.core.propose.put_right import put_right
from bathyx.errors import Refusal

# Kind, name, where it wishes to be on the roof (on the floor for a drain) along and across, how many of it are usual.
Wish = tuple[str, str, float, float, int]
WISHES: tuple[Wish, ...] = (
    ("inspection", "port", 0.35, 0.5, 1),
    ("filler", "filler", 0.15, 0.8, 1),
    ("sender", "sender", 0.6, 0.3, 1),
    ("pickup", "feed", 0.85, 0.35, 1),
    ("return", "return", 0.85, 0.7, 1),
    ("vent", "vent front", 0.03, 0.1, 2),
    ("vent", "vent rear", 0.97, 0.9, 2),
    ("drain", "drain", 0.9, 0.5, 1),
)
# Where there is little room: what it cannot do without first, and a size smaller.
SMALL_L = 10.0  # less than this is filled by eye and has nothing to come back: common practice
NEEDED: tuple[str, ...] = ("filler", "vent", "pickup")
SMALLER: dict[str, dict[str, float]] = {
    "inspection": {"hole_mm": 100.0, "ring_od_mm": 140.0},
    "filler": {"hole_mm": 38.0, "ring_od_mm": 58.0},
    "vent": {"hole_mm": 8.0, "ring_od_mm": 22.0},
}


@dataclass(frozen=True)
class FittedOut:
    """The job with what was put in, the names of that, and what there was no place for."""

    job: Job
    added: tuple[str, ...]
    homeless: tuple[str, ...]
    righted: tuple[str, ...]

    @property
    def words(self) -> str:
        """What a person reads of it."""
        said = (
            f"Put in: {', '.join(self.added)}" if self.added else "Nothing is missing of what such a tank usually has"
        )
        if self.righted:
            said += f". Then {'; '.join(self.righted).lower()}"
        if self.homeless:
            said += f". No free place for {', '.join(self.homeless)}: make room, or set smaller ones by hand"
        return said


def usual_kinds(job: Job) -> frozenset[str]:
    """What a tank of this fluid usually has: no return for water, no vent under pressure, the least where it holds little."""
    kinds: set[str] = {"filler", "vent", "pickup", "drain", "sender", "inspection", "return"}
    if fluid(job.brief.fluid).watery:
        kinds -= {"return"}
    if evaluate(job).results.wanted.value < SMALL_L:
        kinds -= {"sender", "inspection", "return"}
    if job.brief.pressure == "pressurised":
        kinds -= {"vent"}
    return frozenset(kinds)


def fit_out(job: Job) -> FittedOut:
    """The job with what is missing of the usual set, each at the free place nearest to where it is usually seen.

    Args:
        job: as it is; what it has stays.
    """
    tries = [_tried(job, WISHES)]
    if any(kind in NEEDED for kind in tries[0][2]):
        tries.append(_tried(job, tuple(sorted(WISHES, key=lambda w: w[0] not in NEEDED))))
    fittings, added, lost = min(tries, key=lambda tried: sum(kind in NEEDED for kind in tried[2]))
    homeless = [kind_of(kind).title.lower() for kind in lost]
    made = job.edited("inside.fittings", fittings)
    if made.brief.held_by == "not said" and made.brief.moving:
        made = made.edited("brief.held_by", "straps")
        added.append("straps over rubber")
    if evaluate(made).results.sheet.material.group == "plastic" and not made.brief.flat_base:
        made = made.edited("brief.flat_base", True)
        added.append("a flat base under all of it")
    righted = put_right(made, stages=("inside",))
    return FittedOut(righted.job, tuple(added), tuple(homeless), righted.done)


def _tried(job: Job, wishes: tuple[Wish, ...]) -> tuple[list[Fitting], list[str], list[str]]:
    """As `_put_in`; without the port where a tank is too narrow for one that seems to fit."""
    found = _put_in(job, wishes)
    try:
        evaluate(job.edited("inside.fittings", found[0]))
    except Refusal:
        fittings, added, lost = _put_in(job, tuple(w for w in wishes if w[0] != "inspection"))
        return fittings, added, [*lost, "inspection"]
    return found


def _put_in(job: Job, wishes: tuple[Wish, ...]) -> tuple[list[Fitting], list[str], list[str]]:
    """(all fittings, names of those put in, kinds that found no place), in the order of the wishes."""
    r, kinds = evaluate(job).results, usual_kinds(job)
    fittings: list[Fitting] = list(job.inside.fittings)
    added: list[str] = []
    lost: list[str] = []
    for kind, name, along, across, most in wishes:
        if kind not in kinds or sum(f.does == kind for f in fittings) >= most:
            continue
        so_far = job.edited("inside.fittings", fittings)
        face, low, high = floor(r) if kind == "drain" else roof(r)
        named = name if all(f.id != name for f in fittings) else free_name(so_far, kind)
        wish = usual(kind, named, face, *within(low, high, along, across))
        placed = put(so_far, r, wish) or put(so_far, r, wish.model_copy(update=SMALLER.get(kind, {})))
        if placed is None:
            lost.append(kind)
            continue
        fittings.append(placed)
        added.append(named)
    return fittings, added, lost
