"""The day before on the card of Build: what the tank takes, what is at hand, and what is short."""

from __future__ import annotations

import re

from PyQt6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from bathyx.core.build.day_before import needs
from bathyx.desk.bench import Bench
from bathyx.desk.views.fields import button, words


class DayBefore(QWidget):
    """Folded away until it is asked for; what is at hand is the shop's, not the job's."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self.bench = bench
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.turn = button("The day before: is everything there?", "day before", self._turned, "link")
        column.addWidget(self.turn)
        self.lines = words("")
        self.short = words("", "caution")
        self.edit = QLineEdit(str(bench.settings["at_hand"]))
        self.edit.setObjectName("at hand")
        self.edit.setPlaceholderText("at hand: gas_m3=1.4, filler_kg=0.5, sheets=1")
        self.edit.editingFinished.connect(self._take)
        for part in (self.lines, self.edit, self.short):
            column.addWidget(part)
        self.open = False

    def _turned(self) -> None:
        self.open = not self.open
        self.refresh()

    def _take(self) -> None:
        self.bench.settings.keep("at_hand", self.edit.text().strip())
        self.refresh()

    def at_hand(self) -> tuple[dict[str, float], str]:
        """(what is there by its key, what is not understood)."""
        found: dict[str, float] = {}
        for part in filter(None, re.split(r"[,;\s]+", self.edit.text().strip())):
            what, _, amount = part.partition("=")
            try:
                found[what] = float(amount)
            except ValueError:
                return found, f"{part!r} is not understood; write it like gas_m3=1.4"
        return found, ""

    def refresh(self) -> None:
        """Show what is needed, where it is open."""
        for part in (self.lines, self.edit, self.short):
            part.setVisible(self.open)
        if not self.open:
            return
        there, wrong = self.at_hand()
        found = needs(self.bench.evaluation, there)
        unknown = sorted(set(there) - {need.what for need in found})
        if unknown and not wrong:
            wrong = f"{unknown[0]!r} is not needed; there are {', '.join(need.what for need in found)}"
        self.lines.setText("\n".join(need.said() for need in found) + "\nEstimates: a half either way.")
        short = [f"{n.title}: needs {n.amount:.3g} {n.unit}, there are {n.at_hand:g}" for n in found if n.short]
        self.short.setText("\n".join(filter(None, [wrong, *short])))
        self.short.setVisible(bool(wrong or short))
