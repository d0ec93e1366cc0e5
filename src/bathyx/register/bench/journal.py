"""Records kept at a bench while the server is away, in the order they were made, on disk before anybody is told so.

One JSON line a record, and a line for each that was handed in. A record carries a token of its own, so that one that did
reach the server before the line broke is not added twice. What was handed in whole is kept under a dated name.
"""

from __future__ import annotations

import contextlib
import json
import os
from datetime import datetime
from pathlib import Path
from typing import Any

from bathyx.register.errors import RegisterError


class Journal:
    """The journal of one bench for one server."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self.real: dict[int, int] = {}  # entries on the server by the stand-in they had here
        self._pending = self._read()

    @property
    def pending(self) -> list[dict[str, Any]]:
        """Records that wait, oldest first."""
        return list(self._pending)

    def __len__(self) -> int:
        return len(self._pending)

    def put(self, record: dict[str, Any]) -> None:
        """Keep a record. RegisterError when the disk takes nothing more: then it is kept nowhere."""
        self._append(record)
        self._pending.append(record)

    def done(self, record: dict[str, Any], outcome: str, id_: int) -> None:
        """Note that a record was handed in as entry `id_`, or why the server would not have it."""
        token = record["token"]
        self.real[record["stand_in"]] = id_
        with contextlib.suppress(RegisterError):  # noted again next time: the server knows the token
            self._append({"done": token, "outcome": outcome, "stand_in": record["stand_in"], "id": id_})
        self._pending = [r for r in self._pending if r["token"] != token]
        if not self._pending:
            stamp = datetime.now().strftime("%Y-%m-%d-%H%M%S-%f")
            with contextlib.suppress(OSError):
                self.path.rename(self.path.with_name(f"{self.path.stem}.handed-{stamp}.jsonl"))

    def _append(self, line: dict[str, Any]) -> None:
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
            handle = os.open(self.path, os.O_WRONLY | os.O_CREAT | os.O_APPEND | os.O_CLOEXEC, 0o600)
            try:
                data = (json.dumps(line) + "\n").encode()  # ASCII: no letter of a note ends a line
                if os.fstat(handle).st_size and not self._ends_whole():
                    data = b"\n" + data
                size = os.fstat(handle).st_size
                try:
                    if os.write(handle, data) != len(data):
                        raise OSError(28, "no space left on device")
                    os.fsync(handle)
                except OSError:
                    os.ftruncate(handle, size)
                    raise
            finally:
                os.close(handle)
        except OSError as error:
            why = (error.strerror or str(error)).lower()
            raise RegisterError(f"the server is away, and nothing can be kept here either: {why}", "full") from None

    def _ends_whole(self) -> bool:
        with self.path.open("rb") as file:
            file.seek(-1, os.SEEK_END)
            return file.read(1) == b"\n"

    def _read(self) -> list[dict[str, Any]]:
        try:
            # A line ends at its line feed alone: notes hold what else is taken for an end of line (U+2028, U+0085).
            lines = self.path.read_bytes().decode("utf-8", "replace").split("\n")
        except OSError:
            return []
        waiting: dict[str, dict[str, Any]] = {}
        for line in lines:
            with contextlib.suppress(ValueError, KeyError, TypeError, AttributeError, RecursionError):
                said = json.loads(line)
                if "done" in said:
                    waiting.pop(said["done"], None)
                    self.real[said["stand_in"]] = said["id"]
                else:
                    waiting[said["token"]] = said
        return list(waiting.values())
