"""Holds in the register: begun, read, and finished, each an entry; nothing of a hold is kept anywhere else.

Readings are added in batches, seconds apart, so that a crash loses a batch at most. A hold is open until a test entry
names it. A hold file of an earlier Bathyx is brought into the register once and set aside.
"""

from __future__ import annotations

import contextlib
import json
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path
from typing import Any

from bathyx.core.job import Job
from bathyx.core.proving.decay import Sample
from bathyx.core.proving.hold import Ending, Outcome, Terms, judge
from bathyx.core.proving.questions import Mark, What
from bathyx.files import read_text
from bathyx.register.bench.book import Book
from bathyx.register.bench.record import JobRecord
from bathyx.register.errors import RegisterError
from bathyx.register.ledger.entries import Entry

BATCHES_A_HOLD = 1500
MOST_LINE_NOTES = 200
ELSEWHERE_S = 20.0


@dataclass(frozen=True)
class OpenHold:
    """A hold that was begun and is not on record as a test. `samples` are those in the register."""

    entry: Entry
    terms: Terms
    samples: tuple[Sample, ...]
    last_at: str = ""
    line: tuple[str, ...] = ()

    def read_elsewhere(self) -> bool:
        """Whether readings came on record so lately that another bench must be reading its gauge."""
        if self.terms.gauge is None:
            return False
        then = datetime.fromisoformat(self.last_at or self.entry.at)
        every_s = max(1.0, self.terms.test.hold_min * 60 / BATCHES_A_HOLD)
        return (datetime.now().astimezone() - then).total_seconds() < max(ELSEWHERE_S, 3 * every_s)

    @property
    def held_s(self) -> float:
        """Seconds by the readings; by the wall clock where nothing is read."""
        if self.terms.gauge is not None:
            return self.samples[-1].t_s if self.samples else 0.0
        return (datetime.now().astimezone() - datetime.fromisoformat(self.entry.at)).total_seconds()

    def leaks(self, record: JobRecord) -> tuple[Entry, ...]:
        """Leaks marked since it began, by the record alone."""
        return tuple(e for e in record.of_kind("leak") if e.id > self.entry.id)

    def marks(self, record: JobRecord) -> tuple[Mark, ...]:
        """The questions put to the tank since it began, by the record alone."""
        found = []
        for e in record.of_kind("question"):
            if e.subject == str(self.entry.id):
                with contextlib.suppress(ValueError):
                    found.append(Mark.model_validate({k: e.payload.get(k) for k in ("t_s", "what", "value")}))
        return tuple(sorted(found, key=lambda m: m.t_s))

    def judged(self, record: JobRecord, ending: Ending | None = None) -> Outcome:
        """The verdict so far."""
        return judge(self.terms, self.samples, len(self.leaks(record)), self.held_s, ending, self.marks(record))


def open_hold(register: Book, record: JobRecord) -> OpenHold | None:
    """The hold of a job that no test has finished, newest first; None when there is none that can be read."""
    finished = {str(e.payload.get("hold")) for e in record.all_entries if e.kind == "test"}
    for entry in reversed(record.all_entries):
        if entry.kind == "hold" and str(entry.id) not in finished:
            try:
                terms = Terms.model_validate({k: v for k, v in entry.payload.items() if k in Terms.model_fields})
            except ValueError:
                continue
            return OpenHold(entry, terms, register.readings(entry), register.last_reading_at(entry))
    return None


class HoldSession:
    """A hold that this bench is reading: what has come in, and what of it is in the register already."""

    def __init__(
        self, register: Book, job: Job, terms: Terms, who: str, clock: Callable[[], float] = time.monotonic
    ) -> None:
        """Begin: the terms go on record with the design's revision. RegisterError when they cannot be kept."""
        self.register, self.job, self.clock = register, job, clock
        self.entry = register.add(job, "hold", terms.test.what, terms.model_dump(mode="json"), who)
        self.terms, self.who = terms, who
        self.samples: list[Sample] = []
        self.line: list[str] = []  # what the line said, with the time of the reading before it
        self._line_kept = 0
        self._kept = 0
        self._every_s = max(1.0, terms.test.hold_min * 60 / BATCHES_A_HOLD)
        self._last = clock()

    @property
    def state(self) -> OpenHold:
        """The hold with everything read so far."""
        return OpenHold(self.entry, self.terms, tuple(self.samples), line=tuple(self.line))

    def add(self, samples: Sequence[Sample]) -> None:
        """Take readings in; on record now and then. RegisterError when they cannot be kept (they stay here)."""
        self.samples += samples
        if self.clock() - self._last >= self._every_s:
            self.keep()

    def ask(self, what: What, value: float) -> None:
        """Put on record what was just done to the tank: a question with a known answer. RegisterError when it cannot be kept."""
        self.keep()
        at = self.samples[-1].t_s if self.samples else 0.0
        mark = Mark(t_s=round(at, 2), what=what, value=value)
        self.register.add(self.job, "question", str(self.entry.id), mark.model_dump(), self.who)

    def trouble(self, text: str) -> None:
        """Note what went wrong on the line; the same again right after counts once."""
        at = f"after {self.samples[-1].t_s:.0f} s" if self.samples else "before the first reading"
        said = f"{at}: {text[:160]}"
        if (not self.line or self.line[-1] != said) and len(self.line) < MOST_LINE_NOTES:
            self.line.append(said)

    def keep(self) -> None:
        """Put what has come in on record."""
        fresh, line = self.samples[self._kept :], self.line[self._line_kept :]
        if not fresh and not line:
            return
        self._last = self.clock()
        self.register.add_readings(self.entry, [s.row for s in fresh], self.who, line=line)
        self._kept += len(fresh)
        self._line_kept += len(line)


