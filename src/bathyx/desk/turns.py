"""One heavy piece of work at a time beside the interface thread.

Python runs one thread at a time. With one other thread at work the window takes at most twice as long; with four, five
times, and an edit is felt. So studies, papers and the shelf take turns, and the long ones give way in between. Nobody waits
for ever: one that keeps its turn for longer than a second has company from then on.
"""

from __future__ import annotations

import threading
import time
from types import TracebackType

GIVE_WAY_S = 0.002
MOST_WAIT_S = 1.0
HELPERS = ("study", "shelf", "copy of the day", "papers")


class Turns:
    """A lock that a long piece of work may pass on in its middle, and that is waited for a second at most."""

    def __init__(self, most_wait_s: float = MOST_WAIT_S) -> None:
        self._lock = threading.Lock()
        self._most_wait_s = most_wait_s
        self._whose: int | None = None

    def __enter__(self) -> Turns:
        if self._lock.acquire(timeout=self._most_wait_s):
            self._whose = threading.get_ident()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._whose == threading.get_ident():
            self._whose = None
            self._lock.release()

    def give_way(self) -> None:
        """Let whoever waits have the turn, and wait for it to come back; nothing for a thread that has it not."""
        if self._whose != threading.get_ident():
            return
        self.__exit__(None, None, None)
        time.sleep(GIVE_WAY_S)
        self.__enter__()


TURNS = Turns()


def wait_for_helpers(most_s: float = 3.0) -> None:
    """Let what works beside the interface thread come to its end, before the parts of Qt that it tells of it are gone."""
    end = time.monotonic() + most_s
    for thread in threading.enumerate():
        if thread is not threading.current_thread() and thread.name in HELPERS:
            thread.join(max(end - time.monotonic(), 0.0))
