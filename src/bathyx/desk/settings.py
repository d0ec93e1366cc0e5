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
    "rack_number": 0,
    "at_hand": "",
    "rates": "",
    "currency": "",
    "paper": "a4",
    "inches": "us",
    "address": "",
    "mark": "",
    "recent": "",
    "place": "",
    "light": "as set",
    "copies_to": "",
    "copies_days": 1,
}


SHARED = ("offcuts", "rack_number")  # of the shop, not of one window: read again whenever the file has changed


class DeskSettings:
    """Settings with their file. A file that is broken or missing counts as the usual; one that cannot be written is said.

    Two windows on one home each keep what they choose, and share the rack: what one writes the other has.
    """

    def __init__(self, home: Path) -> None:
        self.path = home / "desk.json"
        self.kept = dict(USUAL)
        self.on_trouble: Callable[[str], None] = lambda _why: None
        self._seen = self._stamp()
        self.kept |= self._written()

    def _stamp(self) -> tuple[int, int]:
        """What tells one state of the file from another: its time and size."""
        try:
            found = self.path.stat()
        except OSError:
            return 0, 0
        return found.st_mtime_ns, found.st_size

    def _written(self) -> dict[str, Any]:
        """What of the file can be used."""
        try:
            found = json.loads(read_text(self.path, 100_000))
        except (OSError, ValueError, RecursionError):
            return {}
        if not isinstance(found, dict):
            return {}
        return {k: v for k, v in found.items() if k in USUAL and type(v) in (type(USUAL[k]), int, float)}

    def __getitem__(self, key: str) -> Any:
        if key in SHARED and (now := self._stamp()) != self._seen:
            self._seen = now
            self.kept |= {k: v for k, v in self._written().items() if k in SHARED}
        return self.kept[key]

    def keep(self, key: str, value: Any) -> None:
        """Remember a value; what another window has written of other things stays."""
        if self[key] == value:
            return
        self.kept[key] = value
        all_ = self.kept | self._written() | {key: value}
        self.kept |= {k: all_[k] for k in SHARED}
        try:
            write_text(self.path, json.dumps(all_, indent=2) + "\n")
        except WriteError as error:
            self.on_trouble(f"This choice holds until the window closes: {error}")
        self._seen = self._stamp()
