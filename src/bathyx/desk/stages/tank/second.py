"""The Tank card's part on a second tank: added, joined, sized, taken away, or begun as a job of its own."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from bathyx.core.capacity.pair import Pair
from bathyx.core.formula import Figure
from bathyx.core.job import own_job
from bathyx.desk.bench import Bench
from bathyx.desk.views.fields import Choice, Field, FigureLine, Tick, button, clear
from bathyx.errors import Refusal
from bathyx.files import write_text

JOINED = [("pipe", "a pipe, both level"), ("pump", "a pump")]


class Second(QWidget):
    """Made anew when the second tank comes, goes or changes its family."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self.bench = bench
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(7)
        self._made_for: tuple[object, ...] = ("nothing",)
        self._parts: list[QWidget] = []

    def refresh(self) -> None:
        """Show it."""
        second = self.bench.job.second
        key = (None,) if second is None else (second.tank.family, second.joined, second.seat is None, self._timed())
        if key != self._made_for:
            self._made_for = key
            clear(self.column)
            self._parts = []
            self._make()
        for part in self._parts:
            part.refresh()  # type: ignore[attr-defined]

    def _timed(self) -> bool:
        both = self.bench.evaluation.results.pair
        return both is not None and both.hours is not None

    def _add(self, widget: QWidget) -> None:
        self.column.addWidget(widget)
        if hasattr(widget, "refresh"):
            self._parts.append(widget)

    def _make(self) -> None:
        b, second = self.bench, self.bench.job.second
        if second is None:
            self._add(button("Add a second tank", "add second", self.add))
            return
        self._add(FigureLine(b, lambda: self._both().usable, large=True))
        self._add(FigureLine(b, lambda: self._both().moved))
        if self._timed():
            self._add(FigureLine(b, self._hours))
        self._add(Field(b, "Called", "second.name"))
        for setting in second.tank.main_sizes():
            self._add(Field(b, setting.label, f"second.tank.{setting.path}", "length"))
        if second.seat is None:
            self._add(Field(b, "Stands higher by", "second.higher_mm", "length"))
        self._add(Choice(b, "Joined by", "second.joined", JOINED))
        if second.joined == "pump":
            self._add(Field(b, "Pump", "second.flow_l_min", "flow"))
        else:
            self._add(Field(b, "Bore of the pipe", "second.bore_mm", "length"))
        self._add(Field(b, "Its inlet above the floor", "second.floor_clear_mm", "length"))
        self._add(Tick(b, "Breathers joined at the top", "second.breathers_joined"))
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(button("A job of its own", "second as job", self.as_job))
        line.addWidget(
            button("Take it away", "drop second", lambda: b.edit({"second": None}, "second tank taken away"))
        )
        self._add(row)

    def _hours(self) -> Figure:
        found = self._both().hours
        assert found is not None  # shown only where the brief asks for a running time
        return found

    def _both(self) -> Pair:
        both = self.bench.evaluation.results.pair
        assert both is not None  # shown only with a second tank
        return both

    def add(self) -> None:
        """The same tank again, to be changed."""
        tank = self.bench.job.tank
        document = tank.written(tank.model_dump(mode="json"))
        self.bench.edit({"second": {"tank": document}}, "second tank")

    def as_job(self) -> Path | None:
        """Write it beside this job, to be built and proven by itself."""
        b = self.bench
        try:
            job = own_job(b.job)
            folder = b.file.path.parent if b.file is not None else b.home
            stem = (
                "".join(c if c.isalnum() or c in " -_" else " " for c in job.brief.name).strip()[:60] or "second tank"
            )
            path = next(
                p
                for k in range(1, 1000)
                if not (p := folder / f"{stem}{f' {k}' if k > 1 else ''}.bathyx.json").exists()
            )
            write_text(path, job.to_json())
        except (Refusal, OSError) as error:
            b.said.emit("trouble", f"A job of its own: {error}")
            return None
        b.said.emit("note", f"{path.name} is written; open it from the jobs")
        return path
