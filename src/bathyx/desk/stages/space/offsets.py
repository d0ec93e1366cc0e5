"""The grid of stations and offsets: heights in the first row, a row a station, the place of the cell lit on the drawing."""

from __future__ import annotations

import re

import numpy as np

from bathyx.core.geometry.shell import Array
from bathyx.core.space import StationSpace
from bathyx.core.space.said import table_of
from bathyx.desk.bench import Bench
from bathyx.desk.views.grid import Column, Grid, Rows, read_cell, show_cell
from bathyx.errors import Refusal

CELL = Column("", "length", may_be_empty=True)
HEAD = re.compile(r"^\s*(.*?)\s*(L|R|left|right)?\s*$", re.IGNORECASE)
CORNER = ""
LONG_HEAD = ["x_mm", "z_mm", "left_mm", "right_mm"]
LONG = (Column("along"), Column("height"), Column("left", may_be_empty=True), Column("right", may_be_empty=True))


class StationGrid(Grid):
    """Rows and columns both grow: an empty one of each stands at the end."""

    def __init__(self, bench: Bench) -> None:
        super().__init__(bench, "offsets", [CELL, CELL], self._stations, self._take_stations)
        self._kept: tuple[object, Rows] | None = (
            None  # the stations last taken, and the cells as they stood: nothing jumps
        )

    # -- the job's table as cells ------------------------------------------------------------------------------------------

    def _lines(self) -> list[list[str]]:
        space = self.bench.job.space
        if not isinstance(space, StationSpace):
            return []
        return [line.split("\t") for line in table_of(space.stations).split("\n")]

    @property
    def _long(self) -> bool:
        """Whether there are too many heights for columns: then a row is an offset."""
        lines = self._lines()
        return bool(lines) and lines[0] == LONG_HEAD

    def _stations(self) -> Rows:
        if self._kept is not None and self._kept[0] is getattr(self.bench.job.space, "stations", None):
            return self._kept[1]
        rows: Rows = []
        if self._long:
            return [[float(cell) if cell else None for cell in line] for line in self._lines()[1:]]
        for r, line in enumerate(self._lines()):
            row: list[float | str | None] = []
            for c, cell in enumerate(line):
                if r == 0:
                    row.append(CORNER if c == 0 else cell)
                else:
                    row.append(float(cell) if cell else None)
            rows.append(row)
        return rows

    def holds(self) -> str:
        """How much there is, for the card."""
        space = self.bench.job.space
        if not isinstance(space, StationSpace):
            return ""
        heights = {row.z_mm for s in space.stations for row in s.rows}
        return f"{len(space.stations)} stations, {len(heights)} heights"

    def fill(self, rows: Rows) -> None:
        """As many columns as there are heights, and an empty one; or a row an offset, where a scan has too many."""
        if self._long:
            if self.columns != LONG:
                self.columns = LONG
                self._filling = True
                self.setColumnCount(len(LONG))
                self._filling = False
                self._units = None
            super().fill(rows)
            self.setVerticalHeaderLabels([*(str(k) for k in range(1, self.rowCount())), "new"])
            return
        wide = max((len(row) for row in rows), default=1) + 1
        if self.columnCount() != wide or self.columns == LONG:
            self.columns = tuple([CELL] * wide)
            self._filling = True
            self.setColumnCount(wide)
            self._filling = False
            self._units = None
        super().fill(rows)
        sign = "in" if self.bench.units.us else "mm"
        self.setHorizontalHeaderLabels([f"along, {sign}", *[f"offset, {sign}"] * (wide - 2), "new"])
        side = self.verticalHeader()
        self.setVerticalHeaderLabels(
            [f"height, {sign}", *(f"station {k}" for k in range(1, self.rowCount() - 1)), "new"]
        )
        assert side is not None
        self._filling = True
        for c in range(1, wide - 1):
            self._put(
                0, c, self._typed.get((c, str(rows[0][c]), self.bench.units)) or self._height_shown(str(rows[0][c]))
            )
        corner = self.item(0, 0)
        if corner is not None:
            from PyQt6.QtCore import Qt

            corner.setFlags(Qt.ItemFlag.ItemIsEnabled)
        self._filling = False

    def _height_shown(self, head: str) -> str:
        found = HEAD.match(head)
        size, side = (found.group(1), found.group(2)) if found is not None else (head, "")
        shown = show_cell(float(size), CELL, self.bench.units)
        return f"{shown} {side}" if side else shown

    # -- and back ------------------------------------------------------------------------------------------------------------

    def collected(self) -> Rows:
        """The cells in mm: the heights as text with their side."""
        if self.columns == LONG:
            return super().collected()
        wide = self.columnCount()
        used = [c for c in range(1, wide) if any(self.text_at(r, c) for r in range(self.rowCount()))]
        head: list[float | str | None] = [CORNER]
        for c in used:
            text = self.text_at(0, c)
            found = HEAD.match(text)
            size, side = (found.group(1), found.group(2) or "") if found is not None else (text, "")
            if not size:
                raise Refusal(f"column {c + 1} has offsets and no height: type it in the first row")
            shown = self._shown[0][c] if self._shown and c < len(self._shown[0]) else None
            if isinstance(shown, str) and text == self._height_shown(shown):
                head.append(shown)
                continue
            try:
                value = read_cell(size, CELL, self.bench.units)
            except Refusal as error:
                raise Refusal(f"height in column {c + 1}: {error}") from None
            word = f"{value:.10g} {side[0].upper()}" if side else f"{value:.10g}"
            self._typed[c, word, self.bench.units] = text
            head.append(word)
        rows: Rows = [head]
        for r in range(1, self.rowCount()):
            if any(self.text_at(r, c) for c in range(wide)):
                if not self.text_at(r, 0):
                    raise Refusal(f"row {r + 1} has offsets and no distance along: type it in the first column")
                rows.append([self.value_at(r, 0), *(self.value_at(r, c) for c in used)])
        return rows

    def _take_stations(self, rows: Rows) -> str:
        from bathyx.files.offsets import offsets_of

        def cell(value: float | str | None) -> str:
            return "" if value is None else value if isinstance(value, str) else f"{value:.10g}"

        if self.columns == LONG:
            text = "\n".join(["\t".join(LONG_HEAD), *("\t".join(map(cell, row)) for row in rows)])
            return self.bench.try_edit({"space.stations": offsets_of(text)}, "offsets")
        lines = ["\t".join(["x_mm", *(cell(v) for v in rows[0][1:])]), *("\t".join(map(cell, row)) for row in rows[1:])]
        if len(lines) < 3 or len(rows[0]) < 3:
            return "a hull needs two stations and two heights at least"
        why = self.bench.try_edit({"space.stations": offsets_of("\n".join(lines))}, "offsets")
        if not why:
            self._kept = (getattr(self.bench.job.space, "stations", None), rows)
        return why

    def _make_room(self, rows: int, columns: int) -> None:
        super()._make_room(rows, columns)
        if self.columns != LONG and columns >= self.columnCount():
            self.columns = tuple([CELL] * (columns + 1))
            self.setColumnCount(columns + 1)

    def paste(self, text: str) -> None:
        """A block; one that begins with a header of its own, as files and the clipboard have it, is the whole table."""
        first = text.lstrip()[:2].lower()
        if first[:1] == "x":
            from bathyx.files.offsets import offsets_of

            try:
                why = self.bench.try_edit(
                    {"space.stations": offsets_of(text, "in" if self.bench.units.us else "mm")}, "offsets"
                )
            except Refusal as error:
                why = str(error)
            self.said.emit(why)
            if not why:
                self._pending = False
                self.refresh()
            return
        super().paste(text)

    def place_of(self, r: int, c: int) -> Array | None:
        """(n, 3) where a cell is in the space: on both walls where its offset counts for both; None beside the table."""
        space = self.bench.job.space
        if not isinstance(space, StationSpace):
            return None
        if self.columns == LONG:
            row = self._shown[r] if r < len(self._shown) else []
            sides = [(-1.0, v) for v in row[2:3] if isinstance(v, float)] + [
                (1.0, v) for v in row[3:4] if isinstance(v, float)
            ]
            return np.array([[row[0], way * v, row[1]] for way, v in sides], float) if sides else None
        if not 0 < r <= len(space.stations):
            return None
        station = space.stations[r - 1]
        if not self._shown or not 0 < c < len(self._shown[0]):
            middle = [row for row in station.rows if row.left_mm is not None or row.right_mm is not None]
            return np.array([[station.x_mm, 0.0, row.z_mm] for row in middle])
        found = HEAD.match(str(self._shown[0][c]))
        if found is None:
            return None
        z, side = float(found.group(1)), (found.group(2) or "").upper()[:1]
        offset = next((row for row in station.rows if abs(row.z_mm - z) < 0.01), None)
        if offset is None:
            return np.array([[station.x_mm, 0.0, z]])
        spots = []
        if side != "R" and offset.left_mm is not None:
            spots.append([station.x_mm, -offset.left_mm, z])
        if side != "L" and offset.right_mm is not None:
            spots.append([station.x_mm, offset.right_mm, z])
        return np.array(spots) if spots else np.array([[station.x_mm, 0.0, z]])
