"""Two versions of one job side by side: ours and what another wrote, drawn, with every field in which they differ."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtWidgets import QHBoxLayout, QListWidget, QVBoxLayout, QWidget

from bathyx.core.evaluate import evaluate
from bathyx.core.job import Job
from bathyx.core.units import show
from bathyx.desk.bench import Bench
from bathyx.desk.theme import Theme
from bathyx.desk.views.canvas import Canvas
from bathyx.desk.views.fields import button, words
from bathyx.draft.solid_view import Eye, Show, solid_view
from bathyx.errors import Refusal

MOST_LINES = 60


def differences(mine: Job, theirs: Job) -> list[tuple[str, str, str]]:
    """(Field, ours, theirs) of every value that is not the same."""
    a, b = _flat(mine.model_dump(mode="json")), _flat(theirs.model_dump(mode="json"))
    return [
        (path, a.get(path, "none"), b.get(path, "none"))
        for path in sorted(a.keys() | b.keys())
        if a.get(path) != b.get(path)
    ]


def _flat(part: Any, path: str = "") -> dict[str, str]:
    if isinstance(part, dict):
        items = [(f"{path}.{k}".lstrip("."), v) for k, v in part.items()]
    elif isinstance(part, list):
        items = [(f"{path}.{k}", v) for k, v in enumerate(part)]
    else:
        return {path: str(part)}
    return {p: v for place, value in items for p, v in _flat(value, place).items()}


def _plainly(path: str) -> str:
    """A field's path as a person would say it: `tank.height_mm` is tank, height mm."""
    return path.replace(".", ", ").replace("_", " ")


class SideBySide(QWidget):
    """Ours left, theirs right, and the choice between them. Whichever is taken, the other is kept."""

    def __init__(self, bench: Bench, theme: Theme, done: Callable[[], object]) -> None:
        super().__init__()
        self.setObjectName("side by side")
        self.bench, self.done = bench, done
        column = QVBoxLayout(self)
        column.setContentsMargins(30, 16, 30, 12)
        column.addWidget(words("Two versions of this job", "head"))
        self.why = words("", "quiet")
        column.addWidget(self.why)
        across = QHBoxLayout()
        across.setSpacing(12)
        self.sides = {}
        for name, head, label, do in (
            ("mine", "Yours, as it stands in this window", "Keep yours", self._keep),
            ("theirs", "Theirs, as it stands in the file", "Take theirs", self._take),
        ):
            side = QVBoxLayout()
            said = words(head)
            canvas = Canvas(theme, f"version {name}")
            canvas.setMinimumHeight(200)
            side.addWidget(said)
            side.addWidget(canvas, 1)
            side.addWidget(button(label, f"version {name} chosen", do, "main" if name == "mine" else ""))
            across.addLayout(side, 1)
            self.sides[name] = (said, canvas)
        column.addLayout(across, 2)
        self.list = QListWidget()
        self.list.setObjectName("differences")
        self.list.setWordWrap(True)
        column.addWidget(self.list, 1)
        column.addWidget(button("Back, decide later", "version later", done))

    def refresh(self) -> None:
        """Read what stands in the file, and show both."""
        mine, theirs = self.bench.job, self.bench.their_job()
        name = self.bench.path.name if self.bench.path else ""
        kept = f" Yours is kept in {self.bench.apart.name}." if self.bench.apart else ""
        self.why.setText(
            f"{name}: {self.bench.apart_why or 'changed by another'}.{kept} Whichever you choose, the other is kept."
        )
        for side, job in (("mine", mine), ("theirs", theirs)):
            said, canvas = self.sides[side]
            head = "Yours, in this window" if side == "mine" else "Theirs, in the file"
            try:
                if job is None:
                    raise Refusal("what stands there is no job that can be read")
                e = evaluate(job)
            except Refusal as error:
                said.setText(f"{head}: {error}")
                canvas.hide()
                continue
            usable = show(e.results.capacity.usable.value, "volume", self.bench.units)
            said.setText(f"{head}: {job.brief.name}, {usable}")
            canvas.show()
            canvas.show_picture(
                solid_view(e, self.bench.units, Eye(), Show(e.results.capacity.fill_level_mm, sizes=True))
            )
        self.list.clear()
        found = differences(mine, theirs) if theirs is not None else []
        for path, ours, other in found[:MOST_LINES]:
            self.list.addItem(f"{_plainly(path)}:   yours {ours[:80]}   theirs {other[:80]}")
        if len(found) > MOST_LINES:
            self.list.addItem(f"and {len(found) - MOST_LINES} more")
        if theirs is not None and not found:
            self.list.addItem("They say the same.")

    def _keep(self) -> None:
        self.bench.keep_mine()
        if self.bench.apart is None:
            self.done()

    def _take(self) -> None:
        self.bench.take_theirs()
        if self.bench.apart is None:
            self.done()
