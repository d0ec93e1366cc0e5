"""The shelf: the jobs on file, a new one, or one from a path. Files are read from a thread: whatever lies in the folder, the
window goes on."""

from __future__ import annotations

import os
import sys
import threading
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from PyQt6.QtCore import QObject, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from bathyx.core.build.steps import next_open, steps
from bathyx.core.evaluate import Evaluation, evaluate
from bathyx.core.job import read_job
from bathyx.core.material import fluid
from bathyx.core.units import Family, show
from bathyx.desk.bench import Bench
from bathyx.desk.theme import Theme
from bathyx.desk.turns import TURNS
from bathyx.desk.views.canvas import Canvas
from bathyx.desk.views.fields import button, words
from bathyx.desk.views.plain import TextLine
from bathyx.draft.picture import Picture
from bathyx.draft.solid_view import Eye, Show, solid_view
from bathyx.errors import Refusal, brief
from bathyx.files import read_text
from bathyx.register import Book, RegisterError, record_of

MOST_JOBS = 2000
AT_ONCE = 3
PATH, READABLE = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1


@dataclass(frozen=True)
class OnShelf:
    """What a file on the shelf is: words, a picture in the round, or why it cannot be read."""

    path: Path
    words: str
    picture: Picture | None


def job_files(folder: Path) -> tuple[list[Path], int]:
    """(The files of a folder whose names end in .json, newest first, how many more there are). None of them is opened."""
    found = []
    try:
        with os.scandir(folder) as entries:
            for entry in entries:
                if entry.name.endswith(".json") and not entry.name.startswith("."):
                    try:
                        when = entry.stat(follow_symlinks=False).st_mtime
                    except OSError:
                        when = 0.0
                    found.append((when, entry.name))
    except OSError:
        return [], 0
    found.sort(reverse=True)
    return [folder / name for _, name in found[:MOST_JOBS]], max(0, len(found) - MOST_JOBS)


def on_shelf(path: Path, register: Book, units: Family) -> OnShelf:
    """Read one file. Never raises a Refusal: what is wrong with it is what is said of it."""
    try:
        e = evaluate(read_job(read_text(path), path.name))
        usable = show(e.results.capacity.usable.value, "volume", units)
        picture = solid_view(e, units, Eye(), Show(e.results.capacity.fill_level_mm))
    except Refusal as error:
        return OnShelf(
            path, f"{path.name}\ncannot be read: {brief(str(error).removeprefix(f'{path.name}: '), 2, 240)}", None
        )
    job = e.job
    try:
        serial, standing = register.serial(job.uid), _standing(e, register)
    except RegisterError as error:
        serial, standing = None, f"records cannot be read: {error}"
    said = (
        f"{job.brief.name}   {usable} {fluid(job.brief.fluid).name.lower()}\n"
        f"{job.brief.customer or 'no customer'}, {serial or 'no serial yet'}, {path.name}\n{standing}"
    )
    return OnShelf(path, said, picture)


def _standing(e: Evaluation, register: Book) -> str:
    """Where a job stands, what is next, and since when."""
    record = record_of(register, e)
    since = f", since {record.all_entries[-1].at[:10]}" if record.all_entries else ""
    every = steps(e)
    upcoming, proof = next_open(every, record.standing_ticks), record.proof
    if proof.whole and not proof.blocks and upcoming is None:
        return f"handed over{since}"
    stops = len(e.stops)
    if not record.all_entries:
        return f"design: {stops} to put right" if stops else "design: ready to cut"
    if not any(e.kind == "test" for e in record.all_entries) and proof.state == "not tested":
        said = ""
    else:
        said = "proven; " if proof.whole else f"{proof.state}; "
    return f"{said}next: {upcoming.title.lower() if upcoming else 'hand over'}{since}"


class ShelfReader(QObject):
    """Reads files in a thread of its own; each comes by itself, and a new round makes the one before it stop."""

    came = pyqtSignal(int, object)
    ended = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.turn = 0
        self._stop = threading.Event()

    def read(self, paths: list[Path], register: Book, units: Family) -> None:
        """Begin a round."""
        self.stop()
        self.turn += 1
        turn, stop = self.turn, threading.Event()
        self._stop = stop

        def go() -> None:
            for path in paths:
                if stop.is_set():
                    return
                try:
                    with TURNS:
                        found = on_shelf(path, register, units)
                except Exception as error:  # noqa: BLE001 - one file must not leave the others unread
                    sys.excepthook(type(error), error, error.__traceback__)
                    found = OnShelf(path, f"{path.name}\na fault of Bathyx came up while it was read", None)
                if stop.is_set():
                    return
                self.came.emit(turn, found)
            self.ended.emit(turn)

        threading.Thread(target=go, name="shelf", daemon=True).start()

    def stop(self) -> None:
        """Give the round up."""
        self._stop.set()


