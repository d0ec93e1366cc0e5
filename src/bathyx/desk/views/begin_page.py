"""A new tank by pictures: what hole, what shape, what it holds and how much. It begins fitted out, with nothing to put right."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QToolButton, QVBoxLayout, QWidget

from bathyx.core.evaluate import evaluate
from bathyx.core.job import Job
from bathyx.core.material import fluids
from bathyx.core.propose.begin import WAYS, Asked, begun
from bathyx.core.tank.families import FAMILIES
from bathyx.core.units import Reading, parse_quantity, show
from bathyx.desk.bench import Bench
from bathyx.desk.study import Study
from bathyx.desk.theme import Theme
from bathyx.desk.views.canvas import Canvas
from bathyx.desk.views.fields import button, with_unit, words
from bathyx.desk.views.plain import Pick, TextLine
from bathyx.draft.picture import Picture, Poly
from bathyx.draft.solid_view import Eye, Show, solid_view
from bathyx.errors import Refusal

ICON = QSize(132, 92)
USUAL_L = 60.0
SHOWN = {"length": 520.0, "width": 400.0, "height": 300.0}
HOLES = (("box", "A box-shaped hole"), ("stations", "A hull or a curved bay"), ("free", "No hole: it stands free"))


def _rings(points: list[list[tuple[float, float]]], fill: str | None = "space") -> Picture:
    return Picture(tuple(Poly(np.array(p, float), "ink", fill if k == 0 else None, 1.6) for k, p in enumerate(points)))


DRAWN = {
    "box": _rings(
        [
            [(0, 0), (60, 0), (60, 40), (0, 40)],
            [(0, 40), (18, 54), (78, 54), (60, 40)],
            [(60, 0), (78, 14), (78, 54), (60, 40)],
        ]
    ),
    "stations": _rings(
        [
            [(0, 50), (10, 18), (26, 2), (40, 0), (54, 2), (70, 18), (80, 50)],
            [(14, 50), (22, 24), (40, 8), (58, 24), (66, 50)],
        ]
    ),
    "free": _rings(
        [[(6, 14), (74, 14), (74, 54), (6, 54)], [(14, 14), (14, 0)], [(66, 14), (66, 0)], [(0, 0), (80, 0)]], "fluid"
    ),
}


class BeginPage(QWidget):
    """What is asked of a new tank, and the button that begins it."""

    begun = pyqtSignal()
    left = pyqtSignal()

    def __init__(self, bench: Bench, theme: Theme) -> None:
        super().__init__()
        self.bench, self.theme = bench, theme
        self.setObjectName("begin page")
        self._drawer = Canvas(theme, "begin drawing")
        self._drawer.quiet, self._drawer.frameless = True, True
        self._drawer.setMinimumSize(1, 1)
        self._drawer.hide()
        self._undrawn: list[str] = []
        self.sizes: dict[str, TextLine] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(60, 18, 60, 16)
        column.setSpacing(8)
        column.addWidget(words("A new tank", "head"))
        column.addWidget(words("Where does it go?", "quiet"))
        self.holes, row = self._tiles(HOLES)
        column.addLayout(row)
        column.addWidget(self._box_line())
        column.addWidget(words("What shape?", "quiet"))
        shapes = [(key, family.title) for key, family in FAMILIES.items() if not family.built_in]
        self.shapes, row = self._tiles(shapes)
        column.addLayout(row)
        column.addLayout(self._what_line())
        column.addLayout(self._made_line())
        self.trouble = QLabel("")
        self.trouble.setProperty("look", "trouble")
        self.trouble.setTextFormat(Qt.TextFormat.PlainText)
        self.trouble.setWordWrap(True)
        column.addWidget(self.trouble)
        row = QHBoxLayout()
        self.go = button("Begin", "begin", self.begin, "main")
        row.addWidget(self.go)
        row.addWidget(button("Back to the jobs", "begin back", self.left.emit))
        row.addStretch(1)
        column.addLayout(row)
        column.addStretch(1)
        self.study = Study(_begin)
        self.study.done.connect(self._done)
        self.holes.idToggled.connect(lambda *_: self._show_hole())
        self.drawing = QTimer(self)
        self.drawing.setInterval(5)
        self.drawing.timeout.connect(self._draw_one)

    def _box_line(self) -> QWidget:
        """Width, depth and height of a box."""
        self.of_a_box = QWidget()
        line = QHBoxLayout(self.of_a_box)
        line.setContentsMargins(0, 0, 0, 0)
        for name, label in (("width", "Width, left to right"), ("depth", "Depth, front to back"), ("height", "Height")):
            self.sizes[name] = _asked_for(line, label, name, "")
            line.addSpacing(14)
        line.addStretch(1)
        return self.of_a_box

    def _what_line(self) -> QHBoxLayout:
        """Fluid and litres."""
        line = QHBoxLayout()
        line.addWidget(words("What does it hold?", "quiet", wrap=False))
        self.fluid = Pick()
        self.fluid.setObjectName("begin fluid")
        self.fluid.setAccessibleName("Fluid")
        self.keys = list(fluids())
        self.fluid.addItems([fluids()[key].name for key in self.keys])
        line.addWidget(self.fluid)
        line.addSpacing(14)
        self.litres = _asked_for(line, "How much of it, to be used?", "litres")
        line.addStretch(1)
        return line

    def _made_line(self) -> QHBoxLayout:
        """What it is made of, and its name."""
        line = QHBoxLayout()
        line.addWidget(words("What is it made of?", "quiet", wrap=False))
        self.making = Pick()
        self.making.setObjectName("begin making")
        self.making.setAccessibleName("Made of")
        self.making.addItems(list(WAYS.values()))
        line.addWidget(self.making)
        line.addSpacing(14)
        self.name = _asked_for(line, "Its name", "name", wide=420)
        self.name.setPlaceholderText("New tank")
        line.addStretch(1)
        return line

    def _tiles(self, named: list[tuple[str, str]] | tuple[tuple[str, str], ...]) -> tuple[QButtonGroup, QHBoxLayout]:
        group, row = QButtonGroup(self), QHBoxLayout()
        row.setSpacing(8)
        for k, (key, title) in enumerate(named):
            tile = QToolButton()
            tile.setObjectName(f"begin {key}")
            tile.setAccessibleName(title)
            tile.setText(title)
            tile.setCheckable(True)
            tile.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            tile.setIconSize(ICON)
            tile.setProperty("key", key)
            group.addButton(tile, k)
            row.addWidget(tile)
        row.addStretch(1)
        return group, row

    def ask(self) -> None:
        """Show the page with the usual answers."""
        for group in (self.holes, self.shapes):
            group.buttons()[0].setChecked(True)
        for edit in (*self.sizes.values(), self.name):
            edit.clear()
        self.litres.setText(show(USUAL_L, "volume", self.bench.units))
        self.fluid.setCurrentIndex(self.keys.index("diesel") if "diesel" in self.keys else 0)
        self.making.setCurrentIndex(0)
        self.trouble.setText("")
        self._undrawn = [*DRAWN, *(key for key, family in FAMILIES.items() if not family.built_in)]
        self._show_hole()
        self.drawing.start()

    def _chosen(self, group: QButtonGroup) -> str:
        made = group.checkedButton()
        return str(made.property("key")) if made is not None else ""

    def _show_hole(self) -> None:
        self.of_a_box.setVisible(self._chosen(self.holes) == "box")

    def _draw_one(self) -> None:
        """A picture at a time, so that the page is live at once."""
        if not self._undrawn:
            self.drawing.stop()
            return
        key = self._undrawn.pop(0)
        picture = DRAWN.get(key)
        if picture is None:
            tank = FAMILIES[key].started(SHOWN, "5083/3")
            job = Job.model_validate({"tank": tank.model_dump(mode="json"), "makeup": {"school": tank.schools()[0]}})
            job = job.edited("inside.baffles.by_rule", False)
            picture = solid_view(evaluate(job), self.bench.units, Eye(), Show(0.0, sizes=False))
        self._drawer.resize(ICON)
        self._drawer.show_picture(picture)
        small = QPixmap(ICON)
        small.fill(Qt.GlobalColor.transparent)
        self._drawer.render(small)
        tile = self.findChild(QToolButton, f"begin {key}")
        if tile is not None:
            tile.setIcon(QIcon(small))

    def begin(self) -> None:
        """Read the answers, and look for the tank beside the window."""
        try:
            asked = self._asked()
        except Refusal as error:
            self.trouble.setText(str(error))
            return
        self.trouble.setText("Laying it out…")
        self.go.setEnabled(False)
        self.study.run(asked, asked, self.bench.job.maker)

    def _asked(self) -> Asked:
        hole = self._chosen(self.holes)
        readings = None
        if hole == "box":
            read = []
            for name, edit in self.sizes.items():
                if not edit.text().strip():
                    raise Refusal(f"say the {name} of the hole, as the tape says it; or choose another hole")
                read.append(Reading.of(with_unit(edit.text(), self.bench.units)))
            readings = (read[0], read[1], read[2])
        litres = parse_quantity(self.litres.text(), "volume", self.bench.units)
        fluid = self.keys[max(self.fluid.currentIndex(), 0)]
        name = self.name.text().strip() or "New tank"
        making = list(WAYS)[max(self.making.currentIndex(), 0)]
        return Asked(hole, self._chosen(self.shapes), fluid, float(litres), name, readings, making)  # type: ignore[arg-type]

    def _done(self) -> None:
        self.go.setEnabled(True)
        job = self.study.result
        if job is None:
            self.trouble.setText(self.study.trouble)
            return
        try:
            self.bench.start_new(job)
        except Refusal as error:
            self.trouble.setText(str(error))
            return
        self.trouble.setText("")
        self.begun.emit()


def _asked_for(line: QHBoxLayout, label: str, name: str, look: str = "quiet", wide: int = 120) -> TextLine:
    """A line with its words before it, at the end of a row."""
    line.addWidget(words(label, look, wrap=False))
    edit = TextLine()
    edit.setObjectName(f"begin {name}")
    edit.setAccessibleName(label)
    edit.setMaximumWidth(wide)
    line.addWidget(edit, 1 if wide > 120 else 0)
    return edit


def _begin(asked: Asked, maker: str, progress: Callable[[float], bool]) -> Job:
    progress(0.1)
    return begun(asked, maker)
