"""The tank in the round: drag turns it, the pointer picks walls, seams and fittings."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent

from bathyx.desk.theme import Theme
from bathyx.desk.views.canvas import Canvas
from bathyx.draft.picture import Picture
from bathyx.draft.solid_view import Eye


class SolidCanvas(Canvas):
    """A canvas whose picture is made anew from each side it is looked at."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme, "solid")
        self.eye = Eye()
        self.room_px = 66.0
        self._make: Callable[[Eye], Picture] | None = None
        self.setToolTip("Drag to turn")

    def show_made(self, make: Callable[[Eye], Picture], lit: str = "") -> None:
        """`make` gives the picture for an eye."""
        self._make = make
        self.show_picture(make(self.eye), lit)

    def turn(self, turn_deg: float, tilt_deg: float) -> None:
        """Look from further round or higher."""
        self.eye = Eye((self.eye.turn_deg + turn_deg) % 360, min(max(self.eye.tilt_deg + tilt_deg, -75.0), 85.0))
        if self._make is not None:
            self.show_picture(self._make(self.eye), self.lit)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """A left drag turns the tank."""
        assert event is not None
        if self._pressed is not None and event.buttons() & Qt.MouseButton.LeftButton:
            step = event.position() - self._pressed
            self._pressed = event.position()
            self.turn(step.x() * 0.5, step.y() * 0.35)
            return
        super().mouseMoveEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows turn."""
        assert event is not None
        keys = {Qt.Key.Key_Left: (-10, 0), Qt.Key.Key_Right: (10, 0), Qt.Key.Key_Up: (0, 8), Qt.Key.Key_Down: (0, -8)}
        turns = {int(key): way for key, way in keys.items()}
        if event.key() in turns:
            self.turn(*turns[event.key()])
        else:
            super().keyPressEvent(event)
