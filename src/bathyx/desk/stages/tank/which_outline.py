"""Which outline of a drawing is the tank's section, by a click on it, and in which unit it is drawn, where it does not say."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QListWidget, QVBoxLayout, QWidget

from bathyx.core.units import Family, show
from bathyx.desk.theme import Theme
from bathyx.desk.views.canvas import Canvas
from bathyx.desk.views.fields import button, words
from bathyx.draft.loops_view import loops_view
from bathyx.files.loops import Drawn
from bathyx.files.profiles import MOST_SHOWN, UNITS, sizes

SIDE_PX, MOST_ROWS = 400, 8


class WhichOutline(QDialog):
    """The drawing's outlines to click on, the same as rows for the keyboard, and its unit by the size that each would give."""

    def __init__(self, found: Drawn, name: str, units: Family, theme: Theme, over: QWidget) -> None:
        """Ask.

        Args:
            found: with a loop at least.
            name: of the file.
            units: in which sizes are said.
            theme: of the desk.
            over: widget that asks.
        """
        super().__init__(over)
        self.found, self.units = found, units
        self.pick = 0
        self.unit: str | None = None
        self.asks_unit = found.unit is None
        self.setWindowTitle(f"Outline of the section, from {name}")
        self.setObjectName("which outline")
        column = QVBoxLayout(self)
        many = len(found.loops)
        said = f"{name} holds {many} closed outlines: click the one that is the tank's section." if many > 1 else name
        if many > MOST_SHOWN:
            said += f" The {MOST_SHOWN} largest are drawn."
        column.addWidget(words(said, "head"))
        middle = QHBoxLayout()
        self.drawing = Canvas(theme, "outlines")
        self.drawing.setMinimumSize(460, 320)
        self.drawing.picked.connect(self._clicked)
        middle.addWidget(self.drawing, 1)
        side = QVBoxLayout()
        self.loops = QListWidget()
        self.loops.setObjectName("which loop")
        self.loops.setAccessibleName("Outlines, the largest first")
        self.loops.setVisible(many > 1)
        self.loops.currentRowChanged.connect(self._row)
        side.addWidget(self.loops)
        self.ask = words(f"{name} does not say its unit. Which size is right?", "")
        self.unit_rows = QListWidget()
        self.unit_rows.setObjectName("which unit")
        self.unit_rows.setAccessibleName("Unit of the drawing, by the size that it gives")
        self.unit_rows.currentRowChanged.connect(self._unit_row)
        for rows in (self.loops, self.unit_rows):
            rows.setMinimumWidth(SIDE_PX)
            rows.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        for part in (self.ask, self.unit_rows):
            part.setVisible(self.asks_unit)
            side.addWidget(part)
        side.addStretch(1)
        middle.addLayout(side)
        column.addLayout(middle)
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(button("Leave it", "leave outline", self.reject))
        self.take = button("Take this outline", "take outline", self.accept, "main")
        self.take.setDefault(True)
        row.addWidget(self.take)
        column.addLayout(row)
        self._show()
        self.drawing.setFocus(Qt.FocusReason.OtherFocusReason)

    def _clicked(self, tag: str, _share: float) -> None:
        if tag.startswith("loop:"):
            self.pick = int(tag.removeprefix("loop:"))
            self._show()

    def _row(self, row: int) -> None:
        if row >= 0 and row != self.pick:
            self.pick = row
            self._show()

    def _unit_row(self, row: int) -> None:
        if row >= 0:
            self.unit = list(UNITS)[row]
            self._show()

    def _show(self) -> None:
        """Everything as it is chosen now."""
        known = sizes(self.found, self.unit, MOST_SHOWN) if self.unit or not self.asks_unit else None
        rows = [
            f"{k}" if known is None else f"{k}: {self._said(*known[k - 1])}"
            for k in range(1, min(len(self.found.loops), MOST_SHOWN) + 1)
        ]
        _fill(self.loops, rows, self.pick)
        both = [f"{unit}: {self._both(*sizes(self.found, unit, MOST_SHOWN)[self.pick])}" for unit in UNITS]
        _fill(self.unit_rows, both, list(UNITS).index(self.unit) if self.unit else -1)
        self.take.setEnabled(not self.asks_unit or self.unit is not None)
        self.drawing.show_picture(loops_view(self.found, self.pick, self.unit, self.units))

    def _said(self, wide: float, high: float) -> str:
        return f"{show(wide, 'length', self.units)} × {show(high, 'length', self.units)}"

    def _both(self, wide: float, high: float) -> str:
        """A size in both families: whoever drew it knows one of them."""
        other = Family.METRIC if self.units.us else Family.US
        return f"{self._said(wide, high)}, {' × '.join(show(v, 'length', other) for v in (wide, high))}"


def _fill(rows: QListWidget, said: list[str], chosen: int) -> None:
    rows.blockSignals(True)
    if [item.text() for k in range(rows.count()) if (item := rows.item(k)) is not None] != said:
        rows.clear()
        rows.addItems(said)
        rows.setMaximumHeight(rows.sizeHintForRow(0) * min(len(said), MOST_ROWS) + 2 * rows.frameWidth() + 2)
    rows.setCurrentRow(chosen)
    rows.blockSignals(False)
