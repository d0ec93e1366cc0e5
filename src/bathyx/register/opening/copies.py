"""Copies of a register: SQLite's own online backup, a dated one by itself each day, and bringing one back.

Bringing a copy back never deletes what stood there: it is set aside beside it under a dated name.
"""

from __future__ import annotations

import contextlib
import os
import sqlite3
import tempfile
from datetime import date, datetime
from pathlib import Path

from bathyx.register.errors import RegisterError

KEPT = 30
FOLDER = "copies"


def copy_file(source: Path, target: Path) -> Path:
    """A whole copy of the register in `source`, taken while it is in use. RegisterError when it cannot be written."""
    part = None
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        handle, part = tempfile.mkstemp(".part", ".copy.", target.parent)
        os.close(handle)
        with (
            contextlib.closing(sqlite3.connect(str(source), timeout=10)) as old,
            contextlib.closing(sqlite3.connect(part)) as new,
        ):
            old.backup(new, pages=20_000)
            new.execute("PRAGMA journal_mode=DELETE")
        with Path(part).open("rb") as file:
            os.fsync(file.fileno())
        Path(part).replace(target)
    except (OSError, sqlite3.Error) as error:
        why = str(error).lower().replace("disk i/o error", "the disk takes no more, or fails")
        raise RegisterError(f"no copy was made of {source.name}: {why}", "full") from None
    finally:
        for left in ("", "-journal"):
            with contextlib.suppress(OSError, TypeError):
                Path(f"{part}{left}").unlink()
    return target


def copies(home: Path) -> list[Path]:
    """The dated copies in a home, newest first."""
    return sorted((home / FOLDER).glob("register-????-??-??*.sqlite"), reverse=True)


def daily_copy(home: Path, register: Path, today: date | None = None) -> Path | None:
    """Today's copy, when there is none yet; the 30 newest are kept. RegisterError when it cannot be made."""
    target = home / FOLDER / f"register-{today or date.today():%Y-%m-%d}.sqlite"
    if target.exists() or not register.exists():
        return None
    made = copy_file(register, target)
    for old in copies(home)[KEPT:]:
        with contextlib.suppress(OSError):
            old.unlink()
    return made


def set_aside(register: Path) -> Path | None:
    """Move a register with all that belongs to it under a dated name; returns the new name, None when there was none."""
    stamp = datetime.now().strftime("%Y-%m-%d-%H%M%S-%f")
    aside = None
    for tail in ("", "-wal", "-shm", ".heads"):
        old = register.with_name(register.name + tail)
        if os.path.lexists(old):
            new = register.with_name(f"{register.name}.aside-{stamp}{tail}")
            try:
                Path(old).rename(new)
            except OSError as error:
                raise RegisterError(f"{old} cannot be set aside: {(error.strerror or '').lower()}", "denied") from None
            aside = aside or new
    return aside
