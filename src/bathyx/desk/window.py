"""The window: bench line, drawing, card, findings rail. Painted bare first, furnished once the core is loaded."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QIcon, QKeySequence, QPaintEvent, QPixmap, QResizeEvent, QShortcut
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from bathyx.desk.faults import SAFE, Fault, FaultPost
from bathyx.desk.stages.registry import STAGES
from bathyx.desk.sweeper import Sweeper
from bathyx.desk.theme import TEXT_SIZES, Theme, load_fallback, set_text_size, text_size
from bathyx.desk.views.bench_line import BenchLine, tall_px
from bathyx.desk.views.names import name_all

if TYPE_CHECKING:
    from bathyx.core.findings import Finding
    from bathyx.desk.bench import Bench
    from bathyx.desk.opening import Unopened
    from bathyx.desk.stages.stage import Stage
    from bathyx.desk.views.begin_page import BeginPage
    from bathyx.desk.views.board import Look
    from bathyx.desk.views.notices import Way
    from bathyx.register import Book

NOTE_MS = 6000
ADVISE_MS = 250
FIGURES_S = 0.1
CARD_PX, FULL_PX, CARD_GROWS, CARD_SHARE = 344, 1280, 0.4, 0.37
DRESS_MS = 120
WORDS = {"view flat": "Flat", "view both": "Both", "view solid": "Round"}
LOOKS: dict[str, Look] = {"view flat": "flat", "view both": "both", "view solid": "solid"}


class Window(QWidget):
    """The one window."""

    furnished = pyqtSignal()
    another_home = pyqtSignal(object)

    def __init__(self, home: Path) -> None:
        super().__init__()
        self.home = home
        self.theme = Theme()
        self.painted_once = False
        self._bench: Bench | None = None
        self.without_records = ""
        self.sure_to_close = False
        self.at_once = False  # tests that look at what an edit comes to do not wait for it
        self.faults = FaultPost()
        self.faults.happened.connect(self._fault)
        self.faults.refused.connect(lambda text: self._say("trouble", text))
        self.current = 2
        self.setObjectName("window")
        self.setWindowTitle("Bathyx")
        self.setStyleSheet(self.theme.sheet())
        icon = QPixmap()
        icon.loadFromData((Path(__file__).parent / "theme" / "bathyx.svg").read_bytes())
        self.setWindowIcon(QIcon(icon))
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 6, 6, 4)
        column.setSpacing(5)
        top = QHBoxLayout()
        top.setSpacing(8)
        self.shelf_button = QPushButton("Bathyx")
        self.shelf_button.setObjectName("shelf button")
        self.shelf_button.setFixedSize(128, tall_px())
        top.addWidget(self.shelf_button)
        self.bench_line = BenchLine(self.theme)
        top.addWidget(self.bench_line, 1)
        column.addLayout(top)
        self.middle = QVBoxLayout()
        column.addLayout(self.middle, 1)
        self.waiting = QLabel("Laying out the bench…")
        self.waiting.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.middle.addWidget(self.waiting)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Note the first paint."""
        super().paintEvent(event)
        self.painted_once = True

    @property
    def bench(self) -> Bench:
        """The bench, once it is laid out."""
        assert self._bench is not None, "the bench is not laid out yet"
        return self._bench

    # -- furnishing -----------------------------------------------------------------------------------------------

    def furnish(self, job: Path | None = None, demo: bool = False) -> None:
        """Load the core, open the register and the job, and put the stages in place; or say why not, with the ways on."""
        try:
            self._furnish(job, demo)
        except Exception as error:  # noqa: BLE001 - the page says it
            from bathyx.errors import Refusal, brief

            again = ("Try again", "try again", lambda: self.furnish(job, demo))
            if isinstance(error, Refusal):
                self._trouble("The bench cannot be laid out", brief(str(error)), [again], job, demo)
                return
            fault = self.faults.take(error)
            said = f"{fault.line}\n{SAFE}" + (f"\nIt is logged in {fault.log}." if fault.log else "")
            self._trouble("A fault of Bathyx, not yours", said, [again], job, demo, fault.whole)

    def _trouble(
        self, head: str, text: str, ways: Sequence[Way], job: Path | None, demo: bool, whole: str = ""
    ) -> None:
        """The page that stands where the bench would."""
        from bathyx.desk.views.trouble_page import TroublePage

        def use(folder: Path) -> None:
            self.home = folder
            self.furnish(job, demo)

        page = TroublePage(head, text, ways, use, whole)
        self._clear_middle()
        self.middle.addWidget(page)

    def _clear_middle(self) -> None:
        """Take what stands in the middle away, once the click that led here is over."""
        while (item := self.middle.takeAt(0)) is not None:
            old = item.widget()
            if old is not None:
                old.hide()
                old.deleteLater()

    def _furnish(self, job: Path | None, demo: bool) -> None:
        from bathyx.desk.bench import Bench
        from bathyx.desk.home import last_job, look_at
        from bathyx.desk.opening import Unopened, copy_of_the_day, opened
        from bathyx.files.own_tables import folder_of, read_own
        from bathyx.register.opening.shut import ShutRegister

        load_fallback()
        state = look_at(self.home)
        if not state.usable:
            again = ("Try again", "try again", lambda: self.furnish(job, demo))
            self._trouble("No folder to keep jobs and records in", state.trouble, [again], job, demo)
            return
        if demo:
            from bathyx.demo.seed import lay_out

            job = job or lay_out(self.home)
        register: Book | Unopened
        if self.without_records:
            register = ShutRegister(self.without_records)
        else:
            register = opened(self.home, state.writable, lambda why: setattr(self, "without_records", why))
        if isinstance(register, Unopened):

            def then(do: Callable[[], object]) -> None:
                do()
                self.furnish(job, demo)

            ways = [(label, name, partial(then, do)) for label, name, do in register.ways]
            self._trouble("The register cannot be opened", register.text, ways, job, demo)
            return
        wrong_rows = read_own(folder_of(self.home))
        self._bench = Bench(self.home, register)
        trouble = self._take_job(job or last_job(self.home))
        self.theme.dark = bool(self.bench.settings["dark"])
        set_text_size(self.bench.settings["text"])
        self._size_line()
        self.setStyleSheet(self.theme.sheet())
        self.stages = [entry.made(self.bench, self.theme) for entry in STAGES]
        self._spread()
        self._wire()
        self.choose(self.current)
        if self.bench.path is None:
            self.show_shelf()
            self.shelf.trouble.setText(trouble)
        if wrong_rows:
            self.standing.own_tables(wrong_rows)
        if state.trouble:
            self.standing.home(state.trouble, self._choose_home)
        if self.without_records:
            self.standing.without_records(self.without_records)
        copy_of_the_day(self.bench)
        self.standing.copy_elsewhere()
        self._lay_out()
        self.furnished.emit()

    def _lay_out(self) -> None:
        """Every part in its place before the first frame that shows it: the drawing is fitted to what it has."""
        self.pages.show()  # what is hidden is not laid out
        for widget in (self, self.pages, self.pages.currentWidget(), self.cards):
            layout = widget.layout() if widget is not None else None
            if layout is not None:
                layout.activate()
        self.board.arrange()

    def _take_job(self, job: Path | None) -> str:
        """Open a job; returns why it could not be opened, or nothing."""
        from bathyx.errors import Refusal, brief

        if job is not None:
            try:
                self.bench.open(job)
            except Refusal as error:
                return brief(str(error))
        return ""

    def _spread(self) -> None:
        """Drawings, card, rail and pages in their places."""
        from bathyx.desk.views.board import Board
        from bathyx.desk.views.canvas import Canvas
        from bathyx.desk.views.notices import Notices
        from bathyx.desk.views.rail import Rail
        from bathyx.desk.views.shelf import Shelf
        from bathyx.desk.views.side_by_side import SideBySide
        from bathyx.desk.views.solid import SolidCanvas
        from bathyx.desk.views.tray import Tray
        from bathyx.desk.views.where import Where, places_of

        self.flat = Canvas(self.theme, "flat")
        self.solid = SolidCanvas(self.theme)
        self.flat_stack = QStackedWidget()
        self.flat_stack.addWidget(self.flat)
        self.cards = QStackedWidget()
        self._size_card()
        self.rail = Rail(self.theme)
        self.shelf = Shelf(self.bench, self.theme)
        desk = QWidget()
        desk.setObjectName("spread")
        across = QHBoxLayout(desk)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(6)
        strip = self._strip()
        self.tray = Tray(self.theme)
        self.board = Board(self.flat_stack, self.flat, self.solid, self.rail, strip, self.message, self.tray)
        self.board.turned = self._show_look
        across.addWidget(self.board, 1)
        across.addWidget(self.cards)
        self._show_look()
        self.pages = QStackedWidget()
        self.pages.addWidget(desk)
        self.pages.addWidget(self.shelf)
        self.versions = SideBySide(self.bench, self.theme, lambda: self.choose(self.current))
        self.pages.addWidget(self.versions)
        self.begin: BeginPage | None = None
        self.notices = Notices()
        self.where = Where(self, partial(places_of, self))
        self._clear_middle()
        self.middle.addWidget(self.notices)
        self.middle.addWidget(self.pages, 1)
        name_all(self)

    def _choose_home(self) -> None:
        """The page where another folder can be named."""
        from bathyx.desk.standing import page_of_another_home

        page = page_of_another_home(lambda: self.choose(self.current), self.another_home.emit)
        self.pages.addWidget(page)
        self.pages.setCurrentWidget(page)

    def _strip(self) -> QWidget:
        from bathyx.desk.views.fields import button

        self.message = QLabel("")
        self.message.setTextFormat(Qt.TextFormat.PlainText)
        self.message.setObjectName("message")
        self.message.setWordWrap(True)
        strip = QWidget()
        row = QHBoxLayout(strip)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(3)
        self.view_buttons = {}
        for name, text in WORDS.items():
            made = button(text, name, partial(self._look, name))
            made.setCheckable(True)
            made.setProperty("look", "tight")
            self.view_buttons[name] = made
            row.addWidget(made)
        row.addSpacing(6)
        for text, name, do, tip in (
            ("Undo", "undo", lambda: self.bench.undo(), "Ctrl+Z"),
            ("Redo", "redo", lambda: self.bench.redo(), "Ctrl+Shift+Z"),
            ("mm/in", "units", lambda: self.bench.turn_units(), "Ctrl+U"),
            ("Dark" if not self.theme.dark else "Light", "theme", self.turn_theme, "Ctrl+D"),
            ("Aa", "text size", self.turn_text, "Size of type: Ctrl+T"),
            ("Where is…?", "where is", lambda: self.where.ask(), "Ctrl+F"),
        ):
            made = button(text, name, do)
            made.setToolTip(tip)
            made.setProperty("look", "tight")
            row.addWidget(made)
        return strip

    def _wire(self) -> None:
        from bathyx.desk.hands import Hands
        from bathyx.desk.one_press import OnePress, put_right
        from bathyx.desk.standing import Standing
        from bathyx.desk.study import Study

        b = self.bench
        b.changed.connect(self.refresh)
        b.units_changed.connect(self.refresh)
        b.recorded.connect(self._show_records)
        b.lit_changed.connect(self._show_stage)
        b.lighted.connect(self._show_lit)
        b.said.connect(self._say)
        b.laid.connect(self.board.lay)
        self.standing = Standing(b, self.notices, self.show_versions, self)
        self.bench_line.chosen.connect(self.choose)
        self.shelf_button.clicked.connect(self.show_shelf)
        self.shelf.opened.connect(lambda: self.choose(self.current))
        self.shelf.asked.connect(self.begin_tank)
        self.hands = Hands(self)
        self.flat.typed.connect(self._typed)
        self.flat.picked.connect(lambda tag, share: self._picked(tag, share, self.stage.picked))
        self.flat.dragged.connect(lambda *a: self.stage.dragged(*a))
        hand: tuple[tuple[Any, Callable[..., None]], ...] = (
            (self.tray.picked, lambda key: self.stage.pick_up(key)),
            (self.flat.hung, lambda x, y: self.stage.hang(x, y)),
            (self.flat.nudged, lambda dx, dy: self.stage.nudge(dx, dy)),
            (self.flat.dropped, lambda: self.stage.drop()),
            (self.flat.gave_up, lambda: self.stage.give_up()),
            (self.flat.asked, lambda what: self.stage.asked(what)),
        )
        for signal, do in hand:
            signal.connect(partial(self._by_hand, do))
        self.solid.picked.connect(lambda tag, share: self._picked(tag, share, self.stage.picked_round))
        self.flat.describe = self.solid.describe = lambda tag: self.stage.describe(tag)
        self.bench_line.explain.connect(self._explain)
        self.rail.apply.connect(self._apply)
        self.rail.pick.connect(self._pick)
        self.rail.pointed.connect(self._point)
        for canvas in (self.flat, self.solid):
            canvas.pointed_at.connect(self._mark)
        self.righting = OnePress(b, "put right", put_right)
        self.rail.right.connect(self.righting.begin)
        self.sweeper = Sweeper(self)
        self.undressed: list[QWidget] = []
        self.dressing = QTimer(self)
        self.dressing.setSingleShot(True)
        self.dressing.timeout.connect(self._dress_one)
        self.rest = QTimer(self)  # what an edit still has to show when the drawing is painted
        self.rest.setSingleShot(True)
        self.rest.timeout.connect(self._next)
        self._waiting: list[Callable[[], None]] = []
        self._since = 0.0
        self.advise = QTimer(self)
        self.advise.setSingleShot(True)
        self.advice = Study(lambda e, progress: (e, e.advice))
        self.advice.done.connect(self._advised)
        self.advise.timeout.connect(lambda: self.advice.run(b.evaluation, b.evaluation))
        self.quiet = QTimer(self)
        self.quiet.setSingleShot(True)
        self.quiet.timeout.connect(self._hush)
        keys = {
            "Ctrl+Z": b.undo,
            "Ctrl+Shift+Z": b.redo,
            "Ctrl+U": b.turn_units,
            "Ctrl+D": self.turn_theme,
            "Ctrl+O": self.show_shelf,
            "Ctrl+T": self.turn_text,
            "Ctrl+F": self.where.ask,
            "Ctrl+N": self.begin_tank,
        }
        for k in range(len(STAGES)):
            keys[f"Alt+{k + 1}"] = partial(self.choose, k)
        for key, do in keys.items():
            QShortcut(QKeySequence(key), self, do)

    # -- showing --------------------------------------------------------------------------------------------------

    @property
    def stage(self) -> Stage:
        """The stage in hand."""
        return self.stages[self.current]

    def choose(self, index: int) -> None:
        """Go to a stage."""
        if index != self.current:
            self.stage.give_up()
            self.board.lay("", None)
            self.message.setText("")  # what was said of another stage
            self.board.say()
        self.current = index
        self.pages.setCurrentIndex(0)
        self.bench_line.choose(index)
        card = self.stage.card
        if self.cards.indexOf(card) < 0:
            self.cards.addWidget(card)
            name_all(card)
        self.cards.setCurrentWidget(card)
        self.flat.close_editor()
        self.flat.refit()
        self.flat.draggable = self.stage.draggable
        self.refresh()
        self._next()  # the card of a stage that is come to is there with its drawing

    def _by_hand(self, do: Callable[..., None], *args: object) -> None:
        """A gesture of the hand, and what hangs at the pointer after it."""
        held = self.stage.holding
        do(*args)
        if self.stage.holding and not held:
            if self.board.look == "solid":
                self._look("view flat")
            self.flat.setFocus()
        self._show_hand()

    def _show_hand(self) -> None:
        """What hangs at the pointer, in the drawing and in the tray."""
        self.flat.hanging = bool(self.stage.holding)
        self.flat.show_over(self.stage.over)
        self.tray.hold(self.stage.holding)

    def begin_tank(self) -> None:
        """The page on which a new tank is begun."""
        from bathyx.desk.views.begin_page import BeginPage

        if self.begin is None:
            self.begin = BeginPage(self.bench, self.theme)
            self.begin.begun.connect(lambda: self.choose(0))
            self.begin.left.connect(self.show_shelf)
            self.pages.addWidget(self.begin)
            name_all(self.begin)
        self.begin.ask()
        self.pages.setCurrentWidget(self.begin)
        self.bench_line.choose(-1)

    def show_shelf(self) -> None:
        """The jobs on file."""
        self.shelf.refresh()
        self.pages.setCurrentIndex(1)
        self.bench_line.choose(-1)

    def refresh(self) -> None:
        """Draw the latest evaluation everywhere it shows: the drawing at once, then figures, then what was found and the tiles.

        What is not drawn yet is pale meanwhile: nothing half old is shown as if it were true.
        """
        self.advise.stop()
        self._draw_stage()
        late = bool(self._waiting) and time.monotonic() - self._since > FIGURES_S
        if not self._waiting:
            self._since = time.monotonic()
        self._waiting = [self._show_card, self._ask, self._judge, self._show_findings]
        if not self.bench.evaluation.judged:
            self._pale(True)
            self._show_flags(())
        if late:
            self._next()  # edits follow one another: figures do not wait for the hand to rest
            self._since = time.monotonic()
        if self.at_once:
            self.finish()
        else:
            self.rest.start(0)

    def _next(self) -> None:
        """One piece of what an edit still has to show."""
        if self._waiting:
            self._waiting.pop(0)()
        if self._waiting:
            self.rest.start(0)

    def finish(self) -> None:
        """All of it, now."""
        while self._waiting:
            self._next()
        self.rest.stop()

    def _show_card(self) -> None:
        b = self.bench
        name = _two_lines(b.job.brief.name).replace("&", "&&")
        self.shelf_button.setText(f"{name}\n‹ jobs" if b.path else "Jobs")
        self.setWindowTitle(f"{b.job.brief.name}: Bathyx" if b.path else "Bathyx")
        self.stage.card.refresh()

    def _ask(self) -> None:
        """The figures that most findings read, in a piece of their own."""
        r = self.bench.evaluation.results
        _ = (r.strength, r.weight)

    def _judge(self) -> None:
        _ = self.bench.evaluation.findings

    def _show_findings(self) -> None:
        self._show_tiles()
        self.rail.show_findings(self.bench.evaluation.findings, self.bench.units)
        self._show_flags(self.bench.evaluation.findings)
        self._pale(False)
        self.advise.start(ADVISE_MS)

    def _pale(self, pale: bool) -> None:
        """Tiles and findings of another edit than the one that is drawn are pale."""
        for tile in self.bench_line.tiles:
            tile.turn_pale(pale)
        self.rail.turn_pale(pale)

    def _show_tiles(self) -> None:
        from bathyx.core.units import worded

        for stage, tile in zip(self.stages, self.bench_line.tiles, strict=True):
            data = stage.tile()
            tile.show_data(replace(data, explain=worded(data.explain, self.bench.units)))

    def _show_records(self) -> None:
        """What depends on records: the tiles, and the stage in hand."""
        self._show_tiles()
        self._show_stage()

    def _show_stage(self) -> None:
        """The stage in hand: its drawings, with what is lit up, and its card."""
        self._draw_stage()
        self.stage.card.refresh()

    def _show_lit(self) -> None:
        """Something else is selected: painted over the drawings that stand, but for those that say more of what is selected."""
        stage, lit = self.stage, self.bench.lit
        if stage.flat_widget() is None:
            self.flat.show_picture(stage.flat() if stage.lit_flat else self.flat.picture, lit)
        if stage.lit_solid:
            self.solid.show_made(stage.solid, lit)
        else:
            self.solid.show_picture(self.solid.picture, lit)
        self._show_hand()
        stage.card.refresh()

    def _draw_stage(self) -> None:
        b = self.bench
        widget = self.stage.flat_widget()
        if widget is not None and self.flat_stack.indexOf(widget) < 0:
            self.flat_stack.addWidget(widget)
        if self.flat_stack.currentWidget() is not (widget or self.flat):
            self.flat_stack.setCurrentWidget(widget or self.flat)
            self.flat.refit()
        if widget is None:
            self.flat.show_picture(self.stage.flat(), b.lit)
        self.solid.show_made(self.stage.solid, b.lit)
        self.tray.show_parts(self.stage.tray() if widget is None else (), self.flat.scale)
        self.board.arrange()
        self._show_hand()

    def _advised(self) -> None:
        """Show the remedies that have been tried, if the tank still is the one they were tried on."""
        if self.advice.result is not None and self.advice.result[0] is self.bench.evaluation:
            self.rail.show_findings(self.advice.result[1], self.bench.units)
            self._show_flags(self.advice.result[1])

    def _look(self, name: str) -> None:
        self.board.show_look(LOOKS[name])
        self._show_look()

    def _show_look(self) -> None:
        """The buttons say which drawing is the large one."""
        for key, made in self.view_buttons.items():
            made.setChecked(LOOKS[key] == self.board.look)

    def open_job(self, path: Path) -> None:
        """Open a job's file, at the stage in hand; or say why not."""
        if why := self._take_job(path):
            self._say("trouble", why)
        else:
            self.choose(self.current)

    def turn_theme(self) -> None:
        """Light or dark."""
        self.theme.dark = not self.theme.dark
        self.bench.settings.keep("dark", self.theme.dark)
        self._dress()

    def turn_text(self) -> None:
        """The next size of type, for reading from the bench."""
        sizes = TEXT_SIZES
        set_text_size(sizes[(sizes.index(text_size()) + 1) % len(sizes)])
        self.bench.settings.keep("text", text_size())
        self._dress()

    def _dress(self) -> None:
        """Colours and type as they are set now."""
        self.findChild(QPushButton, "theme").setText("Light" if self.theme.dark else "Dark")
        # What is not seen is dressed by and by, or when it is shown: a sheet is looked up anew for every widget below it.
        for k in reversed(range(self.cards.count())):
            card = self.cards.widget(k)
            if card is not None and card is not self.stage.card:
                self.cards.removeWidget(card)
                card.setParent(None)
                self.undressed.append(card)
        self.rail.empty()
        self.setStyleSheet(self.theme.sheet())
        self._size_card()
        self._size_line()
        for stage in self.stages:
            trace = getattr(stage, "trace", None)
            if trace is not None:
                trace.dress()
        self.bench_line.update()
        self.refresh()
        self.dressing.start(DRESS_MS)

    def _size_card(self) -> None:
        """The card grows with the window, and leaves the drawing three fifths of it."""
        wide = (CARD_PX + max(0, self.width() - FULL_PX) * CARD_GROWS) * text_size()
        self.cards.setFixedWidth(round(min(wide, max(CARD_SHARE * self.width(), CARD_PX))))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """The card grows too."""
        super().resizeEvent(event)
        if hasattr(self, "cards"):
            self._size_card()

    def _size_line(self) -> None:
        """The line of tiles as tall as its type."""
        self.shelf_button.setFixedSize(128, tall_px())
        for tile in self.bench_line.tiles:
            tile.updateGeometry()

    def _dress_one(self) -> None:
        """Dress a card that is not seen, one at a time, so that none is felt."""
        card = self.undressed.pop() if self.undressed else None
        if card is not None and self.cards.indexOf(card) < 0:
            self.cards.addWidget(card)
        if self.undressed:
            self.dressing.start(DRESS_MS)

    # -- gestures -------------------------------------------------------------------------------------------------

    def _typed(self, tag: str, text: str) -> None:
        why = self.stage.typed(tag, text)
        if why:
            self.flat.refuse(why)
        else:
            self.flat.close_editor()

    def _apply(self, finding: Finding) -> None:
        from bathyx.core.evaluate import tried

        if finding.remedy is None:
            return
        if tried(self.bench.evaluation, finding.remedy) is None:
            self._say("trouble", f"Not done: {finding.remedy.label.lower()} would make another stop")
            self.advise.start(0)
        elif self.bench.edit(dict(finding.remedy.changes), finding.remedy.label.lower()):
            self._say("note", f"{finding.remedy.label}. Ctrl+Z takes it back")

    def _picked(self, tag: str, share: float, pick: Callable[[str, float], None]) -> None:
        """Something in a drawing is picked: a flag opens the list at its finding."""
        if not tag.startswith("finding:"):
            pick(tag, share)
            return
        if not self.rail.open:
            self.rail.turn()
        self.rail.mark(int(tag.removeprefix("finding:")))

    def _mark(self, tag: str) -> None:
        """A flag is pointed at: its row is lit, where the list is open."""
        if self.rail.open:
            self.rail.mark(int(tag.removeprefix("finding:")) if tag.startswith("finding:") else -1)

    def _point(self, finding: Finding | None) -> None:
        """A row of the list is pointed at: its place is lit in the drawings."""
        for canvas in (self.flat, self.solid):
            canvas.show_pointed(finding.where if finding is not None else "")

    def _show_flags(self, findings: Sequence[Finding]) -> None:
        """Findings at their places in the drawings; what is only a note has none."""
        from bathyx.core.units import worded
        from bathyx.desk.views.canvas import PlacedFlag

        units = self.bench.units
        flags = tuple(
            PlacedFlag(k, f.where, f.severity, worded(f.message, units))
            for k, f in enumerate(findings)
            if f.where and f.severity != "note"
        )
        for canvas in (self.flat, self.solid):
            canvas.show_flags(flags)

    def _pick(self, finding: Finding) -> None:
        keys = [stage.key for stage in self.stages]
        if finding.stage in keys and keys.index(finding.stage) != self.current:
            self.choose(keys.index(finding.stage))
        self.bench.light(finding.where)

    def _explain(self, index: int) -> None:
        from bathyx.core.units import worded
        from bathyx.desk.views.fields import Explainer

        tile = self.bench_line.tiles[index]
        if tile.data.explain:
            Explainer.of(self).show_beside(tile, worded(tile.data.explain, self.bench.units))
        QTimer.singleShot(NOTE_MS, Explainer.of(self).hide)

    def _say(self, kind: str, text: str) -> None:
        if not hasattr(self, "message"):
            return
        from bathyx.desk.views.fields import dressed_anew

        self.message.setProperty("look", "trouble" if kind == "trouble" else "quiet")
        dressed_anew(self.message)
        self.message.setText(text[:600])
        self.board.say()
        self.quiet.start(NOTE_MS if kind == "note" else 4 * NOTE_MS)

    def _hush(self) -> None:
        self.message.setText("")
        self.board.say()

    def _fault(self, fault: Fault) -> None:
        """A fault is said where there is a bench to say it on; before, the page says it."""
        if hasattr(self, "standing"):
            self.standing.fault(fault)

    def show_versions(self) -> None:
        """Both versions of the job, side by side."""
        self.versions.refresh()
        self.pages.setCurrentWidget(self.versions)
        self.bench_line.choose(-1)

    def _let_go(self) -> bool:
        """Give back instruments, register and file. False while something is not saved and nobody said to lose it."""
        if self._bench is None or not hasattr(self, "pages"):
            return True
        self.bench.settle()
        if self.bench.unsaved and not self.sure_to_close:
            self.bench.save()
        if self.bench.unsaved and not self.sure_to_close:

            def lose() -> None:
                self.sure_to_close = True
                self.close()

            self.standing.ask_to_lose(lose)
            return False
        for stage in getattr(self, "stages", ()):
            leave = getattr(stage, "disconnect", None)
            if leave is not None:
                leave()
            for study in stage.studies():
                study.stop()
        if hasattr(self, "shelf"):
            self.shelf.reader.stop()
        self.bench.let_file_go()
        self.bench.register.close()
        if hasattr(self, "hands"):
            self.hands.stop()
        if hasattr(self, "sweeper"):
            for timer in (self.quiet, self.advise, self.dressing, self.rest):
                timer.stop()
            self.advice.stop()
            self.righting.study.stop()
            self.standing.stop()
            self.sweeper.stop()
        return True

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Let instruments, register and file go; asks first when something is not saved."""
        assert event is not None
        if not self._let_go():
            event.ignore()
            return
        if self._bench is not None:
            from bathyx.desk.place import keep

            keep(self, self._bench.settings)
        self.faults.remove()
        super().closeEvent(event)


def _two_lines(words: str, width: int = 14) -> str:
    """A name broken over at most two lines of a narrow button, cut with an ellipsis where it is longer."""
    lines = [""]
    for part in words.split():
        if len(lines) < 2 and lines[-1] and len(lines[-1]) + len(part) >= width:
            lines.append("")
        lines[-1] = f"{lines[-1]} {part}".strip()
    return "\n".join(line if len(line) <= width else f"{line[: width - 1].rstrip()}…" for line in lines)
