"""The bench: the job in hand, its evaluation, its undo, its file and its records. The only state of the desk.

Every edit makes a new Job; undo is the previous Job. Every change is on disk before the next event is handled.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from bathyx.core.build.trial import terms_for
from bathyx.core.evaluate import Evaluation, evaluate
from bathyx.core.job import Job, JobError, read_job
from bathyx.core.proving.gauges import UNKNOWN
from bathyx.core.proving.hold import Terms
from bathyx.core.proving.plan import PlannedTest
from bathyx.core.tank.profile import ProfileTank
from bathyx.core.units import Family
from bathyx.desk.settings import DeskSettings
from bathyx.files import write_text
from bathyx.instruments.shop_gauges import SIMULATED_KIND
from bathyx.register import JobRecord, Register, RegisterError, adopt_hold_file

MOST_UNDO = 500


class Bench(QObject):
    """Holds the job; tells who listens when something changes."""

    changed = pyqtSignal()
    recorded = pyqtSignal()
    units_changed = pyqtSignal()
    lit_changed = pyqtSignal()
    said = pyqtSignal(str, str)
    leaving = pyqtSignal()

    def __init__(self, home: Path) -> None:
        super().__init__()
        self.home = home
        self.register = Register(home / "register.sqlite")
        self.settings = DeskSettings(home)
        self.units = Family(self.settings["units"]) if self.settings["units"] in ("metric", "us") else Family.METRIC
        self.who = str(self.settings["who"])
        self.lit = ""
        self.path: Path | None = None
        self.job: Job = new_job()
        self.evaluation: Evaluation = evaluate(self.job)
        self.record = JobRecord(())
        self._undo: list[tuple[str, Job]] = []
        self._redo: list[tuple[str, Job]] = []
        self._merging = ""

    # -- the job --------------------------------------------------------------------------------------------------

    def open(self, path: Path) -> None:
        """Take the job at `path` in hand. JobError or OSError when it cannot be read; then nothing changes."""
        job = read_job(path.read_text("utf-8"), path.name)
        evaluation = _evaluated(job)
        self.leaving.emit()
        self.path, self.job, self.evaluation = path, job, evaluation
        self._undo, self._redo, self._merging, self.lit = [], [], "", ""
        self._adopt_old_hold()
        self._read_records()
        (self.home / "last-job").write_text(str(path), "utf-8")
        self.changed.emit()
        self.recorded.emit()

    def _adopt_old_hold(self) -> None:
        """A hold that an earlier Bathyx left in a file goes into the register; without its frozen terms it proves nothing."""

        def terms(head: Mapping[str, Any]) -> Terms:
            test = PlannedTest.model_validate(head.get("plan") or {})
            gauge = SIMULATED_KIND if head.get("simulated") else UNKNOWN
            lacking = "begun with an earlier Bathyx, which froze no terms"
            return terms_for(self.evaluation, test, gauge=gauge, identity=str(head.get("gauge", "")), missing=lacking)

        try:
            adopt_hold_file(self.home, self.register, self.job, terms)
        except (OSError, RegisterError) as error:
            self.said.emit("trouble", f"a hold of an earlier Bathyx stays in its file: {error}")

    def start_new(self, job: Job | None = None) -> None:
        """Begin a job in a file of its own."""
        folder = self.home / "jobs"
        folder.mkdir(parents=True, exist_ok=True)
        number = 1
        while (path := folder / f"tank-{number}.bathyx.json").exists():
            number += 1
        write_text(path, (job or new_job()).to_json())
        self.open(path)

    def edit(self, changes: Mapping[str, Any], words: str = "edit", merge: str = "") -> bool:
        """Replace values of the job. False, with the reason said, when the result is no tank."""
        why = self.try_edit(changes, words, merge)
        if why:
            self.said.emit("trouble", why)
        return not why

    def try_edit(self, changes: Mapping[str, Any], words: str = "edit", merge: str = "") -> str:
        """As `edit`, but returns why it was not taken, or nothing. Edits of one `merge` in a row are one undo."""
        try:
            job = self.job.edited_many(dict(changes))
            evaluation = _evaluated(job)
        except JobError as error:
            return str(error)
        if job == self.job:
            return ""
        if not (merge and merge == self._merging):
            self._undo = [*self._undo[-MOST_UNDO:], (words, self.job)]
        self._redo, self._merging = [], merge
        self._set(job, evaluation)
        return ""

    def let_go(self) -> None:
        """A drag is over: the next one is an undo of its own."""
        self._merging = ""

    def undo(self) -> None:
        """Back to the job before the last edit."""
        if self._undo:
            words, job = self._undo.pop()
            self._redo.append((words, self.job))
            self._merging = ""
            self._set(job, _evaluated(job))
            self.said.emit("note", f"Undone: {words}")

    def redo(self) -> None:
        """Forward again."""
        if self._redo:
            words, job = self._redo.pop()
            self._undo.append((words, self.job))
            self._merging = ""
            self._set(job, _evaluated(job))
            self.said.emit("note", f"Done again: {words}")

    def _set(self, job: Job, evaluation: Evaluation) -> None:
        self.job, self.evaluation = job, evaluation
        if self.record.all_entries:
            self._read_records()
        self.save()
        self.changed.emit()

    def save(self) -> None:
        """Write the job whole or not at all; a full disk is said and the last saved state stays."""
        if self.path is None:
            return
        try:
            write_text(self.path, self.job.to_json())
        except OSError as error:
            self.said.emit("trouble", str(error))

    # -- records --------------------------------------------------------------------------------------------------

    @property
    def serial(self) -> str | None:
        """The serial number, once building has started."""
        return self.register.serial(self.job.uid)

    def add_record(self, kind: str, subject: str, payload: Mapping[str, Any], corrects: int | None = None) -> bool:
        """Add an entry by the person at the bench. False, with the reason said, when it cannot be added."""
        try:
            self.register.add(self.job, kind, subject, dict(payload), self.who, corrects)
        except RegisterError as error:
            self.said.emit("trouble", str(error))
            return False
        self._read_records()
        self.recorded.emit()
        return True

    def read_again(self) -> None:
        """Take in what came on record by another way than `add_record`."""
        self._read_records()
        self.recorded.emit()

    def _read_records(self) -> None:
        uid = self.job.uid
        planned = self.job.proving.tests
        self.record = JobRecord.of(self.register.entries(uid), self.register.same_build(self.job), planned)

    # -- papers ---------------------------------------------------------------------------------------------------

    @property
    def papers_folder(self) -> Path:
        """Where this job's papers go."""
        return self.home / "papers" / (self.path.name.split(".")[0] if self.path else "job")

    def write_papers(self, write: Callable[[Path], Sequence[Path]]) -> None:
        """Have `write` fill the papers folder from a thread; says how it went."""
        folder, said = self.papers_folder, self.said

        def go() -> None:
            try:
                folder.mkdir(parents=True, exist_ok=True)
                written = write(folder)
            except OSError as error:
                said.emit("trouble", f"papers not written: {error}")
                return
            said.emit("note", f"{len(written)} papers written to {folder}")

        said.emit("note", "Writing papers…")
        threading.Thread(target=go, name="papers", daemon=True).start()

    # -- how it is looked at --------------------------------------------------------------------------------------

    def turn_units(self) -> None:
        """The other unit family."""
        self.units = Family.US if self.units == Family.METRIC else Family.METRIC
        self.settings.keep("units", str(self.units))
        self.units_changed.emit()

    def light(self, tag: str) -> None:
        """Light up what `tag` names on the drawing."""
        if tag != self.lit:
            self.lit = tag
            self.lit_changed.emit()

    def value(self, path: str) -> Any:
        """The job's value at a dotted path; None where the way there is not."""
        return self.job.value_at(path)


def new_job(maker: str = "") -> Job:
    """A small box to begin from."""
    return Job(maker=maker, tank=ProfileTank(length_mm=380, width_mm=600, height_mm=280, sheet="5083/3"))


def _evaluated(job: Job) -> Evaluation:
    try:
        return evaluate(job)
    except ValueError as error:
        raise JobError(str(error)) from None
