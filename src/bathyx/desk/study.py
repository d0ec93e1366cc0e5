"""Slow work off the interface thread: in a process of its own where it can be told in plain values, else in a thread."""

from __future__ import annotations

import sys
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from bathyx.desk.turns import TURNS
from bathyx.errors import Refusal, Stopped
from bathyx.studies import KINDS, Running, keep, recall


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
            except Exception as error:  # noqa: BLE001 - told as a fault, and the study ends
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


class KeptStudy(QObject):
    """A study of one kind in a process of its own. Its result is kept on disk and found again, also after a restart."""

    progressed = pyqtSignal(float)
    more = pyqtSignal()
    done = pyqtSignal()
    _heard = pyqtSignal(str, object, int)

    def __init__(self, name: str, home: Path) -> None:
        super().__init__()
        self.kind, self.home = KINDS[name], home
        self.so_far: Any = None
        self.cut_short = False
        self.result: Any = None
        self.trouble = ""
        self.inputs: Any = None
        self._asked: Any = None
        self._looked: Any = None
        self._running: Running | None = None
        self._turn = 0
        self._heard.connect(self._take)

    @property
    def running(self) -> bool:
        """Whether it is at work."""
        return self._running is not None

    def run(self, inputs: Any) -> None:
        """Begin, or find what was found before for the same inputs; an earlier run is stopped."""
        self.stop()
        self._turn += 1
        turn, self._asked = self._turn, inputs
        self.so_far, self.cut_short = None, False
        kept = recall(self.home, self.kind, inputs)
        if kept is not None:
            self._end(kept, "")
            return
        self._running = Running(self.kind, inputs, lambda word, value: self._heard.emit(word, value, turn))

    def stop(self) -> None:
        """End the run in hand. What it had found so far is its result, cut short; without that the last result stays."""
        if self._running is not None:
            self._running.stop()
            self._running = None
            if self.so_far is not None:
                self.result, self.trouble, self.inputs, self.cut_short = self.so_far, "", self._asked, True

    def look(self, inputs: Any) -> None:
        """Take up what was found for these inputs earlier, if anything was and nothing newer is known."""
        if self.running or inputs in (self._looked, self.inputs):
            return
        self._looked = inputs
        kept = recall(self.home, self.kind, inputs)
        if kept is not None:
            self.result, self.trouble, self.inputs = kept, "", inputs

    def stale(self, inputs: Any) -> bool:
        """Whether the result belongs to other inputs."""
        return self.result is not None and inputs != self.inputs

    def _take(self, word: str, value: Any, turn: int) -> None:
        if turn != self._turn or not self.running:
            return
        if word == "progress":
            self.progressed.emit(value)
        elif word == "so far":
            self.so_far = value
            self.more.emit()
        elif word == "result":
            keep(self.home, self.kind, self._asked, value)
            self._end(value, "")
        elif word == "refused":
            self._end(None, value)
        else:
            self._end(None, "a fault of Bathyx: " + value.strip().splitlines()[-1])
            raise StudyFault(value)

    def _end(self, result: Any, trouble: str) -> None:
        self._running = None
        self.result, self.trouble, self.inputs = result, trouble, self._asked
        self.done.emit()


class StudyFault(RuntimeError):
    """What went wrong in a study's process, with its traceback: told as any fault of Bathyx is."""
