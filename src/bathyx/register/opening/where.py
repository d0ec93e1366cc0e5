"""Which register is in force: $BATHYX_REGISTER, what the home's settings name, or the file in the home."""

from __future__ import annotations

import os
from pathlib import Path

from bathyx.errors import Refusal
from bathyx.files import read_text

FILE = "register.sqlite"
SETTING = "register.url"


def register_of(home: Path) -> str | Path:
    """A path or a server's URL. `register.url` in the home is one line of text, for benches whose environment is not set."""
    named = os.environ.get("BATHYX_REGISTER", "").strip()
    if not named and (home / SETTING).exists():
        try:
            named = read_text(home / SETTING, 2000).strip()
        except Refusal:
            named = ""
    return named if "://" in named else Path(named) if named else home / FILE
