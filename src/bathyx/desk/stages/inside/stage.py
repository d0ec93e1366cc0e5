"""Inside: baffles by rule or by hand, and the fittings, each dragged or typed to its place."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QListWidget

from bathyx.core.findings.placing import free_name, named, put, settled, within
from bathyx.core.inside.baffles import AXIS_INDEX, Baffle, Plate, bay_limit_mm
from bathyx.core.inside.fittings import Fitting, usual
from bathyx.core.inside.kinds import DUTIES
from bathyx.core.inside.kinds import kind as kind_of
from bathyx.core.material import fitting_metals
from bathyx.core.units import parse_quantity, show
from bathyx.desk.bench import Bench
from bathyx.desk.one_press import OnePress, fit_out
from bathyx.desk.stages.inside.hand import PATCHES, Held, ghost, moved, parts, pick_up, snap_of, stops_of, typed_place
from bathyx.desk.stages.inside.laid_on import KINDS, LaidOn
from bathyx.desk.stages.stage import Stage
from bathyx.desk.study import KeptStudy, Study
from bathyx.desk.theme import Theme
from bathyx.desk.views.card import Card
from bathyx.desk.views.fields import Choice, Field, Tick, button, whole_rows, words
from bathyx.desk.views.tile_data import TileData
from bathyx.desk.views.tray import TrayPart
from bathyx.draft.face_view import Sight, face_view, place_dims
from bathyx.draft.picture import Picture
from bathyx.draft.tank_views import plan_view
from bathyx.errors import Refusal

SNAP_MM, MOST_ROWS, LEVEL = 4.0, 6, 0.3  # LEVEL: what looks up or down more than this is seen from above


class InsideStage(Stage):
    """Baffles and fittings."""

    lit_flat, lit_solid = True, False

    draggable = ("baffle:", "fitting:", *KINDS)

    def __init__(self, bench: Bench, theme: Theme) -> None:
        super().__init__(bench, theme)
        self.fitting_out = OnePress(bench, "fit it out", fit_out)
        self.looking = ""  # at a face straight on, or from above
        self.held: Held | None = None
        self.laid = LaidOn(bench)

    def studies(self) -> tuple[Study | KeptStudy, ...]:
        """What looks for places."""
        return (self.fitting_out.study,)

    @property
    def sight(self) -> Sight:
        """How the flat drawing looks at the tank."""
        return Sight(self.looking if self.looking in self.bench.evaluation.results.shell.by_id else "")

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
        """From above, or a face straight on; what is selected shows its distances."""
        e, units, lit = self.bench.evaluation, self.bench.units, self.bench.lit
        if self.sight.face:
            return face_view(e, units, self.sight.face, lit)
        picture = plan_view(e, units)
        fitting = self._fitting(lit.removeprefix("fitting:")) if lit.startswith("fitting:") else None
        spot = None if fitting is None else self.sight.spot(e.results.shell, fitting)
        if fitting is None or spot is None or not self._seen(fitting):
            return picture
        border = self.sight.border(e.results.shell, fitting.face)
        return Picture((*picture.items, *place_dims(border, spot, units, f"place.{fitting.id}")))

    def _seen(self, fitting: Fitting) -> bool:
        """Whether a fitting's place can be set in the drawing: on its face, or from above on what looks up or down."""
        if self.sight.face:
            return fitting.face == self.sight.face
        return self._level(fitting)

    def _level(self, fitting: Fitting) -> bool:
        """Whether it sits on what looks up or down."""
        face = self.bench.evaluation.results.shell.by_id.get(fitting.face)
        return face is not None and abs(float(face.normal_at(face.place(fitting.u_mm, fitting.v_mm))[2])) >= LEVEL

    def _fitting(self, name: str) -> Fitting | None:
        return next((f for f in self.bench.job.inside.fittings if f.id == name), None)

    def look(self, face: str) -> None:
        """Turn the flat drawing: from above, or to a face."""
        self.looking = face
        self.held = None
        self.over = Picture(())
        self.bench.lit_changed.emit()

    def picked_round(self, tag: str, share: float = 0.5) -> None:
        """A face picked in the solid drawing is looked at; a fitting that is not seen turns the drawing to its face."""
        kind, _, name = tag.partition(":")
        if self.held is not None and self.held.face and self.held.key != "sump" and kind == "face":
            self._hand_to(name)
            return
        if kind == "face" and name in self.bench.evaluation.results.shell.by_id:
            face = self.bench.evaluation.results.shell.by_id[name]
            self.looking = name if abs(float(face.normal[2])) < LEVEL or face.role != "roof" else ""
        fitting = self._fitting(name) if kind == "fitting" else None
        if fitting is not None and not self._seen(fitting):
            self.looking = "" if self._level(fitting) else fitting.face
        self.picked(tag, share)

    def _hand_to(self, name: str) -> None:
        """What hangs goes to the face that is clicked in the solid drawing."""
        held, e = self.held, self.bench.evaluation
        face = e.results.shell.by_id.get(name)
        if held is None or face is None:
            return
        above = face.kind == "plane" and float(face.normal[2]) > LEVEL
        try:
            taken = pick_up(e, Sight("" if above else name), held.key, held.copy_of, anywhere=True)
        except Refusal as error:
            self.bench.said.emit("trouble", str(error))
            return
        self.looking = taken.sight.face
        self._hold(taken)
        self.bench.lit_changed.emit()

    # -- by hand -----------------------------------------------------------------------------------------------------------

    def tray(self) -> tuple[TrayPart, ...]:
        """Fittings and baffles, to scale."""
        return parts()

    @property
    def holding(self) -> str:
        """Key of the part that hangs at the pointer."""
        return self.held.key if self.held is not None else ""

    def pick_up(self, key: str, copy_of: Fitting | None = None) -> None:
        """Into the hand, where it would lie if it were put down at once; the same part again puts it back."""
        if self.holding == key and copy_of is None:
            self.give_up()
            return
        try:
            held = pick_up(self.bench.evaluation, self.sight, key, copy_of)
        except Refusal as error:
            self.bench.said.emit("trouble", str(error))
            return
        if held.sight != self.sight:
            self.look(held.sight.face)
        self._hold(held)
        self.bench.said.emit(
            "note", "Click, or Enter, puts it down; arrows move it; type a distance; Escape puts it back"
        )

    def _hold(self, held: Held | None) -> None:
        self.held = held
        self.over = Picture(()) if held is None else ghost(self.bench.evaluation, held, self.bench.units)

    def hang(self, x: float, y: float) -> None:
        """Follow the pointer, drawn to what it nearly lies in line with."""
        if self.held is not None:
            self._hold(moved(self.bench.evaluation, self.held, (x, y)))

    def give_up(self) -> None:
        """Put it back."""
        self._hold(None)

    def drop(self) -> None:
        """Put it down: one edit, and it is selected."""
        held, b = self.held, self.bench
        if held is None:
            return
        self._hold(None)
        if held.key in ("strap", *PATCHES):
            self.laid.drop(held)
            return
        if held.fitting is None:
            rows = [
                *(x.model_dump() for x in b.evaluation.results.baffles),
                {"axis": held.axis, "at_mm": held.at[AXIS_INDEX[held.axis]]},
            ]
            b.edit({"inside.baffles.by_rule": False, "inside.baffles.by_hand": rows}, "put in a baffle")
            return
        fitting = held.fitting.fitting
        if b.edit({"inside.fittings": [*b.job.inside.fittings, fitting]}, f"put in {fitting.id}"):
            b.light(f"fitting:{fitting.id}")

    def nudge(self, dx: float, dy: float) -> None:
        """By the arrows: what hangs, or what is selected, exactly by so much."""
        if self.held is not None:
            x, y = self.held.at
            self._hold(moved(self.bench.evaluation, self.held, (x + dx, y + dy), exact=True))
            return
        if self.laid.of(self.bench.lit):
            self.laid.move(self.bench.lit, dx, dy, self.sight, f"nudge {self.bench.lit}")
            return
        kind, _, name = self.bench.lit.partition(":")
        fitting = self._fitting(name) if kind == "fitting" else None
        if fitting is not None and self._seen(fitting):
            spot = self.sight.spot(self.bench.evaluation.results.shell, fitting)
            assert spot is not None
            self._place(fitting, (float(spot[0]) + dx, float(spot[1]) + dy), f"nudge {name}")
        plate = next((p for p in self.bench.evaluation.results.plates if kind == "baffle" and p.name == name), None)
        if plate is not None:
            self._put(
                plate.axis, self._nth(plate), plate.at_mm + (dx if plate.axis == "x" else dy), f"nudge baffle {name}"
            )

    def _place(self, fitting: Fitting, at: tuple[float, float], merge: str) -> str:
        """A fitting at (x, y) of the drawing; why not, where it cannot be."""
        shell = self.bench.evaluation.results.shell
        face = shell.by_id[fitting.face]
        if self.sight.face:
            u, v = at[0] * self.sight.way(face), at[1]
        else:
            looks_up = float(face.normal_at(face.place(fitting.u_mm, fitting.v_mm))[2])
            try:
                u, v = face.over(*at, below=looks_up < 0)
            except Refusal as error:
                return str(error)
        index = [f.id for f in self.bench.job.inside.fittings].index(fitting.id)
        path = f"inside.fittings.{index}"
        return self.bench.try_edit(
            {f"{path}.u_mm": round(u, 2), f"{path}.v_mm": round(v, 2)}, f"move {fitting.id}", merge
        )

    def asked(self, what: str) -> None:
        """Take out, copy or mirror what is selected."""
        if what == "out":
            self._drop()
            return
        kind, _, name = self.bench.lit.partition(":")
        if self.laid.of(self.bench.lit):
            if what == "copy":
                self.pick_up(kind)
            else:
                self.laid.mirror(self.bench.lit)
            return
        fitting = self._fitting(name) if kind == "fitting" else None
        if fitting is None:
            self.bench.said.emit("note", "Pick a fitting first, on the drawing or in the list")
        elif what == "copy":
            self.pick_up(fitting.kind, fitting)
        else:
            self._mirror(fitting)

    def _mirror(self, fitting: Fitting) -> None:
        """A second one as far from the other side of its face."""
        face = self.bench.evaluation.results.shell.by_id.get(fitting.face)
        if face is None:
            return
        low, high = face.outline.min(axis=0), face.outline.max(axis=0)
        upright = face.kind == "plane" and abs(float(face.normal[2])) < LEVEL
        way = "u_mm" if upright else "v_mm"
        middle = float(low[0] + high[0]) if upright else float(low[1] + high[1])
        spot = middle - getattr(fitting, way)
        if abs(spot - getattr(fitting, way)) < 2 * fitting.rim_mm:
            self.bench.said.emit(
                "note", f"{fitting.id} stands so near to the middle that its mirror image would lie on it"
            )
            return
        made = fitting.model_copy(update={way: round(spot, 2), "id": free_name(self.bench.job, fitting.kind)})
        if self.bench.edit({"inside.fittings": [*self.bench.job.inside.fittings, made]}, f"mirror {fitting.id}"):
            self.bench.light(f"fitting:{made.id}")

    def typed(self, tag: str, text: str) -> str:
        """A bay's length typed moves the baffle at its end; a distance moves what hangs or is selected."""
        path = tag.removeprefix("edit:")
        e, units = self.bench.evaluation, self.bench.units
        try:
            if path.startswith("hang.") and self.held is not None:
                return self._typed_hang(path.removeprefix("hang."), text)
            if path.startswith("place."):
                name, _, side = path.removeprefix("place.").rpartition(".")
                fitting = self._fitting(name)
                spot = None if fitting is None else self.sight.spot(e.results.shell, fitting)
                if fitting is None or spot is None:
                    return f"{name} is not in this drawing any more"
                return self._place(fitting, typed_place(e, self.sight, fitting.face, spot, side, text, units), "")
            if not path.startswith("baffle."):
                return super().typed(tag, text)
            _, axis, bay = path.split(".")
            length = parse_quantity(text, "length", units)
        except Refusal as error:
            return str(error)
        spans = [b for b in e.results.bays if b.axis == axis]
        return self._put(axis, int(bay), spans[int(bay)].start_mm + length, "")

    def _typed_hang(self, side: str, text: str) -> str:
        e, held = self.bench.evaluation, self.held
        assert held is not None
        if held.face:
            at = typed_place(e, self.sight, held.face, np.array(held.at), side, text, self.bench.units)
        else:
            k, stops = AXIS_INDEX[held.axis], stops_of(e, held)
            long = parse_quantity(text, "length", self.bench.units)
            below = max((s for s in stops if s < held.at[k]), default=stops[0])
            above = min((s for s in stops if s > held.at[k]), default=stops[-1])
            spot = below + long if side in ("left", "below") else above - long
            at = (spot, held.at[1]) if k == 0 else (held.at[0], spot)
        self._hold(moved(e, held, at, exact=True))
        return ""

    def dragged(self, tag: str, x: float, y: float, finished: bool) -> None:
        """Move a baffle or fitting; near a sensible place it snaps there."""
        kind, _, name = tag.partition(":")
        if self.laid.of(tag):
            self.laid.drag(tag, x, y, self.sight)
        elif kind == "baffle":
            self._drag_baffle(name, x, y)
        else:
            self._drag_fitting(name, x, y)
        if finished:
            self.bench.let_go()

    def _nth(self, plate: Plate) -> int:
        same = [b.at_mm for b in self.bench.evaluation.results.baffles if b.axis == plate.axis]
        return int(np.argmin([abs(at - plate.at_mm) for at in same]))

    def _drag_baffle(self, name: str, x: float, y: float) -> None:
        plate = next((p for p in self.bench.evaluation.results.plates if p.name == name), None)
        if plate is not None:
            index = self._nth(plate)
            spot = self._snap_baffle(plate.axis, index, x if plate.axis == "x" else y)
            self._put(plate.axis, index, spot, f"drag baffle {name}")

    def _drag_fitting(self, name: str, x: float, y: float) -> None:
        fitting, e = self._fitting(name), self.bench.evaluation
        if fitting is None or not self._seen(fitting):
            return
        face = e.results.shell.by_id[fitting.face]
        looks_down = float(face.normal_at(face.place(fitting.u_mm, fitting.v_mm))[2]) < 0
        where = self.sight.held(e.results.shell, np.array([x, y]), floor=looks_down)
        if where is None:
            return
        wish = fitting.model_copy(update={"face": where[0], "u_mm": where[1], "v_mm": where[2]})
        found = settled(self.bench.job, e.results, wish, snap_of(e), fitting.id).fitting
        path = f"inside.fittings.{[f.id for f in self.bench.job.inside.fittings].index(name)}"
        spot = {f"{path}.{part}": getattr(found, part) for part in ("face", "u_mm", "v_mm")}
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
        """What is selected, fittings, baffles."""
        b = self.bench
        card = Card(b)
        self.chosen_head = card.add(words("", "head"))
        self.fields: dict[str, Field] = {}
        self.size = card.add(Choice(b, "Size", "fitting size", []))
        for label, name, kind in (
            ("Hole", "hole_mm", "length"),
            ("Ring outside", "ring_od_mm", "length"),
            ("Ring thick", "ring_mm", "length"),
            ("Stands out", "stands_mm", "length"),
            ("From front or left", "u_mm", "length"),
            ("From left or below", "v_mm", "length"),
            ("Inlet above floor", "floor_clear_mm", "length"),
            ("Float arm", "swing_mm", "length"),
            ("Thread", "thread", "text"),
        ):
            field = Field(b, label, f"inside.fittings.-.{name}", kind)
            self.fields[name] = card.add(field)
        self.laid.make(card)
        self.duty = card.add(Choice(b, "What for", "fitting duty", []))
        self.face = card.add(Choice(b, "On", "fitting face", []))
        self.metal = card.add(
            Choice(b, "Made of", "fitting metal", [(m.key, m.name) for m in fitting_metals().values()])
        )
        self.hands = card.row(
            button("Copy", "copy fitting", lambda: self._by_button("copy")),
            button("Mirror", "mirror fitting", lambda: self._by_button("mirror")),
            button("Take out", "drop fitting", self._drop),
        )

        self.view = card.add(Choice(b, "Looking", "looking at", [], take=self.look, read=lambda: self.sight.face))
        card.head("Fittings", lambda: str(len(b.job.inside.fittings)))
        self.list = QListWidget()
        self.list.setObjectName("fittings")
        self.list.setAccessibleName("Fittings")
        self.list.currentRowChanged.connect(self._chose)
        card.add(self.list)
        card.add(button("Fit it out", "fit out", self.fitting_out.begin, "main"))
        card.add(words("Pick a part up in the tray at the left, and put it down on the drawing.", "quiet"))
        card.head("Baffles", lambda: str(len(b.evaluation.results.baffles)))
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

    def _by_button(self, what: str) -> None:
        """As the keys on the drawing do; what hangs then has the drawing's attention."""
        self.asked(what)
        self.bench.lit_changed.emit()

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
            hole = f", ø{show(f.hole_mm, 'length', b.units)}" if f.hole_mm else ""
            self.list.addItem(f"{named(f).capitalize()}{hole} on {f.face}")
        index = self._index()
        whole_rows(self.list, MOST_ROWS)
        self.list.setCurrentRow(index if index is not None else -1)
        self.list.blockSignals(False)
        self.view.offer([("", "from above"), *((f.id, f"at {f.id}") for f in r.shell.faces)])
        chosen = b.job.inside.fittings[index] if index is not None else None
        shown = self._fields_of(chosen) if chosen is not None else set()
        for name, field in self.fields.items():
            field.setVisible(name in shown)
            field.path = f"inside.fittings.{index}.{name}"
            field.edit.setObjectName(f"fitting {name}")
        title = self.laid.refresh()
        self.chosen_head.setText(named(chosen).capitalize() if chosen is not None else title)
        for part in (self.face, self.metal):
            part.setVisible(chosen is not None)
        for part in (self.chosen_head, self.hands):
            part.setVisible(chosen is not None or bool(title))
        self.duty.setVisible(chosen is not None and chosen.hole_mm > 0)
        self.size.setVisible(chosen is not None and bool(kind_of(chosen.kind).sizes))
        if chosen is not None and index is not None:
            self._offer_choices(index, chosen)

    def _fields_of(self, chosen: Fitting) -> set[str]:
        """Fields that mean something for a fitting."""
        shown = {"ring_od_mm", "ring_mm", "u_mm", "v_mm"}
        if chosen.hole_mm:
            shown |= {"hole_mm"}
        if kind_of(chosen.kind).stands_mm:
            shown |= {"stands_mm"}
        if chosen.does == "sender":
            shown |= {"swing_mm"}
        if chosen.does == "pickup":
            shown |= {"floor_clear_mm"}
        if kind_of(chosen.kind).group in ("threads", "mounts") and not kind_of(chosen.kind).sizes:
            shown |= {"thread"}
        return shown

    def _offer_choices(self, index: int, chosen: Fitting) -> None:
        b, path = self.bench, f"inside.fittings.{index}"
        self.face.offer([(f.id, f.id) for f in b.evaluation.results.shell.faces])
        self.face.take = lambda v: self._move_to(index, v)
        self.face.read = lambda: chosen.face
        self.metal.take = lambda v: b.edit({f"{path}.metal": v}, "metal of a fitting")
        self.metal.read = lambda: chosen.metal
        usual_duty = DUTIES[kind_of(chosen.kind).does]
        self.duty.offer([("", f"as usual: {usual_duty}"), *((key, word) for key, word in DUTIES.items() if key)])
        self.duty.take = lambda v: b.edit({f"{path}.duty": v}, "use of a fitting")
        self.duty.read = lambda: chosen.duty
        made = kind_of(chosen.kind)
        if made.sizes:
            self.size.offer([(size.name, size.name) for size in made.sizes])
            self.size.take = lambda v: b.edit(self._sized(index, chosen, v), "size of a fitting")
            self.size.read = lambda: chosen.thread

    def _sized(self, index: int, chosen: Fitting, name: str) -> dict[str, object]:
        """What another size of its kind changes."""
        made = usual(chosen.kind, chosen.id, chosen.face, chosen.u_mm, chosen.v_mm, name)
        return {
            f"inside.fittings.{index}.{part}": getattr(made, part)
            for part in ("hole_mm", "ring_mm", "ring_od_mm", "thread")
        }

    def _index(self) -> int | None:
        name = self.bench.lit.removeprefix("fitting:") if self.bench.lit.startswith("fitting:") else None
        return next((i for i, f in enumerate(self.bench.job.inside.fittings) if f.id == name), None)

    def _chose(self, row: int) -> None:
        if 0 <= row < len(self.bench.job.inside.fittings):
            self.picked_round(f"fitting:{self.bench.job.inside.fittings[row].id}")

    def _add_baffle(self, axis: str) -> None:
        r = self.bench.evaluation.results
        bay = max((b for b in r.bays if b.axis == axis), key=lambda b: b.length_mm)
        added = {"axis": axis, "at_mm": (bay.start_mm + bay.end_mm) / 2}
        self.bench.edit(
            {"inside.baffles.by_rule": False, "inside.baffles.by_hand": [*(x.model_dump() for x in r.baffles), added]},
            "add a baffle",
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
        self.looking = "" if self._level(placed) else face
        b.edit({f"{path}.face": face, f"{path}.u_mm": placed.u_mm, f"{path}.v_mm": placed.v_mm}, "face of a fitting")

    def _drop(self) -> None:
        b = self.bench
        if self.laid.take_out(b.lit):
            return
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
