"""Reading a file that may be anything: only regular files, only up to a size, only text."""

from __future__ import annotations

import codecs
import os
import stat
from pathlib import Path

from bathyx.errors import Refusal

MOST_BYTES = 4_000_000
_KINDS = (
    (stat.S_ISDIR, "a folder"),
    (stat.S_ISFIFO, "a pipe"),
    (stat.S_ISCHR, "a device"),
    (stat.S_ISBLK, "a device"),
    (stat.S_ISSOCK, "a socket"),
)
_OTHER_MARKS = ((codecs.BOM_UTF32_LE, "UTF-32"), (codecs.BOM_UTF16_LE, "UTF-16"), (codecs.BOM_UTF16_BE, "UTF-16"))


class ReadError(Refusal, OSError):
    """The file cannot be read; the message says why and what would be right."""


def read_bytes(path: Path, most_bytes: int = MOST_BYTES) -> bytes:
    """What a regular file of at most `most_bytes` holds. ReadError otherwise. A pipe or a device is never waited for."""
    try:
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    except (OSError, ValueError) as error:
        why = getattr(error, "strerror", None) or str(error)
        if path.is_symlink() and not path.exists():
            why = f"it is a link to {path.readlink()}, which is not there"
        raise ReadError(f"{_name(path)} cannot be read: {why[0].lower() + why[1:]}") from None
    found = os.fstat(handle)
    word = next((word for is_kind, word in _KINDS if is_kind(found.st_mode)), "")
    if word:
        os.close(handle)
        raise ReadError(f"{_name(path)} is {word}; Bathyx reads plain files only")
    with os.fdopen(handle, "rb") as file:
        if found.st_size > most_bytes:
            raise ReadError(
                f"{_name(path)} is {found.st_size / 1e6:.0f} MB; Bathyx reads up to {most_bytes / 1e6:.0f} MB: "
                "a job is a few kB, so this is some other file"
            )
        try:
            data = file.read(most_bytes + 1)
        except OSError as error:
            raise ReadError(f"{_name(path)} cannot be read: {error.strerror}") from None
    if len(data) > most_bytes:
        raise ReadError(f"{_name(path)} grows while it is read; wait until whatever writes it has finished")
    return data


def read_text(path: Path, most_bytes: int = MOST_BYTES) -> str:
    """The text of a regular UTF-8 file of at most `most_bytes`, a byte-order mark taken off. ReadError otherwise."""
    data = read_bytes(path, most_bytes)
    for mark, kind in _OTHER_MARKS:
        if data.startswith(mark):
            raise ReadError(f"{_name(path)} is {kind} text; save it as UTF-8")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise ReadError(
            f"{_name(path)} is no UTF-8 text (byte {error.start} is 0x{data[error.start]:02x}); "
            "a Bathyx job is a JSON file in UTF-8"
        ) from None


def _name(path: Path) -> str:
    text = str(path)
    return text if text.isprintable() and len(text) < 120 else ascii(text[-100:])
