"""What a tank costs, on the card of Build: minutes by work at the shop's rates, corrected by what was booked, and money."""

from __future__ import annotations

import re

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from bathyx.core.build.hours import BOOKED, NAMES, WORKS, booked_of, corrected, offer, rates_of
from bathyx.core.makeups.rates import WORK, Rates
from bathyx.core.units.amounts import amounts_of
from bathyx.desk.bench import Bench
from bathyx.desk.settings import DeskSettings
from bathyx.desk.views.fields import button, setting_line, words
from bathyx.errors import Refusal
from bathyx.register import RegisterError

EXAMPLE = "weld_min_m=18"


def shop_rates(settings: DeskSettings) -> tuple[Rates, float]:
    """(the shop's rates, its mark-up as a share) as they were typed. Refusal that names what is not understood."""
    typed = filter(None, re.split(r"[,;\s]+", str(settings["rates"]).strip()))
    return rates_of(amounts_of(typed, NAMES, EXAMPLE))


def own_rates(bench: Bench) -> tuple[Rates, float, int, str]:
    """(the shop's rates corrected by all that was booked, its mark-up, how many steps were booked, what is wrong)."""
    wrong = ""
    try:
        rates, markup = shop_rates(bench.settings)
    except Refusal as error:
        rates, markup, wrong = Rates(), 0.0, str(error)
    try:
        booked = booked_of(bench.register.booked())
    except RegisterError as error:
        booked, wrong = [], wrong or str(error)
    return corrected(rates, booked), markup, len(booked), wrong


class Costs(QWidget):
    """Folded away until it is asked for; rates, mark-up and currency are the shop's, not the job's."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self.bench, self.open = bench, False
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.turn = button("What it costs: hours and money", "costs", self._turned, "link")
        self.sum = words("", "head")
        self.lines = words("")
        self.rates = setting_line(bench, "rates", "rates: weld_min_m=18 bend_min=4 hour=55 markup=15", self.refresh)
        self.currency = setting_line(bench, "currency", "currency, like €", self.refresh)
        self.said = words("", "quiet")
        self.wrong = words("", "caution")
        for part in (self.turn, self.sum, self.lines, self.rates, self.currency, self.said, self.wrong):
            column.addWidget(part)

    def _turned(self) -> None:
        self.open = not self.open
        self.refresh()

    def refresh(self) -> None:
        """Work it out, where it is open."""
        for part in (self.sum, self.lines, self.rates, self.currency, self.said, self.wrong):
            part.setVisible(self.open)
        if not self.open:
            return
        own, markup, booked, wrong = own_rates(self.bench)
        cost = offer(self.bench.evaluation, own, markup, str(self.bench.settings["currency"])[:8])
        sign = f" {cost.currency}" if cost.currency else ""
        hours = sum(cost.minutes.values()) / 60
        self.sum.setText(f"{cost.total:.0f}{sign}, {hours:.1f} h")
        rows = [f"{WORKS[work]}: {minutes:.0f} min" for work, minutes in cost.minutes.items()]
        rows.append(f"Sheet {cost.metal:.0f}{sign}, work {cost.work:.0f}{sign}, mark-up {cost.markup:.0%}")
        self.lines.setText("\n".join(rows))
        if booked:
            self.said.setText(f"Corrected by {booked} booked steps: {BOOKED.tolerance}.")
        else:
            self.said.setText(f"Nothing was booked yet: {WORK.tolerance}. Type what a step took when you tick it.")
        self.wrong.setText(wrong)
        self.wrong.setVisible(bool(wrong))
