"""The card's part that depends on how a space was measured: readings of a box, or a table of offsets; and what stands in it."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from bathyx.core.formula import Figure
from bathyx.core.space import Clearance, MeasuredBox, StationSpace
from bathyx.core.space.reconcile import CORNERS, title_of
from bathyx.core.units import Reading
from bathyx.desk.bench import Bench
from bathyx.desk.stages.space.offsets import StationGrid
from bathyx.desk.stages.space.scan import ScanParts, off_scan
from bathyx.desk.stages.space.things import Things
from bathyx.desk.study import KeptStudy
from bathyx.desk.views.fields import Choice, Field, FigureLine, Tick, button, with_unit, words
from bathyx.desk.views.grid import Door, Table
from bathyx.desk.views.plain import Pick, TextLine
from bathyx.errors import Refusal

KINDS = [("box", "a box, by its readings"), ("stations", "stations, by offsets"), ("free", "no hole: it stands free")]
OFFSETS_HOW = (
    "Offsets from the centre line, a row a station, heights in the first row; 100 L and 100 R where the sides were measured apart. "
    "What was not measured stays empty. Paste a table, or read a file or a scan."
)
SLOPES = (
    ("sides", "Left and right side run together"),
    ("ends", "Front and rear run together"),
    ("roof", "Roof and floor run together"),
)


def box_round(length_mm: float, width_mm: float, height_mm: float) -> MeasuredBox:
    """A box that such a tank just goes into with the usual clearance, to be measured."""
    keep = Clearance()
    sizes = {
        "depth": length_mm + keep.front_mm + keep.rear_mm,
        "width": width_mm + keep.left_mm + keep.right_mm,
        "height": height_mm + keep.below_mm + keep.above_mm,
    }
    return MeasuredBox(**{name: Reading.of(f"{math.ceil(mm)}") for name, mm in sizes.items()})


class SpaceParts(QWidget):
    """Readings or stations; made anew when the kind of space or the number of readings changes."""

    def __init__(self, bench: Bench, scans: KeptStudy, at_cell: Callable[[StationGrid, int, int], None]) -> None:
        super().__init__()
        self.bench, self._at_cell = bench, at_cell
        self.scan = ScanParts(bench, scans)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(7)
        self.kind = Choice(bench, "Measured as", "space kind", KINDS, take=self._take_kind, read=self._read_kind)
        column.addWidget(self.kind)
        self._holder = QVBoxLayout()
        column.addLayout(self._holder)
        column.addWidget(self.scan)
        self.heading = words("In the space", "head")
        column.addWidget(self.heading)
        self.things = Things(bench)
        column.addWidget(self.things)
        self._made_for: tuple[object, ...] = ()
        self._table: Table | None = None
        self._parts: list[Any] = []

    @property
    def takes_tables(self) -> bool:
        """Whether offsets and scans are taken: the space is measured at stations."""
        return self._read_kind() == "stations" and self._table is not None

    def put_file(self, path: Path) -> None:
        """The offsets of a file in place of what stands in the table; a scan is taken up to be placed and cut."""
        text = self.text_of(path)
        if text is not None and self._table is not None:
            self._table.put_text(text)

    def _read_kind(self) -> str:
        space = self.bench.job.space
        return "free" if space.free else "stations" if isinstance(space, StationSpace) else "box"

    def _take_kind(self, kind: str) -> None:
        space = self.bench.job.space
        if kind == self._read_kind():
            return
        if kind == "free":
            self.bench.edit({"space": {"kind": "free"}}, "no hole")
            return
        if space.free:
            out = self.bench.evaluation.results.outside
            space = box_round(out.length_mm, out.width_mm, out.height_mm)
            if kind == "box":
                self.bench.edit({"space": space.model_dump(mode="json")}, "measured as a box")
                return
        shared = {
            "clearance": space.clearance.model_dump(),
            **{
                name: [part.model_dump(mode="json") for part in getattr(space, name)]
                for name in ("obstacles", "reaches", "layers")
            },
            "way_in": None if space.way_in is None else space.way_in.model_dump(mode="json"),
        }
        if isinstance(space, MeasuredBox):
            low, high = space.cavity.bounds
            rows = [
                {"z_mm": float(z), "left_mm": float(high[1] - low[1]) / 2, "right_mm": float(high[1] - low[1]) / 2}
                for z in (low[2], high[2])
            ]
            stations = [{"x_mm": float(x), "rows": rows} for x in (low[0], high[0])]
            self.bench.edit(
                {"space": {"kind": "stations", "stations": stations, "runs": "straight", **shared}},
                "measured as stations",
            )
            return
        low, high = space.cavity.bounds
        sizes = {
            name: Reading.of(f"{float(v):.0f}").model_dump()
            for name, v in zip(("depth", "width", "height"), high - low, strict=True)
        }
        self.bench.edit({"space": sizes | shared}, "measured as a box")

    def refresh(self) -> None:
        """Make the parts anew where the kind has changed; show the values."""
        space = self.bench.job.space
        box = isinstance(space, MeasuredBox)
        key: tuple[object, ...] = (space.free, box)
        if isinstance(space, MeasuredBox):
            key = (box, len(space.readings), space.floor_diagonals is None)
        if key != self._made_for:
            self._made_for = key
            while (item := self._holder.takeAt(0)) is not None:
                if (widget := item.widget()) is not None:
                    widget.hide()
                    widget.deleteLater()
            body = QWidget()
            column = QVBoxLayout(body)
            column.setContentsMargins(0, 0, 0, 0)
            column.setSpacing(7)
            self._parts = []
            make = self._make_free if space.free else self._make_box if box else self._make_stations
            make(column)
            self._holder.addWidget(body)
        for part in (self.kind, self.things, self.scan, *self._parts):
            part.refresh()
        for widget in (self.heading, self.things):
            widget.setVisible(not space.free)

    def _make_free(self, column: QVBoxLayout) -> None:
        self._add(
            column,
            words(
                "It stands free: on feet, in a frame, on a deck. Nothing is measured; sizes are set in Tank.", "quiet"
            ),
        )

    def _add(self, column: QVBoxLayout, widget: QWidget) -> None:
        column.addWidget(widget)
        if hasattr(widget, "refresh"):
            self._parts.append(widget)

    def _make_box(self, column: QVBoxLayout) -> None:
        b = self.bench
        space = b.job.space
        assert isinstance(space, MeasuredBox)
        self._add(column, words('Type it as the tape says it: 387, 15 1/4", 4\'-3 1/2", 0.38 m', "quiet"))
        self._add(column, Field(b, "Width, left to right", "space.width", "reading"))
        self._add(column, Field(b, "Depth, front to back", "space.depth", "reading"))
        self._add(column, Field(b, "Height", "space.height", "reading"))
        self._add(column, words("Is it square?", "head"))
        if space.floor_diagonals is None:
            self._add(column, button("Measure the floor's diagonals", "add diagonals", self._add_diagonals))
        else:
            self._add(column, Field(b, "Front left to rear right", "space.floor_diagonals.0", "reading"))
            self._add(column, Field(b, "Front right to rear left", "space.floor_diagonals.1", "reading"))
            self._add(column, FigureLine(b, self._skew))
            self._add(
                column,
                button(
                    "Leave the diagonals out",
                    "drop diagonals",
                    lambda: b.edit({"space.floor_diagonals": None}, "diagonals left out"),
                ),
            )
        self._add(column, words("More readings", "head"))
        self._add(column, words("Measure more than you need: a reading that is wrong shows by the others.", "quiet"))
        for k, reading in enumerate(space.readings):
            self._add(column, Field(b, reading.title.capitalize(), f"space.readings.{k}.length", "reading"))
            row = QWidget()
            line = QHBoxLayout(row)
            line.setContentsMargins(0, 0, 0, 0)
            tick = Tick(b, "left out", f"space.readings.{k}.left_out")
            self._parts.append(tick)
            line.addWidget(tick)
            line.addStretch(1)
            line.addWidget(button("Take away", f"drop reading {k}", partial(self._drop, k)))
            column.addWidget(row)
        self._add(column, NewReading(b))
        if space.readings:
            for slope, said in SLOPES:
                tick = Tick(
                    b, said, f"slope {slope}", take=partial(self._slope, slope), read=partial(self._slopes, slope)
                )
                self._add(column, tick)

    def _skew(self) -> Figure:
        square = self.bench.job.space.squareness
        assert square is not None  # shown only where there are diagonals
        return square.figure

    def _add_diagonals(self) -> None:
        space = self.bench.job.space
        assert isinstance(space, MeasuredBox)
        reading = Reading.of(round(space.square_diagonal_mm)).model_dump()
        self.bench.edit({"space.floor_diagonals": [reading, reading]}, "diagonals")

    def _readings(self) -> list[Any]:
        space = self.bench.job.space
        return [r.model_dump(mode="json") for r in space.readings] if isinstance(space, MeasuredBox) else []

    def _drop(self, k: int) -> None:
        kept = self._readings()
        del kept[k]
        self.bench.edit({"space.readings": kept}, "a reading taken away")

    def _slopes(self, slope: str) -> bool:
        return slope in getattr(self.bench.job.space, "slopes", ())

    def _slope(self, slope: str, on: bool) -> None:
        now = [s for s in getattr(self.bench.job.space, "slopes", ()) if s != slope]
        self.bench.edit({"space.slopes": [*now, slope] if on else now}, "walls that run together")

    def _make_stations(self, column: QVBoxLayout) -> None:
        b = self.bench
        self._add(
            column, Choice(b, "Between them", "space.runs", [("fair", "fair curves"), ("straight", "straight runs")])
        )
        grid = StationGrid(b)
        grid.at.connect(lambda r, c: self._at_cell(grid, r, c))
        table = self._table = Table(grid, OFFSETS_HOW, self._read_file)
        self._add(column, Door(b, "Offsets", table, grid.holds))
        self._add(column, OffScan(b))

    def _read_file(self) -> str | None:
        kinds = "Tables and scans (*.csv *.tsv *.txt *.stl *.obj *.ply *.xyz *.asc *.pts)"
        name, _ = QFileDialog.getOpenFileName(self, "Read offsets or a scan", "", kinds)
        return self.text_of(Path(name)) if name else None

    def text_of(self, path: Path) -> str | None:
        """The table in a file; a scan is taken up to be placed and cut instead."""
        from bathyx.files import read_text
        from bathyx.files.scans import is_scan

        if not is_scan(path):
            return read_text(path)
        self.scan.take_up(path)
        return None


class OffScan(QLabel):
    """How near the scan lies to the walls between the stations."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self.bench = bench
        self.setWordWrap(True)
        self.setProperty("look", "quiet")

    def refresh(self) -> None:
        """Say it, or nothing."""
        space = self.bench.job.space
        self.setText(off_scan(space, self.bench) if isinstance(space, StationSpace) else "")
        self.setVisible(bool(self.text()))


