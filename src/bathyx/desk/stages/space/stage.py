"""Space: the hole as the tape said, or as stations; what stands in it; and tanks proposed for it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from bathyx.core.evaluate import Evaluation
from bathyx.core.geometry.shell import Array
from bathyx.core.job import way_in_of
from bathyx.core.propose.pull import Pull, pulled
from bathyx.core.space import MeasuredSpace
from bathyx.core.units import Reading, Said, parse_quantity, show, worded
from bathyx.desk.bench import Bench
from bathyx.desk.stages.space.hand import Placing, ghost, made, moved, parts, pick_up
from bathyx.desk.stages.space.offsets import StationGrid
from bathyx.desk.stages.space.parts import SpaceParts
from bathyx.desk.stages.space.proposals import Proposals
from bathyx.desk.stages.space.things import GROUPS, PATHS, groups_of, with_thing
from bathyx.desk.stages.space.way import Way
from bathyx.desk.stages.stage import Stage
from bathyx.desk.study import KeptStudy, Study
from bathyx.desk.theme import Theme
from bathyx.desk.views.card import Card
from bathyx.desk.views.fields import Field, with_unit, words
from bathyx.desk.views.tile_data import TileData
from bathyx.desk.views.tray import TrayPart
from bathyx.draft.hull_view import VIEWS, hull_view, placed_views
from bathyx.draft.picture import Circle, Label, Picture
from bathyx.draft.proof_view import proof_view
from bathyx.draft.solid_view import Show
from bathyx.draft.space_view import space_view

SHIFTED = ("obstacle", "outside", "opening")


class SpaceStage(Stage):
    """The measured space. The tank and what stands in the space are dragged in the three views."""

    lit_flat, lit_solid = False, False

    draggable = ("obstacle:", "seat:", "grip:", "opening:", "outside:")
    _view = "above"  # the view a thing was last picked in
    _grabbed: tuple[str, float, float, MeasuredSpace] | None = None
    _pulling: tuple[str, float, float, Evaluation] | None = None
    _pull: Pull | None = None

    def __init__(self, bench: Bench, theme: Theme) -> None:
        super().__init__(bench, theme)
        self.study = KeptStudy("propose", bench.home)
        self.study.done.connect(lambda: self.bench.lit_changed.emit())
        self.study.more.connect(lambda: self.bench.lit_changed.emit())
        self.scans = KeptStudy("scan", bench.home)
        self.offers: Proposals | None = None
        self.parts: SpaceParts | None = None
        self.held: Placing | None = None
        self.ways_in = (KeptStudy("way_in", bench.home), KeptStudy("way_in", bench.home))
        self.way: Way | None = None

    def studies(self) -> tuple[Study | KeptStudy, ...]:
        """The search for proposals, and scans that are read."""
        return (self.study, self.scans, *self.ways_in)

    def tile(self) -> TileData:
        """The least spare that is left round the tank."""
        spare = self.bench.evaluation.results.spare
        state, said = self.worst()
        if self.bench.job.space.free:
            return TileData("no hole", said or "it stands free", 1.0, state, spare.explain())
        shown = show(abs(spare.value), "length", self.bench.units)
        if spare.value < -0.05:
            beyond = (
                "too long for it" if self.bench.job.space.plain else f"too near {spare.label.removeprefix('Spare to ')}"
            )
            return TileData(shown, beyond, 1.0, "stop", spare.explain())
        sure = self.bench.evaluation.results.sure_spare_mm
        if sure is not None and spare.value - sure > 0.05 and state != "stop":
            said = f"sure: {show(sure, 'length', self.bench.units)}".replace("-", "−")
        return TileData(shown, said or "to spare", 1.0, state, spare.explain())

    def flat(self) -> Picture:
        """Plan and front of a box, three views of another space, with the proposal that is picked."""
        scan = self.parts.scan.picture() if self.parts is not None else None
        if scan is not None:
            return scan
        clashes = self.way.clashes if self.way is not None else ()
        if self.held is not None:
            return hull_view(self.bench.evaluation, self.bench.units)
        if clashes:
            return proof_view(clashes, self.bench.units)
        picked = self.offers.drawn if self.offers is not None else None
        moving = self.way.drawn if self.way is not None else None
        offered = tuple(part for part in (None if picked is None else picked.outside, moving) if part is not None)
        shown = space_view(self.bench.evaluation, self.bench.units, offered)
        return self._at_the_hand(shown)

    def picked(self, tag: str, share: float = 0.5) -> None:
        """A point of the scan in hand, a thing in whichever view, or anything else."""
        if tag.startswith("spot:") and self.parts is not None:
            self.parts.scan.pick(int(tag.split(":")[1]))
            return
        group, _, rest = tag.partition(":")
        if group in GROUPS and ":" in rest:
            number, self._view = rest.split(":")[:2]
            tag = f"{group}:{number}"
        super().picked(tag, share)

    # -- by hand -----------------------------------------------------------------------------------------------------------

    def tray(self) -> tuple[TrayPart, ...]:
        """What stands in a space, its hatches, what is kept free."""
        return parts(self.bench.job)

    @property
    def holding(self) -> str:
        """Key of the part that hangs at the pointer."""
        return self.held.key if self.held is not None else ""

    def pick_up(self, key: str) -> None:
        """Into the hand; the same part again puts it back."""
        if self.holding == key:
            self.give_up()
            return
        self._hold(pick_up(self.bench.evaluation, self.bench.units, key))
        self.bench.lit_changed.emit()
        self.bench.said.emit(
            "note", "Click in one of the views, or Enter, puts it down; arrows move it; Escape puts it back"
        )

    def _hold(self, held: Placing | None) -> None:
        self.held = held
        self.over = Picture(()) if held is None else ghost(self.bench.evaluation, held, self.bench.units)

    def hang(self, x: float, y: float) -> None:
        """Follow the pointer."""
        if self.held is not None:
            self._hold(moved(self.bench.evaluation, self.held, x, y))

    def give_up(self) -> None:
        """Put it back."""
        if self.held is not None:
            self._hold(None)
            self.bench.lit_changed.emit()

    def drop(self) -> None:
        """Put it down: one edit, and it is selected."""
        held, b = self.held, self.bench
        if held is None:
            return
        self._hold(None)
        group, row = made(b.evaluation, held)
        if b.edit(with_thing(b.job, group, row), f"put in {row['name']}"):
            b.light(f"{group}:{len(groups_of(b.job)[group]) - 1}")
        else:
            b.lit_changed.emit()

    def nudge(self, dx: float, dy: float) -> None:
        """By the arrows: what hangs, or the thing that is selected, in the view it was picked in."""
        if self.held is not None:
            spot = self.held.placed.flat(np.array(self.held.at)[None])[0]
            self._hold(moved(self.bench.evaluation, self.held, float(spot[0]) + dx, float(spot[1]) + dy))
            return
        group, _, number = self.bench.lit.partition(":")
        if group in SHIFTED and number.isdigit():
            self._shift(group, int(number), VIEWS[self._view].shift(dx, dy), f"nudge {self.bench.lit}")

    def _shift(self, group: str, k: int, step: Array, merge: str, space: MeasuredSpace | None = None) -> None:
        """A thing or a hatch moved by (3,) mm from where it stands, or stood in `space`."""
        job = self.bench.job if space is None else self.bench.job.model_copy(update={"space": space})
        things = groups_of(job)[group]
        if k >= len(things):
            return
        thing = things[k]
        if group == "opening":
            a, b = thing.others
            corners = [[c[0] + float(step[a]), c[1] + float(step[b])] for c in thing.corners]
            row = thing.model_dump(mode="json") | {"corners": corners, "at_mm": thing.at_mm + float(step[thing.index])}
        else:
            row = thing.moved(step).model_dump(mode="json")
        self.bench.edit({f"{PATHS[group]}.{k}": row}, f"move {thing.name}", merge)

    def asked(self, what: str) -> None:
        """Take out or copy the thing that is selected."""
        if self.parts is not None and what in ("out", "copy"):
            (self.parts.things.drop if what == "out" else self.parts.things.copy)()

    def _cell(self, grid: StationGrid, row: int, column: int) -> None:
        """The place of a cell of the offsets, ringed in all views."""
        spots = grid.place_of(row, column)
        if spots is None or self.held is not None:
            self.over = Picture(())
        else:
            e = self.bench.evaluation
            reach = 0.012 * float(np.ptp(np.stack(e.job.space.cavity.bounds), axis=0).max())
            self.over = Picture(
                tuple(
                    Circle(spot, reach, "accent", None, 2.4)
                    for view in placed_views(e, self.bench.units)
                    for spot in view.flat(spots)
                )
            )
        self.bench.lit_changed.emit()

    def _at_the_hand(self, shown: Picture) -> Picture:
        """Litres won or lost, and what stops it, beside the face that is dragged."""
        if self._pulling is None or self._pull is None:
            return shown
        grip = next((i for i in shown.items if isinstance(i, Circle) and i.tag == self._pulling[0]), None)
        if grip is None:
            return shown
        units, pull = self.bench.units, self._pull
        said = f"{'+' if pull.litres >= 0 else '−'}{show(abs(pull.litres), 'volume', units)}"
        items = [Label(grip.centre, said, 15, "ink", bold=True, shift=(0, 22), badge="paper")]
        if pull.stopped_by:
            items.append(
                Label(
                    grip.centre,
                    f"stops at {worded(Said(pull.stopped_by), units)}",
                    11,
                    "stop",
                    bold=True,
                    shift=(0, 40),
                    badge="paper",
                )
            )
        return Picture((*shown.items, *items))

    def dragged(self, tag: str, x: float, y: float, finished: bool) -> None:
        """Move the tank or a thing by whole millimetres, along the two axes of the view it is dragged in; or a face of the tank."""
        b = self.bench
        if tag.startswith("grip:"):
            self._drag_face(tag, x, y, finished)
            return
        if self._grabbed is None or self._grabbed[0] != tag:
            self._grabbed = (tag, x, y, b.job.space)
        _, x0, y0, space = self._grabbed
        kind, *name, view = tag.split(":")
        step = VIEWS[view].shift(round(x - x0), round(y - y0))
        if kind == "seat":
            spot = space.seated() + step
            seat = dict(zip(("x_mm", "y_mm", "z_mm"), (round(float(v), 3) for v in spot), strict=True))
            b.edit({"space.seat": seat}, "move the tank", "drag the tank")
        else:
            self._shift(kind, int(name[0]), step, f"drag {kind} {name[0]}", space)
        if finished:
            self._grabbed = None
            b.let_go()

    def _drag_face(self, tag: str, x: float, y: float, finished: bool) -> None:
        """A face goes with the pointer as far as the space lets it."""
        b = self.bench
        if self._pulling is None or self._pulling[0] != tag:
            self._pulling, self._pull = (tag, x, y, b.evaluation), None
        _, x0, y0, start = self._pulling
        _, view, name = tag.split(":", 2)
        way = next((g.way for g in start.job.tank.grips(start.results.shell) if g.name == name), None)
        if way is None:
            return
        by = float(round(float(VIEWS[view].shift(x - x0, y - y0) @ way)))
        self._pull = pulled(start, name, by, self._pull)
        b.edit(self._pull.changes, f"drag the {name}", f"drag the {name}")
        if finished:
            self._pulling = self._pull = None
            b.let_go()
            b.lit_changed.emit()

    def show(self) -> Show:
        """The tank in its space."""
        moving = self.way.drawn if self.way is not None else None
        return replace(super().show(), room=True, sizes=False, moving=moving)

    def read_dimension(self, path: str, text: str) -> object:
        """Readings keep what was typed; a station's place is a number."""
        if path.startswith("space.stations"):
            return parse_quantity(text, "length", self.bench.units)
        return Reading.of(with_unit(text, self.bench.units)).model_dump()

    def _measured(self) -> str:
        """What the space is, for the head of its drawer."""
        space, units = self.bench.job.space, self.bench.units
        if space.free:
            return "no hole"
        room = (show(v, "length", units) for v in np.ptp(np.stack(space.cavity.bounds), axis=0))
        return " × ".join(room)

    def _goes(self) -> str:
        """What is known of the way in, for the head of its drawer."""
        way = self.bench.job.space.way_in
        if way is None:
            return "no hatch"
        found = self.way.found.way if self.way is not None and self.way.found is not None else None
        kept = way.promise
        if found is None and kept is not None and kept.of == way_in_of(self.bench.job):
            return {"goes_in": f"promised, {show(kept.tightest_mm, 'length', self.bench.units, places=1)}"}.get(
                kept.verdict, "no"
            )
        if found is None:
            return "not looked at"
        tight = show(found.tightest_mm, "length", self.bench.units, places=1)
        return {"goes_in": f"yes, {tight}", "cannot": "no"}.get(found.verdict, "not found")

    def make_card(self) -> Card:
        """Readings or stations, what stands there, room to keep, proposals."""
        b = self.bench
        card = Card(b)
        card.head("The space, as measured", self._measured)
        card.add(words("Front, left and right are the machine's own: stand behind it and look forward.", "quiet"))
        self.parts = SpaceParts(b, self.scans, self._cell)
        card.add(self.parts)
        tanks = card.head("Tanks for this space")
        self.offers = Proposals(b, self.study)
        card.add(self.offers)
        goes = card.head("Does it go in?", self._goes)
        self.way = Way(b, *self.ways_in)
        card.add(self.way)
        keep = card.head("Room to keep")
        card.add(words("For straps, beads, hoses, a hand and a spanner.", "quiet"))
        for side in ("left", "right", "front", "rear", "below", "above"):
            card.add(Field(b, side.capitalize(), f"space.clearance.{side}_mm", "length"))

        def only_of_a_hole() -> None:
            for part in (tanks, goes, keep):
                part.setVisible(not b.job.space.free)

        card.on_refresh(only_of_a_hole)
        return card.finish()
