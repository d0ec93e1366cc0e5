"""Faults of Bathyx: whatever is raised and nobody awaited is logged, said in the window, and the work goes on.

Python would end the program at an exception in a slot. Here a Refusal that reached nobody is said as what it is, and
anything else becomes a fault: its traceback goes to a rotating file in the state folder and into the window to be copied.
"""

from __future__ import annotations

import contextlib
import faulthandler
import logging
import logging.handlers
import os
import platform
import sys
import threading
import traceback
from dataclasses import dataclass
from pathlib import Path
from types import TracebackType
from typing import Any

from PyQt6.QtCore import PYQT_VERSION_STR, QT_VERSION_STR, QObject, pyqtSignal

from bathyx import __version__
from bathyx.errors import Refusal, brief

SAFE = "What was saved is safe: job files and records are whole up to the last one made."
LOG_BYTES, LOG_FILES = 500_000, 3


@dataclass(frozen=True)
class Fault:
    """What happened: one line for the window, the whole for whoever mends it, and where it is logged."""

    line: str
    whole: str
    log: str
    times: int = 1


def state_folder() -> Path:
    """bathyx under the XDG state folder."""
    return Path(os.environ.get("XDG_STATE_HOME") or Path.home() / ".local" / "state") / "bathyx"


class FaultPost(QObject):
    """Where exceptions end up that nobody caught. `happened` and `refused` are emitted on the interface thread."""

    happened = pyqtSignal(object)
    refused = pyqtSignal(str)

    def __init__(self, folder: Path | None = None) -> None:
        super().__init__()
        self.log_path = ""
        self._seen: dict[str, int] = {}
        self._logger = logging.getLogger("bathyx.faults")
        self._logger.propagate = False
        self._logger.setLevel(logging.INFO)
        self._handler: logging.Handler | None = None
        self._crash_file: Any = None
        self._before: tuple[Any, Any] | None = None
        try:
            folder = folder or state_folder()
            folder.mkdir(parents=True, exist_ok=True)
            path = folder / "bathyx.log"
            self._handler = logging.handlers.RotatingFileHandler(
                path, maxBytes=LOG_BYTES, backupCount=LOG_FILES, encoding="utf-8", errors="backslashreplace"
            )
            self._handler.setFormatter(logging.Formatter("%(asctime)s %(message)s"))
            self._logger.addHandler(self._handler)
            self._crash_file = (folder / "crash.log").open("a", encoding="utf-8")
            self.log_path = str(path)
        except (OSError, RuntimeError):  # no state folder, no log: the window still says what happened
            self.log_path = ""

    def install(self) -> None:
        """Take every exception that nobody catches, of any thread; and note where it stood when the program dies outright."""
        self._before = (sys.excepthook, threading.excepthook)
        sys.excepthook = self._caught
        threading.excepthook = lambda a: self._caught(a.exc_type, a.exc_value, a.exc_traceback)
        if self._crash_file is not None:
            faulthandler.enable(self._crash_file)

    def remove(self) -> None:
        """Give the hooks back."""
        if self._before is not None:
            sys.excepthook, threading.excepthook = self._before
            self._before = None
        if self._handler is not None:
            self._logger.removeHandler(self._handler)
            self._handler.close()
        if self._crash_file is not None:
            faulthandler.disable()
            self._crash_file.close()
            self._crash_file = None

    def _caught(self, kind: type[BaseException], error: BaseException | None, trace: TracebackType | None) -> None:
        if kind is not None and issubclass(kind, KeyboardInterrupt):
            sys.__excepthook__(kind, error, trace)  # type: ignore[arg-type]
            return
        if isinstance(error, Refusal):
            with contextlib.suppress(RuntimeError):  # the window is gone already
                self.refused.emit(brief(str(error)))
            return
        self.take(error, trace)

    def take(self, error: BaseException | None, trace: TracebackType | None = None) -> Fault:
        """Log a fault and say it. The same one again only counts."""
        frames = trace or (error.__traceback__ if error is not None else None)
        kind = type(error) if error is not None else None
        lines = traceback.format_exception(kind, error, frames, limit=40)
        told = "".join(lines)[-8000:]
        line = brief(f"{type(error).__name__}: {error}" if str(error) else type(error).__name__, 1, 160)
        times = self._seen[told] = self._seen.get(told, 0) + 1
        if len(self._seen) > 200:
            self._seen.clear()
        whole = (
            f"Bathyx {__version__}, Python {platform.python_version()}, Qt {QT_VERSION_STR}, PyQt {PYQT_VERSION_STR}, "
            f"{platform.system()} {platform.release()}\n{told}"
        )
        if times in (1, 10, 100, 1000):
            self._logger.error("fault (%d times)\n%s", times, whole)
        fault = Fault(line, whole, self.log_path, times)
        with contextlib.suppress(RuntimeError):
            self.happened.emit(fault)
        return fault
