"""The bench: the job in hand, its evaluation, its undo, its file and its records. The only state of the desk.

Every edit makes a new Job; undo is the previous Job. Every change is on disk before the next event is handled; of a drag, which
is many edits in a row, within half a second.
"""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from bathyx.core.build.trial import asked_of, terms_for
from bathyx.core.evaluate import Evaluation, evaluate
from bathyx.core.job import Job, JobError, own_copy, read_job
from bathyx.core.proving.gauges import UNKNOWN
from bathyx.core.proving.hold import Terms
from bathyx.core.proving.plan import PlannedTest
from bathyx.core.tank.profile import ProfileTank
from bathyx.core.units import Family
from bathyx.desk.home import open_register
from bathyx.desk.settings import DeskSettings
from bathyx.desk.turns import TURNS
from bathyx.errors import Refusal
from bathyx.files import ReadError, WriteError, read_text, write_text
from bathyx.files.kept import ChangedElsewhere, HeldElsewhere, KeptFile, keep_beside
from bathyx.files.pictures import FOLDER as PICTURES
from bathyx.instruments.shop_gauges import SIMULATED_KIND
from bathyx.papers.folder import dated, write_all
from bathyx.papers.page.stationery import SHEETS_MM, Stationery, stationery
from bathyx.register import Book, JobRecord, RegisterError, adopt_hold_file, record_of
from bathyx.register.bench.built import built_of, built_parts
from bathyx.register.bench.record import owners_of

MOST_UNDO = 500
REST_MS = 250  # a drag is on disk within half a second of any of its steps


