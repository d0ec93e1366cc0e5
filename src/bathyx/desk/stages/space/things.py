"""What stands in a space, on the card: a list of things, the figures of the one in hand, and where it stands."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any, get_args

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QApplication, QFileDialog, QHBoxLayout, QInputDialog, QListWidget, QVBoxLayout, QWidget

from bathyx.core.job import Job
from bathyx.core.space import MeasuredBox
from bathyx.core.space.base import SIDES
from bathyx.core.space.cuts import Edge
from bathyx.core.space.said import parts_of, text_of
from bathyx.desk.bench import Bench
from bathyx.desk.views.fields import Choice, Field, Tick, button, clear, whole_rows, words
from bathyx.desk.views.grid import Column, Door, Grid, Rows, Table
from bathyx.errors import Refusal

MOST_ROWS = 6
GROUPS = ("cut", "obstacle", "reach", "layer", "opening", "outside")
PATHS = {
    "cut": "space.cuts", "obstacle": "space.obstacles", "reach": "space.reaches", "layer": "space.layers",
    "opening": "space.way_in.openings", "outside": "space.way_in.outside",
}  # fmt: skip
KINDS = {
    "box": "box", "tube": "tube", "beyond": "all beyond a plane", "solid": "solid", "chamfer": "chamfer", "step": "ledge",
    "reach": "room for a hand or a sender", "layer": "layer on the tank", "opening": "hatch",
}  # fmt: skip
PLACES = (("From the front", 0), ("From the left", 1), ("From the floor", 2))
BEYOND = [
    (("z", "above"), "above"), (("z", "below"), "below"), (("x", "above"), "behind"), (("x", "below"), "before"),
    (("y", "above"), "right of"), (("y", "below"), "left of"),
]  # fmt: skip
PLANES = [("z", "level, in a floor or deck"), ("x", "across, in a bulkhead"), ("y", "along, in a side")]
STANDS = [("in", "in the space"), ("outside", "outside, before the hatch"), ("later", "comes in after the tank")]


class Derived(Field):
    """A field whose value is worked out of several of the job, and put back as an edit of its own."""

    def __init__(
        self, bench: Bench, label: str, name: str, kind: str, get: Callable[[], Any], put: Callable[[Any], str]
    ) -> None:
        super().__init__(bench, label, name, kind)
        self._get, self._put = get, put

    def value(self) -> Any:
        """What it shows."""
        return self._get()

    def put(self, value: Any) -> str:
        """Take it."""
        return self._put(value)


def groups_of(job: Job) -> dict[str, tuple[Any, ...]]:
    """Everything that stands in a space, by the part of the job it is in."""
    space, way = job.space, job.space.way_in
    return {
        "cut": getattr(space, "cuts", ()),
        "obstacle": space.obstacles,
        "reach": space.reaches,
        "layer": space.layers,
        "opening": way.openings if way is not None else (),
        "outside": way.outside if way is not None else (),
    }


def rows_of(job: Job) -> list[tuple[str, int, Any]]:
    """(group, place in it, thing) of everything, in the order of the list."""
    return [(group, k, thing) for group, things in groups_of(job).items() for k, thing in enumerate(things)]


def kind_word(group: str, thing: Any) -> str:
    """What a thing is, in a word."""
    return KINDS[getattr(thing, "kind", group)] if group != "outside" else f"{KINDS[thing.kind]}, outside"


def with_thing(job: Job, group: str, row: dict[str, Any]) -> dict[str, Any]:
    """The edit that puts one more thing into a group; the first hatch makes the way in."""
    if group in ("opening", "outside"):
        way = job.space.way_in
        document = way.model_dump(mode="json") if way is not None else {"openings": [], "outside": []}
        document["openings" if group == "opening" else "outside"].append(row)
        return {"space.way_in": document}
    return {PATHS[group]: [*(t.model_dump(mode="json") for t in groups_of(job)[group]), row]}


def without(job: Job, group: str, k: int) -> dict[str, Any]:
    """The edit that takes a thing out; without a hatch there is no way in any more."""
    kept = [t.model_dump(mode="json") for j, t in enumerate(groups_of(job)[group]) if j != k]
    if group == "opening" and not kept:
        return {"space.way_in": None}
    return {PATHS[group]: kept}


def _edge(thing: Any) -> tuple[object, ...]:
    """What the names of a thing's fields hang on."""
    return getattr(thing, "edge", ""), getattr(thing, "axis", "")


def free_title(job: Job, title: str) -> str:
    """A name that nothing in the space has yet."""
    taken = {thing.name for _, _, thing in rows_of(job)}
    return next(n for n in (title, *(f"{title} {k}" for k in range(2, 999))) if n not in taken)


