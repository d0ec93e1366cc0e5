"""The lay-up of a laid-up tank on the card of Tank: its plies drawn and listed, resin, mix, foam, and what it comes to."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from bathyx.core.laminate import LayUp, PanelLayUp, cloths, cores, resins
from bathyx.core.laminate.layup import PRESETS, SCHOOLS
from bathyx.core.sheet.makeup.skins import BAFFLES
from bathyx.core.units import show
from bathyx.desk.bench import Bench
from bathyx.desk.theme import Theme
from bathyx.desk.views.canvas import Canvas
from bathyx.desk.views.fields import Choice, Field, Tick, button, words
from bathyx.desk.views.grid import Column, rows_of
from bathyx.draft.layup_view import layup_view

SECTION_HIGH, SECTION_ROOM_PX = 200, 14


class LayUpCard(QWidget):
    """Shown where the tank is laid up."""

    def __init__(self, bench: Bench, theme: Theme, show_cloth: Callable[[], None]) -> None:
        super().__init__()
        self.bench = bench
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(5)
        self.section = Canvas(theme, "lay-up")
        self.section.setFixedHeight(SECTION_HIGH)
        self.section.room_px = SECTION_ROOM_PX
        self.whose = ""
        self.of = Choice(bench, "Plies of", "plies of", [], take=self._choose, read=lambda: self.whose)
        self.own = Tick(
            bench, "It has plies of its own", "own plies", take=self._take_own, read=lambda: self._at() is not None
        )
        presets = [(None, "its own plies"), *((key, said) for key, (said, _, _) in PRESETS.items())]
        self.preset = Choice(
            bench, "Begin with", "lay-up", presets,
            take=self._take_preset, read=self._preset,
        )  # fmt: skip
        self.resin = Choice(
            bench, "Resin", "layup.resin", [(r.key, r.name) for r in resins().values()], take=self._take_resin,
            read=lambda: self.layup.resin if self.layup else None,
        )  # fmt: skip
        plies = (
            (Column("cloth", "text", tuple(cloths())), "cloth"),
            (Column("warp, °", "number", may_be_empty=True), "angle_deg"),
            (Column("glass", "number", may_be_empty=True), "share"),
        )
        self.plies = rows_of(
            bench, "Plies", lambda: f"{self._path}.plies", plies,
            "From the inside out, a row a ply; glass is its share by weight, where it is not the cloth's own.",
        )  # fmt: skip
        self.core = Choice(bench, "Foam", "layup core", self._foams(), take=self._take_core, read=self._core)
        self.after = Field(bench, "Foam comes after ply", "layup.core_after", "number")
        self.catalyst = Field(bench, "Catalyst, % of resin", "layup.catalyst_pct", "number")
        self.room = Field(bench, "Room it is laid in", "layup.room_c", "temperature")
        self.school = Choice(bench, "Made", "layup.school", list(SCHOOLS.items()))
        self.comes_to = words("", "quiet")
        for part in (
            self.of, self.own, self.section,
            button("Cloth on its rolls, as it is cut", "show cloth", show_cloth), self.preset, self.resin, self.plies,
            self.core, self.after, self.catalyst, self.room, self.school,
            self.comes_to,
        ):  # fmt: skip
            column.addWidget(part)

    @property
    def layup(self) -> LayUp | None:
        """That of the job, or of the panels in hand."""
        base, at = self.bench.job.layup, self._at()
        return base if base is None or at is None else self.bench.job.panel_layups[at].whole(base)

    def _at(self) -> int | None:
        """Which of the panels with plies of their own is in hand; None for the tank's."""
        return next((k for k, own in enumerate(self.bench.job.panel_layups) if own.face == self.whose), None)

    @property
    def _path(self) -> str:
        at = self._at()
        return "layup" if at is None else f"panel_layups.{at}"

    def _choose(self, whose: str) -> None:
        self.whose = whose
        self.refresh()
        if whose and whose != BAFFLES:
            self.bench.light(f"face:{whose}")

    def _take_own(self, own: bool) -> None:
        """Plies of its own for the panels in hand, to begin with those of common practice; or the tank's again."""
        job, at = self.bench.job, self._at()
        assert job.layup is not None
        rows = [p.model_dump() for k, p in enumerate(job.panel_layups) if k != at]
        panels = [p.model_dump() for p in job.makeup.panels if p.face != self.whose]
        if own:
            role = {f.id: f.role for f in self.bench.evaluation.results.shell.faces}.get(self.whose, "")
            usual = "baffle" if self.whose == BAFFLES else "lid" if role == "roof" else ""
            made = LayUp.preset(usual, job.layup.resin) if usual and not job.layup.core else job.layup
            rows.append(PanelLayUp.like(self.whose, made).model_dump())
        self.bench.edit({"panel_layups": rows, "makeup.panels": panels}, f"plies of {self.whose}")

    def _panels(self) -> list[tuple[Any, str]]:
        """Whose plies may be looked at: all panels', the baffles', a face's."""
        faces = [f.id for f in self.bench.evaluation.results.shell.faces if f.kind == "plane"]
        owns = {own.face for own in self.bench.job.panel_layups}
        rows = [(face, face) for face in (BAFFLES, *dict.fromkeys(name.split(":")[0] for name in faces))]
        return [("", "all panels"), *((face, f"{name}, its own" if face in owns else name) for face, name in rows)]

    def _foams(self) -> list[tuple[Any, str]]:
        units = self.bench.units
        rows = [((c.key, t), f"{c.name}, {show(t, 'small', units)}") for c in cores().values() for t in c.thicknesses]
        return [(None, "none"), *rows]

    def _core(self) -> tuple[str, float] | None:
        layup = self.layup
        return (layup.core, layup.core_mm) if layup is not None and layup.core else None

    def _preset(self) -> str | None:
        """That of common practice, where its plies are that."""
        layup = self.layup
        if layup is None:
            return None
        for name in PRESETS:
            other = LayUp.preset(name, layup.resin)
            if (other.plies, other.core, other.core_mm) == (layup.plies, layup.core, layup.core_mm):
                return name
        return None

    def _take_preset(self, name: str | None) -> None:
        now = self.layup
        if name is None:
            return
        resin = now.resin if now is not None else "vinylester"
        made = LayUp.preset(name, resin)
        if (at := self._at()) is not None:
            self.bench.edit(
                {f"panel_layups.{at}": PanelLayUp.like(self.whose, made).model_dump()}, f"plies of {self.whose}"
            )
            return
        if now is not None:
            made = made.model_copy(
                update={"catalyst_pct": now.catalyst_pct, "room_c": now.room_c, "school": now.school}
            )
        self.bench.edit({"layup": made.model_dump()}, "lay-up")

    def _take_resin(self, key: str) -> None:
        low, high = resins()[key].catalyst
        now = self.layup.catalyst_pct if self.layup is not None else low
        self.bench.edit({"layup.resin": key, "layup.catalyst_pct": min(max(now, low), high)}, "resin")

    def _take_core(self, chosen: tuple[str, float] | None) -> None:
        layup = self.layup
        if layup is None:
            return
        key, mm = chosen or ("", 0.0)
        changes: dict[str, Any] = {f"{self._path}.core": key, f"{self._path}.core_mm": mm}
        if key:
            if len(layup.plies) < 2:
                self.bench.said.emit("trouble", "Foam has a ply on each side: lay a second ply first")
                return
            changes[f"{self._path}.core_after"] = min(layup.core_after, len(layup.plies) - 1)
        self.bench.edit(changes, "foam")

    def refresh(self) -> None:
        """Show it as it is; nothing where the tank is of sheet."""
        if self.whose not in dict(self._panels()):
            self.whose = ""
        layup = self.layup
        self.setVisible(layup is not None)
        if layup is None:
            return
        units, made = self.bench.units, layup.made
        self.section.show_picture(layup_view(layup, units))
        self.core.offer(self._foams())
        self.after.path = f"{self._path}.core_after"
        self.of.offer(self._panels())
        for part in (
            self.of,
            self.own,
            self.preset,
            self.resin,
            self.plies,
            self.core,
            self.after,
            self.catalyst,
            self.room,
            self.school,
        ):
            part.refresh()
        common, shown = not self.whose, not self.whose or self._at() is not None
        self.own.setVisible(bool(self.whose))
        for part in (self.preset, self.plies, self.core):
            part.setVisible(shown)
        for part in (self.resin, self.catalyst, self.room, self.school):
            part.setVisible(common)
        self.after.setVisible(bool(layup.core) and shown)
        moduli = " and ".join(show(e, "stress", units) for e in made.stiff.bending)
        pot = made.resin.pot_life_min(layup.catalyst_pct, layup.room_c)
        self.comes_to.setText(
            f"{show(made.thick_mm, 'small', units)} thick, {made.glass_share:.0%} glass by weight; stiff to bend as {moduli} "
            f"along and across; "
            f"{made.breaks[1]} fails first. A cup gels in about {pot:.0f} min. Engineering estimate: stiffness ±10 %, "
            f"strength ±20 %."
        )