class Bench(QObject):
    """Holds the job; tells who listens when something changes.

    `unsaved` says why the job is not on disk as it stands, `apart` where a version of our own is kept while the file is
    another's; both empty when the file is ours and up to date.
    """

    changed = pyqtSignal()
    recorded = pyqtSignal()
    units_changed = pyqtSignal()
    lit_changed = pyqtSignal()  # something is to be drawn anew
    lighted = pyqtSignal()  # something else is selected
    said = pyqtSignal(str, str)
    laid = pyqtSignal(str, object)
    leaving = pyqtSignal()
    file_changed = pyqtSignal()

    def __init__(self, home: Path, register: Book | None = None) -> None:
        super().__init__()
        self.home = home
        self.register: Book = register if register is not None else open_register(home)
        self.settings = DeskSettings(home)
        self.settings.on_trouble = lambda why: self.said.emit("trouble", why)
        self.units = Family(self.settings["units"]) if self.settings["units"] in set(Family) else Family.METRIC
        self.who = str(self.settings["who"])
        self.lit = ""
        self.file: KeptFile | None = None
        self.unsaved = ""
        self.apart: Path | None = None
        self.apart_why = ""
        self.job: Job = new_job()
        self.evaluation: Evaluation = evaluate(self.job)
        self.record = JobRecord(())
        self.serial: str | None = None
        self._builds: tuple[tuple[int, str], ...] = ()
        self._owners: dict[int, str] = {}
        self._undo: list[tuple[str, Job]] = []
        self._redo: list[tuple[str, Job]] = []
        self._merging = ""
        self._writing: threading.Thread | None = None
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.timeout.connect(self.save)

    # -- the job --------------------------------------------------------------------------------------------------

    @property
    def path(self) -> Path | None:
        """The file of the job in hand."""
        return self.file.path if self.file is not None else None

    def open(self, path: Path) -> None:
        """Take the job at `path` in hand. JobError or ReadError when it cannot be read; then nothing changes.

        WriteError when what is in hand is not saved: it would be lost.
        """
        self._refuse_to_lose()
        path = path.absolute()
        again = self.file if self.file is not None and self.file.path == path else None
        if again is not None:
            again.leave()
        try:
            file = KeptFile(path, self.who)
        except ReadError:
            if again is not None:
                again.take_again()
            raise
        try:
            job = read_job(file.text, path.name)
            evaluation = _evaluated(job)
        except JobError:
            file.leave()
            if again is not None:
                again.take_again()
            raise
        self.leaving.emit()
        self.let_file_go()
        self.file, self.job, self.evaluation = file, job, evaluation
        self.unsaved, self.apart, self.apart_why = "", None, ""
        self._undo, self._redo, self._merging, self.lit = [], [], "", ""
        self._adopt_old_hold()
        self._read_records()
        try:
            write_text(self.home / "last-job", str(path) + "\n")
        except WriteError as error:
            self.said.emit("trouble", f"The next start will begin with another job: {error}")
        self.file_changed.emit()
        self.changed.emit()
        self.recorded.emit()

    def _refuse_to_lose(self) -> None:
        self.settle()
        if self.unsaved:
            self.save()
        if self.unsaved:
            raise WriteError("The job is NOT SAVED; save it, or give up what you did, before another is taken in hand")

    def give_up(self) -> None:
        """Go back to what is on disk, when what was done since cannot be saved; where that cannot be read, nothing changes."""
        if self.file is None:
            return
        why, self.unsaved = self.unsaved, ""
        try:
            self.open(self.file.path)
        except (JobError, ReadError) as error:
            self.unsaved = why
            self.said.emit("trouble", str(error))

    def let_file_go(self) -> None:
        """Take the hand off the file; others may have it."""
        if self.file is not None:
            self.file.leave()

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
        """Begin a job in a file of its own. WriteError when there is no room for it."""
        self._refuse_to_lose()
        folder = self.home / "jobs"
        number = 1
        try:
            folder.mkdir(parents=True, exist_ok=True)
            while os.path.lexists(path := folder / f"tank-{number}.bathyx.json"):
                number += 1
        except OSError as error:
            raise WriteError(f"no job can be begun in {folder}: {(error.strerror or str(error)).lower()}") from None
        write_text(path, (job or new_job()).to_json())
        self.open(path)

    def make_own(self) -> None:
        """Make the job in hand, a copy of another's, a job of its own: with no records yet, and a serial of its own to come."""
        job = own_copy(self.job)
        self._undo, self._redo, self._merging = [], [], ""
        self.record, self.serial, self._builds, self._owners = JobRecord(()), None, (), {}
        self._set(job, _evaluated(job))
        self.read_again()
        self.said.emit("note", "This is a job of its own now; the tank on record keeps its serial and its proof")

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
        self._set(job, evaluation, resting=bool(merge))
        return ""

    def let_go(self) -> None:
        """A drag is over: it is saved, and the next one is an undo of its own."""
        self._merging = ""
        self.settle()

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

    def _set(self, job: Job, evaluation: Evaluation, *, resting: bool = False) -> None:
        """Take a new version in hand. In the middle of a drag (`resting`) it is saved a few times a second and when it is over."""
        self.job, self.evaluation = job, evaluation
        self._unsettled = True
        if not resting:
            self.save()
        elif not self._rest.isActive():
            self._rest.start(REST_MS)
        self.changed.emit()

    def settle(self) -> None:
        """Save what a drag has left to be saved, now."""
        if self._rest.isActive():
            self.save()

    # -- the file -------------------------------------------------------------------------------------------------

    def save(self) -> None:
        """Write the job whole or not at all. What cannot go into its file is kept beside it; what cannot be kept is said."""
        self._rest.stop()
        if self.file is None:
            return
        text, before = self.job.to_json(), (self.unsaved, self.apart)
        try:
            if self.apart is None:
                try:
                    self.file.write(text)
                except HeldElsewhere as error:
                    self.apart, self.apart_why = keep_beside(self.file.path, text, "mine"), str(error)
                except ChangedElsewhere:
                    self.apart = keep_beside(self.file.path, text, "mine")
                    self.apart_why = "changed by another since it was read here"
            else:
                write_text(self.apart, text)
            self.unsaved = ""
        except OSError as error:
            self.unsaved = str(error)
            self.said.emit("trouble", str(error))
        if before != (self.unsaved, self.apart):
            self.file_changed.emit()

    def look_at_file(self) -> None:
        """See what has become of the file meanwhile: called now and then, and when the window comes to the front."""
        if self.file is None:
            return
        self.settle()
        if self.unsaved:
            self.save()
            return
        held = self.file.holder
        if self.apart is None and held is None and self.file.changed():
            self.apart_why = "changed by another since it was read here"
            if self.file.text == self.job.to_json():
                # Nothing of ours is at stake: what stands in the file may simply be read.
                self.file_changed.emit()
                return
            self.save()
        elif held is not None and self.file.take_again():
            self.apart_why = "in hand by another until now"
            if self.apart is not None and not self.file.changed():
                self.keep_mine()
            else:
                self.file_changed.emit()

    @property
    def changed_under(self) -> bool:
        """Whether another wrote the file and nothing of ours is lost by reading it."""
        return self.file is not None and self.apart is None and not self.unsaved and self.file.changed()

    def their_job(self) -> Job | None:
        """The job as it stands in the file now; None when that is no job."""
        if self.file is None:
            return None
        try:
            return read_job(read_text(self.file.path), self.file.path.name)
        except (JobError, ReadError):
            return None

    def keep_mine(self) -> None:
        """Write our version into the file; what stands there is kept beside it first."""
        self._rest.stop()
        if self.file is None:
            return
        if self.file.holder is not None and not self.file.take_again():
            self.said.emit("trouble", f"The file is still in hand by {self.file.holder.words}; let it go there first")
            return
        try:
            theirs = self.file.write_over(self.job.to_json()) if self.file.changed() else None
            if theirs is None:
                self.file.write(self.job.to_json())
        except (WriteError, ChangedElsewhere, HeldElsewhere) as error:
            self.said.emit("trouble", str(error))
            return
        self.unsaved, self.apart, self.apart_why = "", None, ""
        self.said.emit("note", f"Your version is in the file; theirs is kept as {theirs}" if theirs else "Saved")
        self.file_changed.emit()

    def take_theirs(self) -> None:
        """Read the file again; ours, where it differs, is kept beside it."""
        self.settle()
        if self.file is None:
            return
        try:
            if self.apart is None and self.job.to_json() != self.file.text:
                self.apart = keep_beside(self.file.path, self.job.to_json(), "mine")
            mine = self.apart
            self.open(self.file.path)
        except (JobError, ReadError, WriteError) as error:
            self.said.emit("trouble", str(error))
            return
        self.said.emit("note", f"Theirs is in hand; yours is kept as {mine}" if mine else "Read again")

    # -- records --------------------------------------------------------------------------------------------------

    def add_record(self, kind: str, subject: str, payload: Mapping[str, Any], corrects: int | None = None) -> bool:
        """Add an entry by the person at the bench. False, with the reason said, when it cannot be added.

        Args:
            kind: tick, weld, leak, repair and the like.
            subject: what it is about: a step, an edge, a test.
            payload: what is recorded.
            corrects: number of the entry that it corrects.
        """
        self.settle()
        try:
            self.register.add(self.job, kind, subject, dict(payload), self.who, corrects)
        except RegisterError as error:
            self.said.emit("trouble", str(error))
            return False
        self.read_again()
        return True

    def read_again(self) -> None:
        """Take in what came on record by another way than `add_record`."""
        self._read_records()
        self.recorded.emit()

    def look_at_records(self) -> None:
        """Read the records again when another bench has added some."""
        known = self.record.all_entries[-1].id if self.record.all_entries else 0
        try:
            if self.register.last_id(self.job.uid) != known:
                self.read_again()
        except RegisterError:
            return

    def _read_records(self) -> None:
        """Records are read when they change, not at every edit; what an edit changes is settled without the register."""
        try:
            self.record = record_of(self.register, self.evaluation)
            self.serial = self.register.serial(self.job.uid)
            documents = self.register.documents(self.job.uid) if self.record.all_entries else ()
            self._builds = tuple((number, built_of(document)) for number, document in documents)
            self._owners = owners_of(documents)
        except RegisterError as error:
            self.record, self.serial, self._builds = JobRecord(()), None, ()
            self.said.emit("trouble", f"The records cannot be read: {error}")

    @property
    def record(self) -> JobRecord:
        """What is on record of the job, judged by what is asked of it as it stands: when somebody asks, not at every edit."""
        if self._unsettled:
            self._unsettled = False
            self._settle_record()
        return self._record

    @record.setter
    def record(self, record: JobRecord) -> None:
        self._record, self._unsettled = record, False

    def _settle_record(self) -> None:
        if not self._record.all_entries:
            return
        built = built_parts(self.job)
        same = frozenset(number for number, was in self._builds if was == built)
        self._record = replace(self._record, asked=asked_of(self.evaluation, same, self._owners))

    @property
    def stationery(self) -> Stationery:
        """What the shop prints on. What of it cannot be printed is said and left out."""
        s = self.settings
        try:
            made = stationery(*(str(s[name]) for name in ("paper", "address", "mark")))
            return replace(made, pictures=self.home / PICTURES)
        except Refusal as error:
            self.said.emit("trouble", str(error))
            return Stationery(s["paper"] if s["paper"] in SHEETS_MM else "a4", pictures=self.home / PICTURES)

    # -- papers ---------------------------------------------------------------------------------------------------

    @property
    def papers_folder(self) -> Path:
        """Where this job's papers go."""
        return self.home / "papers" / (self.path.name.split(".")[0] if self.path else "job")

    def write_papers(self, write: Callable[[Path], Sequence[Path]]) -> None:
        """Have `write` fill a fresh folder, named by the time, from a thread; says how it went."""
        parent, said, stops = self.papers_folder, self.said, len(self.evaluation.stops)
        if self._writing is not None and self._writing.is_alive():
            said.emit("note", "Papers are being written already; press again when they are")
            return

        def go() -> None:
            try:
                with TURNS:
                    folder = dated(parent)
                    written = write_all(folder, write)
            except (Refusal, OSError) as error:
                said.emit("trouble", f"papers not written: {error}")
                return
            open_ = f", with {stops} stop{'s' * (stops > 1)} open: not to cut from yet" if stops else ""
            said.emit("note", f"{len(written)} papers written to {folder}{open_}")

        said.emit("note", "Writing papers…")
        self._writing = threading.Thread(target=go, name="papers", daemon=True)
        self._writing.start()

    # -- how it is looked at --------------------------------------------------------------------------------------

    def turn_units(self) -> None:
        """The other unit family."""
        self.units = Family.METRIC if self.units.us else self.inches
        self.settings.keep("units", str(self.units))
        self.units_changed.emit()

    @property
    def inches(self) -> Family:
        """How this shop's inches read."""
        return Family.US_DECIMAL if self.settings["inches"] == Family.US_DECIMAL else Family.US

    def choose_inches(self, family: str) -> None:
        """Fractions or decimals, at once where inches are looked at."""
        self.settings.keep("inches", family)
        if self.units.us:
            self.units = self.inches
            self.settings.keep("units", str(self.units))
            self.units_changed.emit()

    def light(self, tag: str) -> None:
        """Light up what `tag` names on the drawing."""
        if tag != self.lit:
            self.lit = tag
            self.lighted.emit()

    def value(self, path: str) -> Any:
        """The job's value at a dotted path; None where the way there is not."""
        return self.job.value_at(path)


def new_job(maker: str = "") -> Job:
    """A small box to begin from."""
    return Job(maker=maker, tank=ProfileTank(length_mm=380, width_mm=600, height_mm=280, sheet="5083/3"))


def _evaluated(job: Job) -> Evaluation:
    try:
        return evaluate(job)
    except Refusal as error:
        raise JobError(str(error)) from None
