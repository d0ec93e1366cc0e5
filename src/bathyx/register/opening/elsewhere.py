"""A copy of the shop on another disk, on a schedule: its register and the heads that vouch for it, its jobs and tables, by day.

What was copied before is never written over. A folder that is not there is not made: it would fill the disk that it should be on
when that one is not plugged in.
"""

from __future__ import annotations

import contextlib
import sqlite3
import zipfile
from datetime import date
from pathlib import Path

from bathyx.files import WriteError, write_bytes
from bathyx.register.errors import RegisterError
from bathyx.register.opening.copies import copy_file

FOLDER, MOST_DAYS, MOST_BYTES = "bathyx copies", 366, 2_000_000_000
PARTS = ("jobs", "tables")
FILES = ("desk.json", "gauges.json", "gauge-profiles.json", "shop.pub", "*.heads", "heads-*.jsonl", "journal-*.jsonl")


def place_of(home: Path, said: str) -> Path:
    """Where copies go. RegisterError where that is no place for them."""
    place = Path(said).expanduser()
    if not place.is_absolute():
        raise RegisterError(f"{said!r} is no whole path; write it like /media/stick", "refused")
    if not place.is_dir():
        raise RegisterError(f"{place} is not there: is the disk plugged in?", "refused")
    inside = place.resolve()
    if inside == home.resolve() or home.resolve() in inside.parents:
        raise RegisterError(f"{place} is in the home itself: a copy there goes with it; take another disk", "refused")
    return place / FOLDER


def last_copy(home: Path, said: str) -> date | None:
    """The day of the newest whole copy there."""
    days = []
    for path in place_of(home, said).glob("????-??-??/whole"):
        with contextlib.suppress(ValueError):
            days.append(date.fromisoformat(path.parent.name))
    return max(days, default=None)


def due(last: date | None, every_days: int, today: date) -> bool:
    """Whether a copy is to be made; a last one from a day that is still to come does not count."""
    return last is None or last > today or (today - last).days >= every_days


def copy_elsewhere(home: Path, register: Path | None, said: str, today: date | None = None) -> Path:
    """A copy of all that is the shop's; its folder. RegisterError with what stands in the way; then there is no mark `whole` in it.

    Args:
        home: of the shop.
        register: its register's file; None where a server has it, whose copies are its own.
        said: path of the folder on the other disk.
        today: the day's name.
    """
    folder = place_of(home, said) / (today or date.today()).isoformat()
    if (folder / "whole").exists():
        return folder
    try:
        folder.mkdir(parents=True, exist_ok=True)
        if register is not None and register.exists():
            copied = copy_file(register, folder / "register.sqlite")
            _looked_over(copied)
        _pack(home, folder / "jobs.zip")
        write_bytes(folder / "whole", b"register, jobs and tables were copied and read back\n")
    except (OSError, WriteError, zipfile.BadZipFile) as error:
        raise RegisterError(f"no copy on {folder}: {getattr(error, 'strerror', None) or error}", "full") from None
    _let_old_go(folder.parent)
    return folder


def _looked_over(copied: Path) -> None:
    with contextlib.closing(sqlite3.connect(f"file:{copied}?mode=ro", uri=True)) as book:
        found = book.execute("PRAGMA integrity_check").fetchone()
    if found != ("ok",):
        raise RegisterError(f"the copy in {copied} does not read back: {found}", "damaged")


def _pack(home: Path, target: Path) -> None:
    """Jobs, tables and lists in one archive, read back before it counts."""
    part = target.with_suffix(".part")
    size = 0
    with zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED) as pack:
        for path in sorted(
            [p for name in PARTS for p in (home / name).rglob("*")] + [p for name in FILES for p in home.glob(name)]
        ):
            if path.is_symlink() or not path.is_file():
                continue
            size += path.stat().st_size
            if size > MOST_BYTES:
                raise RegisterError(f"{home} holds more than {MOST_BYTES / 1e9:.0f} GB beside its register", "full")
            pack.write(path, path.relative_to(home))
    with zipfile.ZipFile(part) as pack:
        if (bad := pack.testzip()) is not None:
            raise RegisterError(f"{bad} does not read back from {target}", "damaged")
    part.replace(target)


def _let_old_go(place: Path) -> None:
    """Of whole copies the newest 366 stay; only files of this module's own names are taken away."""
    for mark in sorted(place.glob("????-??-??/whole"), reverse=True)[MOST_DAYS:]:
        for name in ("whole", "jobs.zip", "register.sqlite"):
            with contextlib.suppress(OSError):
                (mark.parent / name).unlink()
        with contextlib.suppress(OSError):
            mark.parent.rmdir()
