"""Cut: the make-up, the flat blanks, and their nest on stock sheets."""

from __future__ import annotations

from pathlib import Path
from typing import get_args

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from bathyx.core.sheet.makeup.collars import collars
from bathyx.core.sheet.makeup.own_parts import Kind
from bathyx.core.sheet.makeup.roles import SCHOOLS
from bathyx.core.units import show
from bathyx.desk.bench import Bench
from bathyx.desk.stages.cut.bends import BendCard, PanelSheets
from bathyx.desk.stages.cut.edges import EdgeCard
from bathyx.desk.stages.cut.formed import Formed
from bathyx.desk.stages.cut.make_ups import MakeUps
from bathyx.desk.stages.cut.nesting import Nesting
from bathyx.desk.stages.stage import Stage
from bathyx.desk.study import KeptStudy
from bathyx.desk.theme import Theme
from bathyx.desk.views.card import Card
from bathyx.desk.views.fields import Choice, FigureLine, Fold, Heights, Tick, button, words
from bathyx.desk.views.grid import Column, rows_of
from bathyx.desk.views.plain import Slider, TextLine
from bathyx.desk.views.tile_data import TileData
from bathyx.draft.flat_views import blanks_view
from bathyx.draft.picture import Picture
from bathyx.draft.solid_view import Show
from bathyx.errors import Refusal

FOLDS = 200

OF_PLASTIC = (
    ("", "hot gas and rod"),
    ("extrusion", "an extruder, thick sheet"),
    ("fusion", "a heated tool for butts, rod for the rest"),
)
OF_HALVES = (("", "an arc"), ("roller", "a roller seam between wheels"))


class Parts(QWidget):
    """The parts besides the panels: their rows, and a line that lists closing plates."""

    def __init__(self, rows: QWidget) -> None:
        super().__init__()
        self.rows = rows

    def refresh(self) -> None:
        """Show the job's."""
        self.rows.refresh()  # type: ignore[attr-defined]