class NewReading(QWidget):
    """Two corners and what the tape says between them."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self.bench = bench
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.ends = []
        for name, first in (("from", "rear left low"), ("to", "rear right low")):
            box = Pick()
            box.setObjectName(f"reading {name}")
            box.setAccessibleName(f"New reading {name}")
            box.addItems(list(CORNERS))
            box.setCurrentText(first)
            box.currentTextChanged.connect(lambda _: self._name())
            self.ends.append(box)
            line = QHBoxLayout()
            line.addWidget(words(name, wrap=False), 2)
            line.addWidget(box, 8)
            column.addLayout(line)
        line = QHBoxLayout()
        self.edit = TextLine()
        self.edit.setObjectName("reading length")
        self.edit.setAccessibleName("New reading")
        self.edit.returnPressed.connect(self.add)
        line.addWidget(self.edit, 5)
        line.addWidget(button("Add it", "add reading", self.add), 4)
        column.addLayout(line)
        self.trouble = words("", "trouble")
        self.trouble.hide()
        column.addWidget(self.trouble)
        self._name()

    def _name(self) -> None:
        a, b = (box.currentText() for box in self.ends)
        self.edit.setPlaceholderText(title_of(a, b) if a != b else "two corners")

    def add(self) -> None:
        """Add it to the readings."""
        space = self.bench.job.space
        assert isinstance(space, MeasuredBox)
        a, b = (box.currentText() for box in self.ends)
        try:
            length = Reading.of(with_unit(self.edit.text(), self.bench.units)).model_dump()
            why = self.bench.try_edit(
                {
                    "space.readings": [
                        *(r.model_dump(mode="json") for r in space.readings),
                        {"a": a, "b": b, "length": length},
                    ]
                },
                title_of(a, b) if a != b else "a reading",
            )
        except Refusal as error:
            why = str(error)
        self.trouble.setText(why)
        self.trouble.setVisible(bool(why))
        if not why:
            self.edit.clear()