def bring_in(
    register: Book,
    job: Job,
    terms: Terms,
    samples: Sequence[Sample],
    source: dict[str, Any],
    who: str,
    made: Callable[[], JobRecord],
) -> Outcome:
    """Put a trace of another logger on record as a hold and its test, marked as brought in, with the file's hash.

    Args:
        register: where it goes.
        job: whose tank it is.
        terms: test, gauge and weather as a person says they were.
        samples: its readings.
        source: name, `sha256` and columns of the file.
        who: brings it in.
        made: reads the job's record again.

    Raises:
        RegisterError: when nothing can be written.
    """
    record = made()
    for old in record.tests:
        known = old.payload.get("brought_in")
        same = isinstance(known, dict) and known.get("sha256") == source.get("sha256")
        if same and old.payload.get("verdict") in ("tight", "leaks"):  # what decided nothing may be told better
            raise RegisterError(f"this trace is on record already, {old.at[:16]} by {old.who}; one hold is one test")
    work = [e.at for e in record.of_kind("weld", "repair", "leak")]
    logged = source.get("ended_at")
    if logged and work and str(logged) < max(work)[:19]:
        late = f"the trace ended {logged}, before the last weld, repair or leak on record, {max(work)[:19]}"
        terms = terms.model_copy(update={"missing": f"{terms.missing}; {late}" if terms.missing else late})
    payload = terms.model_dump(mode="json")
    entry = register.add(job, "hold", terms.test.what, payload | {"brought_in": source}, who)
    for k in range(0, len(samples), 2000):
        register.add_readings(entry, [s.row for s in samples[k : k + 2000]], who)
    hold = OpenHold(entry, terms, tuple(samples))
    return finish(register, job, hold, made(), who, brought_in=source)


def finish(
    register: Book,
    job: Job,
    hold: OpenHold,
    record: JobRecord,
    who: str,
    ending: Ending | None = None,
    broken_off: bool = False,
    brought_in: Mapping[str, Any] | None = None,
) -> Outcome:
    """Put a hold on record as a test with its verdict, for the design it was begun on.

    Args:
        register: where it goes.
        job: the job in hand; the test keeps the revision of the hold, whatever the job is now.
        hold: the open hold with all its readings.
        record: the job's record, for the leaks marked meanwhile.
        who: who finishes it.
        ending: what is typed at the end.
        broken_off: the reading stopped before the hold was finished here; by eye it then decides nothing.
        brought_in: the file that it was brought in from.

    Raises:
        RegisterError: when another bench has finished it, or nothing can be written.
    """
    judged = hold.judged(record, ending)
    leaks = [{"seam": e.subject, **e.payload} for e in hold.leaks(record)]
    payload: dict[str, Any] = judged.payload() | {
        "hold": hold.entry.id,
        "begun_by": hold.entry.who,
        "begun_at": hold.entry.at,
        "readings": len(hold.samples),
        "leaks": leaks,
        "line": list(hold.line),
        "asked": [mark.model_dump() for mark in hold.marks(record)],
        "ended_kpa": ending.kpa if ending else None,
        "ended_baro_kpa": ending.baro_kpa if ending else None,
        "broken_off": broken_off,
    }
    if brought_in is not None:
        payload["brought_in"] = dict(brought_in)
    if broken_off:
        words = f"broken off after {judged.held_s / 60:.1f} min, begun by {hold.entry.who}; {judged.reason}"
        verdict = judged.verdict if judged.terms.test.method == "decay" or judged.verdict == "leaks" else "not decided"
        payload |= {"reason": words, "verdict": verdict}
        judged = replace(judged, verdict=verdict, reason=words)
    register.add_test(job, hold.entry, payload, who)
    return judged


def adopt_hold_file(home: Path, register: Book, job: Job, terms_of: Callable[[Mapping[str, Any]], Terms]) -> bool:
    """Bring the hold file that an earlier Bathyx left for this job into the register; True when there was one.

    `terms_of` makes terms of its head. The file is kept beside, renamed.

    Args:
        home: folder of the shop.
        register: to bring it into.
        job: whose hold it is.
        terms_of: makes terms of the head of the file, which is kept beside, renamed.
    """
    path = home / f"hold-{job.uid}.jsonl"
    try:
        lines = read_text(path, 64_000_000).strip("\n").split("\n")
        head = json.loads(lines[0])
        rows = [row for line in lines[1:] for row in _rows(line)]
        terms = terms_of(head)
    except (OSError, ValueError, IndexError, KeyError, TypeError):
        return False
    who = str(head.get("who") or "unknown")
    entry = register.add(job, "hold", terms.test.what, terms.model_dump(mode="json"), who)
    if rows:
        register.add_readings(entry, rows, who)
    path.rename(path.with_suffix(".jsonl.taken"))
    return True


def _rows(line: str) -> list[list[float]]:
    try:
        return [[float(x) for x in row] for row in json.loads(line)]
    except (ValueError, TypeError):
        return []


__all__ = ["HoldSession", "OpenHold", "RegisterError", "adopt_hold_file", "bring_in", "finish", "open_hold"]
