"""Space: the hole as the tape said, with clearances and the two diagonals that show whether it is square."""

from __future__ import annotations

from dataclasses import replace

from bathyx.core.formula import Figure
from bathyx.core.units import Reading, show
from bathyx.desk.stages.stage import Stage
from bathyx.desk.views.bench_line import TileData
from bathyx.desk.views.fields import Card, Field, FigureLine, button, words
from bathyx.draft.picture import Picture
from bathyx.draft.solid_view import Show
from bathyx.draft.space_view import space_view


class SpaceStage(Stage):
    """The measured box."""

    def tile(self) -> TileData:
        """The least spare that is left round the tank."""
        spare = self.bench.evaluation.results.spare
        state, said = self.worst()
        shown = show(abs(spare.value), "length", self.bench.units)
        if spare.value < -0.05:
            return TileData(shown, "too long for it", 1.0, "stop", spare.explain())
        return TileData(shown, said or "to spare", 1.0, state, spare.explain())

    def flat(self) -> Picture:
        """Plan and front."""
        return space_view(self.bench.evaluation, self.bench.units)

    def show(self) -> Show:
        """The tank in its space."""
        return replace(super().show(), room=True, sizes=False)

    def read_dimension(self, path: str, text: str) -> object:
        """Readings keep what was typed."""
        return Reading.of(text).model_dump()

    def _skew(self) -> Figure:
        square = self.bench.job.space.squareness
        assert square is not None  # shown only where there are diagonals
        return square.figure

    def make_card(self) -> Card:
        """Readings, diagonals, clearances."""
        b = self.bench
        card = Card(b)
        card.head("The space, as measured")
        card.add(words('Type it as the tape says it: 387, 15 1/4", 4\'-3 1/2", 0.38 m', "quiet"))
        card.add(Field(b, "Width, left to right", "space.width", "reading"))
        card.add(Field(b, "Depth, front to back", "space.depth", "reading"))
        card.add(Field(b, "Height", "space.height", "reading"))
        card.head("Is it square?")
        self.first = card.add(Field(b, "Front left to rear right", "space.floor_diagonals.0", "reading"))
        self.second = card.add(Field(b, "Front right to rear left", "space.floor_diagonals.1", "reading"))
        self.skew = FigureLine(b, self._skew)
        card.column.addWidget(self.skew)
        self.measure = card.add(button("Measure the floor's diagonals", "add diagonals", self._add_diagonals))
        self.forget = card.add(
            button(
                "Leave the diagonals out",
                "drop diagonals",
                lambda: b.edit({"space.floor_diagonals": None}, "diagonals left out"),
            )
        )
        card.head("Room to keep")
        card.add(words("For straps, beads, hoses, a hand and a spanner.", "quiet"))
        for side in ("left", "right", "front", "rear", "below", "above"):
            card.add(Field(b, side.capitalize(), f"space.clearance.{side}_mm", "length"))

        def also() -> None:
            measured = b.job.space.floor_diagonals is not None
            for part in (self.first, self.second, self.skew, self.forget):
                part.setVisible(measured)
            self.measure.setVisible(not measured)
            if measured:
                self.skew.refresh()

        card.on_refresh(also)
        return card.finish()

    def _add_diagonals(self) -> None:
        reading = Reading.of(round(self.bench.job.space.square_diagonal_mm)).model_dump()
        self.bench.edit({"space.floor_diagonals": [reading, reading]}, "diagonals")
