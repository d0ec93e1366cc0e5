"""The day before on the card of Build: what the tank takes, what is at hand, and what is short."""

from __future__ import annotations

import re

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from bathyx.core.build.day_before import needs
from bathyx.core.units.amounts import amounts_of
from bathyx.desk.bench import Bench
from bathyx.desk.views.fields import button, setting_line, words
from bathyx.errors import Refusal


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
        hint = "at hand: gas_m3=1.4, filler_kg=0.5, sheets=1"
        self.edit = setting_line(bench, "at_hand", hint, self.refresh, "at hand")
        for part in (self.lines, self.edit, self.short):
            column.addWidget(part)
        self.open = False

    def _turned(self) -> None:
        self.open = not self.open
        self.refresh()

    def refresh(self) -> None:
        """Show what is needed, where it is open."""
        for part in (self.lines, self.edit, self.short):
            part.setVisible(self.open)
        if not self.open:
            return
        e, wrong = self.bench.evaluation, ""
        found = needs(e)
        try:
            typed = filter(None, re.split(r"[,;\s]+", self.edit.text().strip()))
            found = needs(e, amounts_of(typed, [need.what for need in found], "gas_m3=1.4"))
        except Refusal as error:
            wrong = str(error)
        self.lines.setText("\n".join(need.said(self.bench.units) for need in found) + "\nEstimates: a half either way.")
        short = [need.lacking(self.bench.units) for need in found if need.short]
        self.short.setText("\n".join(filter(None, [wrong, *short])))
        self.short.setVisible(bool(wrong or short))
