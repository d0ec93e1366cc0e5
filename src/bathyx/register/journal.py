"""A hold in progress, line by line on disk: what a crash or a power cut would otherwise lose.

One JSON line for the head, then one for each batch of readings; a last line that was cut off is left out.
"""

from __future__ import annotations

import json
import os
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from bathyx.core.proving.decay import Sample


@dataclass(frozen=True)
class BrokenOff:
    """A hold that was begun and never put on record."""

    head: dict[str, Any]
    samples: tuple[Sample, ...]

    @property
    def held_s(self) -> float:
        """Seconds from the first reading to the last."""
        return self.samples[-1].t_s if self.samples else 0.0


class HoldJournal:
    """The journal of one job's hold, `hold-UID.jsonl` in the home folder."""

    def __init__(self, home: Path, uid: str) -> None:
        self.path = home / f"hold-{uid}.jsonl"

    def begin(self, head: Mapping[str, Any]) -> None:
        """Start anew with what is known before the first reading."""
        self._write("w", dict(head))

    def add(self, samples: Sequence[Sample]) -> None:
        """Append readings; on disk before it returns."""
        if samples:
            self._write("a", [[s.t_s, s.gauge_kpa, s.temp_c] for s in samples])

    def read(self) -> BrokenOff | None:
        """The hold that was left, or None when there is none that can be read."""
        try:
            lines = self.path.read_text("utf-8").splitlines()
            head = json.loads(lines[0])
        except (OSError, ValueError, IndexError):
            return None
        samples: list[Sample] = []
        for line in lines[1:]:
            try:
                samples += [Sample(*row) for row in json.loads(line)]
            except (ValueError, TypeError):
                break
        return BrokenOff(head, tuple(samples))

    def clear(self) -> None:
        """The hold is on record, or given up on purpose."""
        self.path.unlink(missing_ok=True)

    def _write(self, mode: str, data: Any) -> None:
        with open(self.path, mode, encoding="utf-8") as file:
            file.write(json.dumps(data) + "\n")
            file.flush()
            os.fsync(file.fileno())
