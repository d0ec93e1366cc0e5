"""Starting: the window is painted first, with nothing but Qt loaded; the rest is imported and furnished after."""

from __future__ import annotations

import os
import sys
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication

from bathyx.desk.theme import load_fonts
from bathyx.desk.window import Window


def start(home: Path, job: Path | None, demo: bool = False) -> int:
    """Open the desk on `home` and run until its window is closed; returns the exit code."""
    app = QApplication.instance() or QApplication(sys.argv[:1])
    app.setApplicationName("Bathyx")
    app.setDesktopFileName("bathyx")
    load_fonts()
    window = open_window(home, job, demo)
    if os.environ.get("BATHYX_BENCH"):
        window.furnished.connect(lambda: report(window))
    return int(app.exec())


def open_window(home: Path, job: Path | None = None, demo: bool = False) -> Window:
    """The window, shown and painted; it furnishes itself on the next turn of the event loop."""
    window = Window(home)
    window.resize(1280, 800)
    window.show()
    app = QApplication.instance()
    for _ in range(200):
        app.processEvents()
        if window.painted_once:
            break
    if os.environ.get("BATHYX_BENCH"):
        print("first paint", flush=True)
    QTimer.singleShot(0, lambda: window.furnish(job, demo))
    return window


def report(window: Window) -> None:
    """For `make bench`: say that the job is drawn and live, how much memory that takes, and leave."""
    QApplication.processEvents()
    print("live", flush=True)
    with open("/proc/self/status", encoding="ascii") as status:
        resident = next(line for line in status if line.startswith("VmRSS"))
    print("rss_kb", resident.split()[1], flush=True)
    window.close()
    QApplication.quit()
