"""Bend data on the card of Cut: K by rule, table or strips, the brake, what is left on, and panels of their own thickness."""

from __future__ import annotations

import math
from collections.abc import Sequence

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from bathyx.core.sheet.doublers import doublers_of, text_of_doublers
from bathyx.core.sheet.rule import K_RULES, table_of, text_of_table
from bathyx.core.sheet.strips import measured_k, strips_of, text_of
from bathyx.core.units import show
from bathyx.core.units.typed import lines_of
from bathyx.desk.bench import Bench
from bathyx.desk.stages.space_parts import Lines
from bathyx.desk.views.fields import Choice, Field, Tick, words
from bathyx.errors import Refusal


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
            words("Test strips, one a line: length before, both flanges after over the outside, mm", "quiet"),
            Lines(b, "strips", "100, 52, 52.4", self._strips, self._take_strips, 62),
            words("Bend table, one a line: thickness, inside radius, turn, deduction, mm", "quiet"),
            Lines(b, "bend table", "2, 2, 90, 3.6", self._table, self._take_table, 62),
            self.rule,
            Field(b, "Brake bends up to", "makeup.brake.length_mm", "length"),
            Field(b, "Its fingers bend boxes deep", "makeup.brake.pan_mm", "length"),
            Field(b, "Its beam is deep, 0: not looked at", "makeup.brake.beam_mm", "length"),
            Field(b, "Its V-die opens, 0: 8 sheets", "makeup.brake.die_mm", "small"),
            Field(b, "Its frames stand apart, 0: no limit", "makeup.brake.between_mm", "length"),
            Field(b, "Its throat is deep", "makeup.brake.throat_mm", "length"),
            Tick(b, "Brake's beam is open at one end", "makeup.brake.open_ended"),
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

    def _strips(self) -> str:
        return text_of(self.bench.job.makeup.strips)

    def _take_strips(self, text: str) -> str:
        return self.bench.try_edit({"makeup.strips": strips_of(text)}, "test strips")

    def _table(self) -> str:
        return text_of_table(self.bench.job.makeup.table)

    def _take_table(self, text: str) -> str:
        return self.bench.try_edit({"makeup.table": table_of(text)}, "bend table")

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
        self.lines = Lines(bench, "panels", "bottom, 5", self._text, self._take, 52)
        column.addWidget(self.lines)
        column.addWidget(words("Doublers round mount holes, a line each: panel, place on it, size", "quiet"))
        self.doublers = Lines(bench, "doublers", "bottom, 100, 80, 60 x 40 x 3", self._doubled, self._take_doublers, 52)
        column.addWidget(self.doublers)

    def refresh(self) -> None:
        """Show the job's."""
        self.lines.refresh()
        self.doublers.refresh()
        r = self.bench.evaluation.results
        names = ", ".join(dict.fromkeys(f.parent for f in r.shell.faces if f.kind != "hull"))
        offered = ", ".join(f"{t:g}" for t in r.sheet.material.thicknesses)
        self.said.setText(
            f"Panels heavier or lighter than the rest, a line each: panel, mm. There are {names}; sheet of {offered} mm. "
            "The inside stays as it is; with outside after it, the outside."
        )

    def _doubled(self) -> str:
        return text_of_doublers(self.bench.job.makeup.doublers)

    def _take_doublers(self, text: str) -> str:
        return self.bench.try_edit({"makeup.doublers": doublers_of(text)}, "doublers")

    def _text(self) -> str:
        return "\n".join(
            f"{p.face}, {p.thickness_mm:g}" + (", outside" if p.flush == "outside" else "")
            for p in self.bench.job.makeup.panels
        )

    def _take(self, text: str) -> str:
        names = [face.parent for face in self.bench.evaluation.results.shell.faces if face.kind != "hull"]
        return self.bench.try_edit({"makeup.panels": panels_of(text, names)}, "thickness of panels")


def panels_of(text: str, names: Sequence[str]) -> list[dict[str, object]]:
    """Panels of typed lines `face, mm` or `face, mm, outside`, of these names. Refusal that names the line.

    >>> panels_of("bottom, 5", ["bottom", "top"])
    [{'face': 'bottom', 'thickness_mm': 5.0}]
    """
    found: list[dict[str, object]] = []
    for number, line in lines_of(text):
        if not line.strip():
            continue
        outside = line.rstrip().lower().endswith(", outside")
        face, _, thick = (line.rstrip()[: -len(", outside")] if outside else line).rpartition(",")
        try:
            value = float(thick.strip().removesuffix("mm"))
        except ValueError:
            value = math.nan
        if not face.strip() or not math.isfinite(value):
            raise Refusal(
                f"line {number}, {line.strip()[:40]!r}: write the panel and its thickness in mm, like bottom, 5"
            )
        if face.strip() not in names:
            raise Refusal(
                f"line {number}: there is no panel {face.strip()!r}; there are {', '.join(dict.fromkeys(names))}"
            )
        found.append({"face": face.strip(), "thickness_mm": value, **({"flush": "outside"} if outside else {})})
    return found
