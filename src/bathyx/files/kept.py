"""A text file in hand: read once, written often, and never over what another has written meanwhile."""

from __future__ import annotations

import hashlib
import os
import re
from datetime import datetime
from pathlib import Path

from bathyx.errors import Refusal
from bathyx.files.hold import FileHold, Holder
from bathyx.files.read import ReadError, read_text
from bathyx.files.write import WriteError, write_bytes, write_text

KEPT = "kept"


class ChangedElsewhere(Refusal):
    """What stands in the file is not what was read: another has written it. Nothing was overwritten."""


class HeldElsewhere(Refusal):
    """Another has the file in hand. Nothing was overwritten."""

    def __init__(self, holder: Holder) -> None:
        super().__init__(f"in hand by {holder.words}")
        self.holder = holder


class KeptFile:
    """One file. `text` is what was read last, by us or by a write of ours."""

    def __init__(self, path: Path, who: str = "", most_bytes: int = 4_000_000) -> None:
        """Read it and take it in hand. ReadError when it cannot be read; then nothing is held."""
        self.path, self.most_bytes = path, most_bytes
        self.text = read_text(path, most_bytes)
        self._seen, self._stat = _sum(self.text), _stat(path)
        self.who = who
        self.hold = FileHold(path, who)

    @property
    def holder(self) -> Holder | None:
        """Who else has it in hand; None when it is ours or nobody can hold it."""
        return None if self.hold.taken else self.hold.holder

    def take_again(self) -> bool:
        """Try to take it in hand again, when another had it. True once it is ours."""
        if not self.hold.taken:
            self.hold = FileHold(self.path, self.who)
        return self.holder is None

    def changed(self) -> bool:
        """Whether another has written it since it was read. Cheap while nothing happens."""
        now = _stat(self.path)
        if now == self._stat:
            return False
        try:
            same = _sum(read_text(self.path, self.most_bytes)) == self._seen
        except ReadError:
            return os.path.lexists(self.path)
        if same:
            self._stat = now
        return not same

    def write(self, text: str) -> None:
        """Write it whole. HeldElsewhere or ChangedElsewhere when it is not ours to write; WriteError for a full disk."""
        if self.holder is not None and not self.take_again():
            raise HeldElsewhere(self.holder or self.hold.holder or Holder("", "", 0, ""))
        if self.changed():
            raise ChangedElsewhere(f"{self.path.name} was written by another since it was read here")
        self._write(text)

    def write_over(self, text: str) -> Path | None:
        """Write it whatever stands there, which is kept first; returns where. WriteError for a full disk."""
        theirs = keep_file_beside(self.path, "theirs") if self.path.is_file() else None
        self._write(text)
        return theirs

    def _write(self, text: str) -> None:
        write_text(self.path, text)
        self.text, self._seen, self._stat = text, _sum(text), _stat(self.path)

    def leave(self) -> None:
        """Let it go."""
        self.hold.leave()


def keep_beside(path: Path, text: str, whose: str) -> Path:
    """Keep a version of a file under a dated name in the folder `kept` beside it; returns where."""
    return write_text(_kept_name(path, whose), text)


def keep_file_beside(path: Path, whose: str) -> Path:
    """As keep_beside, what stands in the file byte by byte, whatever it is. WriteError when it cannot be copied."""
    try:
        return write_bytes(_kept_name(path, whose), path.read_bytes())
    except OSError as error:
        raise WriteError(
            f"{path} cannot be kept ({(error.strerror or str(error)).lower()}); it stays as it is"
        ) from error


def _kept_name(path: Path, whose: str) -> Path:
    folder = path.parent / KEPT
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise WriteError(f"nothing can be kept in {folder}: {(error.strerror or str(error)).lower()}") from error
    stem = re.sub(r"(\.bathyx)?\.json$", "", path.name)[:80]
    stamp = datetime.now().strftime("%Y-%m-%d-%H%M%S-%f")[:-3]
    return folder / f"{stem}.{whose}-{stamp}.bathyx.json"


def _sum(text: str) -> str:
    return hashlib.sha256(text.encode("utf-8", "surrogatepass")).hexdigest()


def _stat(path: Path) -> tuple[int, int, int] | None:
    try:
        found = path.stat()
    except OSError:
        return None
    return found.st_mtime_ns, found.st_size, found.st_ino
