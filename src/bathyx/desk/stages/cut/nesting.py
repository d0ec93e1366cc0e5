"""The nest of the cut stage: how it is laid, the rack, the search, its cuts one after another, and what goes back on the rack."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QProgressBar

from bathyx.core.material import Sheet
from bathyx.core.sheet.cutting.cut_plan import Cutting, parts_of
from bathyx.core.sheet.cutting.nest import by_thickness, pieces_of
from bathyx.core.sheet.cutting.order import Step, steps_of
from bathyx.core.sheet.cutting.parts import CutPlan, Part
from bathyx.core.sheet.cutting.rack import OffCut, kept, next_number, of_sheet, plain, rack_after, rack_of
from bathyx.core.sheet.flat.blank import Blank
from bathyx.core.units import show
from bathyx.desk.bench import Bench
from bathyx.desk.study import KeptStudy
from bathyx.desk.views.card import Card
from bathyx.desk.views.fields import Choice, button, words
from bathyx.desk.views.grid import Column, Door, Grid, Rows, Table
from bathyx.desk.views.plain import Slider
from bathyx.draft.cut_plan_view import cut_plan_view, step_words
from bathyx.draft.flat_views import nest_view
from bathyx.draft.picture import Picture
from bathyx.studies import NestInputs
from bathyx.studies.kinds import CutInputs

WAYS = [
    ("quick", "quick, as rectangles"),
    ("shear", "for the shear, edge to edge"),
    ("shapes", "true shapes, laser or water"),
]


class Nesting:
    """At most one nest is run; `shown` says whether it is what is looked at, `made` how many cuts of it are made."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        self.shown = False
        self.thick = 0.0
        self.made: int | None = None
        self._racked: CutPlan | None = None
        self._ordered: tuple[CutPlan, tuple[Step, ...]] | None = None
        self.quick = KeptStudy("nest", bench.home)
        self.cutting = KeptStudy("cut_plan", bench.home)
        for study in (self.quick, self.cutting):
            study.done.connect(bench.lit_changed.emit)
            study.progressed.connect(lambda share: self.progress.setValue(int(share * 100)))
        self.cutting.more.connect(bench.lit_changed.emit)

    # -- what it is run on ------------------------------------------------------------------------------------------------

    @property
    def mine(self) -> tuple[Blank, ...]:
        """The blanks of the thickness that is nested: one sheet has one."""
        groups = by_thickness(self.bench.evaluation.results.blanks)
        return groups.get(self.thick) or next(iter(groups.values()), ())

    @property
    def sheet(self) -> Sheet:
        """The metal and thickness that is nested on."""
        own = self.bench.evaluation.results.sheet
        return Sheet(own.material, next((blank.thickness_mm for blank in self.mine), own.thickness_mm))

    @property
    def way(self) -> str:
        """How it is nested: quick, shear or shapes."""
        said = self.bench.settings["nest_way"]
        return said if said in dict(WAYS) else "quick"

    @property
    def rack(self) -> tuple[OffCut, ...]:
        """What is on the rack, of every metal."""
        return rack_of(str(self.bench.settings["offcuts"]))[0]

    @property
    def how(self) -> Cutting:
        """How the sheets are cut."""
        shear = self.way == "shear"
        return Cutting(shear, 0.0 if shear else 3.0, grain=self.bench.job.makeup.grain)

    def parts(self) -> tuple[Part, ...]:
        """The blanks as they are laid."""
        return parts_of(self.mine)

    def quick_inputs(self) -> NestInputs:
        """Of the quick one."""
        return NestInputs(pieces_of(self.mine), self.bench.evaluation.results.sheet.material.stock)

    def cut_inputs(self) -> CutInputs:
        """Of the one for the shear, or of true shapes."""
        outlines = tuple((p.name, tuple((float(x), float(y)) for x, y in p.outline)) for p in self.parts())
        sizes = tuple(offcut.size for offcut in of_sheet(self.rack, self.sheet.key))
        return CutInputs(outlines, self.sheet.material.stock, sizes, self.how)

    # -- what is drawn ----------------------------------------------------------------------------------------------------

    def plan(self) -> CutPlan | None:
        """The plan that may be shown: the best so far, or one of the blanks as they are now."""
        if self.cutting.running:
            so_far: CutPlan | None = self.cutting.so_far
            return so_far
        plan: CutPlan | None = self.cutting.result
        return plan if plan is not None and not self.cutting.stale(self.cut_inputs()) else None

    def steps(self) -> tuple[Step, ...]:
        """Its cuts in their order."""
        plan = self.plan()
        if plan is None or self.cutting.running:
            return ()
        if self._ordered is None or self._ordered[0] is not plan:
            self._ordered = (plan, steps_of(plan, self.parts(), self.how))
        return self._ordered[1]

    def picture(self) -> Picture | None:
        """The sheets, where there is a nest to be shown."""
        b = self.bench
        blanks = b.evaluation.results.blanks
        if self.way == "quick":
            found = self.quick.result
            fresh = found is not None and not self.quick.stale(self.quick_inputs())
            return nest_view(found, blanks, b.units) if fresh else None
        plan = self.plan()
        return None if plan is None else cut_plan_view(plan, blanks, b.units, self.steps(), self.made)

    # -- the card ---------------------------------------------------------------------------------------------------------

    def choices(self, card: Card) -> None:
        """How it is nested, and what is on the rack."""
        b = self.bench
        card.add(Choice(b, "Nest", "nest way", WAYS, take=self.take_way, read=lambda: self.way))
        self.sheets = card.add(
            Choice(b, "Sheet of", "nest sheet", [], take=self._take_thick, read=lambda: self.sheet.thickness_mm)
        )
        columns = [
            Column("long"),
            Column("wide"),
            Column("metal", "text", may_be_empty=True),
            Column("number", "count", may_be_empty=True),
            Column("left of", "text", may_be_empty=True),
        ]
        grid = Grid(b, "off-cuts", columns, self._rack_rows, self._take_rows)
        how = "What is left of earlier sheets. Metal and thickness as 5083/3: a nest takes only what is of its own."
        self.door = card.add(Door(b, "Off-cuts on the rack", Table(grid, how), self._rack_said))

    def running(self, card: Card) -> None:
        """The search, its words, the cuts one after another, and the rack."""
        self.progress = QProgressBar()
        self.halt = button("Stop", "stop nest", self.stop)
        card.row(self.progress, self.halt)
        self.words = card.add(words(""))
        self.slider = Slider(Qt.Orientation.Horizontal)
        self.slider.setObjectName("cuts")
        self.slider.setAccessibleName("The cuts of the nest, one after another")
        self.slider.valueChanged.connect(self._slid)
        card.add(self.slider)
        self.step_words = card.add(words("", "quiet"))
        self.step_words.setObjectName("cut words")
        self.shelve = card.add(button("It is cut: put what is left on the rack", "put on rack", self.put_on_rack))
        self.print_plan = card.add(button("Print the cut plan", "print cut plan", self.write_plan))
        self.labels = card.add(button("Print labels of the rack", "print rack labels", self.write_labels))

    def refresh(self) -> None:
        """The card as things stand."""
        groups = by_thickness(self.bench.evaluation.results.blanks)
        self.sheets.setVisible(len(groups) > 1)
        self.sheets.offer([(t, f"{t:g} mm: {len(mine)} blanks") for t, mine in groups.items()])
        self.door.setVisible(self.way != "quick")
        self.labels.setVisible(self.way != "quick" and bool(self.rack))
        self.shelve.setVisible(False)
        study = self.quick if self.way == "quick" else self.cutting
        study.look(self.quick_inputs() if study is self.quick else self.cut_inputs())
        self.progress.setVisible(study.running)
        self.halt.setVisible(study.running)
        self.words.setText(self._quick_words() if study is self.quick else self._plan_words())
        steps = self.steps() if self.shown and study is self.cutting else ()
        self.slider.setVisible(bool(steps))
        self.step_words.setVisible(bool(steps))
        self.print_plan.setVisible(bool(steps))
        plan = self.plan() if steps else None
        if plan is not None:
            self.slider.blockSignals(True)
            self.slider.setRange(0, len(steps))
            self.made = None if self.made is None else min(self.made, len(steps))
            self.slider.setValue(self.made or 0)
            self.slider.blockSignals(False)
            self.step_words.setText(step_words(plan, steps, self.made or 0, self.bench.units))

    def _slid(self, made: int) -> None:
        self.made = made or None
        self.bench.lit_changed.emit()

    def _quick_words(self) -> str:
        units, n = self.bench.units, self.quick.result
        if self.quick.running:
            return "Nesting…"
        if self.quick.trouble or n is None:
            return self.quick.trouble
        size = f"{show(n.stock[0], 'length', units)} × {show(n.stock[1], 'length', units)}"
        text = f"{n.sheets} sheet{'s' if n.sheets > 1 else ''} of {size}, {n.used_share:.0%} used"
        if self.quick.stale(self.quick_inputs()):
            return f"Out of date, the blanks have changed since: {text}. Nest again."
        return text

    def _plan_words(self) -> str:
        plan: CutPlan | None = self.cutting.result
        wrong = rack_of(str(self.bench.settings["offcuts"]))[1]
        if self.cutting.running:
            return "Nesting; the best so far is drawn…"
        if self.cutting.trouble or wrong:
            return self.cutting.trouble or wrong
        nameless = sum(not offcut.sheet for offcut in self.rack)
        unsaid = (
            f" {nameless} off-cut{'s' if nameless > 1 else ''} of the rack without a metal: not used."
            if nameless
            else ""
        )
        if plan is None:
            return unsaid.strip()
        new = sum(not s.offcut for s in plan.sheets)
        rack = f" and {len(plan.sheets) - new} from the rack" if new < len(plan.sheets) else ""
        text = f"{new} new sheet{'s' if new != 1 else ''}{rack}, {plan.density:.0%} used"
        cuts = sum(len(s.cuts) for s in plan.sheets)
        text += f"; {cuts} cuts from edge to edge" if cuts else ""
        if plan is self._racked:
            return f"It is cut, and what was left is on the rack: {text}.{unsaid}"
        if self.cutting.stale(self.cut_inputs()):
            return f"Out of date, the blanks or the rack have changed since: {text}. Nest again.{unsaid}"
        self.shelve.setVisible(any(s.rest or s.offcut for s in plan.sheets))
        return text + (f".{unsaid}" if unsaid else "")

    # -- what is done -----------------------------------------------------------------------------------------------------

    def run(self) -> None:
        """Begin nesting the blanks as they are now."""
        if not self.mine:
            self.bench.said.emit("trouble", "There is nothing to nest: the tank cannot be cut as it is")
            return
        self.shown, self.made = True, None
        if self.way == "quick":
            self.quick.run(self.quick_inputs())
        else:
            self.cutting.run(self.cut_inputs())
        self.bench.lit_changed.emit()

    def stop(self) -> None:
        """Stop looking; the best so far stands."""
        self.quick.stop()
        self.cutting.stop()
        self.bench.lit_changed.emit()

    def take_way(self, way: str) -> None:
        """Nest in another way."""
        self.bench.settings.keep("nest_way", way)
        self.bench.lit_changed.emit()

    def _take_thick(self, thick: float) -> None:
        self.thick = thick
        self.bench.lit_changed.emit()

    def put_on_rack(self) -> None:
        """The rack as it is when the nest has been cut: what it took is gone, what it leaves is there, each with its number."""
        plan: CutPlan | None = self.cutting.result
        if plan is None or plan is self._racked or self.cutting.stale(self.cut_inputs()):
            return
        b, before = self.bench, self.rack
        given = int(b.settings["rack_number"])
        after = rack_after(plan, before, self.sheet.key, b.job.brief.name, given)
        self._racked = plan
        b.settings.keep("rack_number", next_number(after, given) - 1)
        b.settings.keep("offcuts", kept(after))
        b.lit_changed.emit()
        new = [offcut for offcut in after if offcut not in before]
        if new:
            on = "; ".join(f"{o.name}: {' × '.join(show(v, 'length', b.units) for v in o.size)}" for o in new)
            b.said.emit(
                "note", f"On the rack now, of {self.sheet.shown(b.units)}: {on}. Write it on, or print the labels"
            )

    def write_plan(self) -> None:
        """The plan on paper, its cuts in their order."""
        plan, b = self.plan(), self.bench
        if plan is None or self.cutting.running:
            return
        e, how, sheet, units, on = b.evaluation, self.how, self.sheet, b.units, b.stationery.under(b.record)

        def write(folder: Path) -> list[Path]:
            from bathyx.papers.cut_plan_sheet import write_cut_plan

            return [write_cut_plan(e, plan, how, sheet, folder / "cut-plan.pdf", units, on)]

        b.write_papers(write)

    def write_labels(self) -> None:
        """A label with a code for every off-cut of the rack."""
        rack, units, on = self.rack, self.bench.units, self.bench.stationery

        def write(folder: Path) -> list[Path]:
            from bathyx.papers.machine.labels import rack_labels, write_labels

            return [write_labels(rack_labels(rack, units), folder / "rack-labels.pdf", on)]

        self.bench.write_papers(write)

    def _rack_rows(self) -> Rows:
        return [
            [o.long_mm, o.wide_mm, o.sheet or None, float(o.number) if o.number else None, o.source or None]
            for o in self.rack
        ]

    def _rack_said(self) -> str:
        return str(len(self.rack)) if self.rack else "none"

    def _take_rows(self, rows: Rows) -> str:
        typed, numbers = list[OffCut](), set[int]()
        for n, (long, wide, metal, number, source) in enumerate(rows, start=1):
            of, said = str(metal or "").strip(), plain(str(source or ""))
            one = OffCut(float(long or 0), float(wide or 0), of, int(float(number or 0)), said)
            if one.number and one.number in numbers:
                return f"row {n}: {one.name} is on the rack already; each off-cut has a number of its own"
            numbers.add(one.number)
            _, wrong = rack_of(str(one))
            if wrong:
                return f"row {n}: {wrong}"
            typed.append(one)
        settings = self.bench.settings
        settings.keep("rack_number", next_number(typed, int(settings["rack_number"])) - 1)  # typed ones are given too
        settings.keep("offcuts", kept(typed))
        self.bench.lit_changed.emit()
        return ""
