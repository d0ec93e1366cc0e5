"""The rule for every list that rebuilds itself: nothing is taken from under a pointer that is down on it."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QApplication, QWidget

LOOK_AGAIN_MS = 40


def unless_pressed(widget: QWidget, rebuild: Callable[[], None]) -> bool:
    """Whether `widget` may be rebuilt now. While the pointer is down on it, `rebuild` is called once it is up.

    A field that is left by pressing a button of the list is taken first, and has something new to show: the button that is
    being pressed has to live until it is let go, or Qt would deliver the release to what is gone.
    """
    if QApplication.mouseButtons() == Qt.MouseButton.NoButton or not widget.underMouse():
        return True

    def again() -> None:
        try:
            rebuild()
        except RuntimeError:  # the list itself is gone by now, with its window
            return

    QTimer.singleShot(LOOK_AGAIN_MS, again)
    return False
