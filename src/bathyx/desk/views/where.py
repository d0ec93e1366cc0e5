"""Where is…? A few letters, and the desk goes to the stage, field, choice, button or job of that name."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING, Protocol

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QComboBox,
    QFrame,
    QLineEdit,
    QListWidget,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from bathyx.desk.stages.registry import STAGES
from bathyx.desk.views.card import Drawer
from bathyx.desk.views.fields import Fold, whole_rows, words
from bathyx.desk.views.plain import TextLine

if TYPE_CHECKING:
    from pathlib import Path

    from bathyx.desk.stages.stage import Stage

MOST_SHOWN = 9


class Desk(Protocol):
    """What has places: the window, as far as it is needed here."""

    home: Path
    stages: list[Stage]

    @property
    def stage(self) -> Stage:
        """The stage in hand."""

    def choose(self, index: int) -> None:
        """Go to a stage."""

    def open_job(self, path: Path) -> None:
        """Open a job."""


@dataclass(frozen=True)
class Place:
    """A name, where it is in words, and how to go there."""

    name: str
    where: str
    go: Callable[[], object]


def found(places: Iterable[Place], text: str) -> list[Place]:
    """Places whose words hold every word that is typed, those whose name begins with it first.

    >>> a, b = Place("Vent bore", "Inside", print), Place("Advent", "Brief", print)
    >>> [p.name for p in found([b, a], "vent")]
    ['Vent bore', 'Advent']
    """
    asked = text.lower().split()
    if not asked:
        return []
    kept = [p for p in places if all(word in f"{p.name} {p.where}".lower() for word in asked)]

    def rank(place: Place) -> tuple[bool, bool, int, str]:
        name = place.name.lower()
        return (
            not name.startswith(asked[0]),
            not any(part.startswith(asked[0]) for part in name.split()),
            len(name),
            name,
        )

    return sorted(kept, key=rank)


def on_card(card: QWidget, stage: str, go: Callable[[QWidget], object]) -> list[Place]:
    """Every field, choice, text and button of a card that has a name, each once.

    Args:
        card: of a stage.
        stage: its title.
        go: goes to a part.
    """
    names: dict[str, Place] = {}
    for part in card.findChildren(QWidget):
        if not isinstance(part, (QLineEdit, QComboBox, QAbstractButton, QPlainTextEdit)):
            continue
        name = part.accessibleName() or (part.text() if isinstance(part, QAbstractButton) else "")
        name = name.replace("&&", "&")
        over = part.parentWidget()
        if over is not None and isinstance(over.parentWidget(), Drawer):
            over = card  # in a drawer that is shut: it is opened on the way there
        hidden = part.isHidden() or (over is not None and over is not card and over.isHidden())
        if name and name not in names and not hidden and not isinstance(over, QComboBox):
            names[name] = Place(name, stage, partial(go, part))
    return list(names.values())


def places_of(window: Desk) -> list[Place]:
    """Everything on a desk that has a name: stages, what stands on their cards, and the jobs."""
    found = [Place(entry.title, f"a stage, Alt+{k + 1}", partial(window.choose, k)) for k, entry in enumerate(STAGES)]
    for k, stage in enumerate(window.stages):
        found += on_card(stage.card, STAGES[k].title, partial(_go_to, window, k))
    found += [
        Place(path.name.split(".")[0].replace("-", " "), "a job", partial(window.open_job, path))
        for path in sorted((window.home / "jobs").glob("*.bathyx.json"))
    ]
    return found


def _go_to(window: Desk, index: int, part: QWidget) -> None:
    """To a part of a card: its stage, folds that hide it opened, scrolled to, and in hand."""
    window.choose(index)
    card = window.stage.card
    over: QWidget | None = part
    while over is not None and over is not card:
        if isinstance(over, Fold) and not over.opened:
            over.turned()
        over = over.parentWidget()
    card.bring(part)
    card.ensureWidgetVisible(part, 20, 120)
    part.setFocus(Qt.FocusReason.ShortcutFocusReason)


class Where(QFrame):
    """The box over the desk: what is typed, and what is found by it."""

    def __init__(self, over: QWidget, places: Callable[[], list[Place]]) -> None:
        super().__init__(over)
        self.setObjectName("where")
        self.setFrameShape(QFrame.Shape.StyledPanel)
        self.setAutoFillBackground(True)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._places = places
        self._all: list[Place] = []
        self._shown: list[Place] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 10, 14, 12)
        column.addWidget(words("Where is…?", "head"))
        self.edit = TextLine()
        self.edit.setObjectName("where edit")
        self.edit.setAccessibleName("Where is")
        self.edit.setPlaceholderText("vent, grain, mark-up, paper…")
        column.addWidget(self.edit)
        self.rows = QListWidget()
        self.rows.setObjectName("where rows")
        self.rows.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        column.addWidget(self.rows)
        self.none = words("", "quiet")
        column.addWidget(self.none)
        self.edit.textChanged.connect(self._look)
        self.edit.installEventFilter(self)
        self.rows.itemClicked.connect(lambda _item: self.go())
        self.hide()

    def ask(self) -> None:
        """Open, with nothing typed yet."""
        self._all = self._places()
        self.edit.clear()
        self._look("")
        over = self.parentWidget()
        assert over is not None
        wide = min(520, over.width() - 40)
        self.setFixedWidth(wide)
        self.move((over.width() - wide) // 2, 70)
        self.show()
        self.raise_()
        self.edit.setFocus()

    def _look(self, text: str) -> None:
        self._shown = found(self._all, text)[:MOST_SHOWN]
        self.rows.clear()
        for place in self._shown:
            self.rows.addItem(f"{place.name}   ·   {place.where}")
        self.rows.setVisible(bool(self._shown))
        whole_rows(self.rows, MOST_SHOWN)
        if self._shown:
            self.rows.setCurrentRow(0)
        nothing = bool(text.strip()) and not self._shown
        self.none.setText(f"Nothing on the desk is called {text.strip()[:40]!r}" if nothing else "")
        self.none.setVisible(nothing)
        self.adjustSize()

    def go(self) -> None:
        """Go to the one that is lit."""
        row = self.rows.currentRow()
        if 0 <= row < len(self._shown):
            place = self._shown[row]
            self.hide()
            place.go()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Arrows walk the list, Enter goes, Escape closes."""
        if watched is self.edit and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            row, key = self.rows.currentRow(), event.key()
            if key in (Qt.Key.Key_Down, Qt.Key.Key_Up):
                step = 1 if key == Qt.Key.Key_Down else -1
                self.rows.setCurrentRow(min(max(row + step, 0), max(len(self._shown) - 1, 0)))
                return True
            if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self.go()
                return True
            if key == Qt.Key.Key_Escape:
                self.hide()
                return True
        return super().eventFilter(watched, event)
