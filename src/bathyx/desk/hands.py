"""What hands expect of any program: its usual keys, files dropped on the window, a drawing's own menu, open and save dialogs."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QObject, QPoint, Qt, QTimer
from PyQt6.QtGui import QCursor, QDragEnterEvent, QDropEvent, QGuiApplication, QKeySequence, QShortcut
from PyQt6.QtWidgets import QApplication, QFileDialog, QLineEdit, QMenu, QWidget

from bathyx.desk.one_window import Doorbell
from bathyx.desk.views.canvas import Canvas
from bathyx.desk.views.fields import FigureLine
from bathyx.desk.views.names import name_all
from bathyx.errors import Refusal, brief

if TYPE_CHECKING:
    from bathyx.desk.first_job import FirstJob
    from bathyx.desk.views.help_page import HelpView
    from bathyx.desk.views.settings_page import SettingsPage
    from bathyx.desk.window import Window

JOBS = "Bathyx jobs (*.bathyx.json *.json);;All files (*)"
MOST_RECENT = 12
TANK, SPACE, PROVE = "tank", "space", "prove"
DRAWN, MESHES, TABLES = (".dxf", ".svg"), (".stl", ".obj", ".ply", ".xyz", ".asc", ".pts"), (".csv", ".tsv", ".txt")


class Hands(QObject):
    """Belongs to a window that is furnished."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self.window = window
        keys: dict[str, Callable[[], object]] = {
            "Ctrl+S": self.save_now,
            "Ctrl+Shift+S": self.save_copy,
            "Ctrl+Shift+O": self.open_file,
            "Ctrl+Shift+C": lambda: self.copy_drawing(window.board.large),
            "Ctrl+Q": window.close,
            "Ctrl+P": self.print_paper,
            "Ctrl+,": self.show_settings,
            "F1": self.help_here,
        }
        for key, do in keys.items():
            QShortcut(QKeySequence(key), window, do)
        window.setAcceptDrops(True)
        window.installEventFilter(self)
        for canvas in (window.flat, window.solid):
            canvas.menu_wanted.connect(partial(self.menu_of, canvas))
        window.shelf.file_wanted.connect(self.open_file)
        window.shelf.help_wanted.connect(lambda: self.show_help("first-tank"))
        window.shelf.settings_wanted.connect(self.show_settings)
        window.shelf.opened.connect(lambda: remember(window, window.bench.path) if window.bench.path else None)
        self._help: HelpView | None = None
        self._settings: SettingsPage | None = None
        self.first_job: FirstJob | None = None
        hints = QGuiApplication.styleHints()
        if hints is not None:
            hints.colorSchemeChanged.connect(lambda _scheme: self.follow_light())
        self.bell = Doorbell(window.home, self._handed, self)

    def stop(self) -> None:
        """Listen no longer."""
        self.bell.stop()

    # -- pages -------------------------------------------------------------------------------------------------------

    def help_here(self) -> None:
        """The page about what the cursor or the pointer is on."""
        from bathyx.help import about

        widget = QApplication.focusWidget()
        under = QApplication.widgetAt(QCursor.pos())
        for part in (widget, under):
            figure = self._figure_at(part)
            if figure:
                self.show_help(f"formula:{figure}")
                return
        label = next((name for w in (under, widget) if w is not None and (name := w.accessibleName())), "")
        on_shelf = self.window.pages.currentIndex() == 1
        key, word = ("first-tank", "") if on_shelf else about(self.window.stage.key, label)
        self.show_help(key, word)

    @staticmethod
    def _figure_at(widget: QWidget | None) -> str:
        """The key of the formula behind a figure that a part belongs to; nothing where it is none."""
        while widget is not None:
            if isinstance(widget, FigureLine):
                return widget.figure.formula.key
            widget = widget.parentWidget()
        return ""

    def show_help(self, key: str, word: str = "") -> None:
        """A page of the help."""
        from bathyx.desk.views.help_page import HelpView

        if self._help is None:
            self._help = HelpView(self.window.theme)
            self._help.left.connect(self._to_desk)
            self._help.first_job.connect(self.begin_first_job)
            self.window.pages.addWidget(self._help)
            name_all(self._help)
        self._help.show_page(key, word)
        self.window.pages.setCurrentWidget(self._help)
        self.window.bench_line.choose(-1)

    def show_settings(self) -> None:
        """The settings of the shop and of this desk."""
        from bathyx.desk.views.settings_page import SettingsPage

        window = self.window
        if self._settings is None:
            self._settings = SettingsPage(
                window.bench, window.standing, window.turn_theme, window.turn_text, self.follow_light
            )
            self._settings.left.connect(self._to_desk)
            window.pages.addWidget(self._settings)
            window.bench.units_changed.connect(self._settings.refresh)
            name_all(self._settings)
        self._settings.refresh()
        window.pages.setCurrentWidget(self._settings)
        window.bench_line.choose(-1)

    def _to_desk(self) -> None:
        if self.window.bench.path is None:
            self.window.show_shelf()
        else:
            self.window.choose(self.window.current)

    def begin_first_job(self) -> None:
        """A first tank, step by step, on the real desk."""
        from bathyx.desk.first_job import FirstJob

        if self.first_job is None:
            self.first_job = FirstJob(self.window)
            self.first_job.destroyed.connect(lambda: setattr(self, "first_job", None))
            self.window.middle.insertWidget(0, self.first_job)
        self.window.begin_tank()

    def follow_light(self) -> None:
        """Light or dark as the desktop has it, where that is wanted and the desktop says."""
        hints = QGuiApplication.styleHints()
        if self.window.bench.settings["light"] != "desktop" or hints is None:
            return
        scheme = hints.colorScheme()
        if scheme != Qt.ColorScheme.Unknown and (scheme == Qt.ColorScheme.Dark) != self.window.theme.dark:
            self.window.turn_theme()

    # -- files in -----------------------------------------------------------------------------------------------------

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Files are taken from the pointer."""
        if event is not None and event.type() == QEvent.Type.WindowActivate:
            self.bell.listen()
        if isinstance(event, QDragEnterEvent) and self._files(event):
            event.acceptProposedAction()
            return True
        if isinstance(event, QDropEvent) and event.type() == QEvent.Type.Drop and (files := self._files(event)):
            event.acceptProposedAction()
            QTimer.singleShot(0, lambda: self.take(files[0]))  # what it was dragged from is let go first
            return True
        return super().eventFilter(watched, event)

    def _files(self, event: QDropEvent) -> list[Path]:
        mime = event.mimeData()
        return [Path(url.toLocalFile()) for url in mime.urls() if url.isLocalFile()] if mime is not None else []

    def open_file(self) -> None:
        """A job from anywhere, by the desktop's own dialog."""
        name, _ = QFileDialog.getOpenFileName(self.window, "Open a job", str(self.window.home / "jobs"), JOBS)
        if name:
            self.take(Path(name))

    def take(self, path: Path) -> str:
        """Take a file to where it belongs: a job is opened, a drawing is the section, a scan the space, a table what the stage in
        hand takes. Returns why not, or nothing; it is said, too."""
        try:
            why = self._take(path)
        except Refusal as error:
            why = brief(str(error))
        if why:
            self.window.bench.said.emit("trouble", why)
        return why

    def _take(self, path: Path) -> str:
        kind = path.suffix.lower()
        if not path.is_file():
            return f"{path.name} is no file that can be read"
        if kind == ".json":
            return self._open(path)
        if kind in DRAWN or (kind in TABLES and self.window.stage.key == TANK):
            return self._profile(path)
        if kind in MESHES or (kind in TABLES and self.window.stage.key == SPACE):
            return self._space(path)
        if kind in TABLES and self.window.stage.key == PROVE:
            self._go(PROVE)
            field = self.window.stage.card.findChild(QLineEdit, "trace file")
            assert field is not None
            field.setText(str(path))
            self.window.stage.card.bring(field)
            self.window.bench.said.emit("note", f"{path.name}: name its columns, then bring it in")
            return ""
        return (
            f"{path.name}: drop a job (.json) anywhere, a profile (.dxf, .svg, .csv) on Tank, offsets or a scan "
            "(.csv, .stl, .ply, .xyz) on Space, a logger's table (.csv) on Prove"
        )

    def _open(self, path: Path) -> str:
        window = self.window
        if self._holding:
            return "A hold is running: finish it before another job is opened"
        window.open_job(path)
        if window.bench.path is None or window.bench.path != path.absolute():
            return window.message.text()
        remember(window, path.absolute())
        return ""

    @property
    def _holding(self) -> bool:
        return any(getattr(stage, "running", False) for stage in self.window.stages)

    def _handed(self, path: Path) -> bool:
        """A job that another start was given: opened here, unless a hold is running."""
        if self._holding or self._open(path):
            return False
        self.window.show()
        self.window.raise_()
        self.window.activateWindow()
        return True

    def _go(self, key: str) -> None:
        self.window.choose([stage.key for stage in self.window.stages].index(key))

    def _profile(self, path: Path) -> str:
        from bathyx.core.tank.outline import OutlineTank
        from bathyx.desk.stages.tank.shape import Corners

        self._go(TANK)
        if not isinstance(self.window.bench.job.tank, OutlineTank):
            return f"{path.name} is a section: choose the family Outline here, and drop it again"
        corners = self.window.stage.card.findChild(Corners)
        assert corners is not None
        corners.read(path)
        return corners.trouble.text()

    def _space(self, path: Path) -> str:
        from bathyx.desk.stages.space.parts import SpaceParts

        self._go(SPACE)
        parts = self.window.stage.card.findChild(SpaceParts)
        if parts is None or not parts.takes_tables:
            return f"{path.name} has offsets or a scan: choose a space From stations here, and drop it again"
        parts.put_file(path)
        return ""

    # -- files out ----------------------------------------------------------------------------------------------------

    def save_now(self) -> None:
        """Every edit is saved as it is made; say so, or what stands in the way."""
        b = self.window.bench
        b.settle()
        if b.unsaved:
            b.save()
        if b.path is None:
            b.said.emit("note", "There is no job in hand")
        elif not b.unsaved:
            b.said.emit("note", f"Saved: {b.path}. Every edit is, as it is made")

    def save_copy(self) -> None:
        """A copy of the job's file, where the desktop's dialog says."""
        from bathyx.files import WriteError, write_text

        b = self.window.bench
        if b.path is None:
            return
        name, _ = QFileDialog.getSaveFileName(self.window, "A copy of this job", str(b.path), JOBS)
        if not name:
            return
        path = Path(name)
        path = path if path.suffix else path.with_name(f"{path.name}.bathyx.json")
        if path.absolute() == b.path:
            self.save_now()
            return
        try:
            write_text(path, b.job.to_json())
        except WriteError as error:
            b.said.emit("trouble", str(error))
            return
        b.said.emit("note", f"A copy is in {path}; this stays the job in hand")

    def print_paper(self) -> None:
        """A paper of the job as it is now, on a printer or a roll."""
        from bathyx.desk.printing import WhichPaper, preview

        if self.window.bench.path is None:
            return
        with tempfile.TemporaryDirectory(prefix="bathyx-print-") as folder:
            try:
                papers = self.papers_now(Path(folder))
                which = WhichPaper(papers, self.window)
                if which.exec():
                    preview(self.window, which.chosen)
            except Refusal as error:
                self.window.bench.said.emit("trouble", brief(str(error)))

    def papers_now(self, folder: Path) -> list[Path]:
        """Every paper of the job as a PDF in a folder, and its blanks at full size."""
        from bathyx.papers.export import export_all
        from bathyx.papers.templates import write_templates

        b = self.window.bench
        written = export_all(b.evaluation, folder, b.units, b.record, b.serial, b.stationery)
        papers = sorted(path for path in written if path.suffix == ".pdf")
        if not b.evaluation.results.uncut:
            papers.append(write_templates(b.evaluation, folder / "templates.pdf", str(b.settings["paper"]), b.units))
        return papers

    def menu_of(self, canvas: Canvas, at: QPoint) -> None:
        """What can be done with a drawing."""
        menu = self.made_menu(canvas)
        menu.exec(at)
        menu.deleteLater()

    def made_menu(self, canvas: Canvas) -> QMenu:
        """The menu of a drawing, not shown."""
        menu = QMenu(self.window)
        menu.setObjectName("drawing menu")
        for text, do in (
            ("Copy the drawing\tCtrl+Shift+C", lambda: self.copy_drawing(canvas)),
            ("Save the drawing…", lambda: self.save_drawing(canvas)),
            ("Fit it again\t0", canvas.refit),
        ):
            made = menu.addAction(text)
            assert made is not None
            made.triggered.connect(lambda _on=False, do=do: do())
        return menu

    def _title(self) -> str:
        return f"{self.window.bench.job.brief.name}, {self.window.stage.key}"

    def copy_drawing(self, canvas: Canvas) -> None:
        """The drawing on the clipboard, as a picture and as SVG."""
        from bathyx.desk.picture_out import copy

        copy(canvas, self._title())
        self.window.bench.said.emit("note", "The drawing is on the clipboard, as a picture and as SVG")

    def save_drawing(self, canvas: Canvas) -> None:
        """The drawing in a file, where the desktop's dialog says."""
        from bathyx.desk.picture_out import KINDS, save
        from bathyx.files import WriteError

        start = Path.home() / f"{self._title().replace('/', '-')}.svg"
        name, kind = QFileDialog.getSaveFileName(self.window, "Save the drawing", str(start), KINDS)
        if not name:
            return
        path = Path(name)
        if path.suffix.lower() not in (".svg", ".png"):
            path = path.with_name(path.name + (".png" if "png" in kind else ".svg"))
        try:
            save(canvas, self._title(), path)
        except WriteError as error:
            self.window.bench.said.emit("trouble", str(error))
            return
        self.window.bench.said.emit("note", f"Saved: {path}")


def remember(window: Window, path: Path) -> None:
    """A job that lies outside the shelf's folder stands on the shelf from now on."""
    if path.parent == (window.home / "jobs").absolute():
        return
    rows = [row for row in str(window.bench.settings["recent"]).splitlines() if row != str(path)]
    window.bench.settings.keep("recent", "\n".join([str(path), *rows][:MOST_RECENT]))
