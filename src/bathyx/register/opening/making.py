"""The lock under which registers are made and exchanged in a folder."""

from __future__ import annotations

import fcntl
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from bathyx.register.errors import RegisterError

FULL = (28, 122)


@contextmanager
def making(folder: Path, name: str) -> Iterator[None]:
    """Hold the lock. RegisterError when the folder cannot be written."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        handle = os.open(folder / f".{name}.making", os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o666)
    except OSError as error:
        raise RegisterError(
            f"no register can be made in {folder}: {(error.strerror or str(error)).lower()}",
            "full" if error.errno in FULL else "denied",
        ) from None
    try:
        fcntl.flock(handle, fcntl.LOCK_EX)
        yield
    finally:
        os.close(handle)
