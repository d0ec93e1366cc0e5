"""Proposals on the card of the space: asked for, watched, looked at in the drawing, taken."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QHBoxLayout, QProgressBar, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from bathyx.core.job import Job
from bathyx.core.laminate.panels import PanelLayUp
from bathyx.core.propose import KINDS, Proposal, gross_for
from bathyx.core.sheet.makeup.skins import BAFFLES
from bathyx.core.tank.profile import ProfileTank
from bathyx.core.units import show
from bathyx.desk.bench import Bench
from bathyx.desk.study import KeptStudy
from bathyx.desk.views.fields import button, relook, words
from bathyx.studies.kinds import ProposeInputs

PANELS = (5, 6, 8)


class Proposals(QWidget):
    """The search and what it found, a row a proposal."""

    def __init__(self, bench: Bench, study: KeptStudy) -> None:
        super().__init__()
        self.bench, self.study = bench, study
        self.picked: Proposal | None = None
        self._rows: tuple[Proposal, ...] = ()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        line = QHBoxLayout()
        self.most = button("Find the largest", "propose most", lambda: self.run(None), "main")
        self.wish = button("For the brief", "propose wish", lambda: self.run(gross_for(bench.evaluation.results)))
        line.addWidget(self.most)
        line.addWidget(self.wish)
        column.addLayout(line)
        self.progress = QProgressBar()
        self.progress.setRange(0, 100)
        self.halt = button("Stop", "stop proposals", self._halt)
        line = QHBoxLayout()
        line.addWidget(self.progress)
        line.addWidget(self.halt)
        column.addLayout(line)
        self.said = words("", "quiet")
        column.addWidget(self.said)
        self.list = QVBoxLayout()
        self.list.setSpacing(4)
        column.addLayout(self.list)
        self.take = button("Take this one", "take proposal", self._take, "main")
        column.addWidget(self.take)
        study.progressed.connect(lambda share: self.progress.setValue(int(100 * share)))

    def inputs(self, litres: float | None) -> ProposeInputs:
        """What a search reads: the space, and the sheet."""
        job = self.bench.job
        bare = ProfileTank(length_mm=100, width_mm=100, height_mm=100, sheet=job.tank.sheet)
        space = job.space.model_copy(update={"seat": None})
        return ProposeInputs(
            Job(uid="proposals", space=space, tank=bare, layup=job.layup, panel_layups=_baffles(job)),
            tuple(KINDS),
            PANELS,
            litres,
        )

    def run(self, litres: float | None) -> None:
        """Begin to search."""
        self.picked = None
        self.study.run(self.inputs(litres))
        self.bench.lit_changed.emit()

    def _halt(self) -> None:
        self.study.stop()
        self.bench.lit_changed.emit()

    @property
    def drawn(self) -> Proposal | None:
        """What stands in the drawing: the one that is picked, or the largest so far while the search runs."""
        if self.picked is None and self.study.running and self.study.so_far is not None:
            found: tuple[Proposal, ...] = self.study.so_far.found
            return found[0]
        return self.picked

    def pick(self, proposal: Proposal) -> None:
        """Draw a proposal over the space; picked again, leave it."""
        self.picked = None if self.picked is proposal else proposal
        self.bench.lit_changed.emit()

    def _take(self) -> None:
        p = self.picked
        if p is None:
            return
        self.picked = None
        self.bench.edit(p.changes, f"take the {p.words}")

    def refresh(self) -> None:
        """Show what is known."""
        asked = self.study.inputs
        litres = asked.litres if asked is not None else None
        self.study.look(self.inputs(litres))
        running = self.study.running
        self.progress.setVisible(running)
        self.halt.setVisible(running)
        if not running:
            self.progress.setValue(0)
        told = self.study.so_far if running else self.study.result
        found = told.found if told is not None else ()
        stale = self.study.stale(self.inputs(self.study.inputs.litres if self.study.inputs is not None else None))
        if self.picked not in found or (stale and not running):
            self.picked = None
        text = ""
        if running:
            text = "Searching: box, flat panels, round body, saddle…"
        elif self.study.trouble:
            text = self.study.trouble
        elif found:
            text = "Pick one to see it in the drawing. A search from several starts: a larger one may exist."
            if self.study.cut_short:
                text = "Stopped; this was found until then."
            if stale:
                text = "Out of date: the space or the sheet has changed since. Search again."
        self.said.setText(text)
        self.said.setVisible(bool(text))
        self._show(found)
        self.take.setVisible(self.picked is not None and not running)

    def _show(self, found: tuple[Proposal, ...]) -> None:
        if found is not self._rows:
            self._rows = found
            while (item := self.list.takeAt(0)) is not None:
                if (widget := item.widget()) is not None:
                    widget.deleteLater()
            for k, p in enumerate(found, start=1):
                made = button("", f"proposal {k}", partial(self.pick, p))
                made.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
                self.list.addWidget(made)
        for k, p in enumerate(found):
            place = self.list.itemAt(k)
            row = place.widget() if place is not None else None
            if not isinstance(row, QPushButton):
                continue
            units = self.bench.units
            litres, weld = show(p.gross_l, "volume", units), show(p.weld_mm, "weld", units, places=1)
            touches = f", touches {', '.join(p.touches)}" if p.touches else ""
            row.setText(f"{litres}  {p.words}\n{p.share:.0%} · {weld} weld · {show(p.dry_kg, 'mass', units, places=0)}")
            row.setToolTip(f"{litres} gross, {p.share:.0%} of the space{touches}")
            relook(row, "look", "main" if p is self.picked else "row")


def _baffles(job: Job) -> tuple[PanelLayUp, ...]:
    """Plies of the baffles: other shapes have them too; those of faces belong to this one."""
    return tuple(own for own in job.panel_layups if own.face == BAFFLES)
