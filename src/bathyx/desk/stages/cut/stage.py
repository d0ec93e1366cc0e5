"""Cut: the make-up, the flat blanks, and their nest on stock sheets."""

from __future__ import annotations

from pathlib import Path
from typing import get_args

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QProgressBar, QWidget

from bathyx.core.material import Sheet
from bathyx.core.sheet.cutting.cut_plan import Cutting, parts_of, rack_after, rack_of
from bathyx.core.sheet.cutting.nest import by_thickness, pieces_of
from bathyx.core.sheet.flat.blank import Blank
from bathyx.core.sheet.makeup.own_parts import Kind
from bathyx.core.sheet.makeup.roles import SCHOOLS
from bathyx.core.units import show
from bathyx.desk.bench import Bench
from bathyx.desk.stages.cut.bends import BendCard, PanelSheets
from bathyx.desk.stages.cut.edges import EdgeCard
from bathyx.desk.stages.cut.formed import Formed
from bathyx.desk.stages.cut.make_ups import MakeUps
from bathyx.desk.stages.stage import Stage
from bathyx.desk.study import KeptStudy
from bathyx.desk.theme import Theme
from bathyx.desk.views.card import Card
from bathyx.desk.views.fields import Choice, FigureLine, Fold, Tick, button, words
from bathyx.desk.views.grid import Column, Door, Grid, Rows, Table, rows_of
from bathyx.desk.views.plain import Slider
from bathyx.desk.views.tile_data import TileData
from bathyx.draft.flat_views import blanks_view, cut_plan_view, nest_view
from bathyx.draft.picture import Picture
from bathyx.draft.solid_view import Show
from bathyx.studies import NestInputs
from bathyx.studies.kinds import CutInputs

FOLDS = 200
WAYS = [
    ("quick", "quick, as rectangles"),
    ("shear", "for the shear, edge to edge"),
    ("shapes", "true shapes, laser or water"),
]


