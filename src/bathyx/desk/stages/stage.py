"""What every stage offers the window: a tile, flat and solid drawings, a card, and what a typed dimension means."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from bathyx.core.findings import Finding
from bathyx.core.units import parse_quantity
from bathyx.desk.bench import Bench
from bathyx.desk.study import KeptStudy, Study
from bathyx.desk.theme import Theme
from bathyx.desk.views.card import Card
from bathyx.desk.views.describe import describe
from bathyx.desk.views.tile_data import TileData
from bathyx.desk.views.tray import TrayPart
from bathyx.draft.picture import Picture
from bathyx.draft.solid_view import Eye, Show, solid_view
from bathyx.errors import Refusal


class Stage:
    """A stage of the work. Subclasses say what they draw; the window asks after every change."""

    title, key = "", ""  # as the registry has them
    draggable: tuple[str, ...] = ()
    lit_flat, lit_solid = True, True  # whether a drawing says more of what is selected than its border does

    def __init__(self, bench: Bench, theme: Theme) -> None:
        self.bench, self.theme = bench, theme
        self._card: Card | None = None

    @property
    def card(self) -> Card:
        """The card, made on first use."""
        if self._card is None:
            self._card = self.make_card()
        return self._card

    def studies(self) -> tuple[Study | KeptStudy, ...]:
        """Those to be stopped when the window goes."""
        return ()

    @property
    def findings(self) -> tuple[Finding, ...]:
        """Findings that belong to this stage."""
        return tuple(f for f in self.bench.evaluation.findings if f.stage == self.key)

    def tile(self) -> TileData:
        """The stage's tile."""
        raise NotImplementedError

    def flat(self) -> Picture:
        """The flat drawing."""
        raise NotImplementedError

    def flat_widget(self) -> QWidget | None:
        """A widget instead of the flat drawing, when the stage shows a trace."""
        return None

    def show(self) -> Show:
        """What the solid drawing shows."""
        return Show(self.bench.evaluation.results.capacity.fill_level_mm, sizes=True)

    def solid(self, eye: Eye) -> Picture:
        """The solid drawing from a side."""
        return solid_view(self.bench.evaluation, self.bench.units, eye, self.show())

    def make_card(self) -> Card:
        """Build the card."""
        raise NotImplementedError

    def typed(self, tag: str, text: str) -> str:
        """Take a dimension typed on the drawing. Returns what is wrong with it, or nothing."""
        path = tag.removeprefix("edit:")
        try:
            value = self.read_dimension(path, text)
        except Refusal as error:
            return str(error)
        return self.bench.try_edit({path: value}, path.split(".")[-1].removesuffix("_mm").replace("_", " "))

    def read_dimension(self, path: str, text: str) -> object:
        """The value of a typed dimension."""
        return parse_quantity(text, "length", self.bench.units)

    def dragged(self, tag: str, x: float, y: float, finished: bool) -> None:
        """A thing was dragged on the flat drawing to (x, y) mm of the picture."""

    # -- what can be put in by hand --------------------------------------------------------------------------------------

    over = Picture(())  # what hangs at the pointer, over the flat drawing

    def tray(self) -> tuple[TrayPart, ...]:
        """What can be put into the flat drawing at this stage."""
        return ()

    @property
    def holding(self) -> str:
        """Key of the part that hangs at the pointer; empty when none does."""
        return ""

    def pick_up(self, key: str) -> None:
        """Take a part of the tray into the hand."""

    def hang(self, x: float, y: float) -> None:
        """The pointer with what hangs at it is over (x, y) mm of the picture."""

    def nudge(self, dx: float, dy: float) -> None:
        """What hangs, or what is selected, is moved by the arrow keys, mm of the picture."""

    def drop(self) -> None:
        """Put down what hangs: one edit."""

    def give_up(self) -> None:
        """Put what hangs back into the tray."""

    def asked(self, what: str) -> None:
        """`out`, `copy` or `mirror` what is selected."""

    def picked(self, tag: str, share: float = 0.5) -> None:
        """A thing was picked on a drawing; `share` is how far along it, for lines."""
        self.bench.light(tag)

    def picked_round(self, tag: str, share: float = 0.5) -> None:
        """A thing was picked on the solid drawing."""
        self.picked(tag, share)

    def describe(self, tag: str) -> str:
        """What the pointer is on, in a line or two."""
        return describe(self.bench.evaluation, self.bench.record, self.bench.units, tag)

    def worst(self) -> tuple[str, str]:
        """(state, words) for the tile from this stage's findings."""
        stops = sum(f.severity == "stop" for f in self.findings)
        warns = sum(f.severity == "warn" for f in self.findings)
        if stops:
            return "stop", f"{stops} to put right"
        if warns:
            return "warn", f"{warns} to look at"
        return "go", ""
