"""Put right: the remedies that leave no stop, looked through beside the window and taken as one edit."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from bathyx.core.units import worded
from bathyx.desk.study import Study

if TYPE_CHECKING:
    from bathyx.core.job import Job
    from bathyx.core.propose.put_right import PutRight
    from bathyx.desk.bench import Bench


class Righting:
    """One search at a time, on the job as it stood when it was asked for."""

    def __init__(self, bench: Bench, say: Callable[[str, str], None]) -> None:
        self.bench, self.say = bench, say
        self.study = Study(_look)
        self.study.done.connect(self._take)

    def begin(self) -> None:
        """Look through the remedies of the job in hand."""
        self.say("note", "Looking through the remedies…")
        self.study.run(self.bench.job, self.bench.job)

    def _take(self) -> None:
        found = self.study.result
        if found is None:
            self.say("trouble", self.study.trouble)
        elif self.study.key is not self.bench.job:
            self.say("note", "The job was changed meanwhile: press again")
        elif not found.done or self.bench.edit(found.job.differing(self.bench.job), "put right"):
            self.say("note", worded(found.words, self.bench.units) + (". Ctrl+Z takes it back" if found.done else ""))


def _look(job: Job, progress: Callable[[float], bool]) -> PutRight:
    from bathyx.core.propose.put_right import put_right  # when it is asked for

    return put_right(job, progress)
