"""What a bench asks of a register, whichever stands behind it: a file, a server, or none at all."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, Protocol

from bathyx.core.job import Job
from bathyx.core.proving.decay import Sample
from bathyx.register.ledger.chain import Broken, Head
from bathyx.register.ledger.entries import Entry, Found
from bathyx.register.ledger.keys import ShopKey


class Book(Protocol):
    """The doors of `Register`, which see; `ServedRegister` and `ShutRegister` have the same. Any may raise RegisterError."""

    key: ShopKey | None

    @property
    def path(self) -> Path | None:
        """The file it is in; None where there is none."""

    def close(self) -> None:
        """Let it go."""

    def add(
        self, job: Job, kind: str, subject: str, payload: dict[str, Any], who: str, corrects: int | None = None
    ) -> Entry:
        """Add an entry.

        Args:
            job: as it stands: frozen as a revision where it changed.
            kind: of the entry.
            subject: what it is about.
            payload: JSON of plain values.
            who: at the bench.
            corrects: number of the entry that it corrects.
        """

    def add_readings(self, hold: Entry, rows: list[list[float]], who: str, *, line: Sequence[str] = ()) -> Entry:
        """Add readings of a hold.

        Args:
            hold: the entry that began it.
            rows: readings, as the hold stores them.
            who: at the bench.
            line: what went wrong on the gauge line meanwhile.
        """

    def add_test(self, job: Job, hold: Entry, payload: dict[str, Any], who: str) -> Entry:
        """End a hold.

        Args:
            job: of the hold.
            hold: the entry that began it.
            payload: the verdict with its figures.
            who: signs.
        """

    def entries(self, uid: str) -> tuple[Entry, ...]:
        """Every entry of a job, oldest first."""

    def booked(self) -> tuple[dict[str, Any], ...]:
        """What standing ticks of any job say where minutes were booked with them."""

    def last_id(self, uid: str) -> int:
        """Id of its last entry; 0 without one."""

    def readings(self, hold: Entry) -> tuple[Sample, ...]:
        """What was read in a hold."""

    def samples_of(self, test: Entry) -> tuple[Sample, ...]:
        """What a test was judged by."""

    def last_reading_at(self, hold: Entry) -> str:
        """When a hold was last read."""

    def serial(self, uid: str) -> str | None:
        """The tank's serial."""

    def revision_of(self, job: Job) -> tuple[int, bool]:
        """(newest revision, whether the job is that)."""

    def same_build(self, job: Job) -> frozenset[int]:
        """Revisions of the same build."""

    def documents(self, uid: str) -> tuple[tuple[int, str], ...]:
        """Frozen revisions."""

    @property
    def restored(self) -> tuple[str, ...]:
        """When a copy was brought back in the register's place, in words."""

    def head(self) -> Head:
        """Count and hash of the chain."""

    def find(self, words: str = "", fluid: str = "", since: str = "", until: str = "") -> tuple[Found, ...]:
        """Tanks that hold every word.

        Args:
            words: all of them must be found; in any case.
            fluid: key of a fluid, empty for any.
            since: first day, ISO, empty for any.
            until: last day, ISO, empty for any.
        """

    def document(self, uid: str, number: int) -> str:
        """A frozen revision."""

    def verify(
        self, expect: Head | None = None, public: str = "", pulse: Callable[[], object] = lambda: None
    ) -> tuple[Broken, ...]:
        """Where it contradicts itself."""
