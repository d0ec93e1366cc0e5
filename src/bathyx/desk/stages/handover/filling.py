"""The first fill: levels and litres as they are poured, held against the calculation, put on record."""

from __future__ import annotations

from bathyx.core.capacity.poured import Held, Pouring
from bathyx.core.units import worded
from bathyx.desk.bench import Bench
from bathyx.desk.views.card import Card
from bathyx.desk.views.fields import button, words
from bathyx.desk.views.grid import Column, Door, Grid, Rows, Table
from bathyx.errors import Refusal

HOW = (
    "From empty, level, by a meter or weighed cans: level over the lowest point inside, and all that was poured so far. "
    "Fuel: no flame and no spark, vapour sinks and travels."
)
COLUMNS = (Column("level", "length"), Column("poured", "volume"))


class FirstFill:
    """What is typed and not yet on record, and what is."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        self.typed: Pouring | None = None
        self._of = ""

    @property
    def pouring(self) -> Pouring | None:
        """What is typed for this tank, else what is on record."""
        if self._of != self.bench.job.uid:
            self.typed = None
        return self.typed or self.bench.record.pouring

    @property
    def held(self) -> Held | None:
        """It, against the tank as it is drawn; None where it is not of such a tank."""
        try:
            return (
                None
                if self.pouring is None
                else self.pouring.held_against(self.bench.evaluation.results.capacity.curve)
            )
        except Refusal:
            return None

    def make(self, card: Card) -> None:
        """Its part of the card."""
        card.head("First fill", self._figure)
        self.grid = Grid(self.bench, "levels and litres", COLUMNS, self._read, self._take)
        self.door = card.add(Door(self.bench, "Levels and litres", Table(self.grid, HOW), self._rows))
        self.said = card.add(words("", "quiet"))
        self.said.setObjectName("filling")
        self.keep = card.add(button("Put the filling on record", "keep filling", self.put_on_record))

    def refresh(self) -> None:
        """Show what it says."""
        held, pouring = self.held, self.pouring
        self.door.refresh()
        if held is not None:
            self.said.setText(worded(held.words, self.bench.units))
        elif pouring is not None:
            self.said.setText("The filling on record is not of a tank like this: it is higher than this one is now")
        else:
            self.said.setText("A measured filling beats a calculated one: dip table and stick then follow it.")
        self.keep.setVisible(self.typed is not None and self.typed != self.bench.record.pouring)

    def put_on_record(self) -> None:
        """Keep what is typed, with who poured it."""
        if self.typed is not None and self.bench.add_record(
            "filled",
            "first fill",
            {"rows": [list(row) for row in self.typed.rows], "fluid": self.bench.job.brief.fluid},
        ):
            self.typed = None
            self.bench.said.emit("note", "On record. Dip table, dip chart and dipstick follow the filling from now on")
            self.bench.recorded.emit()

    def _figure(self) -> str:
        held = self.held
        return "" if held is None else f"{held.more_l[held.worst] / held.pouring.rows[held.worst][1]:+.1%}"

    def _rows(self) -> str:
        return "none" if self.pouring is None else str(len(self.pouring.rows))

    def _read(self) -> Rows:
        return [] if self.pouring is None else [list(row) for row in self.pouring.rows]

    def _take(self, rows: Rows) -> str:
        try:
            made = Pouring.of([[float(v) for v in row if isinstance(v, float)] for row in rows]) if rows else None
            if made is not None:
                made.held_against(self.bench.evaluation.results.capacity.curve)
        except Refusal as error:
            return worded(str(error), self.bench.units)
        self.typed, self._of = made, self.bench.job.uid
        self.bench.lit_changed.emit()
        self.refresh()
        return ""
