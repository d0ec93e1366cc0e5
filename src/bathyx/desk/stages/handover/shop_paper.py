"""The shop's paper: the sheet everything is printed on, the address in its foot and the mark in its head."""

from __future__ import annotations

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from bathyx.core.units import Family
from bathyx.desk.bench import Bench
from bathyx.desk.views.fields import Choice, setting_line, words
from bathyx.errors import Refusal
from bathyx.papers.page.stationery import SHEETS_MM, stationery

HINTS = {"address": "the shop's address, one line", "mark": "the shop's mark: path of a PNG or JPEG"}


class ShopPaper(QWidget):
    """Sheet, address and mark; they are the shop's, not the job's."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self.bench = bench
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        offered = [(name, name.upper() if len(name) == 2 else name.capitalize()) for name in SHEETS_MM]
        self.sheet = Choice(bench, "Sheet", "paper", offered, take=self._choose, read=lambda: bench.settings["paper"])
        ways = [(str(Family.US), 'in fractions, to 1/32"'), (str(Family.US_DECIMAL), 'in decimals, to 0.001"')]
        self.inches = Choice(bench, "Inches", "inches", ways, take=bench.choose_inches, read=lambda: str(bench.inches))
        self.wrong = words("", "caution")
        self.wrong.setObjectName("paper wrong")
        for part in (
            self.sheet,
            self.inches,
            *(setting_line(bench, name, hint, self.refresh) for name, hint in HINTS.items()),
            self.wrong,
        ):
            column.addWidget(part)

    def figure(self) -> str:
        """The sheet, in a word."""
        name = str(self.bench.settings["paper"])
        return name.upper() if len(name) == 2 else name

    def _choose(self, name: str) -> None:
        self.bench.settings.keep("paper", name)
        self.bench.lit_changed.emit()

    def refresh(self) -> None:
        """Show the sheet, and say what of it cannot be printed."""
        self.sheet.refresh()
        self.inches.refresh()
        s = self.bench.settings
        try:
            stationery(*(str(s[name]) for name in ("paper", "address", "mark")))
            why = ""
        except Refusal as error:
            why = str(error)
        self.wrong.setText(why)
        self.wrong.setVisible(bool(why))
