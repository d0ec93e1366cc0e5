"""Qt's own parts as the desk wants them: a wheel scrolls and edits nothing, and the desk's keys are its own in a field too."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QKeyEvent, QWheelEvent
from PyQt6.QtWidgets import QComboBox, QLineEdit, QSlider

# With Ctrl: units, light, type, where is. Some desktops have a field empty itself at the first.
OF_THE_DESK = (Qt.Key.Key_U, Qt.Key.Key_D, Qt.Key.Key_T, Qt.Key.Key_F)


class Pick(QComboBox):
    """A choice that the wheel goes past: it scrolls what lies under it."""

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Left to what holds it."""
        assert event is not None
        event.ignore()


class Slider(QSlider):
    """A slide that the wheel goes past."""

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Left to what holds it."""
        assert event is not None
        event.ignore()


class TextLine(QLineEdit):
    """A line that leaves the desk its keys."""

    def event(self, event: QEvent | None) -> bool:
        """What Ctrl and one of the desk's letters do is not the line's."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride:
            plain = event.modifiers() == Qt.KeyboardModifier.ControlModifier
            if plain and event.key() in OF_THE_DESK:
                event.ignore()
                return True
        return super().event(event)
