"""A finding: what is wrong, where, by how much, by which rule, and a remedy that is a plain edit of the job."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from typing import Any, Literal

from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.units import Said

Severity = Literal["stop", "warn", "note"]


@dataclass(frozen=True)
class Remedy:
    """A one-click way out: `changes` are (path, value) edits of the job, applied together and undone together.

    `costs` says in metric what it changes, once it has been tried.
    """

    label: str
    changes: tuple[tuple[str, Any], ...]
    costs: str = ""

    def __post_init__(self) -> None:
        for name in ("label", "costs"):
            object.__setattr__(self, name, Said(getattr(self, name)))

    def apply(self, job: Job) -> Job:
        """The job with the remedy in it."""
        return job.edited_many(dict(self.changes))


@dataclass(frozen=True)
class Finding:
    """`figure` against `limit` (already worded with units in metric), the `rule`, its `source`, and `where` it is.

    `where` names what the drawing lights up: `face:top`, `fitting:filler`, `baffle:1`, `blank:wrap` or empty.
    `otherwise` are remedies to fall back on, in their order, where the first would make a new stop.
    `think` finishes a finding whose remedy takes a search; it is called when there is time.
    """

    code: str
    severity: Severity
    message: str
    rule: str
    source: str
    stage: str
    where: str = ""
    figure: str = ""
    limit: str = ""
    remedy: Remedy | None = None
    otherwise: tuple[Remedy, ...] = ()
    think: Callable[[], Finding] | None = field(default=None, compare=False)

    def __post_init__(self) -> None:
        for name in ("message", "rule", "figure", "limit"):
            object.__setattr__(self, name, Said(getattr(self, name)))

    def thought(self) -> Finding:
        """The finding after what takes longer to think out: a search for a better place, say."""
        return self if self.think is None else self.think()


Check = Callable[[Job, Results], Iterator[Finding]]


def with_search(found: Finding, look: Callable[[], Remedy | None]) -> Finding:
    """`found`, whose remedy is looked for by `look` when there is time: a place that is free of everything, say."""
    return replace(found, think=lambda: replace(found, remedy=look()))
