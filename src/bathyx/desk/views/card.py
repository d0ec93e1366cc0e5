"""The card: an index of drawers on one screen. A head says its name and its figure; as many as fit stand open, the last used first.

What stands above the first head is always seen. On a wide window the card is wider and its drawers stand in two columns.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, QTimer
from PyQt6.QtGui import QKeyEvent, QPainter, QPaintEvent, QPen, QPolygonF, QResizeEvent
from PyQt6.QtWidgets import QAbstractButton, QApplication, QHBoxLayout, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from bathyx.desk.bench import Bench
from bathyx.desk.theme import text_size, type_of

HEAD_PX, SPACING_PX, SIDE_PX, TOP_PX, TWO_COLUMNS_PX = 34, 7, 14, 10, 590
OPEN_MARK, SHUT_MARK = ((0, -3), (10, -3), (5, 4)), ((1, -5), (8, 0), (1, 5))


class Head(QAbstractButton):
    """The head of a drawer: its name, its figure, and whether it is open."""

    def __init__(self, title: str, colours: Callable[[], dict[str, str]]) -> None:
        super().__init__()
        self.setObjectName(f"drawer {title}")
        self.setText(title)
        self.setAccessibleName(title)
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.figure = ""
        self._colours = colours

    def sizeHint(self) -> QSize:
        """A row."""
        return QSize(200, round(HEAD_PX * text_size()))

    def say(self, figure: str) -> None:
        """Another figure."""
        if figure != self.figure:
            self.figure = figure
            self.setAccessibleDescription(figure)
            self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter turns it, as a blank does."""
        assert event is not None
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """A line over it, its name, its figure, and a mark."""
        from PyQt6.QtGui import QColor

        c = {name: QColor(code[:7]) for name, code in self._colours().items()}
        with QPainter(self) as p:
            p.setRenderHint(QPainter.RenderHint.Antialiasing)
            r = QRectF(self.rect())
            p.setPen(QPen(c["edge"], 1))
            p.drawLine(r.topLeft(), r.topRight())
            if self.hasFocus() or self.underMouse():
                p.setPen(QPen(c["accent"], 2))
                p.drawRect(r.adjusted(1, 3, -1, -1))
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(c["accent"])
            x, y = 4.0, r.center().y() + 1
            mark = OPEN_MARK if self.isChecked() else SHUT_MARK
            p.drawPolygon(QPolygonF([QPointF(x + a, y + b) for a, b in mark]))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(c["ink"])
            p.setFont(type_of(12.5, True))
            name = p.fontMetrics().horizontalAdvance(self.text())
            p.drawText(r.adjusted(20, 2, 0, 0), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, self.text())
            p.setPen(c["quiet"])
            p.setFont(type_of(9.5))
            room = r.adjusted(28 + name, 3, -4, 0)
            said = p.fontMetrics().elidedText(self.figure, Qt.TextElideMode.ElideRight, max(0, int(room.width())))
            p.drawText(room, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, said)


class Drawer(QWidget):
    """A part of a card that can be shut."""

    def __init__(self, title: str, figure: Callable[[], str] | None, colours: Callable[[], dict[str, str]]) -> None:
        super().__init__()
        self.title, self._figure = title, figure
        self.head = Head(title, colours)
        self.body = QWidget()
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(3)
        outer.addWidget(self.head)
        outer.addWidget(self.body)
        self.column = QVBoxLayout(self.body)
        self.column.setContentsMargins(0, 0, 0, 4)
        self.column.setSpacing(SPACING_PX)

    def refresh(self) -> None:
        """Its figure as it is now."""
        if self._figure is not None:
            self.head.say(self._figure())

    def tall(self, wide: int) -> int:
        """What its body takes, px, at a width."""
        layout = self.column
        height = layout.heightForWidth(wide) if layout.hasHeightForWidth() else layout.sizeHint().height()
        return max(height, 0)

    def turn(self, open_: bool) -> None:
        """Open it, or shut it."""
        self.head.setChecked(open_)
        self.body.setVisible(open_)


