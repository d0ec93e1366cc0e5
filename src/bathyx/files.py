"""Writing a file whole or not at all: temporary file beside it, fsync, rename."""

from __future__ import annotations

import os
from pathlib import Path


class WriteError(OSError):
    """The file could not be written; what stood there before is untouched."""


def write_text(path: Path, text: str) -> Path:
    """Write `text` as UTF-8. WriteError when the disk is full or the place cannot be written."""
    part = path.with_name(f".{path.name}.part")
    try:
        with open(part, "w", encoding="utf-8", newline="") as file:
            file.write(text)
            file.flush()
            os.fsync(file.fileno())
        os.replace(part, path)
    except OSError as error:
        part.unlink(missing_ok=True)
        raise WriteError(
            f"{path} was not written ({error.strerror or error}); what stood there before is untouched"
        ) from error
    return path
