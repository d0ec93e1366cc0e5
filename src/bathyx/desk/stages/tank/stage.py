"""Tank: its shape and sheet, what it holds and weighs, and what a millimetre is worth."""

from __future__ import annotations

from bathyx.core.brief import Brief
from bathyx.core.job import Job
from bathyx.core.making.laminate import Laminate
from bathyx.core.material import materials, sheet
from bathyx.core.tank.attitude import Working
from bathyx.core.tank.fit import fill_room
from bathyx.core.units import show
from bathyx.desk.bench import Bench
from bathyx.desk.stages.stage import Stage
from bathyx.desk.stages.tank.layup import LayUpCard
from bathyx.desk.stages.tank.second import Second
from bathyx.desk.stages.tank.shape import Shape
from bathyx.desk.stages.tank.use import InUse
from bathyx.desk.study import KeptStudy, Study
from bathyx.desk.theme import Theme
from bathyx.desk.views.card import Card
from bathyx.desk.views.fields import Choice, FigureLine, button, words
from bathyx.desk.views.tile_data import TileData
from bathyx.draft.charts import attitude_chart
from bathyx.draft.cloth_view import cloth_view
from bathyx.draft.picture import Circle, Picture
from bathyx.draft.tank_views import tank_view
from bathyx.errors import Refusal
from bathyx.studies.kinds import AttitudeInputs


class TankStage(Stage):
    """Shape and sheet."""

    lit_flat, lit_solid = False, False

    draggable = ("corner:", "between:")
    _grabbed: tuple[str, float, float] | None = None

    def __init__(self, bench: Bench, theme: Theme) -> None:
        super().__init__(bench, theme)
        self.study = KeptStudy("attitudes", bench.home)
        self.study.done.connect(lambda: self.bench.lit_changed.emit())
        self.use: InUse | None = None
        self.cloth = False

    @property
    def mapped(self) -> bool:
        """Whether the map of attitudes is shown."""
        return self.use is not None and self.use.shown == "map"

    def studies(self) -> tuple[Study | KeptStudy, ...]:
        """The map of attitudes."""
        return (self.study,)

    def _inputs(self) -> AttitudeInputs:
        job = self.bench.job
        brief = Brief(fluid=job.brief.fluid, air_space_share=job.brief.air_space_share)
        parts = {"tank": job.tank, "makeup": job.makeup, "inside": job.inside, "layup": job.layup}
        return AttitudeInputs(Job(uid="attitudes", brief=brief, panel_layups=job.panel_layups, **parts))

    def _use_changed(self) -> None:
        """The map is worked out anew where the tank has changed."""
        if self.mapped:
            self._ask()
        self.bench.lit_changed.emit()

    def _ask(self) -> None:
        inputs = self._inputs()
        self.study.look(inputs)
        known = self.study.inputs == inputs and (self.study.result is not None or bool(self.study.trouble))
        if self.mapped and not self.study.running and not known:
            self.study.run(inputs)

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
        """Side and end, or the tank in use: on a slope, on every slope once that is worked out, its weight as it fills."""
        if self.cloth and self.bench.job.layup is not None:
            return cloth_view(Laminate().rolls(self.bench.job, self.bench.evaluation.results), self.bench.units)
        in_use = self.use.picture() if self.use is not None else None
        if in_use is not None:
            return in_use
        if self.mapped and self.study.result is not None and not self.study.stale(self._inputs()):
            trim, heel = Working.of(self.bench.job.brief).at(1.0, 1.0)
            return attitude_chart(self.study.result, (abs(trim), abs(heel)), self.bench.units)
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
        card.head("Shape", lambda: b.job.tank.family)
        card.add(Shape(b, self.theme))
        card.head("Sheet", self._of_what)
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
        self.layup = card.add(LayUpCard(b, self.theme, self._turn_cloth))
        self.source = card.add(words("", "quiet"))
        card.head("In use", lambda: "on every slope" if self.mapped else "")
        self.use = InUse(b, self._use_changed)
        card.add(self.use)
        card.head("A second tank", lambda: "none" if b.job.second is None else b.job.second.tank.family)
        card.add(Second(b))

        def also() -> None:
            chosen = sheet(b.job.tank.sheet)
            self.thickness.setVisible(not chosen.material.made)
            self.thickness.offer([(f"{chosen.material.key}/{t:g}", f"{t:g} mm") for t in chosen.material.thicknesses])
            self.source.setVisible(not chosen.material.made)
            self.source.setText(
                f"Yield {chosen.material.yield_delivered:.0f} MPa, {chosen.material.yield_weld:.0f} MPa at the "
                f"weld. {chosen.material.source}"
            )

        def slopes() -> None:
            if self.mapped:
                self._ask()

        card.on_refresh(also, first=True)
        card.on_refresh(slopes)
        return card.finish()

    def _turn_cloth(self) -> None:
        """The cloth on its rolls in place of the tank, and back."""
        self.cloth = not self.cloth
        self.bench.lit_changed.emit()

    def _of_what(self) -> str:
        """The sheet, or how many plies it is laid of."""
        layup = self.bench.job.layup
        if layup is None:
            return sheet(self.bench.job.tank.sheet).shown(self.bench.units)
        count = len(layup.plies)
        foam = " and foam" if layup.core else ""
        return (
            f"{show(layup.made.thick_mm, 'small', self.bench.units)}, {count} {'ply' if count == 1 else 'plies'}{foam}"
        )

    def fill(self) -> None:
        """The largest such tank for the space."""
        b = self.bench
        try:
            if b.job.space.free:
                raise Refusal("there is no hole to fill; type its sizes, or measure a hole in Space")
            tank = fill_room(b.job.tank, b.evaluation.results.room, b.evaluation.results.sheet.thickness_mm)
        except Refusal as error:
            b.said.emit("trouble", f"Fill the space: {error}")
            return
        b.edit({f"tank.{s.path}": getattr(tank, s.path) for s in tank.main_sizes()}, "fill the space")

    def _take_material(self, key: str) -> None:
        now = sheet(self.bench.job.tank.sheet).thickness_mm
        near = min(materials()[key].thicknesses, key=lambda t: abs(t - now))
        self.bench.edit({"tank.sheet": f"{key}/{near:g}"}, "material")