class Things(QWidget):
    """The list, and the one in hand."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self.bench = bench
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.list = QListWidget()
        self.list.setObjectName("things")
        self.list.setAccessibleName("What stands in the space")
        self.list.currentRowChanged.connect(self._chose)
        column.addWidget(self.list)
        self.none = words(
            "Nothing yet. Pick a part up in the tray at the left, and put it down on the drawing.", "quiet"
        )
        column.addWidget(self.none)
        self.form = QVBoxLayout()
        self.form.setSpacing(5)
        column.addLayout(self.form)
        line = QHBoxLayout()
        self.out = button("Take out", "drop thing", self.drop)
        self.twin = button("Copy", "copy thing", self.copy)
        line.addWidget(self.twin)
        line.addWidget(self.out)
        line.addWidget(button("Read a mesh", "read obstacles", self._read_solids))
        column.addLayout(line)
        self._made_for: object = None
        self._parts: list[Any] = []

    @property
    def chosen(self) -> tuple[str, int, Any] | None:
        """(group, place in it, thing) of what is lit."""
        group, _, rest = self.bench.lit.partition(":")
        number = rest.split(":")[0]
        things = groups_of(self.bench.job).get(group, ())
        if group not in GROUPS or not number.isdigit() or int(number) >= len(things):
            return None
        return group, int(number), things[int(number)]

    def _chose(self, row: int) -> None:
        rows = rows_of(self.bench.job)
        if 0 <= row < len(rows):
            self.bench.light(f"{rows[row][0]}:{rows[row][1]}")

    def refresh(self) -> None:
        """Show the job's, and the figures of the one in hand."""
        rows, chosen = rows_of(self.bench.job), self.chosen
        self.list.blockSignals(True)
        self.list.clear()
        for group, _, thing in rows:
            self.list.addItem(f"{thing.name}: {kind_word(group, thing)}")
        whole_rows(self.list, MOST_ROWS)
        at = next((k for k, row in enumerate(rows) if chosen is not None and row[:2] == chosen[:2]), -1)
        self.list.setCurrentRow(at)
        self.list.blockSignals(False)
        self.list.setVisible(bool(rows))
        self.none.setVisible(not rows)
        for part in (self.out, self.twin):
            part.setVisible(chosen is not None)
        key = (
            None
            if chosen is None
            else (chosen[:2], getattr(chosen[2], "kind", ""), self._rect(chosen[2]), _edge(chosen[2]))
        )
        if key != self._made_for:
            self._made_for, self._parts = key, []
            clear(self.form)
            if chosen is not None:
                self._make(*chosen)
        for part in self._parts:
            part.refresh()

    def _add(self, part: QWidget) -> None:
        self.form.addWidget(part)
        if hasattr(part, "refresh"):
            self._parts.append(part)

    def _make(self, group: str, k: int, thing: Any) -> None:
        b, path = self.bench, f"{PATHS[group]}.{k}"
        self._add(Field(b, "Name", f"{path}.name", "text"))
        makers: dict[str, Callable[[str, Any], None]] = {
            "box": self._make_box,
            "tube": self._make_tube,
            "beyond": self._make_beyond,
            "solid": self._make_solid,
            "chamfer": self._make_cut,
            "step": self._make_cut,
            "reach": self._make_reach,
            "layer": self._make_layer,
            "opening": self._make_opening,
        }
        makers[getattr(thing, "kind", group)](path, thing)
        if group in ("obstacle", "outside"):
            self._add(Field(b, "Air to keep round it", f"{path}.clearance_mm", "length"))
            self._add(Choice(b, "It stands", "thing stands", STANDS, take=self._stand, read=self._stands))

    def _make_box(self, path: str, _thing: Any) -> None:
        for (label, _), name in zip(PLACES, ("x_mm", "y_mm", "z_mm"), strict=True):
            self._add(Field(self.bench, label, f"{path}.{name}", "place"))
        for label, name in (("Length, along", "length_mm"), ("Width, across", "width_mm"), ("Height", "height_mm")):
            self._add(Field(self.bench, label, f"{path}.{name}", "length"))

    def _make_tube(self, path: str, _thing: Any) -> None:
        for end, name in (("One end", "from_mm"), ("Other end", "to_mm")):
            for label, i in PLACES:
                self._add(Field(self.bench, f"{end}, {label.lower()}", f"{path}.{name}.{i}", "place"))
        self._add(Field(self.bench, "Diameter", f"{path}.diameter_mm", "length"))

    def _make_beyond(self, path: str, _thing: Any) -> None:
        def take(value: tuple[str, str]) -> None:
            self.bench.edit({f"{path}.axis": value[0], f"{path}.side": value[1]}, "side of a plane")

        def read() -> tuple[str, str]:
            return self._now(path, "axis"), self._now(path, "side")

        self._add(Choice(self.bench, "All that is", f"{path}.side", BEYOND, take=take, read=read))
        self._add(Field(self.bench, "of a plane at", f"{path}.at_mm", "place"))

    def _make_solid(self, path: str, _thing: Any) -> None:
        self._add(self._corners(path, "corners", ("along", "across", "up")))

    def _make_cut(self, path: str, thing: Any) -> None:
        b = self.bench
        first, second = thing.edge.split()
        self._add(Choice(b, "It is a", f"{path}.kind", [("chamfer", "chamfer"), ("step", "ledge")]))
        self._add(Choice(b, "Along the edge", f"{path}.edge", [(edge, edge) for edge in get_args(Edge)]))
        self._add(Field(b, f"Off the {first} wall", f"{path}.first_mm", "length"))
        self._add(Field(b, f"Off the {second} wall", f"{path}.second_mm", "length"))

    def _make_reach(self, path: str, _thing: Any) -> None:
        names = [(f.id, f.id) for f in self.bench.job.inside.fittings]
        self._add(Choice(self.bench, "Straight out of", f"{path}.fitting", names))
        self._add(Field(self.bench, "Long", f"{path}.length_mm", "length"))
        self._add(Field(self.bench, "Diameter", f"{path}.diameter_mm", "length"))

    def _make_layer(self, path: str, _thing: Any) -> None:
        self._add(Field(self.bench, "Thick", f"{path}.mm", "length"))
        for side in SIDES:
            take, read = partial(self._side, path, side), partial(self._on, path, side)
            self._add(Tick(self.bench, side.capitalize(), f"{path}.{side}", take=take, read=read))

    def _make_opening(self, path: str, thing: Any) -> None:
        b = self.bench
        self._add(Choice(b, "Its plane", f"{path}.axis", PLANES))
        across = [label for label, i in PLACES if "xyz"[i] != thing.axis]
        at = next(label for label, i in PLACES if "xyz"[i] == thing.axis)
        self._add(Field(b, at, f"{path}.at_mm", "place"))
        if self._rect(thing):
            names = {"From the front": "Long", "From the left": "Wide", "From the floor": "High"}
            for i, label in enumerate(across):
                self._add(
                    Derived(
                        b,
                        label,
                        f"{path} from {i}",
                        "place",
                        partial(self._span, path, i, 0),
                        partial(self._set_span, path, i, 0),
                    )
                )
                self._add(
                    Derived(
                        b,
                        names[label],
                        f"{path} size {i}",
                        "length",
                        partial(self._span, path, i, 1),
                        partial(self._set_span, path, i, 1),
                    )
                )
        self._add(self._corners(path, "corners", tuple(label.lower().removeprefix("from the ") for label in across)))
        self._add(Field(b, "Wall thick", f"{path}.thickness_mm", "length"))
        self._add(Field(b, "Rim stands out", f"{path}.lip_mm", "length"))
        self._add(Tick(b, "In a plate on the way, passed as well", f"{path}.on_the_way"))

    # -- values ------------------------------------------------------------------------------------------------------------

    def _now(self, path: str, name: str) -> Any:
        return self.bench.value(f"{path}.{name}")

    def _edit(self, path: str, values: dict[str, Any]) -> str:
        return self.bench.try_edit({f"{path}.{name}": v for name, v in values.items()}, "what stands in the space")

    def _on(self, path: str, side: str) -> bool:
        return side in (self._now(path, "sides") or ())

    def _side(self, path: str, side: str, on: bool) -> None:
        now = set(self._now(path, "sides") or ())
        now = now | {side} if on else now - {side}
        self.bench.edit({f"{path}.sides": [s for s in SIDES if s in now]}, "sides of a layer")

    def _rect(self, thing: Any) -> bool:
        """Whether an opening is an upright rectangle."""
        corners = getattr(thing, "corners", ())
        if not hasattr(thing, "lip_mm") or len(corners) != 4:
            return False
        return all(len({c[i] for c in corners}) == 2 for i in (0, 1))

    def _span(self, path: str, i: int, size: int) -> float:
        values = [c[i] for c in (self._now(path, "corners") or ((0.0, 0.0),))]
        return max(values) - min(values) if size else min(values)

    def _set_span(self, path: str, i: int, size: int, value: float) -> str:
        low, high = self._span(path, i, 0), self._span(path, i, 0) + self._span(path, i, 1)
        new = (low, low + value) if size else (value, value + high - low)
        corners = [list(c) for c in self._now(path, "corners")]
        for corner in corners:
            corner[i] = new[0] if abs(corner[i] - low) < abs(corner[i] - high) else new[1]
        return self._edit(path, {"corners": corners})

    def _corners(self, path: str, name: str, titles: tuple[str, ...]) -> QWidget:
        """A grid of corners."""

        def read() -> Rows:
            return [list(corner) for corner in (self._now(path, name) or ())]

        def take(rows: Rows) -> str:
            return self._edit(path, {name: rows})

        grid = Grid(self.bench, f"{name} of a thing", [Column(title) for title in titles], read, take)
        return Door(self.bench, "Corners", Table(grid, "Go round it corner by corner."), lambda: str(len(read())))

    def _stands(self) -> str:
        chosen, way = self.chosen, self.bench.job.space.way_in
        if chosen is None:
            return "in"
        return (
            "outside"
            if chosen[0] == "outside"
            else "later"
            if way is not None and chosen[2].name in way.later
            else "in"
        )

    def _stand(self, where: str) -> None:
        """In the space, outside before the hatch, or in after the tank."""
        chosen, b = self.chosen, self.bench
        if chosen is None or where == self._stands():
            return
        group, k, thing = chosen
        way = b.job.space.way_in
        if way is None:
            b.said.emit("trouble", "There is no hatch that leads there: put one into the drawing first")
            return
        document, row = way.model_dump(mode="json"), thing.model_dump(mode="json")
        document["later"] = [n for n in document["later"] if n != thing.name] + (
            [thing.name] if where == "later" else []
        )
        inside = [
            t.model_dump(mode="json")
            for j, t in enumerate(b.job.space.obstacles)
            if not (group == "obstacle" and j == k)
        ]
        document["outside"] = [r for j, r in enumerate(document["outside"]) if not (group == "outside" and j == k)]
        (document["outside"] if where == "outside" else inside).append(row)
        group, at = ("outside", len(document["outside"]) - 1) if where == "outside" else ("obstacle", len(inside) - 1)
        if b.edit({"space.obstacles": inside, "space.way_in": document}, f"where {thing.name} stands"):
            b.light(f"{group}:{at}")

    # -- gestures ----------------------------------------------------------------------------------------------------------

    def drop(self) -> None:
        """Take out what is in hand."""
        if self.chosen is not None:
            group, k, thing = self.chosen
            self.bench.edit(without(self.bench.job, group, k), f"take out {thing.name}")

    def copy(self) -> None:
        """A second one beside it."""
        if self.chosen is None:
            return
        group, _, thing = self.chosen
        row = thing.model_dump(mode="json") | {"name": free_title(self.bench.job, thing.name)}
        if self.bench.edit(with_thing(self.bench.job, group, row), f"copy {thing.name}"):
            self.bench.light(f"{group}:{len(groups_of(self.bench.job)[group]) - 1}")

    def paste(self, text: str) -> str:
        """Add what lines say, as the command line and files have them; why not, where they say nothing that can stand there."""
        b = self.bench
        try:
            found = parts_of(text, box=isinstance(b.job.space, MeasuredBox))
        except Refusal as error:
            b.said.emit("trouble", str(error))
            return str(error)
        changes: dict[str, Any] = {}
        for name, rows in found.items():
            if name == "way_in":
                way = b.job.space.way_in
                old: dict[str, Any] = way.model_dump(mode="json") if way is not None else {}
                joined = {part: [*old.get(part, ()), *extra] for part, extra in rows.items()}  # type: ignore[attr-defined]
                changes["space.way_in"] = old | joined
            elif rows:
                kept = [t.model_dump(mode="json") for t in getattr(b.job.space, name)]
                changes[f"space.{name}"] = [*kept, *rows]
        why = b.try_edit(changes, "what stands in the space") if changes else "nothing was pasted"
        if why:
            b.said.emit("trouble", why)
        return why

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Lines are copied and pasted as the command line has them; Delete takes out."""
        assert event is not None
        clip = QApplication.clipboard()
        if event.matches(QKeySequence.StandardKey.Paste) and clip is not None:
            self.paste(clip.text())
        elif event.matches(QKeySequence.StandardKey.Copy) and clip is not None:
            clip.setText(text_of(self.bench.job.space))
        elif event.key() == Qt.Key.Key_Delete:
            self.drop()
        else:
            super().keyPressEvent(event)

    def _read_solids(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Read what stands there", "", "Meshes (*.stl *.obj *.ply)")
        if name:
            self.with_solids(Path(name))

    def with_solids(self, path: Path) -> None:
        """What a mesh says stands there; its unit is asked for."""
        from bathyx.files.scans import UNITS, solids_of

        said = f"{path.name} does not say its unit; its axes are the space's:"
        unit, taken = QInputDialog.getItem(self, "Unit of the mesh", said, list(UNITS), 0, False)
        if not taken:
            return
        try:
            rows = solids_of(path, unit)
        except Refusal as error:
            self.bench.said.emit("trouble", str(error))
            return
        kept = [t.model_dump(mode="json") for t in self.bench.job.space.obstacles]
        if self.bench.edit({"space.obstacles": [*kept, *rows]}, f"what stands in {path.name}"):
            self.bench.light(f"obstacle:{len(kept)}")
