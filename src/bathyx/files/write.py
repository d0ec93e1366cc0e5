"""Writing a file whole or not at all: a temporary file of its own name beside it, fsync, rename."""

from __future__ import annotations

import contextlib
import os
import shutil
import tempfile
import time
from pathlib import Path

from bathyx.errors import Refusal

PART = ".part"
LEFT = tuple(f"{PART}{tail}" for tail in ("", "-journal", "-wal", "-shm"))
LEFT_BEHIND_S = 3600.0


class WriteError(Refusal, OSError):
    """The file could not be written; what stood there before is untouched."""


def write_text(path: Path, text: str) -> Path:
    """Write `text` as UTF-8. WriteError when the disk is full or the place cannot be written."""
    return write_bytes(path, text.encode("utf-8"))


def write_bytes(path: Path, data: bytes, mode: int | None = None) -> Path:
    """Write `data`, with permissions `mode` or those that are usual there.

    WriteError when the disk is full or the place cannot be written; nothing half-written is left.

    The temporary file has a name that no other writer has, so two who write at once cannot mix.
    """
    part = None
    try:
        path = path.resolve() if path.is_symlink() else path
        handle, part = tempfile.mkstemp(PART, f".{path.name[:60]}.", path.parent)
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fchmod(file.fileno(), _mode(path) if mode is None else mode)
            os.fsync(file.fileno())
        Path(part).replace(path)
        _settle(path.parent)
    except (OSError, RuntimeError, ValueError) as error:
        if part is not None:
            with contextlib.suppress(OSError):
                Path(part).unlink()
        why = getattr(error, "strerror", None) or str(error)
        raise WriteError(f"{path} was not written ({why.lower()}); what stood there before is untouched") from error
    return path


def _mode(path: Path) -> int:
    try:
        return path.stat().st_mode & 0o777
    except OSError:
        mask = os.umask(0o022)
        os.umask(mask)
        return 0o666 & ~mask


def _settle(folder: Path) -> None:
    """Have the rename itself on disk; a file system that cannot is let be."""
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


def sweep_parts(folder: Path) -> int:
    """Take away temporary files and folders that a killed writer left more than an hour ago; returns how many."""
    swept = 0
    with contextlib.suppress(OSError):
        for entry in os.scandir(folder):
            ours = entry.name.startswith(".") and entry.name.endswith(LEFT) and not entry.is_symlink()
            with contextlib.suppress(OSError):
                if ours and time.time() - entry.stat().st_mtime > LEFT_BEHIND_S:
                    if entry.is_dir():
                        shutil.rmtree(entry.path)
                    else:
                        Path(entry.path).unlink()
                    swept += 1
    return swept
