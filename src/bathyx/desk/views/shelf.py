"""The shelf: the jobs on file, a new one, or one from a path."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from bathyx.core.build.steps import next_open, steps
from bathyx.core.evaluate import Evaluation, evaluate
from bathyx.core.job import JobError, read_job
from bathyx.core.material import fluid
from bathyx.core.units import show
from bathyx.desk.bench import Bench
from bathyx.desk.theme import Theme
from bathyx.desk.views.canvas import Canvas
from bathyx.desk.views.fields import button, words
from bathyx.draft.solid_view import Eye, Show, solid_view
from bathyx.register import JobRecord


class Shelf(QWidget):
    """A list of job files with what each is."""

    opened = pyqtSignal()
    begun = pyqtSignal()

    def __init__(self, bench: Bench, theme: Theme) -> None:
        super().__init__()
        self.bench = bench
        self.setObjectName("shelf")
        column = QVBoxLayout(self)
        column.setContentsMargins(60, 30, 60, 20)
        column.setSpacing(10)
        column.addWidget(words("Jobs on the shelf", "head"))
        column.addWidget(words("Double-click or Enter takes one in hand. Every edit is saved as it is made.", "quiet"))
        self.search = QLineEdit()
        self.search.setObjectName("search jobs")
        self.search.setPlaceholderText("search: name, customer, fluid, serial, or what is next")
        self.search.textChanged.connect(lambda _t: self._sieve())
        column.addWidget(self.search)
        self.list = QListWidget()
        self.list.setObjectName("jobs")
        self.list.setIconSize(QSize(132, 84))
        self._small = Canvas(theme, "thumbnail")
        self._small.setMinimumSize(1, 1)
        self._small.resize(264, 168)
        self._small.room_px = 8.0
        self.list.itemActivated.connect(lambda item: self._open(Path(item.data(Qt.ItemDataRole.UserRole))))
        column.addWidget(self.list, 1)
        row = QHBoxLayout()
        row.addWidget(button("New tank", "new tank", self._new, "main"))
        self.path = QLineEdit()
        self.path.setObjectName("open path")
        self.path.setPlaceholderText("or the path of a job file, then Enter")
        self.path.returnPressed.connect(lambda: self._open(Path(self.path.text().strip()).expanduser()))
        row.addWidget(self.path, 1)
        column.addLayout(row)
        self.trouble = words("", "trouble")
        column.addWidget(self.trouble)

    def refresh(self) -> None:
        """Read the folder."""
        self.list.clear()
        self.trouble.setText("")
        for path in sorted((self.bench.home / "jobs").glob("*.json"), key=lambda p: -p.stat().st_mtime):
            item = QListWidgetItem(self._words(path))
            item.setIcon(self._picture_of(path))
            item.setData(Qt.ItemDataRole.UserRole, str(path))
            self.list.addItem(item)
        self._sieve()
        if not self.list.count():
            self.list.addItem("Nothing yet: begin with a new tank.")

    def _sieve(self) -> None:
        """Show the jobs that hold every word searched for."""
        wanted = self.search.text().lower().split()
        for k in range(self.list.count()):
            item = self.list.item(k)
            item.setHidden(not all(word in item.text().lower() for word in wanted))

    def _standing(self, e: Evaluation) -> str:
        """Where a job stands, what is next, and since when."""
        register, job = self.bench.register, e.job
        record = JobRecord.of(register.entries(job.uid), register.same_build(job), job.proving.tests)
        since = f", since {record.all_entries[-1].at[:10]}" if record.all_entries else ""
        every = steps(e)
        upcoming = next_open(every, record.ticks)
        if record.proven is not None and upcoming is None:
            return f"handed over{since}"
        stops = len(e.stops)
        if not record.all_entries:
            return f"design: {stops} to put right" if stops else "design: ready to cut"
        tests = record.tests
        if tests and tests[-1].payload.get("verdict") == "leaks" and not tests[-1].payload.get("rehearsal"):
            leaking = "last test leaks; "
        else:
            leaking = "proven; " if record.proven is not None else ""
        return f"{leaking}next: {upcoming.title.lower() if upcoming else 'hand over'}{since}"

    def _picture_of(self, path: Path) -> QIcon:
        """The tank in the round, small; an empty icon for a file that cannot be read."""
        try:
            e = evaluate(read_job(path.read_text("utf-8"), path.name))
        except (JobError, OSError, ValueError):
            return QIcon()
        self._small.show_picture(solid_view(e, self.bench.units, Eye(), Show(e.results.capacity.fill_level_mm)))
        return QIcon(self._small.grab())

    def _words(self, path: Path) -> str:
        try:
            job = read_job(path.read_text("utf-8"), path.name)
            e = evaluate(job)
            usable = show(e.results.capacity.usable.value, "volume", self.bench.units)
        except (JobError, OSError, ValueError) as error:
            return f"{path.name}\ncannot be read: {error}"
        serial = self.bench.register.serial(job.uid)
        return (
            f"{job.brief.name}   {usable} {fluid(job.brief.fluid).name.lower()}\n"
            f"{job.brief.customer or 'no customer'}, {serial or 'no serial yet'}, {path.name}\n{self._standing(e)}"
        )

    def _open(self, path: Path) -> None:
        try:
            self.bench.open(path)
        except JobError as error:
            self.trouble.setText(str(error))
            return
        except OSError as error:
            self.trouble.setText(f"cannot read {path}: {error.strerror or error}")
            return
        except UnicodeDecodeError:
            self.trouble.setText(f"{path} is not text; a Bathyx job is a JSON file")
            return
        self.opened.emit()

    def _new(self) -> None:
        from bathyx.desk.bench import new_job

        self.bench.start_new(new_job(self.bench.job.maker))
        self.begun.emit()
