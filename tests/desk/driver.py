"""Drives the desk as a hand does, and counts: a click, a drag, a typed value with its Enter, a key.

A choice out of a list is two clicks. What is in a shut drawer or fold takes a click more. The wheel is not counted.
"""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLineEdit, QListWidget, QToolButton, QWidget

from bathyx.desk.views.card import Drawer
from bathyx.desk.views.fields import Fold

BRIEF, SPACE, TANK, INSIDE, CUT, BUILD, PROVE, HAND = range(8)


def _there(widget: QWidget, place: QWidget) -> bool:
    """Whether a part of a place is there to be reached: not hidden, but for a drawer or fold that may be opened."""
    over: QWidget | None = widget
    while over is not None and over is not place:
        if over.isHidden() and not isinstance(over.parentWidget(), (Drawer, Fold)):
            return False
        over = over.parentWidget()
    return True


class Driver:
    """A pair of hands on a window."""

    def __init__(self, window, qtbot) -> None:
        self.window, self.qtbot = window, qtbot
        self.done: list[str] = []

    @property
    def count(self) -> int:
        """Actions so far."""
        return len(self.done)

    def _did(self, what: str) -> None:
        self.done.append(what)

    # -- finding ---------------------------------------------------------------------------------------------------------

    def _over(self, kind, name) -> QWidget:
        QApplication.processEvents()  # what was added a moment ago is shown
        places = [self.window.stage.card, self.window.board, self.window]
        if self.window.begin is not None and self.window.begin.isVisibleTo(self.window):
            places.insert(0, self.window.begin)
        for place in places:
            found = [w for w in place.findChildren(kind) if w.objectName() == name and _there(w, place)]
            if found:
                return found[0]
        raise AssertionError(f"nothing called {name!r} is on the desk")

    def _reach(self, widget: QWidget) -> None:
        """Open what it stands in: a shut drawer, a fold."""
        over: QWidget | None = widget
        while over is not None and over is not self.window:
            if isinstance(over, Fold) and not over.opened:
                over.turn.click()
                self._did(f"open {over.turn.objectName()}")
            if isinstance(over, Drawer) and not over.body.isVisibleTo(self.window):
                over.head.click()
                self._did(f"open {over.title}")
            over = over.parentWidget()

    # -- actions ---------------------------------------------------------------------------------------------------------

    def stage(self, index: int) -> None:
        """Go to a stage by its tile."""
        self.window.bench_line.tiles[index].click()
        self._did(f"stage {index}")

    def key(self, key, modifier=Qt.KeyboardModifier.NoModifier, on=None) -> None:
        """One key on the drawing."""
        self.qtbot.keyClick(on or self.window.flat, key, modifier)
        self._did(f"key {key}")

    def click(self, name: str, kind=QAbstractButton) -> None:
        """A button."""
        found = self._over(kind, name)
        self._reach(found)
        assert found.isEnabled(), f"{name} cannot be pressed"
        found.click()
        self._did(f"click {name}")

    def tile(self, name: str) -> None:
        """A picture of the page of a new tank."""
        self.click(f"begin {name}", QToolButton)

    def type(self, name: str, text: str) -> None:
        """A value in a field, with its Enter."""
        field = self._over(QLineEdit, name)
        self._reach(field)
        field.selectAll()
        self.qtbot.keyClicks(field, text)
        self.qtbot.keyClick(field, Qt.Key.Key_Return)
        self._did(f"type {name} {text}")
        trouble = getattr(field.parent(), "trouble", None)
        assert trouble is None or not trouble.text(), trouble.text()

    def choose(self, name: str, words: str) -> None:
        """An entry of a list, by how its words begin: two clicks."""
        box = self._over(QComboBox, name)
        self._reach(box)
        k = next((i for i in range(box.count()) if box.itemText(i).lower().startswith(words.lower())), None)
        assert k is not None, f"{name} has no {words!r}: {[box.itemText(i) for i in range(box.count())]}"
        box.setCurrentIndex(k)
        box.activated.emit(k)
        self.done += [f"open {name}", f"choose {words}"]

    def row(self, name: str, words: str) -> None:
        """A row of a list."""
        rows = self._over(QListWidget, name)
        self._reach(rows)
        k = next(i for i in range(rows.count()) if words.lower() in rows.item(i).text().lower())
        rows.setCurrentRow(k)
        self._did(f"row {words}")

    def dimension(self, tag: str, text: str) -> None:
        """A figure clicked in the drawing and typed: a click, and a value with its Enter."""
        self.window.flat.grab()
        self.window.flat.type_at(tag)
        assert self.window.flat.editor.isVisibleTo(self.window), f"{tag} is not in the drawing"
        self.window.flat.editor.setText(text)
        self.qtbot.keyClick(self.window.flat.editor, Qt.Key.Key_Return)
        self.done += [f"click {tag}", f"type {text}"]

    def put(self, part: str, at: tuple[float, float] | None = None) -> None:
        """A part of the tray: picked up by a click, put down by a click at (x, y) mm of the drawing, or by Enter where it hangs."""
        self.window.tray.buttons[part].click()
        self._did(f"pick up {part}")
        assert self.window.stage.holding == part, self.window.message.text()
        self.down(at)

    def down(self, at: tuple[float, float] | None = None) -> None:
        """Put down what hangs."""
        if at is None:
            self.key(Qt.Key.Key_Return)
            return
        self.window.flat.grab()
        spot = self.window.flat.to_screen(np.array(at))
        none = Qt.MouseButton.NoButton
        where = self.window.flat.mapToGlobal(spot)
        self.window.flat.mouseMoveEvent(
            QMouseEvent(QEvent.Type.MouseMove, spot, where, none, none, Qt.KeyboardModifier.NoModifier)
        )
        self.qtbot.mouseClick(self.window.flat, Qt.MouseButton.LeftButton, pos=spot.toPoint())
        self._did(f"put down at {at}")

    def face(self, name: str) -> None:
        """A face clicked in the solid drawing."""
        self.window.solid.picked.emit(f"face:{name}", 0.5)
        self._did(f"look at {name}")

    def table(self, name: str, rows: list[list[str]]) -> None:
        """A table opened, its cells typed one by one, each with its Enter, and closed."""
        self.click(f"open {name}")
        grid = self.window.board.sheet.holds.grid
        for r, row in enumerate(rows):
            for c, cell in enumerate(row):
                if cell and grid.text_at(r, c) != cell:
                    if c >= grid.columnCount() or r >= grid.rowCount():
                        raise AssertionError(f"the table has no cell {r + 1}, {c + 1}")
                    grid.item(r, c).setText(cell)
                    self._did(f"cell {cell}")
        why = self.window.board.sheet.holds.trouble.text()
        assert not why, why
        self.click("close table")

    def wait(self, until, seconds=180) -> None:
        """Nothing is done until something is there."""
        self.qtbot.waitUntil(until, timeout=int(1000 * seconds))

    # -- whole turns -------------------------------------------------------------------------------------------------------

    def begin(
        self, hole: str, shape: str, litres: str, fluid: str = "", box: tuple[str, str, str] | None = None
    ) -> None:
        """A new tank by pictures."""
        window = self.window
        window.begin_tank()
        self._did("key Ctrl+N")
        page = window.begin
        for group, key in ((page.holes, hole), (page.shapes, shape)):
            if page._chosen(group) != key:
                self.tile(key)
        if box is not None:
            for name, text in zip(("width", "depth", "height"), box, strict=True):
                self.type(f"begin {name}", text)
        if fluid:
            self.choose("begin fluid", fluid)
        self.type("begin litres", litres)
        before = window.bench.path
        self.click("begin")
        self.wait(lambda: window.bench.path != before)
        window.finish()

    def papers(self) -> list[str]:
        """All papers, by a click on Hand over and one on its button; the names that were written."""
        self.stage(HAND)
        before = self.window.message.text()
        self.click("write all papers")
        self.wait(lambda: "written" in self.window.message.text() and self.window.message.text() != before)
        return sorted(p.name for p in self.window.bench.papers_folder.rglob("*") if p.is_file())
