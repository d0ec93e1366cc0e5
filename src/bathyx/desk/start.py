"""Starting: the window is painted first, with nothing but Qt loaded; the rest is imported and furnished after."""

from __future__ import annotations

import atexit
import logging
import os
import sys
from pathlib import Path
from typing import NoReturn

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication

from bathyx.desk.place import put_back
from bathyx.desk.theme import load_fonts
from bathyx.desk.turns import wait_for_helpers
from bathyx.desk.window import Window

SWITCH_S, DESKTOP_ID = 0.0005, "example.bathyx.Bathyx"


def start(home: Path, job: Path | None, demo: bool = False) -> NoReturn:
    """Open the desk on `home`, run until its window is closed, and end the process."""
    app = _app()
    app.setApplicationName("Bathyx")
    app.setDesktopFileName(DESKTOP_ID)
    load_fonts()
    window = open_window(home, job, demo)
    window.faults.install()
    if os.environ.get("BATHYX_BENCH"):
        window.furnished.connect(lambda: report(window))
    code = int(app.exec())
    wait_for_helpers()
    logging.shutdown()
    sys.stdout.flush()
    sys.stderr.flush()
    # Window, register and file are let go of by now. Taken down by the interpreter, parts of Qt end the process with a signal, once
    # in some eighty times, after the last thing that matters.
    os._exit(code)


def open_window(home: Path, job: Path | None = None, demo: bool = False) -> Window:
    """The window, shown and painted; it furnishes itself on the next turn of the event loop."""
    # Every event that is handled in Python waits for its turn; behind a thread that evaluates, 5 ms each would be felt.
    sys.setswitchinterval(SWITCH_S)
    atexit.unregister(wait_for_helpers)
    atexit.register(wait_for_helpers)
    window = Window(home)
    window.resize(1280, 800)
    put_back(window, home)
    window.show()
    app = _app()
    for _ in range(200):
        app.processEvents()
        if window.painted_once:
            break
    if os.environ.get("BATHYX_BENCH"):
        print("first paint", flush=True)
    window.another_home.connect(lambda folder: _go_to(window, folder))
    QTimer.singleShot(0, lambda: window.furnish(job, demo))
    return window


def _app() -> QApplication:
    """The application there is, or a new one."""
    there = QApplication.instance()
    return there if isinstance(there, QApplication) else QApplication(sys.argv[:1])


def _go_to(window: Window, folder: Path) -> None:
    """Another home is opened in a window of its own, and the one before closes."""
    after = open_window(folder)
    after.faults.install()
    _app().setProperty("bathyx window", after)
    window.close()


def report(window: Window) -> None:
    """For `make bench`: say that the job is drawn and live, how much memory that takes, and leave."""
    QApplication.processEvents()
    print("live", flush=True)
    with Path("/proc/self/status").open(encoding="ascii") as status:
        resident = next(line for line in status if line.startswith("VmRSS"))
    print("rss_kb", resident.split()[1], flush=True)
    window.close()
    QApplication.quit()
