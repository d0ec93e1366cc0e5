"""A first tank walked through on the real desk: one line says what to do next, and is done when the job says so."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QHBoxLayout, QWidget

from bathyx.desk.views.fields import button, words

if TYPE_CHECKING:
    from bathyx.desk.window import Window


@dataclass(frozen=True)
class Step:
    """What to do, on which stage (none: wherever), and whether it is done."""

    say: str
    stage: str
    done: Callable[[Window], bool]


STEPS = (
    Step("Pick the pictures like yours, type the hole and the litres, and press Begin.", "", lambda w: False),
    Step("Space: type the width, depth and height that your tape says. Then press Done.", "space", lambda w: False),
    Step("Tank: click a figure in the drawing and type over it, until it fits and holds enough.", "tank",
         lambda w: not any(f.stage in ("space", "tank", "brief") for f in w.bench.evaluation.stops)),
    Step("Inside: press Fit it out; drag what you want elsewhere.", "inside",
         lambda w: any(f.kind in ("filler", "vent") for f in w.bench.job.inside.fittings)),
    Step("The red flags: press Put right, or the remedy of each, until none is left.", "inside",
         lambda w: not w.bench.evaluation.stops),
    Step("Cut: click a blank to see it large, with its bends below. Then press Done.", "cut", lambda w: False),
    Step("Hand over: press Write all papers. The folder is said at the foot. Then press Done.", "handover", lambda w: False),
)  # fmt: skip


class FirstJob(QWidget):
    """A line over the desk with what is next."""

    def __init__(self, window: Window) -> None:
        super().__init__()
        self.window_, self.at = window, 0
        self.setObjectName("first job line")
        self.before = window.bench.path
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 2, 8, 2)
        self.said = words("", "head")
        self.said.setObjectName("first job step")
        row.addWidget(self.said, 1)
        row.addWidget(button("Done", "first job done", self.on))
        row.addWidget(button("Leave it", "leave first job", self.leave))
        window.bench.changed.connect(self.look)
        self._show()

    def look(self) -> None:
        """Go on from what is done by now."""
        if self.at == 0 and self.window_.bench.path != self.before:  # another job is in hand: the new one
            self.at = 1
            self._show()
        while self.at < len(STEPS) and STEPS[self.at].done(self.window_):
            self.at += 1
            self._show()

    def on(self) -> None:
        """The next step, as the hand says."""
        self.at += 1
        self._show()
        self.look()

    def leave(self) -> None:
        """No more of it."""
        self.window_.bench.changed.disconnect(self.look)
        self.hide()
        self.deleteLater()

    def _show(self) -> None:
        if self.at >= len(STEPS):
            self.said.setText(
                "That was a tank, from the tape to its papers. Build and Prove keep its welds and its test."
            )
            return
        step = STEPS[self.at]
        self.said.setText(f"{self.at + 1} of {len(STEPS)}. {step.say}")
        if step.stage:
            keys = [stage.key for stage in self.window_.stages]
            if self.window_.stage.key != step.stage and self.window_.bench.path is not None:
                self.window_.choose(keys.index(step.stage))
