"""The card's parts: fields bound to a place in the job, choices, ticks, and figures that explain themselves."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

from PyQt6.QtCore import QEvent, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QEnterEvent, QFocusEvent, QGuiApplication, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import (
    QCheckBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLayout,
    QListWidget,
    QMenu,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from bathyx.core.formula import Figure
from bathyx.core.units import KINDS, Family, QuantityError, Reading, parse_quantity, show, unit_of, worded
from bathyx.desk.bench import Bench
from bathyx.desk.theme import scaled, type_of
from bathyx.desk.views.plain import Pick, TextLine
from bathyx.errors import Refusal

BARE = re.compile(r"\d+([.,]\d+)?|\d+/\d+|\d+[ -]\d+/\d+")


def words(text: str, look: str = "", wrap: bool = True) -> QLabel:
    """A label in one of the sheet's looks: head, quiet, trouble, caution, good."""
    label = QLabel(text)
    label.setTextFormat(Qt.TextFormat.PlainText)
    label.setWordWrap(wrap)
    if look:
        label.setProperty("look", look)
    return label


def button(text: str, name: str, do: Callable[[], Any], look: str = "") -> QPushButton:
    """A button with an object name, so that tests and screen readers find it.

    Args:
        text: on the button.
        name: object name, for tests and screen readers.
        do: called when pressed.
        look: main, plain or quiet.
    """
    made = QPushButton(text.replace("&", "&&"))
    made.setObjectName(name)
    made.setAccessibleName(text)
    if look:
        made.setProperty("look", look)
    made.clicked.connect(lambda _checked=False: do())
    return made


def whole_rows(rows: QListWidget, most: int) -> None:
    """Give a list the height of its rows, `most` at most, so that none is seen half."""
    tall = rows.sizeHintForRow(0) if rows.count() else 0
    rows.setFixedHeight(max(min(rows.count(), most) * tall, tall, 24) + 2 * rows.frameWidth() + 2)


def clear(column: QLayout) -> None:
    """Take every widget out of a layout; each goes once the event that led here is over."""
    while (item := column.takeAt(0)) is not None:
        old = item.widget()
        if old is not None:
            old.hide()
            old.setParent(None)
            old.deleteLater()


def dressed_anew(widget: QWidget) -> None:
    """Have the sheet look at a widget's properties again."""
    style = widget.style()
    if style is not None:
        style.unpolish(widget)
        style.polish(widget)


def relook(widget: QWidget, key: str, value: str) -> None:
    """Set a style property and have the sheet look again."""
    if widget.property(key) != value:
        widget.setProperty(key, value)
        dressed_anew(widget)


def with_unit(text: str, units: Family) -> str:
    """A bare number as the family in force has it: 38 is 38" while the desk is in inches. What says its unit stays as typed."""
    return f'{text}"' if units.us and BARE.fullmatch(text.strip()) else text


def bare_unit(kind: str, units: Family) -> str:
    """The sign of what a bare number of a kind counts in; nothing where it counts in nothing.

    >>> bare_unit("reading", Family.US), bare_unit("volume", Family.METRIC), bare_unit("text", Family.US)
    ('in', 'L', '')
    """
    if kind in ("length", "small", "place", "reading"):
        return "in" if units.us else "mm"
    return unit_of(kind, units).sign if kind in KINDS else ""


