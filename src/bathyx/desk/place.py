"""Size and place of the window, remembered for each screen that it stood on."""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QByteArray
from PyQt6.QtWidgets import QWidget

if TYPE_CHECKING:
    from bathyx.desk.settings import DeskSettings

MOST_SCREENS = 8


def screen_of(window: QWidget) -> str:
    """A screen by its name and size."""
    screen = window.screen()
    size = screen.size() if screen is not None else None
    return f"{screen.name()} {size.width()}x{size.height()}" if screen is not None and size is not None else ""


def places(said: object) -> dict[str, str]:
    """What is remembered, of the setting as it is written; nothing where it cannot be read."""
    try:
        found = json.loads(str(said) or "{}")
    except ValueError:
        return {}
    return {str(k): str(v) for k, v in found.items()} if isinstance(found, dict) else {}


def put_back(window: QWidget, home: Path) -> bool:
    """The window as it stood on this screen; False where it never did. Before the first paint: nothing but Qt is loaded for it."""
    try:
        kept = places(json.loads((home / "desk.json").read_text("utf-8"))["place"])[screen_of(window)]
        return bool(window.restoreGeometry(QByteArray(bytes.fromhex(kept))))
    except (OSError, ValueError, KeyError, TypeError, RecursionError):
        return False


def keep(window: QWidget, settings: DeskSettings) -> None:
    """Remember how the window stands on its screen."""
    now = places(settings["place"])
    now.pop(screen_of(window), None)
    rows = list(now.items())[-(MOST_SCREENS - 1) :]
    data = bytes(window.saveGeometry().data()).hex()
    settings.keep("place", json.dumps(dict([*rows, (screen_of(window), data)])))
