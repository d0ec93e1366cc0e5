"""Who has a file in hand: a lock beside it that says so, and goes by itself when its process ends.

The lock is the kernel's (`flock`) on a small file beside the job; what stands in that file names the holder. A process
that is killed holds nothing any more, whatever its file says.
"""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import json
import os
import socket
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

TRIES = 20


@dataclass(frozen=True)
class Holder:
    """Who holds a file: the name at the bench, machine, process, since when (ISO)."""

    who: str
    machine: str
    process: int
    since: str

    @property
    def words(self) -> str:
        """For a notice."""
        name = self.who or "someone"
        return f"{name} at {self.machine or 'another bench'}, since {self.since[11:16] or 'just now'}"


class FileHold:
    """A file in hand. `taken` says whether it is ours; `holder` says who has it otherwise.

    `trouble` is set where no lock can be made (a read-only folder): then nothing is held and nothing stops a second writer
    but the check of what stands in the file.
    """

    def __init__(self, path: Path, who: str = "") -> None:
        name = (
            path.name
            if len(path.name) <= 100
            else f"{path.name[:80]}{hashlib.sha256(path.name.encode()).hexdigest()[:16]}"
        )
        self.path = path.with_name(f".{name}.held")
        self._handle: int | None = None
        self.holder: Holder | None = None
        self.trouble = ""
        for _ in range(TRIES):
            try:
                handle = os.open(self.path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC | os.O_NOFOLLOW, 0o666)
            except OSError as error:
                self.trouble = error.strerror or str(error)
                return
            try:
                fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError:
                self.holder = _holder(handle)
                os.close(handle)
                return
            if _same_file(handle, self.path):
                self._handle = handle
                self.name(who)
                return
            # It was let go, and its file taken away, between opening and locking: what is locked here nobody else can see.
            os.close(handle)

    @property
    def taken(self) -> bool:
        """Whether the file is in our hand."""
        return self._handle is not None

    def name(self, who: str) -> None:
        """Say who holds it."""
        if self._handle is None:
            return
        mine = Holder(who, socket.gethostname(), os.getpid(), datetime.now().astimezone().isoformat(timespec="seconds"))
        with contextlib.suppress(OSError):
            os.ftruncate(self._handle, 0)
            os.pwrite(self._handle, json.dumps(mine.__dict__).encode(), 0)

    def leave(self) -> None:
        """Let go; the small file goes too."""
        if self._handle is None:
            return
        with contextlib.suppress(OSError):
            self.path.unlink()
        os.close(self._handle)
        self._handle = None


def _same_file(handle: int, path: Path) -> bool:
    try:
        there, ours = path.stat(), os.fstat(handle)
    except OSError:
        return False
    return (there.st_dev, there.st_ino) == (ours.st_dev, ours.st_ino)


def sweep_holds(folder: Path) -> int:
    """Take away lock files that a killed process left; returns how many. One that somebody holds is let be."""
    swept = 0
    with contextlib.suppress(OSError):
        for entry in os.scandir(folder):
            if entry.name.startswith(".") and entry.name.endswith(".held") and entry.is_file(follow_symlinks=False):
                with contextlib.suppress(OSError):
                    handle = os.open(entry.path, os.O_RDWR | os.O_CLOEXEC | os.O_NOFOLLOW)
                    try:
                        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
                        if _same_file(handle, Path(entry.path)):
                            Path(entry.path).unlink()
                            swept += 1
                    finally:
                        os.close(handle)
    return swept


def _holder(handle: int) -> Holder:
    try:
        said = json.loads(os.pread(handle, 2000, 0))
        return Holder(str(said["who"]), str(said["machine"]), int(said["process"]), str(said["since"]))
    except (OSError, ValueError, KeyError, TypeError):
        return Holder("", "", 0, "")
