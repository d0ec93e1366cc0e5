"""Planning the make-up on the card of Cut: what is best, candidates side by side, one click to take one."""

from __future__ import annotations

import json
from functools import partial

import numpy as np
from PyQt6.QtWidgets import QHBoxLayout, QProgressBar, QSizePolicy, QVBoxLayout, QWidget

from bathyx.core.brief import Brief
from bathyx.core.job import Job
from bathyx.core.makeups.aims import AIMS, Aim
from bathyx.core.sheet.cutting.rack import of_sheet, rack_of
from bathyx.core.units import show
from bathyx.desk.bench import Bench
from bathyx.desk.stages.build.costs import own_rates
from bathyx.desk.study import KeptStudy
from bathyx.desk.views.fields import Choice, button, clear, words
from bathyx.draft.make_ups_view import Shown, figures, make_ups_view
from bathyx.draft.picture import Picture
from bathyx.studies.kinds import KeptMakeUp, MakeUpInputs, MakeUpsFound

TOP = 6


class MakeUps(QWidget):
    """The search for make-ups, and its candidates."""

    def __init__(self, bench: Bench, study: KeptStudy) -> None:
        super().__init__()
        self.bench, self.study = bench, study
        self.aim: Aim = "weld"
        self.drawn = False
        self.rates, _, self.booked, _ = own_rates(bench)
        self._offered: tuple[object, ...] = ()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.choice = Choice(
            bench, "Best is", "make-up aim", list(AIMS.items()), take=self._take_aim, read=lambda: self.aim
        )
        column.addWidget(self.choice)
        column.addWidget(button("Plan the make-up", "plan make-up", self.run, "main"))
        line = QHBoxLayout()
        self.progress = QProgressBar()
        self.progress.setRange(0, 100)
        self.halt = button("Stop", "stop make-up", self.stop)
        line.addWidget(self.progress)
        line.addWidget(self.halt)
        column.addLayout(line)
        self.said = words("", "quiet")
        column.addWidget(self.said)
        self.offers = QVBoxLayout()
        self.offers.setSpacing(4)
        column.addLayout(self.offers)
        study.progressed.connect(lambda share: self.progress.setValue(int(100 * share)))
        study.done.connect(bench.lit_changed.emit)

    def inputs(self) -> MakeUpInputs:
        """What the search reads: the tank, its make-up and inside, the brief without names."""
        job = self.bench.job
        brief = job.brief.model_copy(update={"name": Brief().name, "customer": ""})
        same = {"space": job.space, "tank": job.tank, "inside": job.inside, "makeup": job.makeup, "layup": job.layup}
        bare = Job(uid="make-up-job", brief=brief, panel_layups=job.panel_layups, **same)
        joints = tuple(choice for choice in job.makeup.edges if choice.joint is not None)
        plain = bare.makeup.model_copy(update={"school": job.tank.schools()[0], "edges": joints, "moved": ()})
        rack, _ = rack_of(str(self.bench.settings["offcuts"]))  # what is wrong in it is said where it is typed
        sizes = tuple(offcut.size for offcut in of_sheet(rack, self.bench.evaluation.results.sheet.key))
        return MakeUpInputs(bare.model_copy(update={"makeup": plain}), self.aim, TOP, self.rates, sizes)

    def run(self) -> None:
        """Look for make-ups."""
        self.drawn = True
        self.rates, _, self.booked, _ = own_rates(self.bench)  # what is wrong in them is said where they are typed
        self.study.run(self.inputs())
        self.bench.lit_changed.emit()

    def stop(self) -> None:
        """Give up."""
        self.study.stop()
        self.bench.lit_changed.emit()

    @property
    def found(self) -> tuple[KeptMakeUp, ...]:
        """Candidates that belong to the tank as it is."""
        made = self.study.result
        return made.found if isinstance(made, MakeUpsFound) and not self.study.stale(self.inputs()) else ()

    def picture(self) -> Picture | None:
        """The candidates side by side, where they are to be drawn."""
        if not self.drawn or not self.found:
            return None
        return make_ups_view([self._shown(k, c) for k, c in enumerate(self.found, start=1)])

    def _shown(self, number: int, c: KeptMakeUp) -> Shown:
        blanks = [(np.array(b.outline), [np.array(bend).reshape(2, 2) for bend in b.bends]) for b in c.blanks]
        return Shown(f"{number}: {c.name}", blanks, self._figures(c), bool(c.stops), self._is_now(c))

    def _figures(self, c: KeptMakeUp) -> tuple[str, str, str]:
        return figures(
            self.bench.units,
            weld_mm=c.weld_mm,
            parts=c.parts,
            bends=c.bends,
            sheets=c.sheets,
            minutes=c.minutes,
            money=c.money,
            flat_share=c.flat_share,
        )

    def _is_now(self, c: KeptMakeUp) -> bool:
        changes, makeup = json.loads(c.changes), self.bench.job.makeup
        bent = {e["edge"] for e in changes["makeup.edges"] if e["role"] == "bend"}
        now = {e.edge for e in makeup.edges if e.role == "bend"}
        said = {e.edge for e in makeup.edges if e.role == "weld" and e.joint is None}
        return changes["makeup.school"] == makeup.school and bent == now and not said and not makeup.moved

    def _take_aim(self, aim: Aim) -> None:
        self.aim = aim
        self.study.look(self.inputs())
        self.bench.lit_changed.emit()

    def take(self, number: int) -> None:
        """Make the tank as a candidate is."""
        c = self.found[number]
        self.bench.edit(json.loads(c.changes), f"make-up: {c.name}")

    def refresh(self) -> None:
        """Show what is known."""
        self.study.look(self.inputs())
        self.choice.refresh()
        running = self.study.running
        self.progress.setVisible(running)
        self.halt.setVisible(running)
        made = self.study.result
        text = "Every way of unfolding it, against the schools."
        if running:
            text = "Looking at unfoldings…"
        elif self.study.trouble:
            text = self.study.trouble
        elif isinstance(made, MakeUpsFound) and not self.found:
            text = "The tank has changed since they were looked for."
        elif isinstance(made, MakeUpsFound):
            text = "Proven the best of all unfoldings." if made.proven else "The best that was found."
            if made.gap > 0 and self.aim == "weld":
                text += f" One with up to {show(made.gap, 'weld', self.bench.units)} less weld may be there."
            by = f"at the shop's rates, corrected by {self.booked} booked steps" if self.booked else "estimates"
            text += f" Minutes and money are {by}, to hold one against another."
        self.said.setText(text)
        key = (self.found, self.bench.units, self.bench.job.makeup)
        if key == self._offered:
            return
        self._offered = key
        clear(self.offers)
        for k, c in enumerate(self.found):
            now = ", as it is" if self._is_now(c) else ""
            weld, taken, cost = self._figures(c)
            text = f"{k + 1}: {c.name}{now}\n{weld}, {cost}\n{taken}"
            made_ = button(text, f"take make-up {k + 1}", partial(self.take, k))
            made_.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
            made_.setEnabled(not self._is_now(c))
            if c.stops:
                made_.setToolTip("\n".join(c.stops))
            self.offers.addWidget(made_)
