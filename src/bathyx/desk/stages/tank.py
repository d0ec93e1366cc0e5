"""Tank: the profile and its sheet, what it holds and weighs, and what a millimetre is worth."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QGridLayout, QWidget

from bathyx.core.material import materials, sheet
from bathyx.core.tank.fit import fill_room
from bathyx.core.tank.profile import CORNERS
from bathyx.core.units import Family, show
from bathyx.desk.bench import Bench
from bathyx.desk.stages.stage import Stage
from bathyx.desk.views.bench_line import TileData
from bathyx.desk.views.fields import Card, Choice, Field, FigureLine, Tick, button, words
from bathyx.draft.picture import Picture
from bathyx.draft.tank_views import tank_view


class Worth(QWidget):
    """What one millimetre of each direction is worth, with buttons that take it."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self.bench = bench
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(4)
        self.labels, self.captions = {}, {}
        for row, name in enumerate(("length_mm", "width_mm", "height_mm")):
            self.captions[name] = words("", wrap=False)
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
            self.bench.edit({f"tank.{name}": value}, f"{name.removesuffix('_mm')} by {step:+.0f} mm")

        return go

    def refresh(self) -> None:
        """Litres per millimetre now."""
        step = "1 mm" if self.bench.units == Family.METRIC else "1 in"
        for name, label in self.labels.items():
            self.captions[name].setText(f"{step} of {name.removesuffix('_mm')}")
            label.setText(show(self.bench.evaluation.results.litres_per_mm[name], "litres_per_mm", self.bench.units))


class TankStage(Stage):
    """Shape and sheet."""

    title, key = "Tank", "tank"

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

    def make_card(self) -> Card:
        """Figures first, then shape and sheet."""
        b = self.bench
        card = Card(b)
        cap = lambda name: lambda: getattr(b.evaluation.results.capacity, name)  # noqa: E731
        card.add(FigureLine(b, cap("usable"), large=True))
        for name in ("usable_tilted", "net", "gross"):
            card.add(FigureLine(b, cap(name)))
        card.add(FigureLine(b, lambda: b.evaluation.results.weight.dry))
        card.add(FigureLine(b, lambda: b.evaluation.results.weight.full))
        card.add(FigureLine(b, lambda: b.evaluation.results.weight.height))
        card.add(button("Fill the space", "fill the space", self.fill, "main"))
        card.add(Worth(b))
        card.head("Inside sizes")
        card.add(Field(b, "Length, front to rear", "tank.length_mm", "length"))
        card.add(Field(b, "Width", "tank.width_mm", "length"))
        card.add(Field(b, "Height", "tank.height_mm", "length"))
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
        card.head("Corners cut off")
        self.chamfers = {}
        for corner in CORNERS:
            tick = Tick(
                b,
                corner.replace("_", " "),
                f"chamfer {corner}",
                take=lambda on, c=corner: self._chamfer(c, on),
                read=lambda c=corner: any(x.corner == c for x in b.job.tank.chamfers),
            )
            self.chamfers[corner] = tick
        card.row(self.chamfers["front_top"], self.chamfers["rear_top"])
        card.row(self.chamfers["front_bottom"], self.chamfers["rear_bottom"])
        card.head("Step in the bottom")
        card.add(
            Choice(
                b,
                "Jog",
                "tank.jog",
                [(None, "none"), ("front", "at the front"), ("rear", "at the rear")],
                take=self._jog,
                read=lambda: b.job.tank.jog.end if b.job.tank.jog else None,
            )
        )
        self.jog_fields = [
            card.add(Field(b, "Long", "tank.jog.length_mm", "length")),
            card.add(Field(b, "High", "tank.jog.rise_mm", "length")),
            card.add(Field(b, "Riser leans by", "tank.jog.run_mm", "length")),
        ]

        def also() -> None:
            chosen = sheet(b.job.tank.sheet)
            self.thickness.offer([(f"{chosen.material.key}/{t:g}", f"{t:g} mm") for t in chosen.material.thicknesses])
            self.source.setText(
                f"Yield {chosen.material.yield_delivered:.0f} MPa, {chosen.material.yield_weld:.0f} MPa at the "
                f"weld. {chosen.material.source}"
            )
            for field in self.jog_fields:
                field.setVisible(b.job.tank.jog is not None)

        card.on_refresh(also, first=True)
        return card.finish()

    def fill(self) -> None:
        """The largest such tank for the space."""
        b = self.bench
        try:
            tank = fill_room(b.job.tank, b.evaluation.results.room, b.evaluation.results.sheet.thickness_mm)
        except ValueError as error:
            b.said.emit("trouble", f"Fill the space: {error}")
            return
        b.edit({f"tank.{n}": getattr(tank, n) for n in ("length_mm", "width_mm", "height_mm")}, "fill the space")

    def _take_material(self, key: str) -> None:
        now = sheet(self.bench.job.tank.sheet).thickness_mm
        near = min(materials()[key].thicknesses, key=lambda t: abs(t - now))
        self.bench.edit({"tank.sheet": f"{key}/{near:g}"}, "material")

    def _chamfer(self, corner: str, on: bool) -> None:
        tank = self.bench.job.tank
        kept = [c.model_dump() for c in tank.chamfers if c.corner != corner]
        if on:
            size = float(round(min(tank.length_mm, tank.height_mm) * 0.2))
            kept.append({"corner": corner, "along_mm": size, "up_mm": size})
        self.bench.edit({"tank.chamfers": kept}, f"chamfer {corner.replace('_', ' ')}")

    def _jog(self, end: str | None) -> None:
        tank = self.bench.job.tank
        jog = None
        if end is not None:
            old = tank.jog
            jog = {
                "end": end,
                "length_mm": old.length_mm if old else float(round(tank.length_mm * 0.3)),
                "rise_mm": old.rise_mm if old else float(round(tank.height_mm * 0.15)),
                "run_mm": old.run_mm if old else 0.0,
            }
        self.bench.edit({"tank.jog": jog}, "jog")
