"""Tank: its shape and sheet, what it holds and weighs, and what a millimetre is worth."""

from __future__ import annotations

from bathyx.core.material import materials, sheet
from bathyx.core.tank.fit import fill_room
from bathyx.core.units import show
from bathyx.desk.stages.shape import Shape
from bathyx.desk.stages.stage import Stage
from bathyx.desk.views.bench_line import TileData
from bathyx.desk.views.fields import Card, Choice, FigureLine, button, words
from bathyx.draft.picture import Circle, Picture
from bathyx.draft.tank_views import tank_view
from bathyx.errors import Refusal


class TankStage(Stage):
    """Shape and sheet."""

    draggable = ("corner:", "between:")
    _grabbed: tuple[str, float, float] | None = None

    def tile(self) -> TileData:
        """Usable capacity, and how the brief stands."""
        r = self.bench.evaluation.results
        usable, wanted = r.capacity.usable.value, r.wanted.value
        state, said = self.worst()
        spare = usable - wanted
        shown, short = (show(v, "volume", self.bench.units) for v in (usable, abs(spare)))
        said = said or (f"+{short} spare" if spare >= 0 else f"−{short} short")
        return TileData(shown, said, min(1.0, usable / wanted), state, r.capacity.usable.explain())

    def flat(self) -> Picture:
        """Side and end."""
        return tank_view(self.bench.evaluation, self.bench.units)

    def dragged(self, tag: str, x: float, y: float, finished: bool) -> None:
        """Drag a corner of an outline, or draw a new one out of a side."""
        b = self.bench
        if self._grabbed is None or self._grabbed[0] != tag:
            ring = next((i for i in self.flat().items if getattr(i, "tag", "") == tag), None)
            place = next((p for name, p in b.job.tank.handles() if name == tag), None)
            if not isinstance(ring, Circle) or place is None:
                return
            # Where the side view stands in the picture when it is grabbed; it may shift as the tank grows.
            self._grabbed = (tag, float(ring.centre[0] - place[0]), float(ring.centre[1] - place[2]))
        if finished:
            _, dx, dy = self._grabbed
            self._grabbed = None
            changes = b.job.tank.with_handle(tag, x - dx, y - dy)
            b.edit({f"tank.{path}": value for path, value in changes.items()}, "drag a corner")

    def make_card(self) -> Card:
        """Figures first, then shape and sheet."""
        b = self.bench
        card = Card(b)
        card.add(FigureLine(b, lambda: b.evaluation.results.capacity.usable, large=True))
        card.add(FigureLine(b, lambda: b.evaluation.results.capacity.usable_tilted))
        card.add(FigureLine(b, lambda: b.evaluation.results.capacity.net))
        card.add(FigureLine(b, lambda: b.evaluation.results.capacity.gross))
        card.add(FigureLine(b, lambda: b.evaluation.results.weight.dry))
        card.add(FigureLine(b, lambda: b.evaluation.results.weight.full))
        card.add(FigureLine(b, lambda: b.evaluation.results.weight.height))
        card.add(button("Fill the space", "fill the space", self.fill, "main"))
        card.add(Shape(b))
        card.head("Sheet")
        card.add(
            Choice(
                b,
                "Material",
                "material",
                [(m.key, m.name) for m in materials().values()],
                take=self._take_material,
                read=lambda: b.job.tank.sheet.split("/")[0],
            )
        )
        self.thickness = Choice(b, "Thickness", "tank.sheet", [])
        card.add(self.thickness)
        self.source = card.add(words("", "quiet"))

        def also() -> None:
            chosen = sheet(b.job.tank.sheet)
            self.thickness.offer([(f"{chosen.material.key}/{t:g}", f"{t:g} mm") for t in chosen.material.thicknesses])
            self.source.setText(
                f"Yield {chosen.material.yield_delivered:.0f} MPa, {chosen.material.yield_weld:.0f} MPa at the "
                f"weld. {chosen.material.source}"
            )

        card.on_refresh(also, first=True)
        return card.finish()

    def fill(self) -> None:
        """The largest such tank for the space."""
        b = self.bench
        try:
            tank = fill_room(b.job.tank, b.evaluation.results.room, b.evaluation.results.sheet.thickness_mm)
        except Refusal as error:
            b.said.emit("trouble", f"Fill the space: {error}")
            return
        b.edit({f"tank.{s.path}": getattr(tank, s.path) for s in tank.main_sizes()}, "fill the space")

    def _take_material(self, key: str) -> None:
        now = sheet(self.bench.job.tank.sheet).thickness_mm
        near = min(materials()[key].thicknesses, key=lambda t: abs(t - now))
        self.bench.edit({"tank.sheet": f"{key}/{near:g}"}, "material")