class Shelf(QWidget):
    """A list of job files with what each is."""

    opened = pyqtSignal()
    asked = pyqtSignal()
    file_wanted = pyqtSignal()
    help_wanted = pyqtSignal()
    settings_wanted = pyqtSignal()
    settled = pyqtSignal()

    def __init__(self, bench: Bench, theme: Theme) -> None:
        super().__init__()
        self.bench = bench
        self.setObjectName("shelf")
        column = QVBoxLayout(self)
        column.setContentsMargins(60, 30, 60, 20)
        column.setSpacing(10)
        column.addWidget(words("Jobs on the shelf", "head"))
        column.addWidget(words("Double-click or Enter takes one in hand. Every edit is saved as it is made.", "quiet"))
        self.search = TextLine()
        self.search.setObjectName("search jobs")
        self.search.setPlaceholderText("search: name, customer, fluid, serial, or what is next")
        self.search.textChanged.connect(lambda _t: self._sieve())
        column.addWidget(self.search)
        self.list = QListWidget()
        self.list.setObjectName("jobs")
        self.list.setIconSize(QSize(132, 84))
        self.list.setWordWrap(True)
        self._small = Canvas(theme, "thumbnail")
        self._small.setMinimumSize(1, 1)
        self._small.resize(264, 168)
        self._small.room_px = 8.0
        self.list.itemActivated.connect(self._activated)
        self.list.currentItemChanged.connect(lambda now, _before: self._offer_aside(now))
        column.addWidget(self.list, 1)
        row = QHBoxLayout()
        row.addWidget(button("New tank", "new tank", self.asked.emit, "main"))
        row.addWidget(button("Open a file…", "open file", self.file_wanted.emit))
        self.path = TextLine()
        self.path.setObjectName("open path")
        self.path.setPlaceholderText("or the path of a job file, then Enter")
        self.path.returnPressed.connect(lambda: self._open(Path(self.path.text().strip()).expanduser()))
        row.addWidget(self.path, 1)
        row.addWidget(button("Settings", "open settings", self.settings_wanted.emit))
        row.addWidget(button("Help", "open help", self.help_wanted.emit))
        self.aside = button("Set this file aside", "set file aside", self._set_aside)
        self.aside.hide()
        row.addWidget(self.aside)
        column.addLayout(row)
        self.trouble = words("", "trouble")
        column.addWidget(self.trouble)
        self.reading = False
        self.reader = ShelfReader()
        self.reader.came.connect(self._take)
        self.reader.ended.connect(self._end)
        self._waiting: list[OnShelf] = []
        self._places: dict[Path, QListWidgetItem] = {}
        self._drawing = QTimer(self)
        self._drawing.setInterval(0)
        self._drawing.timeout.connect(self._draw_some)

    def refresh(self) -> None:
        """List the folder at once; what each file is comes as it is read."""
        self.trouble.setText("")
        self._waiting.clear()
        self._places.clear()
        self.list.clear()
        paths, more = job_files(self.bench.home / "jobs")
        paths += [path for row in str(self.bench.settings["recent"]).splitlines() if (path := Path(row)).is_file()]
        for path in paths:
            item = QListWidgetItem(f"{path.name}\nbeing read…")
            item.setData(PATH, str(path))
            item.setSizeHint(QSize(200, 96))
            self.list.addItem(item)
            self._places[path] = item
        if more:
            self.trouble.setText(f"{more} older files are not listed; give the path of one to open it.")
        self._sieve()
        if not paths:
            nothing = QListWidgetItem("Nothing yet: begin with a new tank.")
            nothing.setFlags(Qt.ItemFlag.NoItemFlags)
            self.list.addItem(nothing)
        self.reading = True
        self.reader.read(paths, self.bench.register, self.bench.units)

    def _take(self, turn: int, found: OnShelf) -> None:
        if turn == self.reader.turn:
            self._waiting.append(found)
            self._drawing.start()

    def _end(self, turn: int) -> None:
        if turn == self.reader.turn:
            self.reading = False
            self._drawing.start()

    def _draw_some(self) -> None:
        """A few at a time, so that a long shelf never holds the window up."""
        for found in self._waiting[:AT_ONCE]:
            item = self._places.get(found.path)
            if item is not None:
                item.setText(found.words)
                item.setData(READABLE, found.picture is not None)
                if found.picture is not None:
                    self._small.show_picture(found.picture)
                    item.setIcon(QIcon(self._small.grab()))
        del self._waiting[:AT_ONCE]
        if not self._waiting:
            self._drawing.stop()
            self._sieve()
            self._offer_aside(self.list.currentItem())
            if not self.reading:
                self.settled.emit()

    def _sieve(self) -> None:
        """Show the jobs that hold every word searched for."""
        wanted = self.search.text().casefold().split()
        for k in range(self.list.count()):
            if (item := self.list.item(k)) is not None:
                item.setHidden(not all(word in item.text().casefold() for word in wanted))

    def _offer_aside(self, item: QListWidgetItem | None) -> None:
        self.aside.setVisible(item is not None and item.data(READABLE) is False)

    def _set_aside(self) -> None:
        """Move a file that cannot be read out of the way, beside the others; nothing is deleted."""
        item = self.list.currentItem()
        if item is None or item.data(READABLE) is not False:
            return
        path = Path(item.data(PATH))
        target = path.parent / "aside" / f"{datetime.now():%Y-%m-%d-%H%M%S}-{path.name[-150:]}"
        try:
            target.parent.mkdir(exist_ok=True)
            path.rename(target)
        except OSError as error:
            self.trouble.setText(f"{path.name} cannot be moved: {(error.strerror or str(error)).lower()}")
            return
        self.refresh()
        self.trouble.setText(f"{path.name} is set aside: {target}")

    def _activated(self, item: QListWidgetItem) -> None:
        path = item.data(PATH)
        if path:
            self._open(Path(path))

    def _open(self, path: Path) -> None:
        try:
            self.bench.open(path)
        except Refusal as error:
            self.trouble.setText(brief(str(error)))
            return
        self.opened.emit()
