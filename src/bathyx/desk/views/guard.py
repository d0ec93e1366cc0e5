"""What the desk keeps from happening everywhere: a wheel that edits, and a key of the desk that a field takes for itself."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QAbstractScrollArea,
    QAbstractSlider,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QScrollBar,
    QWidget,
)

TAKEN_BY_FIELDS = (Qt.Key.Key_U, Qt.Key.Key_D, Qt.Key.Key_T, Qt.Key.Key_F)


class Guard(QObject):
    """Sees every event before it arrives."""

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """A wheel scrolls what lies under a choice or a slide; Ctrl and the desk's letters are the desk's in a field too."""
        if event is None:
            return False
        if event.type() == QEvent.Type.Wheel:
            edits = isinstance(watched, (QComboBox, QAbstractSpinBox)) or (
                isinstance(watched, QAbstractSlider) and not isinstance(watched, QScrollBar)
            )
            if edits and isinstance(watched, QWidget):
                self._scroll_under(watched, event)
                return True
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent):
            plain = event.modifiers() == Qt.KeyboardModifier.ControlModifier
            if plain and event.key() in TAKEN_BY_FIELDS:
                event.ignore()
                return True
        return False

    def _scroll_under(self, widget: QWidget, event: QEvent) -> None:
        """Give the wheel to the area that holds a widget."""
        over = widget.parentWidget()
        while over is not None and not isinstance(over, QAbstractScrollArea):
            over = over.parentWidget()
        seen = over.viewport() if over is not None else None
        if seen is not None:
            QApplication.sendEvent(seen, event)
        event.accept()


def stand_guard() -> Guard:
    """The guard of this process, made once."""
    app = QApplication.instance()
    assert app is not None
    guard: Guard | None = app.property("bathyx guard")
    if guard is None:
        guard = Guard(app)
        app.setProperty("bathyx guard", guard)
        app.installEventFilter(guard)
    return guard