class CutStage(Stage):
    """Make-up, blanks, nest."""

    def __init__(self, bench: Bench, theme: Theme) -> None:
        super().__init__(bench, theme)
        self.nested = False
        self.chosen = ""
        self.fold: float | None = None
        self.rack_wrong = ""
        self.thick = 0.0
        self.study = KeptStudy("nest", bench.home)
        self.study.done.connect(bench.lit_changed.emit)
        self.cutting = KeptStudy("cut_plan", bench.home)
        self.cutting.done.connect(bench.lit_changed.emit)
        self.cutting.more.connect(bench.lit_changed.emit)
        self.cutting.progressed.connect(lambda share: self.progress.setValue(int(share * 100)))
        self.planning = KeptStudy("make_ups", bench.home)
        self.make_ups: MakeUps | None = None
        self.formed: Formed | None = None
        self.study.progressed.connect(lambda share: self.progress.setValue(int(share * 100)))

    def studies(self) -> tuple[KeptStudy, ...]:
        """The nest, and the search for make-ups."""
        return (self.study, self.cutting, self.planning)

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
        if self.nested and self.way != "quick":
            plan = self.cutting.so_far if self.cutting.running else self.cutting.result
            mine = self.cutting.running or not self.cutting.stale(self._cut_inputs())
            if plan is not None and mine:
                return cut_plan_view(plan, e.results.blanks, self.bench.units)
            return blanks_view(e, self.bench.units, self.chosen)
        if self.nested and self.study.result is not None and not self.study.stale(self._inputs()):
            return nest_view(self.study.result, e.results.blanks, self.bench.units)
        return blanks_view(e, self.bench.units, self.chosen)

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
        if not self.nested:
            self.chosen = "" if name == self.chosen else name
        super().picked("" if self.chosen else tag, share)
        self.bench.lit_changed.emit()

    def _inputs(self) -> NestInputs:
        return NestInputs(pieces_of(self._mine()), self.bench.evaluation.results.sheet.material.stock)

    def _mine(self) -> tuple[Blank, ...]:
        """The blanks of the thickness that is nested: one sheet has one."""
        groups = by_thickness(self.bench.evaluation.results.blanks)
        return groups.get(self.thick) or next(iter(groups.values()), ())

    def _take_thick(self, thick: float) -> None:
        self.thick = thick
        self.bench.lit_changed.emit()

    @property
    def way(self) -> str:
        """How it is nested: quick, shear or shapes."""
        said = self.bench.settings["nest_way"]
        return said if said in dict(WAYS) else "quick"

    def _take_way(self, way: str) -> None:
        self.bench.settings.keep("nest_way", way)
        self.bench.lit_changed.emit()

    def _offcuts(self) -> tuple[tuple[float, float], ...]:
        """The rack as it is typed; what is no size is left out and said."""
        rack, self.rack_wrong = rack_of(str(self.bench.settings["offcuts"]))
        return rack

    def _cut_inputs(self) -> CutInputs:
        r = self.bench.evaluation.results
        parts = tuple((p.name, tuple((float(x), float(y)) for x, y in p.outline)) for p in parts_of(self._mine()))
        shear = self.way == "shear"
        how = Cutting(shear, 0.0 if shear else 3.0, grain=self.bench.job.makeup.grain)
        return CutInputs(parts, r.sheet.material.stock, self._offcuts(), how)

    def run_nest(self) -> None:
        """Begin nesting the blanks as they are now."""
        self.nested = True
        self._without_candidates()
        if self.way == "quick":
            self.study.run(self._inputs())
        else:
            self.cutting.run(self._cut_inputs())
        self.bench.lit_changed.emit()

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
        card.add(Choice(b, "Nest", "nest way", WAYS, take=self._take_way, read=lambda: self.way))
        self.sheets = card.add(
            Choice(b, "Sheet of", "nest sheet", [], take=self._take_thick, read=lambda: self._mine()[0].thickness_mm)
        )
        rack = Grid(b, "off-cuts", [Column("long"), Column("wide")], self._rack_rows, self._take_rack)
        self.rack = card.add(
            Door(b, "Off-cuts on the rack", Table(rack, "What is left of earlier sheets."), self._rack_said)
        )
        card.row(
            button("Blanks", "show blanks", self._show_blanks),
            button("Nest on sheets", "run nest", self.run_nest, "main"),
        )
        card.add(words("Fold the flat blanks into the tank, bend by bend, in the round:", "quiet"))
        self.folding = Slider(Qt.Orientation.Horizontal)
        self.folding.setObjectName("fold")
        self.folding.setAccessibleName("From the flat blanks to the tank")
        self.folding.setRange(0, FOLDS)
        self.folding.setValue(FOLDS)
        self.folding.valueChanged.connect(self._folded)
        card.add(self.folding)
        self.progress = QProgressBar()
        self.halt = button("Stop", "stop nest", self._halt)
        card.row(self.progress, self.halt)
        self.nest_words = card.add(words(""))
        self.shelve = card.add(button("It is cut: put what is left on the rack", "put on rack", self._put_on_rack))
        card.head(
            "Besides the panels",
            lambda: str(len(b.job.own_parts) + len(b.job.formed)) if b.job.own_parts or b.job.formed else "nothing",
        )
        card.add(Fold("Plates, tabs and bars", "fold own parts", self._parts_card, lambda: bool(b.job.own_parts)))
        card.add(Fold("Double-curved skins", "fold skins", self._formed_card, lambda: bool(b.job.formed)))
        card.head("Papers")
        card.add(words("DXF (R2010, mm: CUT, BEND_UP, BEND_DOWN, MARK) for each blank, and the cut list.", "quiet"))
        card.add(button("Write cutting papers", "write cutting papers", self.write_papers))

        def also() -> None:
            r = b.evaluation.results
            bends = sum(len(x.bends) for x in r.blanks)
            radius = show(r.rule.radius_mm, "small", b.units)
            k = r.rule.k_at(r.sheet.thickness_mm, 90.0)
            self.rule.setText(
                f"{bends} bends, radius {radius}, K {k:.3g}; {len(r.seams)} seams. Pick a blank to see it large."
            )
            self.school.offer([(key, SCHOOLS[key]) for key in b.job.tank.schools()])
            groups = by_thickness(r.blanks)
            self.sheets.setVisible(len(groups) > 1)
            self.sheets.offer([(t, f"{t:g} mm: {len(mine)} blanks") for t, mine in groups.items()])
            self._refresh_nest()

        card.on_refresh(also, first=True)
        return card.finish()

    def _parts_card(self) -> QWidget:
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
        self.nested, self.chosen = False, ""
        self._without_candidates()
        self.bench.lit_changed.emit()

    def _halt(self) -> None:
        self.study.stop()
        self.cutting.stop()
        self.bench.lit_changed.emit()

    def _put_on_rack(self) -> None:
        """The rack as it is when the nest has been cut: what it took is gone, what it leaves is there."""
        plan = self.cutting.result
        if plan is None or self.cutting.stale(self._cut_inputs()):
            return
        self._take_rack([[a, b] for a, b in rack_after(plan, self._offcuts())])
        left = ", ".join(" × ".join(show(v, "length", self.bench.units) for v in s.left) for s in plan.sheets if s.left)
        sheet = Sheet(self.bench.evaluation.results.sheet.material, self._mine()[0].thickness_mm).name
        if left:
            self.bench.said.emit(
                "note", f"On the rack now. Write on it: {sheet}, {left}, from {self.bench.job.brief.name}"
            )

    def _rack_rows(self) -> Rows:
        rack, _ = rack_of(str(self.bench.settings["offcuts"]))
        return [[a, b] for a, b in rack]

    def _rack_said(self) -> str:
        return str(len(self._rack_rows())) if self._rack_rows() else "none"

    def _take_rack(self, rows: Rows) -> str:
        text = "; ".join(f"{a:g}x{b:g}" for a, b in rows)
        _, wrong = rack_of(text)
        if not wrong:
            self.bench.settings.keep("offcuts", text)
            self.bench.lit_changed.emit()
        return wrong

    def _refresh_plan(self) -> None:
        """What is known of a nest for the shear, or of true shapes."""
        inputs = self._cut_inputs()
        self.cutting.look(inputs)
        running, plan = self.cutting.running, self.cutting.result
        self.progress.setVisible(running)
        self.halt.setVisible(running)
        if running:
            text = "Nesting; the best so far is drawn…"
        elif self.cutting.trouble or self.rack_wrong:
            text = self.cutting.trouble or self.rack_wrong
        elif plan is None:
            text = ""
        else:
            new = sum(not s.offcut for s in plan.sheets)
            cuts = sum(len(s.cuts) for s in plan.sheets)
            rack = f" and {len(plan.sheets) - new} from the rack" if new < len(plan.sheets) else ""
            text = f"{new} new sheet{'s' if new != 1 else ''}{rack}, {plan.density:.0%} used"
            text += f"; {cuts} cuts from edge to edge" if cuts else ""
            self.shelve.setVisible(not self.cutting.stale(inputs) and any(s.left or s.offcut for s in plan.sheets))
            if self.cutting.stale(inputs):
                text = f"Out of date, the blanks have changed since: {text}. Nest again."
        self.nest_words.setText(text)

    def _refresh_nest(self) -> None:
        self.rack.setVisible(self.way != "quick")
        self.shelve.setVisible(False)
        if self.way != "quick":
            self._refresh_plan()
            return
        self.study.look(self._inputs())
        running = self.study.running
        self.progress.setVisible(running)
        self.halt.setVisible(running)
        text = ""
        if running:
            text = "Nesting…"
        elif self.study.trouble:
            text = self.study.trouble
        elif self.study.result is not None:
            n = self.study.result
            size = f"{show(n.stock[0], 'length', self.bench.units)} × {show(n.stock[1], 'length', self.bench.units)}"
            text = f"{n.sheets} sheet{'s' if n.sheets > 1 else ''} of {size}, {n.used_share:.0%} used"
            if self.study.stale(self._inputs()):
                text = f"Out of date, the blanks have changed since: {text}. Nest again."
        self.nest_words.setText(text)

    def write_papers(self) -> None:
        """DXF, cut list and card mock-up."""
        e, units, record = self.bench.evaluation, self.bench.units, self.bench.record

        def write(folder: Path) -> list[Path]:
            from bathyx.papers.export import write_cutting_papers
            from bathyx.papers.mockup import write_mockup
            from bathyx.papers.seal import foot_words

            foot = foot_words(record)
            return [*write_cutting_papers(e, folder, units, foot), write_mockup([e], folder / "mock-up.pdf")]

        self.bench.write_papers(write)
