"""What the desk does to a job by one press: looked for beside the window, taken as one edit, told in words."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Protocol

from bathyx.core.units import worded
from bathyx.desk.study import Study

if TYPE_CHECKING:
    from bathyx.core.job import Job
    from bathyx.desk.bench import Bench


class Made(Protocol):
    """What was found: the job with it, and what a person reads of it."""

    @property
    def job(self) -> Job:
        """The job with it."""

    @property
    def words(self) -> str:
        """What a person reads of it."""


class OnePress:
    """One search at a time, on the job as it stood when it was asked for."""

    def __init__(self, bench: Bench, name: str, look: Callable[[Job, Callable[[float], bool]], Made]) -> None:
        self.bench, self.name = bench, name
        self.study = Study(look)
        self.study.done.connect(self._take)

    def begin(self) -> None:
        """Look for it, on the job in hand."""
        self.bench.said.emit("note", f"{self.name.capitalize()}: looking for what it takes…")
        self.study.run(self.bench.job, self.bench.job)

    def _take(self) -> None:
        found, b = self.study.result, self.bench
        if found is None:
            b.said.emit("trouble", self.study.trouble)
        elif self.study.key is not b.job:
            b.said.emit("note", "The job was changed meanwhile: press again")
        elif found.job == b.job:
            b.said.emit("note", worded(found.words, b.units))
        elif b.edit(found.job.differing(b.job), self.name):
            b.said.emit("note", f"{worded(found.words, b.units)}. Ctrl+Z takes it back")


def put_right(job: Job, progress: Callable[[float], bool]) -> Made:
    """Every remedy that is needed."""
    from bathyx.core.propose.put_right import put_right as look  # when it is asked for

    return look(job, progress)


def fit_out(job: Job, progress: Callable[[float], bool]) -> Made:
    """What such a tank usually has."""
    from bathyx.core.propose.fit_out import fit_out as look  # when it is asked for

    progress(0.0)
    return look(job)
