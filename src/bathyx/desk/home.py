"""The home folder at start: whether it can be used at all and written, its register, and the job that was last in hand."""

from __future__ import annotations

import os
import tempfile
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from bathyx.files import ReadError, read_text, sweep_holds, sweep_parts

if TYPE_CHECKING:
    from bathyx.register import Book


@dataclass(frozen=True)
class HomeState:
    """`trouble` says what is wrong, `usable` whether it can be read, `writable` whether anything can be kept in it."""

    trouble: str
    usable: bool
    writable: bool


def look_at(home: Path) -> HomeState:
    """Make the home if need be, and see what it is good for."""
    try:
        home.mkdir(parents=True, exist_ok=True)
        os.scandir(home).close()
    except (OSError, RuntimeError, ValueError) as error:
        if home.is_dir() if _can_stat(home) else False:
            return HomeState(f"{home} may not be looked into by you", False, False)
        why = (getattr(error, "strerror", None) or str(error)).lower()
        kind = "is a file, where a folder is wanted" if _can_stat(home) and home.is_file() else f"cannot be used: {why}"
        return HomeState(f"{home} {kind}", False, False)
    try:
        with tempfile.NamedTemporaryFile(dir=home, prefix=".", suffix=".part") as probe:
            probe.write(b"x" * 8192)
            probe.flush()
            os.fsync(probe.fileno())
    except OSError as error:
        return HomeState(f"{home} cannot be written: {(error.strerror or str(error)).lower()}", True, False)
    for folder in (
        home,
        home / "jobs",
        home / "jobs" / "kept",
        home / "copies",
        home / "papers",
        home / "studies",
        *_folders(home / "papers"),
    ):
        sweep_parts(folder)
        sweep_holds(folder)
    return HomeState("", True, True)


def _folders(folder: Path) -> list[Path]:
    try:
        return [Path(entry.path) for entry in os.scandir(folder) if entry.is_dir(follow_symlinks=False)]
    except OSError:
        return []


def _can_stat(path: Path) -> bool:
    try:
        return path.exists()
    except (OSError, ValueError):
        return False


def last_job(home: Path) -> Path | None:
    """The job that was last in hand; None where that is not known, whatever stands in the file."""
    try:
        said = read_text(home / "last-job", 10_000).strip()
        if not said or "\n" in said or "\0" in said:
            return None
        path = Path(said)
        return path if path.is_file() else None
    except (ReadError, OSError, ValueError):
        return None


def open_register(home: Path, read_only: bool = False) -> Book:
    """The register in force for this home: the file in it, another file, or a server. RegisterError in words."""
    from bathyx.register import Register
    from bathyx.register.bench.served import ServedRegister
    from bathyx.register.ledger.keys import shop_key
    from bathyx.register.opening.where import register_of

    where, key = register_of(home), shop_key(home)
    if "://" in str(where):
        return ServedRegister(str(where), home, key=key)
    return Register(where, key=key, read_only=read_only)
