"""What commands share: the error that is printed in one line, and where jobs, register and the shop's lists live."""

from __future__ import annotations

import os
from pathlib import Path

from bathyx.errors import Refusal


class CommandError(Refusal):
    """Something the person can put right; printed without a traceback."""


def data_home() -> Path:
    """Where jobs and the register live: $BATHYX_HOME, or bathyx under the XDG data folder."""
    if home := os.environ.get("BATHYX_HOME"):
        return Path(home)
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share") / "bathyx"
