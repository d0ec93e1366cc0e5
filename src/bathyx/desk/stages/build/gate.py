"""The gate of a used tank on the card of Build: each condition with its state, and a line to record it; the reading's age."""

from __future__ import annotations

from datetime import datetime
from functools import partial
from typing import Any

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QCheckBox, QFrame, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from bathyx.core.build.rules import intake_of
from bathyx.core.repair.gate import FOR_THE_REST, FOR_WHAT_BURNS, PARTS, condition_words, conditions, gate, wrong_entry
from bathyx.desk.bench import Bench
from bathyx.desk.views.fields import button, words
from bathyx.desk.views.plain import TextLine

LOOK_MS = 20_000
AIRED = (("hours", "hours open, like 26"), ("flushed", "or flushed with what"))
READING = (
    ("lel_pct", "% LEL"),
    ("o2_pct", "% oxygen"),
    ("instrument", "instrument and its number"),
    ("checked", "last check, like 2026-05-31"),
)


class GatePanel(QFrame):
    """Shown for used tanks only."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self.bench = bench
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(words("The gate: no heat before it is open", "head"))
        self.state = words("", "caution")
        column.addWidget(self.state)
        self.rows: dict[str, QWidget] = {}
        self.said: dict[str, QLineEdit] = {}
        self.marks: dict[str, Any] = {}
        for part, title in PARTS.items():
            row = QWidget()
            inside = QVBoxLayout(row)
            inside.setContentsMargins(0, 2, 0, 2)
            inside.setSpacing(3)
            self.marks[part] = words(title)
            inside.addWidget(self.marks[part])
            line = QHBoxLayout()
            if part == "gas":
                self._lines(inside, READING)
                self._ticks(inside, line)
            elif part == "aired":
                self._lines(inside, AIRED)
                line.addStretch(1)
            else:
                edit = TextLine()
                edit.setObjectName(f"gate {part}")
                edit.setAccessibleName(title)
                edit.setPlaceholderText("by whom" if part in ("permit", "watch") else "how, with what")
                self.said[part] = edit
                line.addWidget(edit, 1)
            line.addWidget(button("Record", f"record {part}", partial(self.record, part)))
            inside.addLayout(line)
            column.addWidget(row)
            self.rows[part] = row
        self.timer = QTimer(self)
        self.timer.timeout.connect(self.refresh)
        self.timer.start(LOOK_MS)

    def _lines(self, inside: QVBoxLayout, asked: tuple[tuple[str, str], ...]) -> None:
        for key, title in asked:
            edit = TextLine()
            edit.setObjectName(f"gate {key}")
            edit.setAccessibleName(title)
            edit.setPlaceholderText(title)
            self.said[key] = edit
            inside.addWidget(edit)

    def _ticks(self, inside: QVBoxLayout, line: QHBoxLayout) -> None:
        self.bumped = QCheckBox("tried with test gas today")
        self.bumped.setObjectName("gate bumped")
        self.inert = QCheckBox("inert on purpose: oxygen is low")
        self.inert.setObjectName("gate inert gas")
        inside.addWidget(self.bumped)
        inside.addWidget(self.inert)
        line.addStretch(1)

    def record(self, part: str) -> bool:
        """Put a condition on record, by who works here."""
        now = datetime.now().astimezone()
        keys = [key for key, _ in {"gas": READING, "aired": AIRED}.get(part, ())]
        payload: dict[str, Any] = {key: self.said[key].text().strip() for key in keys}
        if part == "gas":
            payload |= {"bumped": self.bumped.isChecked(), "inert": self.inert.isChecked()}
        elif not keys:
            payload = {"words": self.said[part].text().strip()}
        if why := wrong_entry(part, payload, now):
            self.bench.said.emit("trouble", f"Not recorded: {why}")
            return False
        added = self.bench.add_record("gate", part, payload)
        if added:
            for key in keys or [part]:
                self.said[key].clear()
            self.bumped.setChecked(False)
            self.inert.setChecked(False)
            self.refresh()
        return added

    def refresh(self) -> None:
        """What is on record, and whether heat may be used now."""
        repair = intake_of(self.bench.job, self.bench.record.standing)
        self.setVisible(repair is not None)
        if repair is None:
            return
        now = datetime.now().astimezone()
        kept = conditions(self.bench.record.standing)
        found = gate(repair, kept, now)
        self.state.setText(found.words)
        self.state.setProperty("look", "quiet" if found.open else "caution")
        newest = {entry.part: entry for entry in kept}
        wanted = FOR_WHAT_BURNS if repair.burns else FOR_THE_REST
        for part, title in PARTS.items():
            self.rows[part].setVisible(part in wanted and not found.refused)
            entry = newest.get(part)
            if entry is None:
                self.marks[part].setText(f"○ {title}")
                continue
            said = condition_words(entry.said)
            self.marks[part].setText(f"✓ {title}\n    {entry.at.astimezone():%d %b %H:%M} {entry.who}: {said}")
