"""A scan on the card of the space: read beside the window, placed by its axes, its floor or three picks, cut into stations."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from bathyx.core.space import StationSpace
from bathyx.core.units import show, worded
from bathyx.desk.bench import Bench
from bathyx.desk.study import KeptStudy
from bathyx.desk.views.fields import button, words
from bathyx.desk.views.plain import Pick
from bathyx.draft.hull_view import scan_view
from bathyx.draft.picture import Picture
from bathyx.studies.kinds import ScanFound, ScanInputs

UNITS = ("mm", "cm", "m", "in")
UP = ("up", "down")
PLACES = (("as it is", "as it is: x along, z up"), ("floor", "by its flat floor"), ("points", "by three picks"))
ASKED = (
    "Pick the place that becomes 0, 0, 0.",
    "Pick a place further to the rear, level with it.",
    "Pick a place to the right, looking to the front, level with both.",
    "Three places are picked. Pick again to begin anew.",
)


class ScanParts(QWidget):
    """One scan in hand: looked at, placed, cut. What comes of it is an edit of the job; the file is only read."""

    def __init__(self, bench: Bench, study: KeptStudy) -> None:
        super().__init__()
        self.bench, self.study = bench, study
        self.path: Path | None = None
        self.points: np.ndarray | None = None
        self.picks: tuple[int, ...] = ()
        self.trouble = ""
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.said = words("", "quiet")
        column.addWidget(self.said)
        self.unit, self.up, self.place = Pick(), Pick(), Pick()
        for name, label, box, options in (
            ("scan unit", "Its unit", self.unit, UNITS),
            ("scan up", "Its z points", self.up, UP),
            ("scan place", "Placed", self.place, [p for _, p in PLACES]),
        ):
            box.setObjectName(name)
            box.setAccessibleName(name)
            box.addItems(list(options))
            line = QHBoxLayout()
            line.addWidget(words(label, wrap=False), 3)
            line.addWidget(box, 8)
            column.addLayout(line)
        self.place.activated.connect(lambda _: self._placed())
        line = QHBoxLayout()
        self.cut = button("Cut into stations", "cut scan", self._cut, "main")
        self.leave = button("Leave it", "leave scan", self.put_down)
        line.addWidget(self.cut)
        line.addWidget(self.leave)
        column.addLayout(line)
        study.done.connect(self._done)
        self.hide()

    def take_up(self, path: Path) -> None:
        """Read a scan to look at it."""
        self.path, self.points, self.picks, self.trouble = path, None, (), ""
        self._run("look")

    def put_down(self) -> None:
        """Leave the scan; the job stays as it is."""
        self.study.stop()
        self.path = self.points = None
        self.picks, self.trouble = (), ""
        self.bench.lit_changed.emit()

    def pick(self, number: int) -> None:
        """A point of the scan was picked in the drawing."""
        if self.path is None or self.points is None or self._way() != "points":
            return
        self.picks = (number,) if len(self.picks) >= 3 else (*self.picks, number)
        self.bench.lit_changed.emit()

    def picture(self) -> Picture | None:
        """The scan while it is in hand."""
        return None if self.path is None or self.points is None else scan_view(self.points, self.picks)

    def refresh(self) -> None:
        """What is asked for now."""
        self.setVisible(self.path is not None)
        if self.path is None:
            return
        busy = self.study.running
        text = f"Reading {self.path.name}…" if busy else self.trouble
        if not text:
            text = (
                ASKED[len(self.picks)]
                if self._way() == "points"
                else f"{self.path.name}: say its unit and how it is placed."
            )
        self.said.setText(text)
        self.cut.setEnabled(not busy and self.points is not None and (self._way() != "points" or len(self.picks) == 3))

    def _way(self) -> str:
        return PLACES[self.place.currentIndex()][0]

    def _placed(self) -> None:
        self.picks, self.trouble = (), ""
        self.bench.lit_changed.emit()

    def _run(self, place: str) -> None:
        assert self.path is not None
        try:
            stat = self.path.stat()
        except OSError as error:
            self.trouble = f"{self.path.name} cannot be read: {(error.strerror or str(error)).lower()}"
            self.bench.lit_changed.emit()
            return
        spots: tuple[tuple[float, float, float], ...] = ()
        if place == "points" and self.points is not None:
            spots = tuple((float(x), float(y), float(z)) for x, y, z in self.points[list(self.picks)])
        stamp = (stat.st_size, stat.st_mtime_ns)
        down = self.up.currentText() == "down"
        self.study.run(ScanInputs(str(self.path), stamp, self.unit.currentText(), place, spots, down))  # type: ignore[arg-type]
        self.bench.lit_changed.emit()

    def _cut(self) -> None:
        self.trouble = ""
        self._run(self._way())

    def _done(self) -> None:
        found = self.study.result
        if self.path is None or self.study.inputs is None or self.study.inputs.path != str(self.path):
            return
        if not isinstance(found, ScanFound):
            self.trouble = self.study.trouble
        elif found.points:
            self.points = np.array(found.points)
        else:
            self._take(found)
        self.bench.lit_changed.emit()

    def _take(self, found: ScanFound) -> None:
        now = self.bench.job.space
        space = {
            "kind": "stations",
            "stations": list(found.stations),
            "runs": "fair",
            "scan": found.scan,
            "clearance": now.clearance.model_dump(),
            "seat": now.seat.model_dump() if now.seat is not None and isinstance(now, StationSpace) else None,
            **{n: [p.model_dump(mode="json") for p in getattr(now, n)] for n in ("obstacles", "reaches", "layers")},
            "way_in": None if now.way_in is None else now.way_in.model_dump(mode="json"),
        }
        self.trouble = self.bench.try_edit({"space": space}, "stations cut from a scan")
        if not self.trouble:
            self.path = self.points = None
            if found.words:
                self.bench.said.emit("note", worded(found.words, self.bench.units))


def off_scan(space: StationSpace, bench: Bench) -> str:
    """How near the scan's points lie to the walls between the stations, in words; nothing without a scan."""
    off = space.off_scan_mm
    if off is None:
        return ""
    half, most = (show(v, "length", bench.units, places=1) for v in off)
    return f"Half of the scan's points lie within {half} of the walls drawn here, all but 5 % within {most}."
