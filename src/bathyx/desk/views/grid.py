"""A grid for what people bring as a table. A cell takes what the tape says, as typed; a block is pasted from a spreadsheet.

Enter and Tab go on to the next cell, arrows anywhere; the last row is empty and becomes one when it is typed into. A table is taken
as a whole whenever it is whole: what is not, says what is missing, and nothing is lost meanwhile.
"""

from __future__ import annotations

import csv
import io
import math
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QAbstractItemModel, QModelIndex, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import (
    QAbstractItemDelegate,
    QAbstractItemView,
    QApplication,
    QHBoxLayout,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from bathyx.core.units import Family, parse_quantity, show, unit_of
from bathyx.desk.bench import Bench
from bathyx.desk.views.fields import button, words
from bathyx.desk.views.plain import Pick
from bathyx.draft.palette import DARK, LIGHT
from bathyx.errors import Refusal

Value = float | str | None
Rows = list[list[Value]]
ZERO = re.compile(r"0+([.,]0*)?")
MOST_PASTED = 20_000
MEASURED = ("length", "volume")


@dataclass(frozen=True)
class Column:
    """A column: its name, what its cells are (length, volume, number, count, text), what may be chosen, and whether it may stay
    empty."""

    title: str
    kind: str = "length"
    options: tuple[str, ...] = ()
    may_be_empty: bool = False


def read_cell(text: str, column: Column, units: Family) -> Value:
    """What is typed in a cell: lengths in mm, below zero too; a choice by its first letters. Refusal says what would be right."""
    text = text.strip()
    if not text:
        return None
    if column.options:
        match = [o for o in column.options if o.lower().startswith(text.lower())]
        if text in column.options or len(match) == 1:
            return text if text in column.options else match[0]
        raise Refusal(f"{text[:30]!r} is none of {', '.join(column.options)}")
    if column.kind == "text":
        return text
    if column.kind in ("number", "count"):
        try:
            value = float(text.replace(",", ".").replace("−", "-"))
        except ValueError:
            value = math.nan
        if not math.isfinite(value) or (column.kind == "count" and value != int(value)):
            raise Refusal(f"{text[:30]!r} is no {'whole ' if column.kind == 'count' else ''}number")
        return value
    if text[0] in "-−":
        below = read_cell(text[1:], column, units)
        return -below if isinstance(below, float) else below
    if ZERO.fullmatch(text):
        return 0.0
    return float(parse_quantity(text, column.kind, units))


def show_cell(value: Value, column: Column, units: Family) -> str:
    """A value as a cell shows it, without its unit, which the head of the column says."""
    if value is None:
        return ""
    if isinstance(value, str) or column.kind == "text":
        return str(value)
    if column.kind not in MEASURED:
        return f"{value:g}"
    if units.us:
        sign = "-" if value < -1e-9 else ""
        return sign + show(abs(value), column.kind, units)
    return f"{value:.10g}"


class _Choices(QStyledItemDelegate):
    """A choice opens as a choice."""

    def __init__(self, grid: Grid) -> None:
        super().__init__(grid)
        self.grid = grid

    def createEditor(self, parent: QWidget | None, option: QStyleOptionViewItem, index: QModelIndex) -> QWidget | None:
        """A list of what there is; else a line."""
        column = self.grid.columns[min(index.column(), len(self.grid.columns) - 1)]
        if not column.options:
            return super().createEditor(parent, option, index)
        box = Pick(parent)
        box.addItems(list(column.options))
        box.activated.connect(lambda _: self._chosen(box))
        return box

    def _chosen(self, box: Pick) -> None:
        self.commitData.emit(box)
        self.closeEditor.emit(box, QAbstractItemDelegate.EndEditHint.EditNextItem)

    def setEditorData(self, editor: QWidget | None, index: QModelIndex) -> None:
        """Show what stands there."""
        if isinstance(editor, Pick):
            editor.setCurrentText(str(index.data() or ""))
        else:
            super().setEditorData(editor, index)

    def setModelData(self, editor: QWidget | None, model: QAbstractItemModel | None, index: QModelIndex) -> None:
        """Take what was chosen."""
        if isinstance(editor, Pick) and model is not None:
            model.setData(index, editor.currentText())
        else:
            super().setModelData(editor, model, index)


class Grid(QTableWidget):
    """Rows of cells that stand for a part of the job."""

    said = pyqtSignal(str)
    at = pyqtSignal(int, int)

    def __init__(
        self, bench: Bench, name: str, columns: Sequence[Column], read: Callable[[], Rows], take: Callable[[Rows], str]
    ) -> None:
        super().__init__(0, len(columns))
        self.bench, self.columns, self._read, self._take = bench, tuple(columns), read, take
        self.setObjectName(name)
        self.setAccessibleName(name)
        self.setItemDelegate(_Choices(self))
        self.setTabKeyNavigation(True)
        self.setEditTriggers(
            QAbstractItemView.EditTrigger.AnyKeyPressed
            | QAbstractItemView.EditTrigger.DoubleClicked
            | QAbstractItemView.EditTrigger.EditKeyPressed
            | QAbstractItemView.EditTrigger.SelectedClicked
        )
        head = self.horizontalHeader()
        side = self.verticalHeader()
        assert head is not None
        assert side is not None
        head.setDefaultSectionSize(88)
        head.setStretchLastSection(columns[-1].kind == "text" and not columns[-1].options)
        side.setDefaultSectionSize(27)
        self._typed: dict[tuple[int, Value, Family], str] = {}
        self._shown: Rows = []
        self._pending = False
        self._filling = False
        self._units: Family | None = None
        self.itemChanged.connect(self._changed)
        self.currentCellChanged.connect(lambda row, column, *_: self.at.emit(row, column))

    # -- showing -----------------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the job's, unless something typed is still to be put right."""
        if self._pending and self._units is self.bench.units:
            return
        self.fill(self._read())

    def fill(self, rows: Rows) -> None:
        """Show these rows and an empty one."""
        units = self.bench.units
        if rows == self._shown and units is self._units and self.rowCount() == len(rows) + 1:
            return
        self._filling = True
        self._shown, self._units, self._pending = [list(row) for row in rows], units, False
        heads = [f"{c.title}, {unit_of(c.kind, units).sign}" if c.kind in MEASURED else c.title for c in self.columns]
        self.setHorizontalHeaderLabels(heads)
        self.setRowCount(len(rows) + 1)
        for r in range(len(rows) + 1):
            for c, column in enumerate(self.columns):
                value = rows[r][c] if r < len(rows) and c < len(rows[r]) else None
                text = self._typed.get((c, value, units)) or show_cell(value, column, units)
                self._put(r, c, text)
        self._filling = False

    def _put(self, r: int, c: int, text: str) -> None:
        item = self.item(r, c)
        if item is None:
            item = QTableWidgetItem()
            self.setItem(r, c, item)
        if item.text() != text:
            item.setText(text)
        item.setData(Qt.ItemDataRole.BackgroundRole, None)

    def text_at(self, r: int, c: int) -> str:
        """What stands in a cell."""
        item = self.item(r, c)
        return item.text().strip() if item is not None else ""

    # -- taking ------------------------------------------------------------------------------------------------------------

    def _changed(self, item: QTableWidgetItem) -> None:
        if self._filling:
            return
        if item.row() == self.rowCount() - 1 and item.text().strip():
            self._filling = True
            self.setRowCount(self.rowCount() + 1)
            self._filling = False
        self.take()

    def value_at(self, r: int, c: int) -> Value:
        """What a cell stands for: what was shown where it was not touched, else what is typed. Refusal names the cell."""
        text, column = self.text_at(r, c), self.columns[c]
        if r < len(self._shown) and c < len(self._shown[r]):
            value = self._shown[r][c]
            if text == (self._typed.get((c, value, self.bench.units)) or show_cell(value, column, self.bench.units)):
                return value
        try:
            value = read_cell(text, column, self.bench.units)
        except Refusal as error:
            self._mark(r, c)
            raise Refusal(f"row {r + 1}, {column.title}: {error}") from None
        if value is not None:
            self._typed[c, value, self.bench.units] = text
        return value

    def _mark(self, r: int, c: int) -> None:
        item = self.item(r, c)
        if item is not None:
            self._filling = True
            item.setBackground(QColor((DARK if self.bench.settings["dark"] else LIGHT)["stop fill"][:7]))
            self._filling = False
            self.setCurrentCell(r, c)

    def collected(self) -> Rows:
        """The rows as they are typed. Refusal for a cell that is not understood, or a row that is not whole yet."""
        rows: Rows = []
        for r in range(self.rowCount()):
            if not any(self.text_at(r, c) for c in range(self.columnCount())):
                continue
            row = [self.value_at(r, c) for c in range(len(self.columns))]
            missing = [
                col.title for col, v in zip(self.columns, row, strict=True) if v is None and not col.may_be_empty
            ]
            if missing:
                raise Refusal(
                    f"row {r + 1} is not whole yet: {' and '.join(missing)} {'is' if len(missing) == 1 else 'are'} missing"
                )
            rows.append(row)
        return rows

    def take(self) -> None:
        """Take the table where it is whole; say why not where it is not."""
        self._pending = True
        try:
            rows = self.collected()
            why = self._take(rows)
        except Refusal as error:
            why = str(error)
        self._pending = bool(why)
        self.said.emit(why)
        if not why:
            self.refresh()

    def revert(self) -> None:
        """As the job has it."""
        self._pending, self._shown = False, [["\0"]]
        self.said.emit("")
        self.refresh()

    # -- keys and clipboard --------------------------------------------------------------------------------------------------

    def closeEditor(self, editor: QWidget | None, hint: QAbstractItemDelegate.EndEditHint) -> None:
        """After Enter the next cell is the one in hand."""
        super().closeEditor(editor, hint)
        if hint == QAbstractItemDelegate.EndEditHint.SubmitModelCache:
            self.go_on()

    def go_on(self) -> None:
        """The next cell, on the next row after the last column."""
        r, c = self.currentRow(), self.currentColumn() + 1
        if c >= self.columnCount() or c >= len(self.columns):
            r, c = r + 1, 0
        if r < self.rowCount():
            self.setCurrentCell(r, c)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Paste, copy, empty, revert; the rest is the table's."""
        assert event is not None
        if event.matches(QKeySequence.StandardKey.Paste):
            clip = QApplication.clipboard()
            self.paste(clip.text() if clip is not None else "")
        elif event.matches(QKeySequence.StandardKey.Copy):
            self.copy()
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.clear_cells()
        elif event.key() == Qt.Key.Key_Escape and self._pending:
            self.revert()
        else:
            super().keyPressEvent(event)

    def paste(self, text: str) -> None:
        """A block of cells from a spreadsheet or a file, from the cell in hand on."""
        block = cells_of(text)
        if sum(len(row) for row in block) > MOST_PASTED:
            self.said.emit(f"that is more than {MOST_PASTED} cells: read it from a file instead")
            return
        r0, c0 = max(self.currentRow(), 0), max(self.currentColumn(), 0)
        self._filling = True
        self._make_room(r0 + len(block) + 1, c0 + max((len(row) for row in block), default=0))
        for r, row in enumerate(block):
            for c, cell in enumerate(row):
                if c0 + c < self.columnCount():
                    self._put(r0 + r, c0 + c, cell)
        self._filling = False
        self.take()

    def _make_room(self, rows: int, _columns: int) -> None:
        self.setRowCount(max(self.rowCount(), rows))

    def copy(self) -> None:
        """What is selected, or all of it, with tabs between, as a spreadsheet takes it."""
        chosen = self.selectedRanges()
        if chosen and (chosen[0].rowCount() > 1 or chosen[0].columnCount() > 1):
            top, bottom, left, right = (
                chosen[0].topRow(),
                chosen[0].bottomRow(),
                chosen[0].leftColumn(),
                chosen[0].rightColumn(),
            )
        else:
            top, bottom, left, right = 0, self.rowCount() - 2, 0, self.columnCount() - 1
        clip = QApplication.clipboard()
        if clip is not None:
            lines = ("\t".join(self.text_at(r, c) for c in range(left, right + 1)) for r in range(top, bottom + 1))
            clip.setText("\n".join(lines))

    def clear_cells(self) -> None:
        """Empty what is selected; a row whose every cell is empty is no row."""
        self._filling = True
        for index in self.selectedIndexes():
            self._put(index.row(), index.column(), "")
        self._filling = False
        self.take()

    def drop_row(self) -> None:
        """Take the row in hand out."""
        row = self.currentRow()
        if 0 <= row < self.rowCount() - 1:
            self._filling = True
            self.removeRow(row)
            self._shown = [r for k, r in enumerate(self._shown) if k != row]
            self._filling = False
            self.take()


def cells_of(text: str) -> list[list[str]]:
    """The cells of pasted text: parted by tabs, semicolons or commas, whichever its first line has.

    >>> cells_of("1\\t2\\n3\\t4")
    [['1', '2'], ['3', '4']]
    """
    lines = [line for line in text.splitlines() if line.strip()]
    if not lines:
        return []
    mark = next((m for m in ("\t", ";", ",") if m in lines[0]), "\t")
    return [[cell.strip() for cell in row] for row in csv.reader(io.StringIO("\n".join(lines)), delimiter=mark)]


class Table(QWidget):
    """A grid with a word on it, what is wrong in it, and its buttons."""

    def __init__(self, grid: Grid, how: str = "", file: Callable[[], str | None] | None = None) -> None:
        super().__init__()
        self.grid, self._file = grid, file
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        line = QHBoxLayout()
        line.addWidget(words(how, "quiet"), 1)
        column.addLayout(line)
        self.trouble = words("", "trouble")
        self.trouble.hide()
        column.addWidget(self.trouble)
        column.addWidget(grid, 1)
        grid.said.connect(self.say)
        name = grid.objectName()
        line.addWidget(button("Take row out", f"drop row {name}", grid.drop_row))
        line.addWidget(button("As it was", f"revert {name}", grid.revert))
        if file is not None:
            line.addWidget(button("Read a file", f"read {name}", self.choose))

    def say(self, why: str) -> None:
        """What is wrong, or nothing."""
        self.trouble.setText(why)
        self.trouble.setVisible(bool(why))

    def choose(self) -> None:
        """Put a file's table there."""
        assert self._file is not None
        try:
            text = self._file()
        except Refusal as error:
            self.say(str(error))
            return
        if text is not None:
            self.put_text(text)

    def put_text(self, text: str) -> None:
        """A whole table as text, in place of what stands there."""
        self.grid.setCurrentCell(0, 0)
        self.grid.paste(text)

    def refresh(self) -> None:
        """Show the job's."""
        self.grid.refresh()


class Door(QWidget):
    """A line on the card that says what a table holds, and lays it over the lower part of the drawing."""

    def __init__(self, bench: Bench, title: str, table: Table, holds: Callable[[], str]) -> None:
        super().__init__()
        self.bench, self.title, self.table, self._holds = bench, title, table, holds
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        self.held = words("")
        line.addWidget(self.held, 1)
        self.open = button("Table", f"open {table.grid.objectName()}", self.turned)
        self.open.setAccessibleName(f"Open the table of {title.lower()}")
        line.addWidget(self.open)

    def turned(self) -> None:
        """Lay it down, or take it away."""
        self.bench.laid.emit(self.title, self.table)

    def refresh(self) -> None:
        """What it holds now."""
        self.held.setText(f"{self.title}: {self._holds()}")
        self.table.refresh()


YES_NO = ("no", "yes")


def _cell(value: Any) -> Value:
    """A field's value as a cell has it."""
    return YES_NO[value] if isinstance(value, bool) else float(value) if isinstance(value, int) else value


def rows_of(
    bench: Bench,
    title: str,
    path: Callable[[], str],
    columns: Sequence[tuple[Column, str]],
    how: str = "",
    said: str = "",
) -> Door:
    """A door to the rows of a list of the job, a column a field.

    Args:
        bench: whose job it is.
        title: what people call the table; its object name too.
        path: of the list in the job, asked for each time.
        columns: with the name of the field each shows.
        how: a line on how it is filled in.
        said: what the edit is called; the title unless given.
    """

    def listed() -> tuple[Any, ...]:
        return bench.value(path()) or ()

    def read() -> Rows:
        return [[_cell(getattr(row, name)) for _, name in columns] for row in listed()]

    def plain(value: Value, column: Column) -> Any:
        if column.kind == "count" and isinstance(value, float):
            return int(value)
        return value == YES_NO[1] if column.options == YES_NO and value is not None else value

    def take(rows: Rows) -> str:
        documents = [
            {name: plain(v, c) for (c, name), v in zip(columns, row, strict=True) if v is not None} for row in rows
        ]
        return bench.try_edit({path(): documents}, said or title.lower())

    grid = Grid(bench, title.lower(), [column for column, _ in columns], read, take)
    return Door(bench, title, Table(grid, how), lambda: str(len(listed())) if listed() else "none")
