"""Every remedy that is needed until no stop is left: one edit of the job, with what it costs."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from bathyx.core.evaluate import Evaluation, evaluate
from bathyx.core.findings import Finding, Remedy
from bathyx.core.job import Job
from bathyx.errors import Refusal

MOST_STEPS = 24


@dataclass(frozen=True)
class PutRight:
    """The job with remedies in it, their names in their order, what they cost, and the stops that are left."""

    job: Job
    done: tuple[str, ...]
    litres: float
    kg: float
    weld_m: float
    left: tuple[str, ...]

    @property
    def words(self) -> str:
        """What a person reads of it."""
        if not self.done:
            return "Nothing was put right: no remedy is known for what is left"
        costs = f"{self.litres:+.1f} L usable, {self.kg:+.2f} kg, {self.weld_m:+.2f} m of weld".replace("-", "−")
        left = f"; {len(self.left)} left: {'; '.join(self.left)}" if self.left else "; no stop is left"
        return f"{'. '.join(self.done)}. {costs}{left}"


def put_right(job: Job, go_on: Callable[[float], bool] = lambda _share: True, stages: tuple[str, ...] = ()) -> PutRight:
    """The job with remedies taken until no stop is left that has one.

    Each step takes the remedy of any stop after which the fewest stops are left; among those the one that leaves the most
    litres, the least weld and the least weight. One that puts another stop in the place of its own is taken where none does
    better, as long as those stops have not been met before.

    Args:
        job: as it is.
        go_on: asked with the share done; it stops where that is False.
        stages: only stops of these; all of them without any.
    """
    first = now = evaluate(job)
    done: list[str] = []
    met = {_which(now)}
    for step in range(MOST_STEPS):
        if not now.stops or not go_on(step / MOST_STEPS):
            break
        best: tuple[tuple[float, ...], str, Evaluation] | None = None
        for finding in now.stops:
            if stages and finding.stage not in stages:
                continue
            for remedy in _remedies(finding):
                after = _taken(now, remedy)
                if after is None or len(after.stops) > len(now.stops) or _which(after) in met:
                    continue
                rank = (
                    len(after.stops),
                    -round(after.results.capacity.usable.value, 1),
                    round(after.results.weld.value, 0),
                    after.results.weight.dry.value,
                )
                if best is None or rank < best[0]:
                    best = rank, str(remedy.label), after
        if best is None:
            break
        done.append(best[1])
        now = best[2]
        met.add(_which(now))
    a, b = first.results, now.results
    return PutRight(
        now.job,
        tuple(done),
        b.capacity.usable.value - a.capacity.usable.value,
        b.weight.dry.value - a.weight.dry.value,
        (b.weld.value - a.weld.value) / 1000,
        tuple(str(f.message) for f in now.stops),
    )


def _which(e: Evaluation) -> frozenset[tuple[str, str]]:
    return frozenset((f.code, f.where) for f in e.stops)


def _remedies(finding: Finding) -> tuple[Remedy, ...]:
    thought = finding.thought()
    return (*((thought.remedy,) if thought.remedy is not None else ()), *thought.otherwise)


def _taken(e: Evaluation, remedy: Remedy) -> Evaluation | None:
    """The evaluation with a remedy; None where the job refuses it."""
    try:
        after = evaluate(remedy.apply(e.job))
        after.results  # noqa: B018 - refused here, where it cannot be built
    except Refusal:
        return None
    return after