class CutStage(Stage):
    """Make-up, blanks, nest."""

    def __init__(self, bench: Bench, theme: Theme) -> None:
        super().__init__(bench, theme)
        self.chosen = ""
        self.fold: float | None = None
        self.nesting = Nesting(bench)
        self.planning = KeptStudy("make_ups", bench.home)
        self.make_ups: MakeUps | None = None
        self.formed: Formed | None = None

    def studies(self) -> tuple[KeptStudy, ...]:
        """The nest, and the search for make-ups."""
        return (self.nesting.quick, self.nesting.cutting, self.planning)

    def tile(self) -> TileData:
        """Blanks and weld."""
        r = self.bench.evaluation.results
        state, said = self.worst()
        weld = f"{show(r.weld.value, 'weld', self.bench.units)} of weld"
        return TileData(f"{len(r.blanks)} blanks", said or weld, 1.0, state, r.weld.explain())

    def flat(self) -> Picture:
        """All blanks, one large, or the nest."""
        e = self.bench.evaluation
        strains = self.formed.picture() if self.formed is not None else None
        if strains is not None:
            return strains
        candidates = self.make_ups.picture() if self.make_ups is not None else None
        if candidates is not None:
            return candidates
        nest = self.nesting.picture() if self.nesting.shown else None
        return nest if nest is not None else blanks_view(e, self.bench.units, self.chosen)

    def show(self) -> Show:
        """Seams in the round."""
        if self.fold is not None:
            return Show(fold=self.fold)
        r = self.bench.evaluation.results
        return Show(None, {s.id: "open" for s in r.seams}, lit=self.bench.lit, bends=True)

    def picked(self, tag: str, share: float = 0.5) -> None:
        """A blank picked is shown large; picked again, all."""
        if tag.startswith("makeup:") and self.make_ups is not None:
            self.make_ups.take(int(tag.split(":")[1]))
            return
        if tag.startswith(("seam:", "edge:")):
            self._pick_edge(tag)
        name = tag.removeprefix("blank:") if tag.startswith("blank:") else ""
        if not self.nesting.shown:
            self.chosen = "" if name == self.chosen else name
        super().picked("" if self.chosen else tag, share)
        self.bench.lit_changed.emit()

    def run_nest(self) -> None:
        """Begin nesting the blanks as they are now."""
        self._without_candidates()
        self.nesting.run()

    def make_card(self) -> Card:
        """Make-up, then nest and papers."""
        b = self.bench
        card = Card(b)
        card.head("How it is made up", lambda: SCHOOLS.get(b.job.makeup.school, ""))
        self.make_ups = MakeUps(b, self.planning)
        card.add(self.make_ups)
        self.school = card.add(Choice(b, "School", "makeup.school", []))
        card.add(Choice(b, "Joint", "makeup.joint", [("corner", "corner to corner"), ("lap", "lap over")]))
        card.add(Tick(b, "Corners welded inside too", "makeup.both_sides"))
        self.process = card.add(Choice(b, "Welded with", "makeup.weld_process", list(OF_PLASTIC)))
        self.bands = card.add(Heights(b, "Bands round it, at", "makeup.bands", "length", "none; like 120, 260"))
        card.add(words("Click an edge in a view, or choose it here:", "quiet"))
        self.edges = card.add(EdgeCard(b, self.theme))
        card.add(
            Fold(
                "Thickness by panel, doublers",
                "fold panels",
                lambda: PanelSheets(b),
                lambda: bool(b.job.makeup.panels or b.job.makeup.doublers),
            )
        )
        self.rule = card.add(words("", "quiet"))
        card.add(Fold("Bend data and the brake", "fold bends", lambda: BendCard(b)))
        card.head("Metal", lambda: show(b.evaluation.results.weld.value, "weld", b.units) + " of weld")
        card.add(FigureLine(b, lambda: b.evaluation.results.sheet_cost, large=True))
        card.add(FigureLine(b, lambda: b.evaluation.results.weld))
        self.nesting.choices(card)
        card.row(
            button("Blanks", "show blanks", self._show_blanks),
            button("Nest on sheets", "run nest", self.run_nest, "main"),
        )
        self.nesting.running(card)
        card.add(words("Fold the flat blanks into the tank, bend by bend, in the round:", "quiet"))
        self.folding = Slider(Qt.Orientation.Horizontal)
        self.folding.setObjectName("fold")
        self.folding.setAccessibleName("From the flat blanks to the tank")
        self.folding.setRange(0, FOLDS)
        self.folding.setValue(FOLDS)
        self.folding.valueChanged.connect(self._folded)
        card.add(self.folding)
        card.head(
            "Besides the panels",
            lambda: str(len(b.job.own_parts) + len(b.job.formed)) if b.job.own_parts or b.job.formed else "nothing",
        )
        card.add(Fold("Plates, tabs and bars", "fold own parts", self._parts_card, lambda: bool(b.job.own_parts)))
        card.add(Fold("Double-curved skins", "fold skins", self._formed_card, lambda: bool(b.job.formed)))
        card.head("Papers")
        card.add(words("A sheet and a DXF for each blank, the cut list and the card mock-up:", "quiet"))
        card.add(button("Write cutting papers", "write cutting papers", self.write_papers))
        card.row(
            button("Labels of blanks", "write blank labels", self.write_labels),
            button("Solids", "write solids", self.write_solids),
        )

        def also() -> None:
            r = b.evaluation.results
            bends = sum(len(x.bends) for x in r.blanks)
            radius = show(r.rule.radius_mm, "small", b.units)
            k = r.rule.k_at(r.sheet.thickness_mm, 90.0)
            self.rule.setText(
                f"{bends} bends, radius {radius}, K {k:.3g}; {len(r.seams)} seams. Pick a blank to see it large."
            )
            plastic, halves = r.sheet.material.group == "plastic", self.bench.job.tank.family == "halves"
            self.process.offer(list(OF_PLASTIC if plastic else OF_HALVES))
            self.process.setVisible(plastic or (halves and r.sheet.material.group != "laminate"))
            self.bands.setVisible(plastic or bool(b.job.makeup.bands))
            self.school.offer([(key, SCHOOLS[key]) for key in b.job.tank.schools()])
            self.nesting.refresh()

        card.on_refresh(also, first=True)
        return card.finish()

    def _parts_card(self) -> QWidget:
        rows = self._part_rows()
        both = Parts(rows)
        column = QVBoxLayout(both)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(rows)
        column.addWidget(
            words("Closing plates round what runs through, numbered: place, section, how many, lap", "quiet")
        )
        self.collars = TextLine()
        self.collars.setObjectName("collars")
        self.collars.setAccessibleName("Closing plates")
        self.collars.setPlaceholderText("frame, 60x8, 4, 20")
        line = QHBoxLayout()
        line.addWidget(self.collars, 1)
        line.addWidget(button("List them", "list collars", self.list_collars))
        column.addLayout(line)
        return both

    def list_collars(self) -> None:
        """Add the closing plates that are typed to the parts."""
        job = self.bench.job
        numbered = sum(part.place.startswith("collar ") for part in job.own_parts)
        try:
            more = collars(self.collars.text(), self.bench.evaluation.results.sheet.thickness_mm, numbered)
        except Refusal as error:
            self.bench.said.emit("trouble", str(error))
            return
        if self.bench.edit({"own_parts": [p.model_dump() for p in (*job.own_parts, *more)]}, "closing plates"):
            self.collars.clear()

    def _part_rows(self) -> QWidget:
        return rows_of(
            self.bench,
            "Plates, tabs and bars",
            lambda: "own_parts",
            (
                (Column("kind", "text", get_args(Kind)), "kind"),
                (Column("place", "text"), "place"),
                (Column("how many", "count", may_be_empty=True), "count"),
                (Column("long"), "length_mm"),
                (Column("wide", may_be_empty=True), "width_mm"),
                (Column("thick", may_be_empty=True), "thickness_mm"),
                (Column("section", "text", may_be_empty=True), "section"),
            ),
            "Plates, tabs and strips have length, width and thickness; bars, angles and tubes a section in words, like 30x30x3.",
        )

    def _formed_card(self) -> QWidget:
        self.formed = Formed(self.bench)
        return self.formed

    def _folded(self, value: int) -> None:
        self.fold = None if value == FOLDS else value / FOLDS
        self.bench.lit_changed.emit()

    def _pick_edge(self, tag: str) -> None:
        """An edge picked in a view is the edge to choose for: a bend, or the straight part of a seam."""
        kind, _, name = tag.partition(":")
        if self.card is None or not hasattr(self, "edges"):
            return
        if kind == "edge":
            self.edges.pick(name)
            return
        seam = next((s for s in self.bench.evaluation.results.seams if s.id == name), None)
        for part in seam.edges if seam is not None else ():
            if self.edges.pick(part.id):
                return

    def _without_candidates(self) -> None:
        if self.formed is not None:
            self.formed.drawn = False
        if self.make_ups is not None:
            self.make_ups.drawn = False

    def _show_blanks(self) -> None:
        self.nesting.shown, self.chosen = False, ""
        self._without_candidates()
        self.bench.lit_changed.emit()

    def write_labels(self) -> None:
        """A label with a code for every blank."""
        e, units, on = self.bench.evaluation, self.bench.units, self.bench.stationery

        def write(folder: Path) -> list[Path]:
            from bathyx.papers.machine.labels import blank_labels, write_labels

            return [write_labels(blank_labels(e, units), folder / "labels.pdf", on)]

        self.bench.write_papers(write)

    def write_solids(self) -> None:
        """The tank's outside, the room of the fluid, the parts, and the hole where one is measured."""
        e = self.bench.evaluation

        def write(folder: Path) -> list[Path]:
            from bathyx.papers.machine.solid import write_solid

            written = [write_solid(e, folder / f"{what}.stl", what) for what in ("outside", "inside")]
            written.append(write_solid(e, folder / "parts.3mf", "parts"))
            if not e.job.space.free:
                written.append(write_solid(e, folder / "hole.stl", "hole"))
            return written

        self.bench.write_papers(write)

    def write_papers(self) -> None:
        """DXF, cut list and card mock-up."""
        e, units = self.bench.evaluation, self.bench.units
        on = self.bench.stationery.under(self.bench.record)

        def write(folder: Path) -> list[Path]:
            from bathyx.papers.export import write_cutting_papers
            from bathyx.papers.mockup import write_mockup

            return [
                *write_cutting_papers(e, folder, units, on),
                write_mockup([e], folder / "mock-up.pdf", on.sheet, units),
            ]

        self.bench.write_papers(write)
