"""Slow work off the interface thread: progress, stop, and the hash of what it was run on."""

from __future__ import annotations

import sys
import threading
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from bathyx.desk.turns import TURNS
from bathyx.errors import Refusal, Stopped


class Study(QObject):
    """One kind of study. `run` calls `work(progress)` in a thread; `progress(share)` returns False once stopped."""

    progressed = pyqtSignal(float)
    done = pyqtSignal()
    _came = pyqtSignal(object, object, int)

    def __init__(self, work: Callable[..., Any]) -> None:
        super().__init__()
        self.work = work
        self.result: Any = None
        self.trouble = ""
        self.key: object = None
        self.running = False
        self._turn = 0
        self._stop = threading.Event()
        self._came.connect(self._take)

    def run(self, key: object, *arguments: Any) -> None:
        """Begin on inputs whose fingerprint is `key`; an earlier run is stopped."""
        self.stop()
        self._turn += 1
        turn, stop = self._turn, threading.Event()
        self._stop, self.running = stop, True

        def progress(share: float) -> bool:
            TURNS.give_way()
            if not stop.is_set():
                self.progressed.emit(share)
            return not stop.is_set()

        def go() -> None:
            try:
                with TURNS:
                    if stop.is_set():
                        return
                    outcome: Any = self.work(*arguments, progress=progress)
            except (Refusal, Stopped) as error:
                outcome = error
            except Exception as error:
                outcome = error
                sys.excepthook(type(error), error, error.__traceback__)
            self._came.emit(outcome, key, turn)

        threading.Thread(target=go, name="study", daemon=True).start()

    def stop(self) -> None:
        """Give up the run in hand; the last result stays."""
        self._stop.set()
        self.running = False

    def stale(self, key: object) -> bool:
        """Whether the result belongs to other inputs than `key`."""
        return self.result is not None and key != self.key

    def _take(self, outcome: Any, key: object, turn: int) -> None:
        if turn != self._turn or not self.running:
            return
        self.running = False
        if isinstance(outcome, Exception):
            fault = "" if isinstance(outcome, (Refusal, Stopped)) else "a fault of Bathyx: "
            self.result, self.trouble = None, f"{fault}{outcome}"
        else:
            self.result, self.trouble = outcome, ""
        self.key = key
        self.done.emit()
