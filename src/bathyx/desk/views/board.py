"""The board: one large drawing, the other as a live inset in its emptiest corner, and the findings' line along its foot.

Where a stage has something else to show than a drawing, a trace say, both stand side by side.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

from PyQt6.QtCore import QRectF, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QStackedWidget, QVBoxLayout, QWidget

from bathyx.desk.views.canvas import Canvas
from bathyx.desk.views.fields import button, words
from bathyx.desk.views.rail import LINE_PX, Rail
from bathyx.desk.views.solid import SolidCanvas
from bathyx.desk.views.tray import Tray

Look = Literal["flat", "solid", "both"]
INSET_SHARE, LEAST_INSET, MOST_INSET, TALL = 0.27, 170, 420, 0.72
GAP, COVERED, LAID_SHARE = 6, 0.01, 0.46
SMALLER = (1.0, 0.8, 0.62)  # what an inset shrinks to before the drawing gives way to it


class LaidTable(QFrame):
    """A table laid over the lower part of the drawing, with its title and the way to take it away."""

    closed = pyqtSignal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("card")
        self.holds: QWidget | None = None
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(10, 6, 10, 6)
        self.column.setSpacing(4)
        line = QHBoxLayout()
        self.title = words("", "head", wrap=False)
        line.addWidget(self.title, 1)
        line.addWidget(button("Close the table", "close table", self.closed.emit))
        self.column.addLayout(line)

    def put(self, title: str, widget: QWidget | None) -> None:
        """Hold another table, or none."""
        if self.holds is not None:
            self.column.removeWidget(self.holds)
            self.holds.hide()
            self.holds.setParent(None)
        self.holds = widget
        self.title.setText(title)
        if widget is not None:
            self.column.addWidget(widget, 1)
            widget.show()


class Board(QWidget):
    """Flat drawing, drawing in the round, a strip of buttons, a message, and the rail."""

    def __init__(
        self,
        flat_stack: QStackedWidget,
        flat: Canvas,
        solid: SolidCanvas,
        rail: Rail,
        strip: QWidget,
        message: QLabel,
        tray: Tray,
    ) -> None:
        super().__init__()
        self.setObjectName("board")
        self.flat_stack, self.flat, self.solid, self.rail = flat_stack, flat, solid, rail
        self.strip, self.message, self.tray = strip, message, tray
        self.look: Look = "flat"
        self.turned: Callable[[], None] = lambda: None
        self._placed: object = None
        self.sheet = LaidTable(self)
        self.sheet.hide()
        self.sheet.closed.connect(lambda: self.lay("", None))
        self._corner, self._foot, self._laid, self._share = 0, 0, 0, SMALLER[0]
        for widget in (flat_stack, solid, rail, strip, message, tray):
            widget.setParent(self)
        message.hide()
        for canvas in (flat, solid):
            canvas.setMinimumSize(100, 72)  # as an inset of a small window
        flat.wanted.connect(lambda: self._swap("flat"))
        solid.wanted.connect(lambda: self._swap("solid"))
        rail.resized.connect(self.arrange)
        self.setMinimumSize(420, 300)

    def lay(self, title: str, widget: QWidget | None) -> None:
        """Lay a table over the lower part of the drawing; the same again, or none, takes it away."""
        same = widget is None or self.sheet.holds is widget
        self.sheet.put(title, None if same else widget)
        self.arrange()
        if not same and widget is not None:
            widget.setFocus()

    def show_look(self, look: Look) -> None:
        """Which drawing is the large one."""
        self.look = look
        self.arrange()

    def _swap(self, name: Look) -> None:
        self.show_look(name)
        self.turned()

    @property
    def large(self) -> Canvas:
        """The drawing that is looked at large."""
        return self.solid if self.look == "solid" else self.flat

    @property
    def side_by_side(self) -> bool:
        """Whether no drawing is an inset: by choice, or since the flat place shows something else."""
        return self.look == "both" or self.flat_stack.currentWidget() is not self.flat

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Everything anew."""
        super().resizeEvent(event)
        self.arrange()

    def arrange(self) -> None:
        """Everything in its place."""
        w, h = self.width(), self.height() - LINE_PX
        laid = self._laid = round(LAID_SHARE * h) if self.sheet.holds is not None else 0
        self.sheet.setVisible(bool(laid))
        if laid:
            self.sheet.setGeometry(0, h - laid, w, laid)
            h -= laid
        self.flat.left_room = self.tray.wide_px if self.look != "solid" else 0
        size = self.strip.sizeHint()
        self._foot = size.height() + 16
        if self.side_by_side:
            self._beside(w, h)
        else:
            self._inset(w, h)
        shown = self.tray.wide_px and self.flat_stack.currentWidget() is self.flat and not self.flat.quiet
        self.tray.setVisible(bool(shown))
        if shown:
            self.tray.setGeometry(0, 0, self.tray.wide_px, h - 2)
            self.tray.raise_()
        self.strip.setGeometry(w - size.width() - GAP, h - size.height() - 2, size.width(), size.height())
        self.strip.raise_()
        self.say()
        tall = min(self.rail.wants_px, round(0.7 * self.height()))
        self.rail.setGeometry(0, self.height() - tall, w, tall)
        self.rail.raise_()

    @property
    def _tray_px(self) -> int:
        """What the tray takes of the drawing's left."""
        return self.tray.wide_px if self.tray.isVisible() else 0

    def say(self) -> None:
        """The message over the foot of the drawing, as wide as it needs; nothing where there is none."""
        self.message.setVisible(bool(self.message.text()))
        if not self.message.text():
            return
        room = self.width() - self.strip.width() - 3 * GAP - self._tray_px
        self.message.setMaximumWidth(max(room, 200))
        self.message.setMinimumWidth(min(self.message.fontMetrics().horizontalAdvance(self.message.text()) + 24, room))
        self.message.adjustSize()
        self.message.move(GAP + self._tray_px, self.height() - LINE_PX - self._laid - self.message.height() - 3)
        self.message.raise_()

    def _beside(self, w: int, h: int) -> None:
        share = 0.6
        if self.flat_stack.currentWidget() is self.flat and self.flat.picture.items:
            share = self.flat.width_wanted(h) / max(w, 1)
        first = round(w * min(max(share, 0.42), 0.68))
        for canvas in (self.flat, self.solid):
            canvas.quiet, canvas.foot_room = False, self._foot
            canvas.keep_off = QRectF()
        self.flat.right_room = self.solid.right_room = 0
        self._placed = None  # the next inset looks for its place anew
        self.flat_stack.setGeometry(0, 0, first, h)
        self.solid.setGeometry(first + 2, 0, w - first - 2, h)

    def _inset(self, w: int, h: int) -> None:
        large, small = (self.flat, self.solid) if self.look == "flat" else (self.solid, self.flat)
        across = round(min(max(INSET_SHARE * w, LEAST_INSET), MOST_INSET, 0.45 * w))
        small.quiet, large.quiet = True, False
        small.right_room = small.foot_room = 0
        large.foot_room = self._foot
        (self.flat_stack if large is self.flat else self.solid).setGeometry(0, 0, w, h)
        large.resize(w, h)  # at once, and not when the stack comes to it: its places are asked for below
        # Looked for once a picture of another extent: the inset does not jump while a size is typed.
        key = (large, tuple(round(v, -1) for v in large.picture.bounds) if large.picture.items else None, w, h)
        if key != self._placed:
            self._placed = key
            large.right_room = 0
            self._emptiest(large, across, w, h)
        at = self._corners(large, across, w, h)[self._corner]
        place = self.flat_stack if small is self.flat else self.solid
        place.setGeometry(at.toRect())
        large.keep_off, small.keep_off = at, QRectF()
        place.raise_()
        large.update()
        small.update()

    def _corners(self, large: Canvas, across: int, w: int, h: int) -> list[QRectF]:
        """The four places of an inset that is so wide, at the share of it that was settled on."""
        wide = round(self._share * across)
        tall = round(wide * TALL)
        left, right = GAP + large.left_room, w - wide - GAP
        low = h - tall - self._foot + 8
        return [QRectF(x, y, wide, tall) for x, y in ((right, GAP), (right, low), (left, low), (left, GAP))]

    def _emptiest(self, large: Canvas, across: int, w: int, h: int) -> None:
        """Where the inset stands it stays as long as it may; else the emptiest corner, a smaller one, or room beside."""
        for share in SMALLER:
            self._share = share
            corners = self._corners(large, across, w, h)
            if large.covered(corners[self._corner]) <= COVERED:
                return
            covered = [large.covered(corner) for corner in corners]
            if min(covered) <= COVERED:
                self._corner = covered.index(min(covered))
                return
        self._corner = 0
        large.right_room = corners[0].width() + 2 * GAP
