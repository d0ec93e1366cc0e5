"""A register that could not be opened: the work goes on without it, nothing is read, and adding says why."""

from __future__ import annotations

from typing import Any, NoReturn

from bathyx.register.chain import FIRST_HASH, Head
from bathyx.register.errors import RegisterError


class ShutRegister:
    """Register's doors, shut."""

    path = None
    key = None

    def __init__(self, why: str) -> None:
        self.why = why

    def _refuse(self, *_: Any, **__: Any) -> NoReturn:
        raise RegisterError(f"no record was made: {self.why}", "denied")

    add = add_readings = add_test = freeze = document = find = verify = _refuse

    def entries(self, _uid: str) -> tuple[()]:
        """None can be read."""
        return ()

    documents = readings = samples_of = entries

    def last_id(self, _uid: str) -> int:
        """None."""
        return 0

    def last_reading_at(self, _hold: Any) -> str:
        """Never."""
        return ""

    def serial(self, _uid: str) -> None:
        """Not known."""
        return None

    def revision_of(self, _job: Any) -> tuple[int, bool]:
        """Not known."""
        return 0, False

    def same_build(self, _job: Any) -> frozenset[int]:
        """None."""
        return frozenset()

    def head(self) -> Head:
        """None."""
        return Head(0, FIRST_HASH)

    def close(self) -> None:
        """Nothing to close."""
