"""Space: the hole as the tape said, or as stations; what stands in it; and tanks proposed for it."""

from __future__ import annotations

from dataclasses import replace

from bathyx.core.evaluate import Evaluation
from bathyx.core.propose.pull import Pull, pulled
from bathyx.core.space import MeasuredSpace
from bathyx.core.units import Reading, Said, parse_quantity, show, worded
from bathyx.desk.bench import Bench
from bathyx.desk.stages.space_parts import SpaceParts
from bathyx.desk.stages.space_proposals import Proposals
from bathyx.desk.stages.space_way import Way
from bathyx.desk.stages.stage import Stage
from bathyx.desk.study import KeptStudy, Study
from bathyx.desk.theme import Theme
from bathyx.desk.views.bench_line import TileData
from bathyx.desk.views.fields import Card, Field, with_unit, words
from bathyx.draft.hull_view import VIEWS
from bathyx.draft.picture import Circle, Label, Picture
from bathyx.draft.proof_view import proof_view
from bathyx.draft.solid_view import Show
from bathyx.draft.space_view import space_view


class SpaceStage(Stage):
    """The measured space. The tank and what stands in the space are dragged in the three views."""

    draggable = ("obstacle:", "seat:", "grip:")
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
        if clashes:
            return proof_view(clashes, self.bench.units)
        picked = self.offers.drawn if self.offers is not None else None
        moving = self.way.drawn if self.way is not None else None
        offered = tuple(part for part in (None if picked is None else picked.outside, moving) if part is not None)
        shown = space_view(self.bench.evaluation, self.bench.units, offered)
        return self._at_the_hand(shown)

    def picked(self, tag: str, share: float = 0.5) -> None:
        """A point of the scan in hand, or anything else."""
        if tag.startswith("spot:") and self.parts is not None:
            self.parts.scan.pick(int(tag.split(":")[1]))
            return
        super().picked(tag, share)

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
        elif int(name[0]) < len(space.obstacles):
            moved = space.obstacles[int(name[0])].moved(step).model_dump(mode="json")
            b.edit({f"space.obstacles.{name[0]}": moved}, f"move {moved['name']}", f"drag obstacle {name[0]}")
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

    def make_card(self) -> Card:
        """Readings or stations, what stands there, room to keep, proposals."""
        b = self.bench
        card = Card(b)
        card.head("The space, as measured")
        card.add(words("Front, left and right are the machine's own: stand behind it and look forward.", "quiet"))
        self.parts = SpaceParts(b, self.scans)
        card.add(self.parts)
        first = card.column.count()
        card.head("Tanks for this space")
        self.offers = Proposals(b, self.study)
        card.add(self.offers)
        card.head("Does it go in?")
        self.way = Way(b, *self.ways_in)
        card.add(self.way)
        card.head("Room to keep")
        card.add(words("For straps, beads, hoses, a hand and a spanner.", "quiet"))
        for side in ("left", "right", "front", "rear", "below", "above"):
            card.add(Field(b, side.capitalize(), f"space.clearance.{side}_mm", "length"))
        of_a_hole = [item.widget() for k in range(first, card.column.count()) if (item := card.column.itemAt(k))]

        def only_of_a_hole() -> None:
            for part in of_a_hole:
                if part is not None:
                    part.setVisible(not b.job.space.free)

        card.on_refresh(only_of_a_hole)
        return card.finish()
