"""Papers go into a folder of their own, all of them or none; what a person has there is never written over."""

from __future__ import annotations

import os
import re
import shutil
import tempfile
import unicodedata
from collections.abc import Callable, Iterable, Sequence
from datetime import datetime
from pathlib import Path

from bathyx.errors import Refusal
from bathyx.files import WriteError

MOST_LETTERS = 60
# Names that some file systems keep for devices.
DEVICES = {"con", "prn", "aux", "nul", *(f"{d}{n}" for d in ("com", "lpt") for n in range(1, 10))}


class FolderError(Refusal):
    """The folder is not one that papers may go into."""


def write_all(target: Path, write: Callable[[Path], Sequence[Path]], instead: bool = False) -> list[Path]:
    """Have `write` fill a new folder that takes its place at `target` once everything is in it; returns the paths there.

    Args:
        target: where the papers shall be; not there yet, or an empty folder.
        write: writes into the folder it is given and returns the paths.
        instead: a folder that holds something is kept beside under a dated name, and the new one takes its place.

    Raises:
        FolderError: when something stands at `target` that would be lost or written through.
        WriteError: when the disk is full or the place cannot be written; nothing is left behind then.
    """
    target = target.absolute()
    if target.is_symlink():
        raise FolderError(f"{target} is a link to another place; name the folder itself")
    if target.exists() and not target.is_dir():
        raise FolderError(f"{target} is a file; papers want a folder of their own")
    full = target.is_dir() and any(target.iterdir())
    if full and not instead:
        raise FolderError(f"{target} is not empty; name a new folder, or add --instead to keep what is there beside it")
    part = None
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        part = Path(tempfile.mkdtemp(".part", f".{target.name[:60]}.", target.parent))
        written = [path.relative_to(part) for path in write(part)]
        mask = os.umask(0o022)
        os.umask(mask)
        part.chmod(0o777 & ~mask)
        if full:
            target.rename(target.with_name(f"{target.name}.before-{datetime.now():%Y-%m-%d-%H%M%S-%f}"))
        part.rename(target)
    except (OSError, ValueError) as error:
        if isinstance(error, Refusal) and not isinstance(error, WriteError):
            raise
        if not isinstance(error, OSError):
            raise
        why = (getattr(error, "strerror", None) or str(error)).lower()
        raise WriteError(f"no papers were written to {target}: {why}") from error
    finally:
        if part is not None:
            shutil.rmtree(part, ignore_errors=True)
    return [target / path for path in written]


def dated(parent: Path) -> Path:
    """A folder of `parent` named by this moment, that is not there yet."""
    stamp, number = f"{datetime.now():%Y-%m-%d-%H%M%S}", 1
    while os.path.lexists(found := parent / (stamp if number == 1 else f"{stamp}-{number}")):
        number += 1
    return found


def file_name(words: str) -> str:
    """`words` as a name that every file system takes: lower case, letters a to z, figures and hyphens."""
    plain = unicodedata.normalize("NFKD", words).encode("ascii", "ignore").decode().lower()
    name = re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:MOST_LETTERS].strip("-") or "blank"
    return f"{name}-blank" if name in DEVICES else name


def file_names(every: Iterable[str]) -> list[str]:
    """A name for each, no two the same even where capitals do not count."""
    taken: set[str] = set()
    names = []
    for words in every:
        name = base = file_name(words)
        number = 2
        while name in taken:
            name, number = f"{base}-{number}", number + 1
        taken.add(name)
        names.append(name)
    return names
