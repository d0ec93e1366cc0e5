"""Bend data on the card of Cut: K by rule, table or strips, the brake, what is left on, and panels of their own thickness."""

from __future__ import annotations

import math

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from bathyx.core.sheet.bending.punches import punches
from bathyx.core.sheet.bending.rule import K_RULES
from bathyx.core.sheet.bending.strips import measured_k
from bathyx.core.units import show
from bathyx.desk.bench import Bench
from bathyx.desk.views.fields import Choice, Field, Tick, words
from bathyx.desk.views.grid import YES_NO, Column, rows_of

TURN = Column("turn, °", "number", may_be_empty=True)
STRIP = (
    (Column("before"), "before_mm"),
    (Column("one flange"), "first_mm"),
    (Column("other flange"), "second_mm"),
    (TURN, "turn_deg"),
)
PUNCHES = {"": "none: a folder"} | {key: section.name for key, section in punches().items()}
BEND = (
    (Column("sheet"), "thickness_mm"),
    (Column("inside radius"), "radius_mm"),
    (TURN, "turn_deg"),
    (Column("deduction"), "deduction_mm"),
)


class BendCard(QWidget):
    """What bends are worked out with, and what the brake can do."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self.bench = bench
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(5)
        b = bench
        self.rule = words("", "quiet")
        self.parts: list[QWidget] = [
            Field(b, "Inside bend radius", "makeup.bend_radius_mm", "small", "the sheet's own"),
            Field(b, "K-factor", "makeup.k_factor", "number", "as below"),
            Choice(b, "K by", "makeup.k_rule", list(K_RULES.items())),
            rows_of(
                b,
                "Test strips",
                lambda: "makeup.strips",
                STRIP,
                "A strip a row: its length before, both flanges after.",
            ),
            rows_of(
                b, "Bend table", lambda: "makeup.table", BEND, "What a bend takes from the sum of its outside flanges."
            ),
            self.rule,
            Field(b, "Brake bends up to", "makeup.brake.length_mm", "length"),
            Field(b, "Its fingers bend boxes deep", "makeup.brake.pan_mm", "length"),
            Field(b, "Its beam is deep, 0: not looked at", "makeup.brake.beam_mm", "length"),
            Field(b, "Its V-die opens, 0: 8 sheets", "makeup.brake.die_mm", "small"),
            Field(b, "Its frames stand apart, 0: no limit", "makeup.brake.between_mm", "length"),
            Field(b, "Its throat is deep", "makeup.brake.throat_mm", "length"),
            Tick(b, "Brake's beam is open at one end", "makeup.brake.open_ended"),
            Choice(b, "A press, its punch", "makeup.brake.punch", list(PUNCHES.items())),
            Field(b, "Punch, tip to ram", "makeup.brake.punch_mm", "length"),
            Field(b, "Its ram is thick", "makeup.brake.ram_mm", "length"),
            Field(b, "Its die stands high, 0: not looked at", "makeup.brake.die_high_mm", "length"),
            Field(b, "It opens, bed to ram, 0: not looked at", "makeup.brake.open_mm", "length"),
            Field(b, "Closed by hand up to, 0: never", "makeup.brake.by_hand_mm", "small"),
            Tick(b, "Mind the grain of the sheet", "makeup.grain"),
            Field(b, "Relief drilled where bends meet", "makeup.relief_mm", "small"),
            Field(b, "Left on bent parts, to trim", "makeup.trim_mm", "small"),
            Field(b, "Butt welds draw in", "makeup.shrink_mm", "small"),
        ]
        for part in self.parts:
            column.addWidget(part)

    def refresh(self) -> None:
        """Show the job's."""
        for part in self.parts:
            if hasattr(part, "refresh"):
                part.refresh()
        r = self.bench.evaluation.results
        bends = sum(len(x.bends) for x in r.blanks)
        self.rule.setText(
            f"In force: radius {show(r.rule.radius_mm, 'length', self.bench.units, places=1)}, K {self._k_words()}. "
            f"{bends} bends, {len(r.seams)} seams. Pick a blank to see it large."
        )

    def _k_words(self) -> str:
        """K in force for a right angle, and how sure it is where the shop measured it."""
        makeup, r = self.bench.job.makeup, self.bench.evaluation.results
        t = r.sheet.thickness_mm
        if makeup.k_factor is None and makeup.strips and not makeup.table:
            found = measured_k(makeup.strips, r.rule.radius_mm, t)
            off = found.spread * t * math.pi / 2
            return (
                f"{found.k:.3f} ± {found.spread:.3f} from {found.count} strip{'s' if found.count != 1 else ''}, "
                f"± {show(off, 'length', self.bench.units, places=2)} a right-angled bend"
            )
        return f"{r.rule.k_at(t, 90.0):.3g}"


class PanelSheets(QWidget):
    """Panels of their own thickness, a line each."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self.bench = bench
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(5)
        self.said = words("", "quiet")
        column.addWidget(self.said)
        panel = self._panel()
        self.lines = rows_of(
            bench,
            "Panels",
            lambda: "makeup.panels",
            (
                (panel, "face"),
                (Column("thick"), "thickness_mm"),
                (Column("flush", "text", ("inside", "outside")), "flush"),
            ),
            "Heavier or lighter than the rest. Flush inside, the tank stays as it is inside.",
            "thickness of panels",
        )
        self.doublers = rows_of(
            bench,
            "Doublers",
            lambda: "makeup.doublers",
            (
                (panel, "face"),
                (Column("from front or left"), "u_mm"),
                (Column("from left or below"), "v_mm"),
                (Column("wide"), "width_mm"),
                (Column("high"), "height_mm"),
                (Column("thick"), "thickness_mm"),
                (Column("inside", "text", YES_NO, may_be_empty=True), "inside"),
            ),
            "Metal laid on a panel round mount and screw holes: its middle, its sides.",
        )
        column.addWidget(self.lines)
        column.addWidget(self.doublers)

    def refresh(self) -> None:
        """Show the job's."""
        self.lines.refresh()
        self.doublers.refresh()
        r = self.bench.evaluation.results
        offered = ", ".join(show(t, "length", self.bench.units, places=1) for t in r.sheet.material.thicknesses)
        self.said.setText(
            f"Sheet of {offered}. Thicker panels and doublers go into blanks, weight, strength and welding."
        )
        for door in (self.lines, self.doublers):
            door.table.grid.columns = (self._panel(), *door.table.grid.columns[1:])

    def _panel(self) -> Column:
        """The panels there are now."""
        faces = self.bench.evaluation.results.shell.faces
        return Column("panel", "text", tuple(dict.fromkeys(f.parent for f in faces if f.kind != "hull")))
