"""Cut: the make-up, the flat blanks, and their nest on stock sheets."""

from __future__ import annotations

import math
import re
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLineEdit, QProgressBar, QSlider

from bathyx.core.sheet.cut_plan import Cutting, offcut_of, parts_of
from bathyx.core.sheet.makeup import SCHOOLS, may_bend
from bathyx.core.sheet.nest import pieces_of
from bathyx.core.sheet.strips import measured_k, strips_of, text_of
from bathyx.core.units import show
from bathyx.desk.bench import Bench
from bathyx.desk.stages.cut_make_ups import MakeUps
from bathyx.desk.stages.space_parts import Lines
from bathyx.desk.stages.stage import Stage
from bathyx.desk.study import KeptStudy
from bathyx.desk.theme import Theme
from bathyx.desk.views.bench_line import TileData
from bathyx.desk.views.fields import Card, Choice, Field, FigureLine, Tick, button, words
from bathyx.draft.flat_views import blanks_view, cut_plan_view, nest_view
from bathyx.draft.picture import Picture
from bathyx.draft.solid_view import Show
from bathyx.errors import Refusal
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
        self.study = KeptStudy("nest", bench.home)
        self.study.done.connect(bench.lit_changed.emit)
        self.cutting = KeptStudy("cut_plan", bench.home)
        self.cutting.done.connect(bench.lit_changed.emit)
        self.cutting.more.connect(bench.lit_changed.emit)
        self.cutting.progressed.connect(lambda share: self.progress.setValue(int(share * 100)))
        self.planning = KeptStudy("make_ups", bench.home)
        self.make_ups: MakeUps | None = None
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
        return Show(None, {s.id: "open" for s in r.seams}, lit=self.bench.lit)

    def picked(self, tag: str, share: float = 0.5) -> None:
        """A blank picked is shown large; picked again, all."""
        if tag.startswith("makeup:") and self.make_ups is not None:
            self.make_ups.take(int(tag.split(":")[1]))
            return
        if tag.startswith("seam:"):
            self._pick_edge(tag.removeprefix("seam:"))
        name = tag.removeprefix("blank:") if tag.startswith("blank:") else ""
        if not self.nested:
            self.chosen = "" if name == self.chosen else name
        super().picked("" if self.chosen else tag, share)
        self.bench.lit_changed.emit()

    def _inputs(self) -> NestInputs:
        r = self.bench.evaluation.results
        return NestInputs(pieces_of(r.blanks), r.sheet.material.stock)

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
        self.rack_wrong = ""
        found = []
        for text in filter(None, map(str.strip, re.split(r"[;,]", str(self.bench.settings["offcuts"])))):
            try:
                found.append(offcut_of(text))
            except Refusal as error:
                self.rack_wrong = self.rack_wrong or str(error)
        return tuple(found)

    def _cut_inputs(self) -> CutInputs:
        r = self.bench.evaluation.results
        parts = tuple((p.name, tuple((float(x), float(y)) for x, y in p.outline)) for p in parts_of(r.blanks))
        shear = self.way == "shear"
        how = Cutting(shear, 0.0 if shear else 3.0)
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
        card.head("How it is made up")
        self.make_ups = MakeUps(b, self.planning)
        card.add(self.make_ups)
        self.school = card.add(Choice(b, "School", "makeup.school", []))
        card.add(Choice(b, "Joint", "makeup.joint", [("corner", "corner to corner"), ("lap", "lap over")]))
        card.add(Tick(b, "Corners welded inside too", "makeup.both_sides"))
        card.add(Field(b, "Inside bend radius", "makeup.bend_radius_mm", "length", "the sheet's own"))
        card.add(Field(b, "K-factor", "makeup.k_factor", "number", "the sheet's own"))
        card.add(words("Test strips, one a line: length before, both flanges after over the outside, mm", "quiet"))
        card.add(Lines(b, "strips", "100, 52, 52.4", self._strips, self._take_strips, 62))
        self.rule = card.add(words("", "quiet"))
        self.edge = Choice(b, "Edge", "edge", [], take=lambda v: self._edge_chosen(v))
        card.add(self.edge)
        self.edge_role = Choice(
            b,
            "is",
            "edge role",
            [(None, "as the school has it"), ("bend", "bent"), ("weld", "welded")],
            take=self._take_role,
            read=self._read_role,
        )
        card.add(self.edge_role)
        card.add(Field(b, "Brake bends up to", "makeup.brake.length_mm", "length"))
        card.add(Field(b, "Its fingers bend boxes deep", "makeup.brake.pan_mm", "length"))
        card.add(Field(b, "Its beam is deep, 0: not looked at", "makeup.brake.beam_mm", "length"))
        card.add(Tick(b, "Brake's beam is open at one end", "makeup.brake.open_ended"))
        card.head("Metal")
        card.add(FigureLine(b, lambda: b.evaluation.results.sheet_cost, large=True))
        card.add(FigureLine(b, lambda: b.evaluation.results.weld))
        card.add(Choice(b, "Nest", "nest way", WAYS, take=self._take_way, read=lambda: self.way))
        self.rack = QLineEdit(str(b.settings["offcuts"]))
        self.rack.setObjectName("offcuts")
        self.rack.setPlaceholderText("off-cuts on the rack: 600x400; 900x300")
        self.rack.editingFinished.connect(self._take_rack)
        card.add(self.rack)
        card.row(
            button("Blanks", "show blanks", self._show_blanks),
            button("Nest on sheets", "run nest", self.run_nest, "main"),
        )
        card.add(words("Fold the flat blanks into the tank, bend by bend, in the round:", "quiet"))
        self.folding = QSlider(Qt.Orientation.Horizontal)
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
        card.head("Papers")
        card.add(words("DXF (R2010, mm: CUT, BEND_UP, BEND_DOWN, MARK) for each blank, and the cut list.", "quiet"))
        card.add(button("Write cutting papers", "write cutting papers", self.write_papers))

        def also() -> None:
            r = b.evaluation.results
            self.rule.setText(
                f"In force: radius {r.rule.radius_mm:g} mm, K {self._k_words()}. "
                f"{sum(len(x.bends) for x in r.blanks)} bends, {len(r.seams)} seams. Pick a blank to see it large."
            )
            self.school.offer([(key, SCHOOLS[key]) for key in b.job.tank.schools()])
            self._refresh_edges()
            self._refresh_nest()

        card.on_refresh(also, first=True)
        return card.finish()

    def _folded(self, value: int) -> None:
        self.fold = None if value == FOLDS else value / FOLDS
        self.bench.lit_changed.emit()

    def _strips(self) -> str:
        return text_of(self.bench.job.makeup.strips)

    def _take_strips(self, text: str) -> str:
        return self.bench.try_edit({"makeup.strips": strips_of(text)}, "test strips")

    def _k_words(self) -> str:
        """K in force, and how sure it is where the shop measured it."""
        makeup, r = self.bench.job.makeup, self.bench.evaluation.results
        if makeup.k_factor is not None or not makeup.strips:
            return f"{r.rule.k_factor:g}"
        found = measured_k(makeup.strips, r.rule.radius_mm, r.sheet.thickness_mm)
        off = found.spread * r.sheet.thickness_mm * math.pi / 2
        return (
            f"{found.k:.3f} ± {found.spread:.3f} from {found.count} strip{'s' if found.count != 1 else ''}, "
            f"± {show(off, 'length', self.bench.units, places=2)} a right-angled bend"
        )

    def _refresh_edges(self) -> None:
        shell = self.bench.evaluation.results.panelled
        roles = [role for role in self.bench.evaluation.results.roles if may_bend(role.edge, shell)]
        keep = self.edge.options[self.edge.box.currentIndex()][0] if self.edge.box.currentIndex() >= 0 else None
        self.edge.offer([(role.edge.id, f"{role.edge.a} to {role.edge.b}: {role.kind}") for role in roles])
        keys = [key for key, _ in self.edge.options]
        self.edge.setVisible(bool(keys))
        self.edge_role.setVisible(bool(keys))
        value = keep if keep in keys else keys[0] if keys else None
        self.edge.read = lambda: value

    def _edge_chosen(self, edge: str) -> None:
        role = next(r for r in self.bench.evaluation.results.roles if r.edge.id == edge)
        seams = self.bench.evaluation.results.seams
        seam = next((s.id for s in seams if edge in {part.id for part in s.edges}), "")
        self.edge.read = lambda: edge
        self.edge_role.refresh()
        self.bench.light(f"seam:{seam}" if seam else f"face:{role.edge.a}")

    def _pick_edge(self, seam_id: str) -> None:
        """A seam picked in a view is the edge to choose for."""
        seam = next((s for s in self.bench.evaluation.results.seams if s.id == seam_id), None)
        keys = {key for key, _ in self.edge.options} if self.card is not None else set()
        edge = next((part.id for part in seam.edges if part.id in keys), None) if seam is not None else None
        if edge is not None:
            self.edge.read = lambda: edge
            self.edge.refresh()
            self.edge_role.refresh()

    def _without_candidates(self) -> None:
        if self.make_ups is not None:
            self.make_ups.drawn = False

    def _current_edge(self) -> str:
        return self.edge.options[max(0, self.edge.box.currentIndex())][0] if self.edge.options else ""

    def _read_role(self) -> str | None:
        edge = self._current_edge()
        return next((c.role for c in self.bench.job.makeup.edges if c.edge == edge), None)

    def _take_role(self, role: str | None) -> None:
        edge = self._current_edge()
        if not edge:
            return
        kept = [c.model_dump() for c in self.bench.job.makeup.edges if c.edge != edge]
        if role is not None:
            kept.append({"edge": edge, "role": role})
        if not self.bench.edit({"makeup.edges": kept}, "an edge's make-up"):
            self.edge_role.refresh()

    def _show_blanks(self) -> None:
        self.nested, self.chosen = False, ""
        self._without_candidates()
        self.bench.lit_changed.emit()

    def _halt(self) -> None:
        self.study.stop()
        self.cutting.stop()
        self.bench.lit_changed.emit()

    def _take_rack(self) -> None:
        self.bench.settings.keep("offcuts", self.rack.text().strip())
        self.bench.lit_changed.emit()

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
            if self.cutting.stale(inputs):
                text = f"Out of date, the blanks have changed since: {text}. Nest again."
        self.nest_words.setText(text)

    def _refresh_nest(self) -> None:
        self.rack.setVisible(self.way != "quick")
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
