"""The window of the last ply as a running clock on the card of Build."""

from __future__ import annotations

from datetime import datetime

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from bathyx.core.laminate.window import window
from bathyx.desk.bench import Bench
from bathyx.desk.views.fields import relook, words

LOOK_MS = 20_000


class PlyClock(QWidget):
    """Shown for laid-up tanks with a ply or tape on record."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self.bench = bench
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.state = words("", "quiet")
        self.state.setObjectName("ply window")
        column.addWidget(self.state)
        self.timer = QTimer(self)
        self.timer.timeout.connect(self.refresh)
        self.timer.start(LOOK_MS)

    def refresh(self) -> None:
        """How long the next ply still bonds by itself."""
        layup, laid = self.bench.job.layup, [e for e in self.bench.record.standing if e.kind == "weld"]
        self.setVisible(layup is not None and bool(laid))
        if layup is None or not laid:
            return
        found = window(layup, datetime.fromisoformat(laid[-1].at), datetime.now().astimezone())
        self.state.setText(f"{found.said}. By the last entry of the log, {laid[-1].subject}.")
        relook(self.state, "look", "caution" if found.state == "shut" else "quiet")
