"""The file of heads: how far the chain had come, noted beside the register after each record.

A register that was cut off at its end, emptied, rebuilt or exchanged for an older one contradicts this file. Each line is
JSON: count, hash, when, and the shop's signature where there is a key. The file may lag by the last record (a crash
between the two) but is never ahead.
"""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
from pathlib import Path
from typing import Any

from bathyx.register.chain import Head
from bathyx.register.keys import ShopKey, signed_by

KEPT = 100
MOST_BYTES = 64_000


class HeadsFile:
    """Heads noted beside one register."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def lines(self) -> list[dict[str, Any]]:
        """Every line that can be read, oldest first."""
        try:
            text = self.path.read_bytes().decode("utf-8", "replace")
        except OSError:
            return []
        found = []
        for line in text.splitlines():
            with contextlib.suppress(ValueError, KeyError, TypeError):
                said = json.loads(line)
                found.append(said | {"count": int(said["count"]), "hash": str(said["hash"])})
        return found

    def known(self) -> list[Head]:
        """Heads since the last restoring of a copy, which starts the file anew."""
        return [Head(line["count"], line["hash"]) for line in self.lines()]

    @property
    def last(self) -> Head | None:
        """The last head noted."""
        heads = self.known()
        return heads[-1] if heads else None

    def note(self, head: Head, at: str, key: ShopKey | None = None, **more: str) -> None:
        """Add a head; what cannot be written is let be, the register itself holds the record."""
        said: dict[str, Any] = {"count": head.count, "hash": head.hash, "at": at, **more}
        if key is not None:
            said["key"], said["signature"] = key.public, key.sign(signed_words(head, at))
        with contextlib.suppress(OSError):
            handle = os.open(self.path, os.O_RDWR | os.O_CREAT | os.O_APPEND | os.O_CLOEXEC, 0o666)
            try:
                fcntl.flock(handle, fcntl.LOCK_EX)
                if os.fstat(handle).st_size > MOST_BYTES:
                    kept = os.pread(handle, 4 * MOST_BYTES, 0).splitlines(keepends=True)[-KEPT:]
                    os.ftruncate(handle, 0)
                    os.write(handle, b"".join(kept))
                os.write(handle, (json.dumps(said) + "\n").encode())
            finally:
                os.close(handle)

    def badly_signed(self, public: str) -> list[int]:
        """Counts of heads whose signature is not the shop's."""
        return [
            line["count"]
            for line in self.lines()
            if "signature" in line
            and not signed_by(public, signed_words(Head(line["count"], line["hash"]), str(line.get("at"))), str(line["signature"]))
        ]  # fmt: skip


def signed_words(head: Head, at: str) -> str:
    """What is signed of a head."""
    return f"bathyx head {head} {at}"
