"""What the desk remembers from one day to the next: whose hands it is in, units, light and size of type. `desk.json` in home."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from bathyx.files import write_text

USUAL: dict[str, Any] = {"who": "", "units": "metric", "dark": False, "text": 1.0}


class DeskSettings:
    """Settings with their file. A file that is broken or missing counts as the usual; one that cannot be written is let be."""

    def __init__(self, home: Path) -> None:
        self.path = home / "desk.json"
        self.kept = dict(USUAL)
        try:
            found = json.loads(self.path.read_text("utf-8"))
        except (OSError, ValueError):
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
        except OSError:
            return
