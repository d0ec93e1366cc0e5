"""Folders in the desktop's own window."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QUrl
from PyQt6.QtGui import QDesktopServices


def open_folder(folder: Path) -> bool:
    """The desktop's own window on a folder; False where no program opens folders."""
    return bool(QDesktopServices.openUrl(QUrl.fromLocalFile(str(folder))))