class Field(QWidget):
    """A labelled line bound to a path of the job. What is typed is read in the family in force, or with its own unit."""

    def __init__(self, bench: Bench, label: str, path: str, kind: str = "text", hint: str = "") -> None:
        super().__init__()
        self.bench, self.path, self.kind, self.label = bench, path, kind, label
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        line = QHBoxLayout()
        line.setSpacing(8)
        self.caption = words(label)
        self.caption.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self.edit = TextLine()
        self.edit.setObjectName(path)
        self.edit.setAccessibleName(label)
        self.hint = hint
        self.edit.editingFinished.connect(self._take)
        line.addWidget(self.caption, 3 if kind == "text" else 5)
        line.addWidget(self.edit, 8 if kind == "text" else 4)
        column.addLayout(line)
        self.trouble = words("", "trouble")
        self.trouble.hide()
        column.addWidget(self.trouble)
        self._shown = ""
        self.unit = QLabel(self.edit)
        self.unit.setProperty("look", "quiet")
        self.unit.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.unit.hide()
        self.edit.textEdited.connect(self._say_unit)
        self.edit.editingFinished.connect(self.unit.hide)

    def _say_unit(self, text: str) -> None:
        """What a bare number counts in, pale beside it while it is typed."""
        sign = bare_unit(self.kind, self.bench.units) if BARE.fullmatch(text.strip()) else ""
        self.unit.setText(sign)
        self.unit.adjustSize()
        self.unit.move(self.edit.width() - self.unit.width() - 8, (self.edit.height() - self.unit.height()) // 2)
        self.unit.setVisible(bool(sign))

    def refresh(self) -> None:
        """Show the job's value, unless a refused text is still being put right."""
        if self.edit.hasFocus() and self.edit.text() != self._shown and not self.trouble.isHidden():
            return
        value = self.value()
        self.edit.setPlaceholderText(worded(self.hint, self.bench.units))
        self._shown = self._words(value)
        self.edit.setText(self._shown)
        self.edit.setCursorPosition(0)
        self._refuse("")

    def _words(self, value: Any) -> str:
        if value is None:
            return ""
        if self.kind == "text":
            return str(value)
        if self.kind == "reading":
            typed = str(value.typed)
            return f"{typed} mm" if self.bench.units.us and BARE.fullmatch(typed.strip()) else typed
        if self.kind in ("number", "optional"):
            return f"{value:g}"
        if self.kind == "place":
            return ("−" if value < -1e-9 else "") + show(abs(value), "length", self.bench.units)
        return show(value, self.kind, self.bench.units)

    def _take(self) -> None:
        text = self.edit.text().strip()
        if text == self._shown.strip():
            self._refuse("")
            return
        try:
            value = self._read(text)
        except Refusal as error:
            self._refuse(str(error))
            return
        why = self.put(value)
        self._refuse(why)
        if not why:
            self.refresh()

    def value(self) -> Any:
        """What it shows."""
        return self.bench.value(self.path)

    def put(self, value: Any) -> str:
        """Take a value; why not, where it cannot be."""
        return self.bench.try_edit({self.path: value}, self.label.lower())

    def _read(self, text: str) -> Any:
        if self.kind == "text":
            return text
        if self.kind == "reading":
            return Reading.of(with_unit(text, self.bench.units)).model_dump() if text else None
        if self.kind == "optional" and not text:
            return None
        if self.kind in ("number", "optional"):
            try:
                return float(text.replace(",", "."))
            except ValueError:
                raise QuantityError(f"{text!r} is not a number; write it like 0.4") from None
        if not text:
            return None
        if self.kind == "place":  # a length from where the space begins, before it too
            below = text[0] in "-−"
            return parse_quantity(text[below:], "length", self.bench.units) * (-1 if below else 1)
        return parse_quantity(text, self.kind, self.bench.units)

    def _refuse(self, why: str) -> None:
        self.trouble.setText(why)
        self.trouble.setVisible(bool(why))
        relook(self.edit, "wrong", "true" if why else "false")


class Heights(Field):
    """A row of lengths, typed with commas between them."""

    def _words(self, value: Any) -> str:
        return ", ".join(show(one, "length", self.bench.units) for one in value)

    def _read(self, text: str) -> Any:
        parts = [part.strip() for part in re.split(r"[;,]\s+|;", text) if part.strip()]
        return tuple(parse_quantity(part, "length", self.bench.units) for part in parts)


def setting_line(bench: Bench, setting: str, hint: str, then: Callable[[], None], name: str = "") -> TextLine:
    """A line that a setting of the shop is typed in; kept when it is left.

    Args:
        bench: with the settings.
        setting: its key.
        hint: what stands in it while it is empty.
        then: done after it was kept.
        name: of the widget; the key unless given.
    """
    edit = TextLine(str(bench.settings[setting]))
    edit.setObjectName(name or setting)
    edit.setAccessibleName(name or hint)
    edit.setPlaceholderText(hint)

    def take() -> None:
        bench.settings.keep(setting, edit.text().strip())
        then()

    edit.editingFinished.connect(take)
    return edit


class Choice(QWidget):
    """A labelled choice bound to a path, or to `take` when choosing means more than one value."""

    def __init__(
        self,
        bench: Bench,
        label: str,
        path: str,
        options: Sequence[tuple[Any, str]],
        take: Callable[[Any], None] | None = None,
        read: Callable[[], Any] | None = None,
    ) -> None:
        super().__init__()
        self.bench, self.path, self.label = bench, path, label
        self.take: Callable[[Any], object] = take or (lambda value: bench.edit({path: value}, label.lower()))
        self.read: Callable[[], Any] = read or (lambda: bench.value(path))
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(8)
        line.addWidget(words(label), 3)
        self.box = Pick()
        self.box.setObjectName(path)
        self.box.setAccessibleName(label)
        self.offer(options)
        self.box.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.box.activated.connect(self._chosen)
        line.addWidget(self.box, 8)

    def _chosen(self, k: int) -> None:
        self.take(self.options[k][0])
        self.refresh()  # what was refused is not shown as chosen

    def offer(self, options: Sequence[tuple[Any, str]]) -> None:
        """Other options than before."""
        self.options = list(options)
        self.box.clear()
        self.box.addItems([text for _, text in self.options])

    def refresh(self) -> None:
        """Show the job's value."""
        value = self.read()
        for k, (option, _) in enumerate(self.options):
            if option == value:
                self.box.setCurrentIndex(k)
                return
        self.box.setCurrentIndex(-1)

    def choose(self, value: Any) -> None:
        """Choose as a click would."""
        k = next(i for i, (option, _) in enumerate(self.options) if option == value)
        self.box.setCurrentIndex(k)
        self.take(value)


class Tick(QCheckBox):
    """A yes or no bound to a path, or to `take` and `read` when it stands for more than one value."""

    def __init__(
        self,
        bench: Bench,
        label: str,
        path: str,
        take: Callable[[bool], Any] | None = None,
        read: Callable[[], bool] | None = None,
    ) -> None:
        super().__init__(label)
        self.setObjectName(path)
        self._read = read or (lambda: bool(bench.value(path)))
        take = take or (lambda on: bench.edit({path: on}, label.lower()))

        def taken(on: bool) -> None:
            take(bool(on))
            self.refresh()

        self.clicked.connect(taken)

    def refresh(self) -> None:
        """Show the job's value."""
        self.setChecked(self._read())


class Fold(QWidget):
    """A part of a card that is folded away until it is asked for, or holds something; it is built when it is first opened."""

    def __init__(
        self, title: str, name: str, make: Callable[[], QWidget], holds: Callable[[], bool] = lambda: False
    ) -> None:
        super().__init__()
        self._title, self._make, self._holds = title, make, holds
        self.part: QWidget | None = None
        self.opened = False
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(5)
        self.turn = button(title, name, self.turned, "link")
        column.addWidget(self.turn, 0, Qt.AlignmentFlag.AlignLeft)
        self._say()

    def turned(self) -> None:
        """Open what is closed, close what is open."""
        self.opened = not self.opened
        self.refresh()

    def refresh(self) -> None:
        """Show the part where it is open; what holds something is opened by itself, once."""
        if self.part is None and self._holds():
            self.opened = True
        if self.opened and self.part is None:
            self.part = self._make()
            layout = self.layout()
            assert layout is not None
            layout.addWidget(self.part)
        if self.part is not None:
            self.part.setVisible(self.opened)
            if self.opened and hasattr(self.part, "refresh"):
                self.part.refresh()
        self._say()

    def _say(self) -> None:
        self.turn.setText(f"{'−' if self.opened else '+'} {self._title}".replace("&", "&&"))


class FigureLine(QWidget):
    """A figure that explains itself when pointed at, or by ? when it has the focus."""

    explain = pyqtSignal(object)

    def __init__(self, bench: Bench, get: Callable[[], Figure], large: bool = False) -> None:
        super().__init__()
        self.bench, self._get = bench, get
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 1, 0, 1)
        self.caption = words("", wrap=False)
        self.value = words("", wrap=False)
        self.value.setFont(type_of(20 if large else 13, True))
        self.large = large
        self.value.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        line.addWidget(self.caption)
        line.addWidget(self.value, 1)
        self.setCursor(Qt.CursorShape.WhatsThisCursor)

    @property
    def figure(self) -> Figure:
        """The figure now."""
        return self._get()

    def refresh(self) -> None:
        """Show it."""
        f = self._get()
        self.value.setStyleSheet(scaled(f"font-size: {20 if self.large else 13}pt; font-weight: bold;"))
        self.caption.setText(f.label)
        self.value.setText(show(f.value, f.kind, self.bench.units))
        self.setAccessibleName(f"{f.label} {self.value.text()}")
        self.setObjectName(f"figure {f.label}")

    def enterEvent(self, _event: QEnterEvent | None) -> None:
        """Pointed at: explain."""
        self.explain_now()

    def leaveEvent(self, _event: QEvent | None) -> None:
        """Pointed away."""
        self.explain_away()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        """Focus gone."""
        self.explain_away()
        super().focusOutEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """? explains, Escape puts it away."""
        assert event is not None
        if event.text() == "?":
            self.explain_now()
        elif event.key() == Qt.Key.Key_Escape:
            self.explain_away()
        elif event.matches(QKeySequence.StandardKey.Copy):
            self.copy()
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Copy it, alone or with how it was worked out."""
        assert event is not None
        self.explain_away()
        self.menu().popup(event.globalPos())

    def menu(self) -> QMenu:
        """What can be done with a figure."""
        menu = QMenu(self)
        for text, whole in (("Copy this figure", False), ("Copy it with how it was worked out", True)):
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(partial(self.copy, whole=whole))
        return menu

    def copy(self, _on: bool = False, *, whole: bool = False) -> None:
        """The figure on the clipboard as text, in the family in force."""
        board = QGuiApplication.clipboard()
        figure = self._get()
        if board is not None:
            more = f"\n{worded(figure.explain(), self.bench.units)}" if whole else ""
            board.setText(f"{figure.label}: {show(figure.value, figure.kind, self.bench.units)}{more}")

    def explain_now(self) -> None:
        """Open the explanation beside the figure."""
        Explainer.of(self).show_beside(self, worded(self._get().explain(), self.bench.units))

    def explain_away(self) -> None:
        """Close it."""
        Explainer.of(self).hide()


class Explainer(QFrame):
    """The panel that explains a figure; one a window, never in the way of a click."""

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        self.setObjectName("explainer")
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 10, 14, 10)
        self.label = QLabel()
        self.label.setTextFormat(Qt.TextFormat.PlainText)
        self.label.setWordWrap(True)
        self.label.setFixedWidth(400)
        column.addWidget(self.label)
        self.hide()

    @staticmethod
    def of(widget: QWidget) -> Explainer:
        """The window's explainer, made on first use."""
        window = widget.window() or widget
        found = window.findChild(Explainer, "explainer")
        return found or Explainer(window)

    def show_beside(self, widget: QWidget, text: str) -> None:
        """Show `text` left of a widget, inside the window."""
        self.label.setText(text)
        self.label.setFixedHeight(self.label.heightForWidth(400))
        self.adjustSize()
        corner = widget.mapTo(self.window(), widget.rect().topLeft())
        x = max(8, corner.x() - self.width() - 14)
        y = min(max(8, corner.y() - 20), (self.window() or self).height() - self.height() - 8)
        self.move(x, y)
        self.show()
        self.raise_()
