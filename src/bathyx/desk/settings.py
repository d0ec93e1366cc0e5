"""What the desk remembers from one day to the next: whose hands it is in, units, light and size of type. `desk.json` in home."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

from bathyx.files import WriteError, read_text, write_text

USUAL: dict[str, Any] = {
    "who": "",
    "units": "metric",
    "dark": False,
    "text": 1.0,
    "nest_way": "quick",
    "offcuts": "",
    "at_hand": "",
    "rates": "",
    "currency": "",
}


class DeskSettings:
    """Settings with their file. A file that is broken or missing counts as the usual; one that cannot be written is said."""

    def __init__(self, home: Path) -> None:
        self.path = home / "desk.json"
        self.kept = dict(USUAL)
        self.on_trouble: Callable[[str], None] = lambda _why: None
        try:
            found = json.loads(read_text(self.path, 100_000))
        except (OSError, ValueError, RecursionError):
            found = {}
        if isinstance(found, dict):
            self.kept |= {k: v for k, v in found.items() if k in USUAL and type(v) in (type(USUAL[k]), int, float)}

    def __getitem__(self, key: str) -> Any:
        return self.kept[key]

    def keep(self, key: str, value: Any) -> None:
        """Remember a value."""
        if self.kept[key] == value:
            return
        self.kept[key] = value
        try:
            write_text(self.path, json.dumps(self.kept, indent=2) + "\n")
        except WriteError as error:
            self.on_trouble(f"This choice holds until the window closes: {error}")
