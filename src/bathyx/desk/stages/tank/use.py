"""The Tank card's part on a tank in use: on a slope, on every slope, and its weight as it fills."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QSignalBlocker, Qt
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from bathyx.core.capacity.filling import filling
from bathyx.core.capacity.leaning import Leaning, Stance, leaning
from bathyx.core.evaluate import Evaluation, evaluate, inside_of
from bathyx.desk.bench import Bench
from bathyx.desk.views.fields import Field, Tick, button, words
from bathyx.desk.views.plain import Slider
from bathyx.draft.charts import filling_chart
from bathyx.draft.leaning_view import leaning_view
from bathyx.draft.pair_view import pair_view
from bathyx.draft.picture import Picture
from bathyx.errors import Refusal

WAYS = {"slope": "On a slope", "map": "Usable on every slope", "filling": "Weight as it fills", "pair": "Both tanks"}
NAMES = {"slope": "show slope", "map": "map attitudes", "filling": "show filling", "pair": "show pair"}
STANCES = (
    ("trim_deg", "Front up", 45, 1.0, "°"),
    ("heel_deg", "Right end up", 45, 1.0, "°"),
    ("braking_g", "Braking", 20, 0.05, " g"),
    ("cornering_g", "Curve to the left", 20, 0.05, " g"),
)
SHARES = 100


class InUse(QWidget):
    """Which of them is drawn, and how the machine stands: a what-if beside the job, never part of it."""

    def __init__(self, bench: Bench, changed: Callable[[], None]) -> None:
        super().__init__()
        self.bench, self._changed = bench, changed
        self.shown, self.stance, self.share = "", Stance(), 1.0
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(7)
        self.buttons = {way: button(text, NAMES[way], partial(self.choose, way)) for way, text in WAYS.items()}
        first = QHBoxLayout()
        first.addWidget(self.buttons["slope"])
        first.addWidget(self.buttons["filling"])
        column.addLayout(first)
        column.addWidget(self.buttons["map"])
        column.addWidget(self.buttons["pair"])
        self.told = words("", "quiet")
        column.addWidget(self.told)
        self.sliders = QWidget()
        inner = QVBoxLayout(self.sliders)
        inner.setContentsMargins(0, 0, 0, 0)
        self.slides = [
            Slide(label, name, most, step, sign, partial(self._stand, name))
            for name, label, most, step, sign in STANCES
        ]
        for slide in self.slides:
            inner.addWidget(slide)
        self.litres = Slide("Filled to", "filled share", SHARES, 1.0, " %", self._fill, least=0)
        self.litres.set(SHARES)
        inner.addWidget(self.litres)
        self.other = Tick(
            bench,
            "Beside it: the tank without its sump",
            "compare sump",
            lambda on: self._other(on),
            lambda: self.beside,
        )
        self.beside = False
        inner.addWidget(self.other)
        inner.addWidget(button("Level again, at rest", "stand level", self.level))
        column.addWidget(self.sliders)
        self.limit = Field(bench, "May weigh at most, full", "brief.most_kg", "mass", "no limit")
        column.addWidget(self.limit)

    def choose(self, way: str) -> None:
        """Show that, or the tank again."""
        self.shown = "" if self.shown == way else way
        self.refresh()
        self._changed()

    def level(self) -> None:
        """At rest on the level."""
        self.stance = Stance()
        for slide in self.slides:
            slide.set(0)
        self._changed()

    def _stand(self, name: str, value: float) -> None:
        self.stance = self.stance.model_copy(update={name: value})
        self._changed()

    def _fill(self, value: float) -> None:
        self.share = value / SHARES
        self._changed()

    def _other(self, on: bool) -> None:
        self.beside = on
        self._changed()

    def refresh(self) -> None:
        """What is there to be set, and what each button says."""
        for way, text in WAYS.items():
            self.buttons[way].setText("Show the tank" if self.shown == way else text)
        if self.bench.job.second is None and self.shown == "pair":
            self.shown = ""
        self.buttons["pair"].setVisible(self.bench.job.second is not None)
        self.sliders.setVisible(self.shown == "slope")
        self.limit.setVisible(self.shown == "filling")
        self.limit.refresh()
        self.other.setVisible(self.bench.job.tank.sump is not None)
        self.other.refresh()
        self.told.setVisible(self.shown in ("slope", "map"))
        self.told.setText(
            "Steady slopes, braking and curves; surge goes beyond them. The surface is drawn as one."
            if self.shown == "slope"
            else "What can be drawn of the fill at each slope; rings mark how this machine works."
        )

    def picture(self) -> Picture | None:
        """Of the slope, or of the weight; None for the tank itself and the map."""
        e, units = self.bench.evaluation, self.bench.units
        if self.shown == "filling":
            r = e.results
            most = e.job.brief.most_kg
            return filling_chart(filling(r.shell, r.capacity, r.weight, r.fluid, most), most, units)
        if self.shown == "pair" and e.results.pair is not None:
            return pair_view(e, units)
        if self.shown != "slope":
            return None
        now = leaning_of(e, self.stance, self.share)
        return leaning_view(e, units, now, self._compared(now) if self.beside else None)

    def _compared(self, now: Leaning) -> tuple[str, Leaning] | None:
        """The same without its sump, as far as that can be built."""
        job = self.bench.job
        if job.tank.sump is None:
            return None
        try:
            bare = job.edited_many(
                {
                    "tank.sump": None,
                    "inside.fittings": [f for f in job.inside.fittings if not f.face.startswith("sump")],
                }
            )
            return "no sump", leaning_of(evaluate(bare), now.stance, self.share)
        except Refusal:
            return None


def leaning_of(e: Evaluation, stance: Stance, share: float = 1.0) -> Leaning:
    """How a tank stands with a share of its fill in it.

    Args:
        e: the evaluated job.
        stance: slope, roll, braking, cornering.
        share: of its fill.
    """
    r, fittings = e.results, e.job.inside.fittings
    return leaning(r.shell, inside_of(e.job, r), fittings, r.capacity, stance, share * r.capacity.fill_l)


class Slide(QWidget):
    """A labelled slider with its figure."""

    def __init__(
        self,
        label: str,
        name: str,
        most: int,
        step: float,
        sign: str,
        take: Callable[[float], None],
        *,
        least: int | None = None,
    ) -> None:
        super().__init__()
        self._step, self._sign, self._take = step, sign, take
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(words(label, wrap=False), 4)
        self.slider = Slider(Qt.Orientation.Horizontal)
        self.slider.setObjectName(name)
        self.slider.setAccessibleName(label)
        self.slider.setRange(-most if least is None else least, most)
        self.slider.setPageStep(5)
        row.addWidget(self.slider, 5)
        self.figure = words("", wrap=False)
        self.figure.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        row.addWidget(self.figure, 2)
        self.slider.valueChanged.connect(self._moved)
        self._say(self.slider.value())

    def set(self, value: int) -> None:
        """Put it there without saying so."""
        with QSignalBlocker(self.slider):
            self.slider.setValue(value)
        self._say(value)

    def _moved(self, value: int) -> None:
        self._say(value)
        self._take(round(value * self._step, 4))

    def _say(self, value: int) -> None:
        shown = f"{value * self._step:+.2f}" if self._step < 1 else f"{value * self._step:+.0f}"
        self.figure.setText((shown if value and self.slider.minimum() < 0 else shown.lstrip("+")) + self._sign)


__all__ = ["InUse", "leaning_of"]
