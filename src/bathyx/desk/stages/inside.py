"""Inside: baffles by rule or by hand, and the fittings, each dragged or typed to its place."""

from __future__ import annotations

from typing import Any

import numpy as np
from PyQt6.QtWidgets import QListWidget

from bathyx.core.findings.placing import floor, named, put, roof, within
from bathyx.core.inside.baffles import AXIS_INDEX, Baffle, bay_limit_mm
from bathyx.core.inside.fittings import USES, usual
from bathyx.core.material import fitting_metals
from bathyx.core.units import parse_quantity, show
from bathyx.desk.bench import Bench
from bathyx.desk.one_press import OnePress, fit_out
from bathyx.desk.stages.stage import Stage
from bathyx.desk.study import KeptStudy, Study
from bathyx.desk.theme import Theme
from bathyx.desk.views.bench_line import TileData
from bathyx.desk.views.fields import Card, Choice, Field, Tick, button, whole_rows, words
from bathyx.draft.picture import Picture
from bathyx.draft.tank_views import plan_view
from bathyx.errors import Refusal

SNAP_MM, MOST_ROWS = 4.0, 6


class InsideStage(Stage):
    """Baffles and fittings."""

    draggable = ("baffle:", "fitting:")

    def __init__(self, bench: Bench, theme: Theme) -> None:
        super().__init__(bench, theme)
        self.fitting_out = OnePress(bench, "fit it out", fit_out)

    def studies(self) -> tuple[Study | KeptStudy, ...]:
        """What looks for places."""
        return (self.fitting_out.study,)

    def tile(self) -> TileData:
        """Longest bay and how many baffles hold it."""
        r = self.bench.evaluation.results
        longest = r.longest_bay.value
        limit = bay_limit_mm(self.bench.job.inside.baffles, self.bench.job.brief.moving)
        state, said = self.worst()
        count = len(r.baffles)
        figure = f"{count} baffle{'s' if count != 1 else ''}" if count else "no baffle"
        words_ = said or f"bays to {show(longest, 'length', self.bench.units)}"
        return TileData(figure, words_, min(1.0, limit / longest), state, r.longest_bay.explain())

    def flat(self) -> Picture:
        """From above."""
        return plan_view(self.bench.evaluation, self.bench.units)

    def typed(self, tag: str, text: str) -> str:
        """A bay's length typed moves the baffle at its end."""
        path = tag.removeprefix("edit:")
        if not path.startswith("baffle."):
            return super().typed(tag, text)
        _, axis, bay = path.split(".")
        try:
            length = parse_quantity(text, "length", self.bench.units)
        except Refusal as error:
            return str(error)
        spans = [b for b in self.bench.evaluation.results.bays if b.axis == axis]
        return self._put(axis, int(bay), spans[int(bay)].start_mm + length, "")

    def dragged(self, tag: str, x: float, y: float, finished: bool) -> None:
        """Move a baffle or fitting; near a sensible place it snaps there."""
        kind, _, name = tag.partition(":")
        if kind == "baffle":
            self._drag_baffle(name, x, y)
        else:
            self._drag_fitting(name, x, y)
        if finished:
            self.bench.let_go()

    def _drag_baffle(self, name: str, x: float, y: float) -> None:
        r = self.bench.evaluation.results
        plate = next((p for p in r.plates if p.name == name), None)
        if plate is not None:
            same = [b.at_mm for b in r.baffles if b.axis == plate.axis]
            index = int(np.argmin([abs(at - plate.at_mm) for at in same]))
            spot = self._snap_baffle(plate.axis, index, x if plate.axis == "x" else y)
            self._put(plate.axis, index, spot, f"drag baffle {name}")

    def _drag_fitting(self, name: str, x: float, y: float) -> None:
        fittings = self.bench.job.inside.fittings
        index = next((i for i, f in enumerate(fittings) if f.id == name), None)
        face = self.bench.evaluation.results.shell.by_id.get(fittings[index].face) if index is not None else None
        if index is None or face is None:
            return
        looks_up = float(face.normal_at(face.place(fittings[index].u_mm, fittings[index].v_mm))[2])
        if abs(looks_up) < 0.3:
            return
        try:
            there = face.over(x, y, below=looks_up < 0)
        except Refusal:
            return
        others = [f for i, f in enumerate(fittings) if f.face == face.id and i != index]
        spot = {}
        low, high = (face.upper if looks_up > 0 else face.lower) or (face.outline.min(axis=0), face.outline.max(axis=0))
        for way, at, middle in zip("uv", there, (low + high) / 2, strict=True):
            goals = [float(middle), *(getattr(f, f"{way}_mm") for f in others)]
            near = min(goals, key=lambda goal: abs(goal - at))
            spot[f"inside.fittings.{index}.{way}_mm"] = near if abs(near - at) < SNAP_MM else round(at, 1)
        self.bench.edit(spot, f"move {name}", f"drag fitting {name}")

    def _snap_baffle(self, axis: str, index: int, spot: float) -> float:
        low, high = self.bench.evaluation.results.shell.bounds
        i = AXIS_INDEX[axis]
        same = [b.at_mm for b in self.bench.evaluation.results.baffles if b.axis == axis]
        stops = [float(low[i]), *same, float(high[i])]
        middle = (stops[index] + stops[index + 2]) / 2
        return middle if abs(spot - middle) < SNAP_MM else float(round(spot))

    def _put(self, axis: str, index: int, at: float, merge: str) -> str:
        """Place the index-th baffle of an axis; from then on baffles are placed by hand."""
        r = self.bench.evaluation.results
        by_hand, k = [], 0
        for baffle in r.baffles:
            if baffle.axis == axis:
                by_hand.append(
                    Baffle(axis=axis, at_mm=max(at, 1.0)).model_dump() if k == index else baffle.model_dump()
                )
                k += 1
            else:
                by_hand.append(baffle.model_dump())
        changes = {"inside.baffles.by_rule": False, "inside.baffles.by_hand": by_hand}
        return self.bench.try_edit(changes, "move a baffle", merge)

    def make_card(self) -> Card:
        """Baffles, then fittings."""
        b = self.bench
        card = Card(b)
        self.chosen_head = card.add(words("", "head"))
        self.fields: dict[str, Field] = {}
        for label, name, kind in (
            ("Hole", "hole_mm", "length"),
            ("Ring outside", "ring_od_mm", "length"),
            ("Ring thick", "ring_mm", "length"),
            ("From front or left", "u_mm", "length"),
            ("From left or below", "v_mm", "length"),
            ("Inlet above floor", "floor_clear_mm", "length"),
            ("Float arm", "swing_mm", "length"),
        ):
            field = Field(b, label, f"inside.fittings.-.{name}", kind)
            self.fields[name] = card.add(field)
        self.face = card.add(Choice(b, "On", "fitting face", []))
        self.metal = card.add(
            Choice(b, "Made of", "fitting metal", [(m.key, m.name) for m in fitting_metals().values()])
        )
        self.drop_fitting = card.add(button("Take this fitting out", "drop fitting", self._drop))

        card.head("Fittings")
        self.list = QListWidget()
        self.list.setObjectName("fittings")
        self.list.currentRowChanged.connect(self._chose)
        card.add(self.list)
        card.add(button("Fit it out", "fit out", self.fitting_out.begin, "main"))
        self.kind = Choice(
            b, "Add a", "kind", [(k, u.title) for k, u in USES.items()], take=lambda v: None, read=self._kind_to_add
        )
        card.row(self.kind, button("Add", "add fitting", self._add_fitting))
        card.head("Baffles")
        card.add(Tick(b, "Placed by rule, evenly", "inside.baffles.by_rule"))
        card.add(Field(b, "Longest bay", "inside.baffles.max_bay_mm", "length", "usual"))
        self.rule = card.add(words("", "quiet"))
        card.row(
            button("One across", "add baffle x", lambda: self._add_baffle("x")),
            button("One along", "add baffle y", lambda: self._add_baffle("y")),
            button("Take out", "drop baffle", self._drop),
        )
        card.add(Field(b, "Limber holes", "inside.baffles.limber_mm", "length"))
        card.add(Field(b, "Air gaps on top", "inside.baffles.air_gap_mm", "length"))
        card.add(Field(b, "Flow holes", "inside.baffles.flow_hole_mm", "length"))
        self.open_words = card.add(words("", "quiet"))

        def also() -> None:
            self._refresh_lists()

        card.on_refresh(also, first=True)
        return card.finish()

    def _refresh_lists(self) -> None:
        b, r = self.bench, self.bench.evaluation.results
        limit = bay_limit_mm(b.job.inside.baffles, b.job.brief.moving)
        self.rule.setText(
            f"No bay over {show(limit, 'length', b.units)}. Drag a baffle, or type a bay's length on the drawing."
        )
        shares = ", ".join(f"{p.name} {p.open_share:.0%}" for p in r.plates)
        self.open_words.setText(f"Open share: {shares or 'no baffles'}. Usual 3 to 30 %.")
        self.list.blockSignals(True)
        self.list.clear()
        for f in b.job.inside.fittings:
            self.list.addItem(f"{named(f).capitalize()}, ø{f.hole_mm:g} on {f.face}")
        index = self._index()
        whole_rows(self.list, MOST_ROWS)
        self.list.setCurrentRow(index if index is not None else -1)
        self.list.blockSignals(False)
        chosen = b.job.inside.fittings[index] if index is not None else None
        for name, field in self.fields.items():
            field.setVisible(
                chosen is not None
                and (name != "swing_mm" or chosen.kind == "sender")
                and (name != "floor_clear_mm" or chosen.kind == "pickup")
            )
            field.path = f"inside.fittings.{index}.{name}"
            field.edit.setObjectName(f"fitting {name}")
        self.chosen_head.setText(named(chosen).capitalize() if chosen is not None else "")
        for part in (self.chosen_head, self.face, self.metal):
            part.setVisible(chosen is not None)
        self.drop_fitting.setVisible(chosen is not None)
        if chosen is not None:
            self.face.offer([(f.id, f.id) for f in r.shell.faces])
            self.face.take = lambda v: self._move_to(index, v) if index is not None else None
            self.face.read = lambda: chosen.face
            self.metal.take = lambda v: b.edit({f"inside.fittings.{index}.metal": v}, "metal of a fitting")
            self.metal.read = lambda: chosen.metal

    def _index(self) -> int | None:
        name = self.bench.lit.removeprefix("fitting:") if self.bench.lit.startswith("fitting:") else None
        return next((i for i, f in enumerate(self.bench.job.inside.fittings) if f.id == name), None)

    def _chose(self, row: int) -> None:
        if 0 <= row < len(self.bench.job.inside.fittings):
            self.bench.light(f"fitting:{self.bench.job.inside.fittings[row].id}")

    def _add_baffle(self, axis: str) -> None:
        r = self.bench.evaluation.results
        bay = max((b for b in r.bays if b.axis == axis), key=lambda b: b.length_mm)
        added = {"axis": axis, "at_mm": (bay.start_mm + bay.end_mm) / 2}
        self.bench.edit(
            {"inside.baffles.by_rule": False, "inside.baffles.by_hand": [*(x.model_dump() for x in r.baffles), added]},
            "add a baffle",
        )

    def _kind_to_add(self) -> Any:
        return self.kind.options[max(0, self.kind.box.currentIndex())][0]

    def _add_fitting(self) -> None:
        b = self.bench
        kind = self._kind_to_add()
        taken = {f.id for f in b.job.inside.fittings}
        name = next(n for n in (kind, *(f"{kind} {k}" for k in range(2, 99))) if n not in taken)
        r = b.evaluation.results
        face, low, high = floor(r) if kind in ("drain", "balance") else roof(r)
        wish = usual(kind, name, face, *within(low, high, 0.5, 0.5))
        added = put(b.job, r, wish)
        if b.edit({"inside.fittings": [*b.job.inside.fittings, added or wish]}, f"add {name}"):
            b.light(f"fitting:{name}")
            if added is None:
                b.said.emit(
                    "note", f"{name.capitalize()} stands in the middle: there is no free place for it on {face}"
                )

    def _move_to(self, index: int, face: str) -> None:
        """A fitting on another face is put anew: its old figures mean another place there."""
        b = self.bench
        r = b.evaluation.results
        outline = r.shell.by_id[face].outline
        u, v = within(outline.min(axis=0), outline.max(axis=0), 0.5, 0.5)
        moved = b.job.inside.fittings[index].model_copy(update={"face": face, "u_mm": u, "v_mm": v})
        placed = put(b.job, r, moved) or moved
        path = f"inside.fittings.{index}"
        b.edit({f"{path}.face": face, f"{path}.u_mm": placed.u_mm, f"{path}.v_mm": placed.v_mm}, "face of a fitting")

    def _drop(self) -> None:
        b = self.bench
        index = self._index()
        if index is not None:
            kept = [f for i, f in enumerate(b.job.inside.fittings) if i != index]
            b.edit({"inside.fittings": kept}, f"take out {b.job.inside.fittings[index].id}")
            return
        plates = {p.name: p for p in b.evaluation.results.plates}
        plate = plates.get(b.lit.removeprefix("baffle:"))
        if plate is None:
            b.said.emit("note", "Pick a baffle or a fitting first, on the drawing or in the list")
            return
        kept_baffles = [
            x.model_dump()
            for x in b.evaluation.results.baffles
            if not (x.axis == plate.axis and abs(x.at_mm - plate.at_mm) < 0.01)
        ]
        b.edit({"inside.baffles.by_rule": False, "inside.baffles.by_hand": kept_baffles}, "take out a baffle")