class Card(QScrollArea):
    """Parts, then drawers; `refresh` brings every part up to the bench."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self.bench = bench
        self.setObjectName("card")
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.body = QWidget()
        self.body.setObjectName("cardBody")
        self.outer = QVBoxLayout(self.body)
        self.outer.setContentsMargins(SIDE_PX, TOP_PX, SIDE_PX, TOP_PX)
        self.outer.setSpacing(SPACING_PX)
        self.top = QVBoxLayout()
        self.top.setSpacing(SPACING_PX)
        self.outer.addLayout(self.top)
        self.sides = (QVBoxLayout(), QVBoxLayout())
        self.across = QHBoxLayout()
        self.across.setSpacing(0)
        for side in self.sides:
            side.setSpacing(2)
            self.across.addLayout(side, 0)
        self.across.setStretch(0, 1)
        self.outer.addLayout(self.across)
        self.column: QVBoxLayout = self.top
        self.setWidget(self.body)
        self.drawers: list[Drawer] = []
        self._recent: list[Drawer] = []
        self._shut: set[Drawer] = set()
        self._two = False
        self._parts: list[Any] = []
        self._first: list[Callable[[], None]] = []
        self._last: list[Callable[[], None]] = []
        self._settling = QTimer(self)
        self._settling.setSingleShot(True)
        self._settling.timeout.connect(self.settle)

    def _colours(self) -> dict[str, str]:
        from bathyx.draft.palette import DARK, LIGHT

        return DARK if self.bench.settings["dark"] else LIGHT

    def head(self, text: str, figure: Callable[[], str] | None = None) -> Drawer:
        """Begin a drawer; what is added from here on goes into it. `figure`: its one figure, in a few words."""
        made = Drawer(text, figure, self._colours)
        made.head.clicked.connect(lambda _on=False: self._turned(made))
        self.drawers.append(made)
        self._recent.append(made)
        self.sides[0].addWidget(made)
        self.column = made.column
        return made

    def add(self, widget: QWidget) -> Any:
        """A part; one with `refresh` is refreshed with the card."""
        self.column.addWidget(widget)
        if hasattr(widget, "refresh"):
            self._parts.append(widget)
        return widget

    def row(self, *widgets: QWidget) -> QWidget:
        """Parts beside one another."""
        holder = QWidget()
        line = QHBoxLayout(holder)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(8)
        for widget in widgets:
            line.addWidget(widget)
            if hasattr(widget, "refresh"):
                self._parts.append(widget)
        self.column.addWidget(holder)
        return holder

    def finish(self) -> Card:
        """Push everything up."""
        self.outer.addStretch(1)
        for side in self.sides:
            side.addStretch(1)
        return self

    def on_refresh(self, do: Callable[[], None], *, first: bool = False) -> None:
        """Have `do` run with every refresh, after the parts or before them."""
        (self._first if first else self._last).append(do)

    def refresh(self) -> None:
        """Show the bench as it is now."""
        for do in self._first:
            do()
        for part in self._parts:
            part.refresh()
        for do in self._last:
            do()
        for drawer in self.drawers:
            drawer.refresh()
        self._settling.start(0)

    # -- which stand open ------------------------------------------------------------------------------------------------

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Another height: other drawers fit."""
        super().resizeEvent(event)
        self.settle()

    def _turned(self, drawer: Drawer) -> None:
        """A head was pressed: what was shut is opened, and the other way round."""
        if drawer.body.isVisibleTo(self):
            self._shut.add(drawer)
            self._recent = [d for d in self._recent if d is not drawer] + [drawer]
        else:
            self.bring(drawer)
        self.settle()

    def bring(self, part: QWidget) -> None:
        """Open the drawer that a part stands in, before all others."""
        mine = next((d for d in self.drawers if d is part or d.isAncestorOf(part)), None)
        if mine is None:
            return
        self._shut.discard(mine)
        self._recent = [mine, *(d for d in self._recent if d is not mine)]
        self.settle()

    def settle(self) -> None:
        """Open as many drawers as fit, the last used first; one at least, and the one that is typed in."""
        self._settling.stop()
        focus = QApplication.focusWidget()
        typed = next((d for d in self.drawers if focus is not None and d.body.isAncestorOf(focus)), None)
        if typed is not None and self._recent[0] is not typed:
            self._recent = [typed, *(d for d in self._recent if d is not typed)]
        shown = [d for d in self._recent if not d.isHidden()]
        if not shown:
            return
        port = self.viewport()
        assert port is not None
        wide = port.width() - 2 * SIDE_PX
        self._lay_columns(port.width() >= TWO_COLUMNS_PX * text_size())
        if self._two:
            wide = (wide - 2 * SIDE_PX) // 2
        top = self.top.heightForWidth(wide) if self.top.hasHeightForWidth() else self.top.sizeHint().height()
        room = port.height() - 2 * TOP_PX - max(top, 0) - len(shown) * (round(HEAD_PX * text_size()) + 5)
        room *= 2 if self._two else 1
        for k, drawer in enumerate(shown):
            if drawer in self._shut and drawer is not typed:
                drawer.turn(False)
                continue
            tall = drawer.tall(wide) + SPACING_PX
            fits = tall <= room
            if k == 0 or fits:
                room -= tall
            drawer.turn(k == 0 or fits)

    def _lay_columns(self, two: bool) -> None:
        """One column, or two where the card is wide."""
        if two == self._two:
            return
        self._two = two
        self.across.setStretch(1, 1 if two else 0)
        self.across.setSpacing(2 * SIDE_PX if two else 0)
        half = (len(self.drawers) + 1) // 2 if two else len(self.drawers)
        for k, drawer in enumerate(self.drawers):
            side = self.sides[0 if k < half else 1]
            for other in self.sides:
                other.removeWidget(drawer)
            side.insertWidget(side.count() - 1, drawer)
