"""The bench line: a tile for each stage with its one figure and a sight tube that shows how far it is.

Light on imports: it is painted before anything numeric is loaded.
"""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QHBoxLayout, QSizePolicy, QWidget

from bathyx.desk.stages.registry import STAGES
from bathyx.desk.theme import Theme, text_size, tip, type_of
from bathyx.desk.views.tile_data import TileData

TALL_PX, PALE = 72, 0.45


def tall_px() -> int:
    """How tall the line is: three rows of words in the size of type that is set."""
    return round(TALL_PX * text_size())


class Tile(QAbstractButton):
    """One stage."""

    asked = pyqtSignal()

    def __init__(self, title: str, number: int, theme: Theme) -> None:
        super().__init__()
        self.setObjectName(f"tile {title}")
        self.pale = False
        self.title, self.number, self.theme, self.data = title, number, theme, TileData()
        self.setCheckable(True)
        self.setText(title)
        self.setAccessibleName(title)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setToolTip(f"{title}: Alt+{number}")

    def sizeHint(self) -> QSize:
        """About a tenth of a wide window."""
        return QSize(128, tall_px())

    def show_data(self, data: TileData) -> None:
        """New figure and state."""
        if data != self.data:
            self.data = data
            self.setToolTip(tip(data.explain or f"{self.title}: Alt+{self.number}"))
            self.setAccessibleDescription(f"{data.figure}, {data.words}")
            self.update()

    def turn_pale(self, pale: bool) -> None:
        """Pale while what it shows belongs to another edit."""
        if pale != self.pale:
            self.pale = pale
            self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """? asks for the figure's explanation."""
        assert event is not None
        if event.text() == "?":
            self.asked.emit()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Plate with a cut corner, sight tube at its left."""
        with QPainter(self) as p:
            self._paint(p)

    def _paint(self, p: QPainter) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        c = self.theme.colour
        r = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        plate = QPainterPath()
        cut = 12.0
        plate.moveTo(r.left(), r.top())
        plate.lineTo(r.right() - cut, r.top())
        plate.lineTo(r.right(), r.top() + cut)
        plate.lineTo(r.right(), r.bottom())
        plate.lineTo(r.left(), r.bottom())
        plate.closeSubpath()
        p.setPen(QPen(c("accent") if self.isChecked() or self.hasFocus() else c("edge"), 2 if self.isChecked() else 1))
        p.setBrush(c("paper") if self.isChecked() else c("card"))
        p.drawPath(plate)
        state = {"stop": "stop", "warn": "warn", "go": "go"}.get(self.data.state, "thin")
        tube = QRectF(r.left() + 8, r.top() + 9, 8, r.height() - 18)
        p.setPen(QPen(c("thin"), 1))
        p.setBrush(c("paper"))
        p.drawRoundedRect(tube, 4, 4)
        fill = max(0.0, min(1.0, self.data.level)) * (tube.height() - 2)
        if fill > 1:
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(c(state if state != "thin" else "fluid line"))
            p.drawRoundedRect(QRectF(tube.left() + 1, tube.bottom() - 1 - fill, tube.width() - 2, fill), 3, 3)
        if self.pale:
            p.setOpacity(PALE)
        left, width, k = r.left() + 24, r.width() - 28, text_size()
        p.setPen(c("ink"))
        p.setFont(type_of(10, self.isChecked()))
        p.drawText(QRectF(left, r.top() + 3 * k, width, 18 * k), Qt.AlignmentFlag.AlignLeft, self.title)
        figure = type_of(15, True)
        p.setFont(figure)
        while p.fontMetrics().horizontalAdvance(self.data.figure) > width and figure.pointSizeF() > 6.5:
            figure.setPointSizeF(figure.pointSizeF() - 0.5)
            p.setFont(figure)
        p.drawText(QRectF(left, r.top() + 20 * k, width, 27 * k), Qt.AlignmentFlag.AlignVCenter, self.data.figure)
        p.setFont(type_of(8.5, self.data.state in ("stop", "warn")))
        p.setPen(c(state if state != "thin" else "quiet"))
        words = p.fontMetrics().elidedText(self.data.words, Qt.TextElideMode.ElideRight, int(width))
        p.drawText(QRectF(left, r.top() + 48 * k, width, 18 * k), Qt.AlignmentFlag.AlignLeft, words)


class BenchLine(QWidget):
    """The row of tiles. Emits the index of the stage chosen, or whose figure is asked about."""

    chosen = pyqtSignal(int)
    explain = pyqtSignal(int)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        self.tiles = []
        for number, entry in enumerate(STAGES, start=1):
            tile = Tile(entry.title, number, theme)
            tile.asked.connect(lambda k=number - 1: self.explain.emit(k))
            tile.clicked.connect(lambda _on, k=number - 1: self.chosen.emit(k))
            row.addWidget(tile)
            self.tiles.append(tile)

    def choose(self, index: int) -> None:
        """Light the tile of a stage."""
        for k, tile in enumerate(self.tiles):
            tile.setChecked(k == index)
