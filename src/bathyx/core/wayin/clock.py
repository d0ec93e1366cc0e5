"""The one clock of the searches: a test that must not depend on how quick the machine is puts a counted one in its place."""

from __future__ import annotations

import time
from collections.abc import Callable

_read: Callable[[], float] = time.monotonic


def now() -> float:
    """Seconds since some beginning; it never goes back."""
    return _read()
