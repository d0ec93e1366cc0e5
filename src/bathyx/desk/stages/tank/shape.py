"""The shape's part of the tank card: the family, and every setting that its metadata names; built anew for another family."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QFileDialog, QGridLayout, QVBoxLayout, QWidget

from bathyx.core.findings.placing import floor
from bathyx.core.tank.families import FAMILIES
from bathyx.core.tank.family import Setting
from bathyx.core.tank.outline import OutlineTank
from bathyx.core.tank.profile import CORNERS, ProfileTank
from bathyx.core.units import show
from bathyx.desk.bench import Bench
from bathyx.desk.stages.tank.which_outline import WhichOutline
from bathyx.desk.theme import Theme
from bathyx.desk.views.fields import Choice, Field, Tick, button, words
from bathyx.desk.views.grid import Column, rows_of
from bathyx.desk.views.pressed import unless_pressed
from bathyx.errors import Refusal

KINDS = {"length": "length", "angle": "number"}


class Shape(QWidget):
    """What a millimetre is worth, and the sizes and choices of the family in hand."""

    def __init__(self, bench: Bench, theme: Theme) -> None:
        super().__init__()
        self.bench, self.theme = bench, theme
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(7)
        self._built: object = None
        self._parts: list[Any] = []
        self._shown: list[tuple[str, QWidget]] = []
        self._body: QWidget | None = None

    def refresh(self) -> None:
        """Show the tank as it is now."""
        tank = self.bench.job.tank
        wanted = (tank.family, tuple(s.path for s in tank.main_sizes()))
        if wanted != self._built:
            if not unless_pressed(self, self.refresh):
                return
            self._build(wanted)
        for part in self._parts:
            part.refresh()
        for path, widget in self._shown:
            widget.setVisible(tank.shown(path))

    def _build(self, wanted: object) -> None:
        if self._body is not None:
            self.column.removeWidget(self._body)
            self._body.hide()
            self._body.deleteLater()
        self._built, self._parts, self._shown = wanted, [], []
        self._body = QWidget()
        column = QVBoxLayout(self._body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(7)
        tank = self.bench.job.tank

        def add(widget: QWidget, path: str = "") -> None:
            column.addWidget(widget)
            if hasattr(widget, "refresh"):
                self._parts.append(widget)
            if path:
                self._shown.append((path, widget))

        add(Worth(self.bench, tank.main_sizes()))
        add(words("Shape", "head"))
        add(
            Choice(
                self.bench,
                "Family",
                "tank.family",
                [(key, family.title) for key, family in FAMILIES.items()],
                take=self._take_family,
            )
        )
        for setting in tank.settings():
            add(self._widget(setting), setting.path)
        if isinstance(tank, ProfileTank):
            for widget in profile_parts(self.bench):
                add(widget)
        if isinstance(tank, OutlineTank):
            add(Corners(self.bench, self.theme))
        for widget in sump_parts(self.bench):
            add(widget)
        self.column.addWidget(self._body)

    def _widget(self, setting: Setting) -> QWidget:
        path = f"tank.{setting.path}"
        if setting.unit == "choice":
            return Choice(
                self.bench,
                setting.label,
                path,
                list(setting.words),
                take=lambda value: self._choose(setting.path, value),
            )
        kind = "optional" if setting.unit == "angle" else "length"
        return Field(self.bench, setting.label, path, kind, "usual")

    def _choose(self, path: str, value: Any) -> None:
        changes = self.bench.job.tank.switched(path, value)
        self.bench.edit({f"tank.{p}": v for p, v in changes.items()}, path.replace("_", " ").replace(".", " "))

    def _take_family(self, key: str) -> None:
        """Another family of about the same inside; its usual school, and no edge chosen by hand."""
        b = self.bench
        if key == b.job.tank.family:
            return
        low, high = b.evaluation.results.shell.bounds
        box = dict(zip(("length", "width", "height"), (float(round(x)) for x in high - low), strict=True))
        try:
            tank = FAMILIES[key].started_in(b.job.space, box, b.job.tank.sheet)
        except Refusal as error:
            b.said.emit("trouble", f"{FAMILIES[key].title}: {error}")
            return
        b.edit(
            {"tank": tank.model_dump(mode="json"), "makeup.school": tank.schools()[0], "makeup.edges": []},
            f"make it {FAMILIES[key].title.lower()}",
        )


class Worth(QWidget):
    """What one millimetre of each main size is worth, with buttons that take it."""

    def __init__(self, bench: Bench, sizes: tuple[Setting, ...]) -> None:
        super().__init__()
        self.bench, self.sizes = bench, sizes
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(4)
        self.labels, self.captions = {}, {}
        for row, setting in enumerate(sizes):
            name = setting.path
            self.captions[name] = words("")
            grid.addWidget(self.captions[name], row, 0)
            self.labels[name] = words("", wrap=False)
            self.labels[name].setStyleSheet("font-weight: bold;")
            grid.addWidget(self.labels[name], row, 1)
            for column, (sign, step) in enumerate((("−5", -5.0), ("+5", 5.0)), start=2):
                made = button(sign, f"{name} {sign}", self._step(name, step))
                made.setFixedWidth(46)
                grid.addWidget(made, row, column)

    def _step(self, name: str, step: float) -> Callable[[], None]:
        def go() -> None:
            value = getattr(self.bench.job.tank, name) + step
            self.bench.edit({f"tank.{name}": value}, f"{name.removesuffix('_mm').replace('_', ' ')} by {step:+.0f} mm")

        return go

    def refresh(self) -> None:
        """Litres per millimetre now."""
        step = "1 mm" if not self.bench.units.us else "1 in"
        worth = self.bench.evaluation.results.litres_per_mm
        for name, label in self.labels.items():
            self.captions[name].setText(f"{step} of {name.removesuffix('_mm').replace('_', ' ')}")
            if name in worth:
                label.setText(show(worth[name], "litres_per_mm", self.bench.units))


def profile_parts(bench: Bench) -> list[QWidget]:
    """Corners cut off and the step in the bottom: lists of the profile family that are more than a number."""
    ticks = [
        Tick(
            bench,
            f"{corner.replace('_', ' ')} cut off".capitalize(),
            f"chamfer {corner}",
            take=partial(_chamfer, bench, corner),
            read=partial(_chamfered, bench, corner),
        )
        for corner in CORNERS
    ]
    jog = Choice(
        bench,
        "Step in the bottom",
        "tank.jog",
        [(None, "none"), ("front", "at the front"), ("rear", "at the rear")],
        take=lambda end: _jog(bench, end),
        read=lambda: getattr(_profile(bench).jog, "end", None),
    )
    fields = [
        JogField(bench, label, f"tank.jog.{name}", "length")
        for label, name in (("Long", "length_mm"), ("High", "rise_mm"), ("Riser leans by", "run_mm"))
    ]
    return [words("Corners and step", "head"), *ticks, jog, *fields]


class JogField(Field):
    """A size of the step; not there without one."""

    def refresh(self) -> None:
        """Show it, or hide."""
        super().refresh()
        self.setVisible(getattr(self.bench.job.tank, "jog", None) is not None)


class Corners(QWidget):
    """The corners of an outline, a row a corner; or read from a file."""

    def __init__(self, bench: Bench, theme: Theme) -> None:
        super().__init__()
        self.bench, self.theme = bench, theme
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.door = rows_of(
            bench,
            "Corners",
            lambda: "tank.corners",
            (
                (Column("along"), "x_mm"),
                (Column("up"), "z_mm"),
                (Column("cut", "text", ("sharp", "radius", "chamfer"), may_be_empty=True), "cut"),
                (Column("by", may_be_empty=True), "size_mm"),
            ),
            "Round the profile, corner by corner; a corner may be rounded or cut off.",
        )
        column.addWidget(self.door)
        self.trouble = words("", "trouble")
        self.trouble.hide()
        column.addWidget(self.trouble)
        column.addWidget(button("Read a file", "read profile", self._choose_file))

    def refresh(self) -> None:
        """Show the corners."""
        if isinstance(self.bench.job.tank, OutlineTank):
            self.door.refresh()
            self._refuse("")

    def read(self, path: Path) -> None:
        """Take the corners of a file; asked for its unit where it does not say, and which outline where it holds several."""
        from bathyx.files.profiles import SAYS_SIZES, drawn, profile_of, read_profile

        try:
            if path.suffix.lower() not in SAYS_SIZES:
                self._put(read_profile(path))
                return
            found = drawn(path)  # once, whatever is asked after
            unit, pick = None, 0
            if found.loops and (found.unit is None or len(found.loops) > 1):
                asked = WhichOutline(found, path.name, self.bench.units, self.theme, self)
                if not asked.exec():
                    return
                unit, pick = asked.unit, asked.pick
            self._put(profile_of(found, path.name, unit, pick))
        except Refusal as error:
            self._refuse(str(error))

    def _put(self, corners: list[dict[str, Any]]) -> None:
        why = self.bench.try_edit({"tank.corners": corners}, "corners")
        self._refuse(why)
        if not why:
            self.refresh()

    def _choose_file(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(
            self, "A profile", "", "Profiles (*.dxf *.svg *.csv *.tsv *.txt)", options=QFileDialog.Option.ReadOnly
        )
        if chosen:
            self.read(Path(chosen))

    def _refuse(self, why: str) -> None:
        self.trouble.setText(why)
        self.trouble.setVisible(bool(why))


def sump_parts(bench: Bench) -> list[QWidget]:
    """A well under the floor."""
    kind = Choice(
        bench,
        "Sump under the floor",
        "tank.sump",
        [(None, "none"), ("box", "square"), ("round", "round")],
        take=lambda value: _sump(bench, value),
        read=lambda: getattr(bench.job.tank.sump, "kind", None),
    )
    sizes = (
        ("Sump, middle from the front", "x_mm"),
        ("Sump, middle from the left", "y_mm"),
        ("Sump, length or diameter", "length_mm"),
        ("Sump, width", "width_mm"),
        ("Sump, depth", "depth_mm"),
    )
    return [kind, *(SumpField(bench, label, f"tank.sump.{name}", "length") for label, name in sizes)]


class SumpField(Field):
    """A size of the sump; not there without one, and no width for a round one."""

    def refresh(self) -> None:
        """Show it, or hide."""
        super().refresh()
        sump = self.bench.job.tank.sump
        self.setVisible(sump is not None and not (sump.kind == "round" and self.path.endswith("width_mm")))


def _sump(bench: Bench, kind: str | None) -> None:
    tank, changes = bench.job.tank, None
    if kind is not None:
        face, low, high = floor(bench.evaluation.results)
        middle = bench.evaluation.results.shell.by_id[face].points(((low + high) / 2)[None])[0]
        side = float(round(min(*(high - low), 300.0) * 0.4))
        old = tank.sump
        changes = {
            "kind": kind,
            "x_mm": old.x_mm if old else float(round(middle[0])),
            "y_mm": old.y_mm if old else float(round(middle[1])),
            "length_mm": old.length_mm if old else max(side, 30.0),
            "width_mm": old.width_mm if old else max(side, 30.0),
            "depth_mm": old.depth_mm if old else 50.0,
        }
    bench.edit({"tank.sump": changes}, "sump")


def _profile(bench: Bench) -> ProfileTank:
    tank = bench.job.tank
    return tank if isinstance(tank, ProfileTank) else ProfileTank.model_construct(sheet="", chamfers=(), jog=None)


def _chamfered(bench: Bench, corner: str) -> bool:
    return any(x.corner == corner for x in _profile(bench).chamfers)


def _chamfer(bench: Bench, corner: str, on: bool) -> None:
    tank = _profile(bench)
    kept = [c.model_dump() for c in tank.chamfers if c.corner != corner]
    if on:
        size = float(round(min(tank.length_mm, tank.height_mm) * 0.2))
        kept.append({"corner": corner, "along_mm": size, "up_mm": size})
    bench.edit({"tank.chamfers": kept}, f"chamfer {corner.replace('_', ' ')}")


def _jog(bench: Bench, end: str | None) -> None:
    tank = _profile(bench)
    jog = None
    if end is not None:
        old = tank.jog
        jog = {
            "end": end,
            "length_mm": old.length_mm if old else float(round(tank.length_mm * 0.3)),
            "rise_mm": old.rise_mm if old else float(round(tank.height_mm * 0.15)),
            "run_mm": old.run_mm if old else 0.0,
        }
    bench.edit({"tank.jog": jog}, "jog")
