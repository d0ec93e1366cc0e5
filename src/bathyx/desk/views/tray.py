"""The tray: what can be put into the drawing at this stage, drawn to scale. Picked up, a part hangs at the pointer."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QAbstractButton, QScrollArea, QVBoxLayout, QWidget

from bathyx.desk.theme import Theme, text_size, type_of
from bathyx.desk.views.fields import clear
from bathyx.draft.picture import Circle, Item, Picture, Poly

WIDE_PX, TALL_PX, DRAWN_PX, MARGIN_PX = 104, 68, 30, 8
LEAST_SCALE, MOST_SCALE = 0.9, 2.0


@dataclass(frozen=True, eq=False)
class TrayPart:
    """What can be picked up: its key, its name, and how it is drawn, mm."""

    key: str
    title: str
    picture: Picture


class PartButton(QAbstractButton):
    """One part, drawn at the scale of the drawing where it fits."""

    def __init__(self, theme: Theme, part: TrayPart, scale: float) -> None:
        super().__init__()
        self.theme, self.part, self.scale = theme, part, scale
        self.setObjectName(f"part {part.key}")
        self.setAccessibleName(f"Pick up: {part.title}")
        self.setText(part.title)
        self.setToolTip(f"{part.title}: pick it up, then put it down on the drawing")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCheckable(True)

    def sizeHint(self) -> QSize:
        """As wide as the tray."""
        return QSize(round(WIDE_PX * text_size()) - 14, round(TALL_PX * text_size()))

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """The part over its name."""
        with QPainter(self) as p:
            p.setRenderHint(QPainter.RenderHint.Antialiasing)
            held, focus = self.isChecked(), self.hasFocus() or self.underMouse()
            p.fillRect(self.rect(), self.theme.colour("paper" if held or focus else "card"))
            if held or focus:
                p.setPen(QPen(self.theme.colour("accent"), 2))
                p.drawRect(self.rect().adjusted(1, 1, -1, -1))
            room = QRect(MARGIN_PX, 4, self.width() - 2 * MARGIN_PX, round(DRAWN_PX * text_size()))
            self._draw(p, room)
            p.setFont(type_of(9))
            p.setPen(self.theme.colour("ink"))
            foot = QRect(2, room.bottom() + 1, self.width() - 4, self.height() - room.bottom() - 3)
            p.drawText(foot, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.part.title)

    def _draw(self, p: QPainter, room: QRect) -> None:
        left, bottom, right, top = self.part.picture.bounds
        scale = min(self.scale, room.width() / max(right - left, 1e-6), room.height() / max(top - bottom, 1e-6))
        centre = room.center()

        def spot(at: np.ndarray) -> QPointF:
            return QPointF(
                centre.x() + (float(at[0]) - (left + right) / 2) * scale,
                centre.y() - (float(at[1]) - (bottom + top) / 2) * scale,
            )

        for item in self.part.picture.items:
            draw_item(p, self.theme, item, spot, scale)


def draw_item(p: QPainter, theme: Theme, item: Item, spot: object, scale: float) -> None:
    """A line, area or circle of a picture, plainly."""
    assert callable(spot)
    if not isinstance(item, (Poly, Circle)):
        return
    p.setPen(QPen(theme.colour(item.ink), item.width) if item.ink else Qt.PenStyle.NoPen)
    p.setBrush(theme.colour(item.fill) if item.fill else Qt.BrushStyle.NoBrush)
    if isinstance(item, Circle):
        p.drawEllipse(spot(item.centre), item.radius * scale, item.radius * scale)
        return
    polygon = QPolygonF([spot(point) for point in item.points])
    if item.closed:
        p.drawPolygon(polygon)
    else:
        p.drawPolyline(polygon)


class Tray(QScrollArea):
    """A narrow strip along the drawing's left edge; it is not there where a stage has nothing to put in."""

    picked = pyqtSignal(str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.setObjectName("tray")
        self.setAccessibleName("Tray of parts")
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.body = QWidget()
        self.body.setObjectName("cardBody")
        self.column = QVBoxLayout(self.body)
        self.column.setContentsMargins(2, 2, 2, 2)
        self.column.setSpacing(1)
        self.setWidget(self.body)
        self.parts: tuple[TrayPart, ...] = ()
        self.buttons: dict[str, PartButton] = {}
        self._key: object = None

    @property
    def wide_px(self) -> int:
        """Its width; nothing where it has no parts."""
        return round(WIDE_PX * text_size()) if self.parts else 0

    def show_parts(self, parts: tuple[TrayPart, ...], scale: float) -> None:
        """Other parts, or the same at another scale of the drawing."""
        scale = min(max(scale, LEAST_SCALE), MOST_SCALE)
        key = (tuple(part.key for part in parts), round(scale, 1), text_size())
        if key == self._key:
            return
        self._key, self.parts, self.buttons = key, parts, {}
        clear(self.column)
        for part in parts:
            made = PartButton(self.theme, part, scale)
            made.clicked.connect(lambda _on=False, key=part.key: self.picked.emit(key))
            self.buttons[part.key] = made
            self.column.addWidget(made)
        self.column.addStretch(1)
        self.setVisible(bool(parts))

    def hold(self, key: str) -> None:
        """Show which part hangs at the pointer; none with an empty key."""
        for name, made in self.buttons.items():
            made.setChecked(name == key)
