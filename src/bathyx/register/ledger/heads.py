"""The file of heads: how far the chain had come, noted beside the register after each record.

A register that was cut off at its end, emptied, rebuilt or exchanged for an older one contradicts this file. Each line is
JSON: count, hash, when, and the shop's signature where there is a key. The file may lag by the last record (a crash
between the two) but is never ahead. Old heads thin out and are never all gone; that a copy was brought back stays for ever.
"""

from __future__ import annotations

import contextlib
import fcntl
import json
import math
import os
import re
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from bathyx.register.ledger.chain import Head
from bathyx.register.ledger.keys import ShopKey, signed_by

KEPT = 100
MOST_BYTES, LONGEST = 64_000, 2000
MOST_READ = 16_000_000  # junk before the newest heads is read past, up to here


class HeadsFile:
    """Heads noted beside one register."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def _text(self) -> bytes:
        try:
            with self.path.open("rb") as file:
                return file.read(MOST_READ)
        except OSError:
            return b""

    def lines(self) -> list[dict[str, Any]]:
        """Every line that can be read, oldest first; what else stands in the file is nobody's head."""
        return [said for line in self._text().split(b"\n") if (said := _line(line)) is not None]

    @property
    def unread(self) -> int:
        """How many lines say nothing that can be read."""
        return sum(bool(line.strip()) and _line(line) is None for line in self._text().split(b"\n"))

    def known(self) -> list[Head]:
        """Every head noted that still is to hold: of copies that were brought back, the last alone."""
        lines = self.lines()
        last = max((k for k, line in enumerate(lines) if "restored_from" in line), default=-1)
        return [
            Head(line["count"], line["hash"])
            for k, line in enumerate(lines)
            if k >= last or "restored_from" not in line
        ]

    @property
    def last(self) -> Head | None:
        """The last head noted."""
        heads = self.known()
        return heads[-1] if heads else None

    @property
    def restored(self) -> list[str]:
        """When a copy was brought back, which, and what stood there before, in words."""
        told = []
        for line in self.lines():
            if "restored_from" in line:
                was, copy = str(line.get("was") or "nothing")[:24], str(line["restored_from"])[:80]
                told.append(
                    f"{str(line.get('at'))[:10]!a}: {copy!a}, up to record {line['count']}, in place of what stood at {was!a}"
                )
        return told

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
                    kept = thinned(os.pread(handle, MOST_READ, 0))
                    os.ftruncate(handle, 0)
                    os.write(handle, kept)
                os.write(handle, (json.dumps(said) + "\n").encode())
            finally:
                os.close(handle)

    def carry(self, older: Sequence[dict[str, Any]]) -> None:
        """Write lines of a file that was set aside, for evidence that goes on."""
        with contextlib.suppress(OSError), self.path.open("ab") as file:
            file.write(b"".join(json.dumps(line).encode() + b"\n" for line in older))

    def badly_signed(self, public: str) -> list[int]:
        """Counts of heads whose signature is not the shop's, or which have none though the shop signs by then."""
        found, signs = [], False
        for line in self.lines():
            if "signature" not in line:
                if signs:
                    found.append(line["count"])
                continue
            signs = True
            words = signed_words(Head(line["count"], line["hash"]), str(line.get("at")))
            if not signed_by(public, words, str(line["signature"])):
                found.append(line["count"])
        return found


def _line(line: bytes) -> dict[str, Any] | None:
    """What a line says; None for what no Bathyx wrote, whatever it is."""
    if len(line) > LONGEST:
        return None
    with contextlib.suppress(ValueError, RecursionError):
        said = json.loads(line)
        if isinstance(said, dict) and isinstance(said.get("hash"), str) and re.fullmatch(r"[0-9a-f]{64}", said["hash"]):
            count = said.get("count")
            if isinstance(count, int) and not isinstance(count, bool) and 0 <= count < 10**12:
                return said
    return None


def thinned(text: bytes) -> bytes:
    """The last hundred heads, and of the older ones ever fewer, never none: the oldest of each eighth of a doubling of age.

    What tells of a copy brought back stays for ever, and so does the first head.
    """
    lines = [line for line in text.split(b"\n") if line.strip()]
    told = [(line, said) for line in lines if (said := _line(line)) is not None]
    if not told:
        return b""
    newest = told[-1][1]["count"]
    kept, seen = [], set()
    for k, (line, said) in enumerate(told):
        age = max(newest - said["count"], 1)
        step = int(8 * math.log2(age))
        if k >= len(told) - KEPT or "restored_from" in said or step not in seen:
            kept.append(line)
        seen.add(step)
    return b"".join(line + b"\n" for line in kept)


def signed_words(head: Head, at: str) -> str:
    """What is signed of a head."""
    return f"bathyx head {head} {at}"
