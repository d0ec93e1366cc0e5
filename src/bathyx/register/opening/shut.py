"""A register that could not be opened: the work goes on without it, nothing is read, and adding says why."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from bathyx.core.job import Job
from bathyx.register.errors import RegisterError
from bathyx.register.ledger.chain import FIRST_HASH, Head
from bathyx.register.ledger.entries import Entry
from bathyx.register.ledger.keys import ShopKey


class ShutRegister:
    """Register's doors, shut."""

    path: Path | None = None
    key: ShopKey | None = None

    def __init__(self, why: str) -> None:
        self.why = why

    def _refuse(self, *_: Any, **__: Any) -> Any:
        raise RegisterError(f"no record was made: {self.why}", "denied")

    add = add_readings = add_test = freeze = document = find = verify = _refuse

    def _none(self, *_: Any, **__: Any) -> Any:
        return ()

    entries = documents = readings = samples_of = booked = _none

    def last_id(self, uid: str) -> int:
        """None."""
        return 0

    def last_reading_at(self, hold: Entry) -> str:
        """Never."""
        return ""

    def serial(self, uid: str) -> None:
        """Not known."""
        return None

    def revision_of(self, job: Job) -> tuple[int, bool]:
        """Not known."""
        return 0, False

    def same_build(self, job: Job) -> frozenset[int]:
        """None."""
        return frozenset()

    @property
    def restored(self) -> tuple[str, ...]:
        """None."""
        return ()

    def head(self) -> Head:
        """None."""
        return Head(0, FIRST_HASH)

    def close(self) -> None:
        """Nothing to close."""
