"""Names for those who hear the desk instead of seeing it: every control that takes the focus has one."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractButton, QScrollArea, QScrollBar, QWidget


def is_nameless(widget: QWidget) -> bool:
    """Whether a control takes the focus and a screen reader would say nothing of it."""
    if widget.focusPolicy() == Qt.FocusPolicy.NoFocus or isinstance(widget, QScrollBar):
        return False
    return not (widget.accessibleName() or (isinstance(widget, QAbstractButton) and widget.text()))


def name_all(root: QWidget) -> None:
    """Give each control under `root` that has none the name it is known by, or that of what it is a part of."""
    for widget in (root, *root.findChildren(QWidget)):
        if isinstance(widget, QScrollArea) and not widget.objectName():
            widget.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # it is scrolled by what is in it
        if is_nameless(widget):
            widget.setAccessibleName(_known_as(widget))


def _known_as(widget: QWidget) -> str:
    above: QWidget | None = widget
    while above is not None:
        if name := above.accessibleName() or above.objectName():
            return name.replace("_", " ").removesuffix(" mm")
        above = above.parentWidget()
    return type(widget).__name__
