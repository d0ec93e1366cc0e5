"""The lay-up of a laid-up tank on the card of Tank: its plies drawn and listed, resin, mix, foam, and what it comes to."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from bathyx.core.laminate import LayUp, cloths, cores, resins
from bathyx.core.laminate.layup import PRESETS, SCHOOLS
from bathyx.core.units import show
from bathyx.desk.bench import Bench
from bathyx.desk.theme import Theme
from bathyx.desk.views.canvas import Canvas
from bathyx.desk.views.fields import Choice, Field, button, words
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
            bench, "Plies", lambda: "layup.plies", plies,
            "From the inside out, a row a ply; glass is its share by weight, where it is not the cloth's own.",
        )  # fmt: skip
        self.core = Choice(bench, "Foam", "layup core", self._foams(), take=self._take_core, read=self._core)
        self.after = Field(bench, "Foam comes after ply", "layup.core_after", "number")
        self.catalyst = Field(bench, "Catalyst, % of resin", "layup.catalyst_pct", "number")
        self.room = Field(bench, "Room it is laid in", "layup.room_c", "temperature")
        self.school = Choice(bench, "Made", "layup.school", list(SCHOOLS.items()))
        self.comes_to = words("", "quiet")
        for part in (
            self.section, button("Cloth on its rolls, as it is cut", "show cloth", show_cloth), self.preset, self.resin, self.plies,
            self.core, self.after, self.catalyst, self.room, self.school,
            self.comes_to,
        ):  # fmt: skip
            column.addWidget(part)

    @property
    def layup(self) -> LayUp | None:
        """That of the job."""
        return self.bench.job.layup

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
        changes: dict[str, Any] = {"layup.core": key, "layup.core_mm": mm}
        if key:
            if len(layup.plies) < 2:
                self.bench.said.emit("trouble", "Foam has a ply on each side: lay a second ply first")
                return
            changes["layup.core_after"] = min(layup.core_after, len(layup.plies) - 1)
        self.bench.edit(changes, "foam")

    def refresh(self) -> None:
        """Show it as it is; nothing where the tank is of sheet."""
        layup = self.layup
        self.setVisible(layup is not None)
        if layup is None:
            return
        units, made = self.bench.units, layup.made
        self.section.show_picture(layup_view(layup, units))
        self.core.offer(self._foams())
        for part in (self.preset, self.resin, self.plies, self.core, self.after, self.catalyst, self.room, self.school):
            part.refresh()
        self.after.setVisible(bool(layup.core))
        moduli = " and ".join(show(e, "stress", units) for e in made.stiff.bending)
        pot = made.resin.pot_life_min(layup.catalyst_pct, layup.room_c)
        self.comes_to.setText(
            f"{show(made.thick_mm, 'small', units)} thick, {made.glass_share:.0%} glass by weight; stiff to bend as {moduli} "
            f"along and across; "
            f"{made.breaks[1]} fails first. A cup gels in about {pot:.0f} min. Engineering estimate: stiffness ±10 %, "
            f"strength ±20 %."
        )
