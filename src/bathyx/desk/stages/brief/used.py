"""A used tank that came in, on the card of Brief: what, whose, what it held, of what it is, where it is hurt."""

from __future__ import annotations

from functools import partial
from typing import Any

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from bathyx.core.material import fluids
from bathyx.core.repair.intake import CAUSES, FOUND_BY, KINDS, TRAPS, UNKNOWN, WAYS, WOUNDS, Intake
from bathyx.desk.bench import Bench
from bathyx.desk.views.fields import Choice, Field, Tick, words
from bathyx.desk.views.grid import Column, rows_of


class UsedTank(QWidget):
    """A tick makes the job one of a used tank; the rest shows then."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self.bench = bench
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(5)
        self.used = Tick(
            bench, "A used tank that came in to be mended", "used tank", self._turn, lambda: self.intake is not None
        )
        column.addWidget(self.used)
        held = [(UNKNOWN, "nobody knows"), *((f.key, f.name) for f in fluids().values())]
        hurts = (
            (Column("where", "text"), "where"),
            (Column("what", "text", tuple(WOUNDS)), "what"),
            (Column("size", "length"), "mm"),
            (Column("why", "text", tuple(CAUSES)), "cause"),
            (Column("mended by", "text", tuple(WAYS)), "way"),
        )
        self.parts: list[Any] = [
            Field(bench, "What it is", "repair.what"),
            Field(bench, "Whose", "repair.owner"),
            Choice(bench, "Kind", "repair.kind", list(KINDS.items())),
            Choice(bench, "It held", "repair.held", held),
            Field(bench, "Last on", "repair.last_held", "text", "like 2026-05-31"),
            rows_of(
                bench,
                "Hurts",
                lambda: "repair.hurts",
                hurts,
                "Where and how it is hurt, a row each; its length or width.",
            ),
            words("Found out what it is of by", "quiet"),
            *(self._one_of("found_by", key, said) for key, said in FOUND_BY.items()),
            words("Where vapour stays in it", "quiet"),
            *(self._one_of("traps", key, said) for key, said in TRAPS.items()),
            Field(bench, "Refused, because", "repair.refused"),
        ]
        for part in self.parts:
            column.addWidget(part)
        donors = (
            (Column("part", "text"), "part"),
            (Column("out of", "text", may_be_empty=True), "source"),
            (Column("it held", "text", (UNKNOWN, *fluids())), "held"),
            (Column("kind", "text", tuple(KINDS)), "kind"),
        )
        self.donors = rows_of(
            bench, "Parts out of a used tank", lambda: "donors", donors,
            "A tunnel, a neck, a ring that is cut out of a used tank for this one: its gate comes before any heat on it.",
        )  # fmt: skip
        column.addWidget(self.donors)

    @property
    def intake(self) -> Intake | None:
        """What came in; None for a new tank."""
        return self.bench.job.repair

    def _one_of(self, name: str, key: str, said: str) -> Tick:
        def take(on: bool) -> None:
            listed = [k for k in getattr(self.intake, name, ()) if k != key]
            self.bench.edit({f"repair.{name}": [*listed, key] if on else listed}, said)

        return Tick(self.bench, said, f"repair {name} {key}", take, partial(self._holds, name, key))

    def _holds(self, name: str, key: str) -> bool:
        return key in getattr(self.intake, name, ())

    def _turn(self, on: bool) -> None:
        b = self.bench
        if not on:
            b.edit({"repair": None}, "a new tank")
            return
        made = Intake(what=b.job.brief.name, owner=b.job.brief.customer)
        b.edit({"repair": made.model_dump()}, "a used tank")

    def refresh(self) -> None:
        """Show what came in; only the tick where it is a new tank."""
        self.used.refresh()
        there = self.intake is not None
        self.donors.setVisible(not there)
        self.donors.refresh()
        for part in self.parts:
            part.setVisible(there)
            if there and hasattr(part, "refresh"):
                part.refresh()
