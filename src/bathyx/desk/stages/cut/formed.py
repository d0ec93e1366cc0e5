"""Double-curved skins on the card of Cut: section templates in, a strain map out, readings of both halves checked."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from bathyx.core.sheet.flat.formed import (
    HARD_STRAIN,
    Check,
    Flattened,
    FormedSkin,
    blank_of,
    checks_of,
    flattened,
    sections_of,
)
from bathyx.core.units import show
from bathyx.desk.bench import Bench
from bathyx.desk.study import Study
from bathyx.desk.views.fields import Choice, Field, button, words
from bathyx.desk.views.grid import Column, Door, Grid, Rows, Table, Value, rows_of
from bathyx.draft.picture import Picture
from bathyx.draft.strain_view import WITHIN_MM, strain_view
from bathyx.errors import Refusal

STARTED = "0: -120 0, -60 34, 0 46, 60 34, 120 0\n180: -135 0, -70 44, 0 60, 70 44, 135 0\n360: -110 0, -55 26, 0 36, 55 26, 110 0"
SHOWN_CHECKS = 4


class Formed(QWidget):
    """The skin in hand, and what forming it takes."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self.bench, self.at, self.drawn = bench, 0, False
        self._asked: object = None
        self.study = Study(lambda skin, progress: flattened(skin))
        self.study.done.connect(bench.lit_changed.emit)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(5)
        self.which = Choice(bench, "Skin", "formed skin", [], take=self._choose, read=lambda: self.at)
        self.name = Field(bench, "Name", "", "text")
        self.thick = Field(bench, "Sheet", "", "small")
        self.spare = Field(bench, "Spare metal all round", "", "small")
        for field, name in ((self.name, "skin name"), (self.thick, "skin sheet"), (self.spare, "skin spare")):
            field.edit.setObjectName(name)
        templates = Grid(
            bench, "sections", [Column(t) for t in ("station", "across", "height")], self._sections, self._take_sections
        )
        self.sections = Door(
            bench,
            "Section templates",
            Table(templates, "A place of a template a row, in order across it; heights from the datum."),
            lambda: str(len(self.skin.sections)) if self.skin is not None else "none",
        )
        self.readings = rows_of(
            bench,
            "Readings",
            lambda: f"formed.{self.at}.readings",
            (
                (Column("half", "text", ("left", "right")), "side"),
                (Column("station"), "at_mm"),
                (Column("across"), "across_mm"),
                (Column("height"), "height_mm"),
            ),
            "Readings on the formed halves.",
            "readings of a skin",
        )
        self.said = words("")
        self.checks = words("", "quiet")
        self.parts: list[QWidget] = [
            self.which,
            self.name,
            self.thick,
            self.spare,
            self.sections,
            self.readings,
            self.said,
            self.checks,
            button("Draw its strain map", "draw strains", self._draw, "main"),
            button("Write its patterns", "write patterns", self._write),
            button("Remove this skin", "remove skin", self._remove, "link"),
        ]
        column.addWidget(button("New skin from section templates", "new skin", self._new))
        for part in self.parts:
            column.addWidget(part)

    @property
    def skin(self) -> FormedSkin | None:
        """The one in hand."""
        formed = self.bench.job.formed
        return formed[min(self.at, len(formed) - 1)] if formed else None

    def picture(self) -> Picture | None:
        """Its strain map, where it is to be drawn and is known."""
        skin = self.skin
        if not self.drawn or skin is None:
            return None
        self._look(skin)
        laid = self.study.result
        if not isinstance(laid, Flattened) or self.study.stale(_key(skin)):
            return None
        return strain_view(skin, laid, self.bench.units, self._checked(skin)[0])

    def _look(self, skin: FormedSkin) -> None:
        """Have it laid flat, unless that is known or under way."""
        if self.study.key != _key(skin) or (self.study.result is None and not self.study.trouble):
            if self.study.running and self._asked == _key(skin):
                return
            self._asked = _key(skin)
            self.study.run(_key(skin), skin)

    def refresh(self) -> None:
        """Show the job's."""
        skin = self.skin
        for part in self.parts:
            part.setVisible(skin is not None)
        if skin is None:
            self.drawn = False
            return
        self.at = min(self.at, len(self.bench.job.formed) - 1)
        self.which.offer([(k, s.name) for k, s in enumerate(self.bench.job.formed)])
        for field, name in ((self.name, "name"), (self.thick, "thickness_mm"), (self.spare, "spare_mm")):
            field.path = f"formed.{self.at}.{name}"
        for part in (self.which, self.name, self.thick, self.spare, self.sections, self.readings):
            part.refresh()
        self._look(skin)
        laid = self.study.result
        if self.study.trouble:
            self.said.setText(self.study.trouble)
        elif isinstance(laid, Flattened) and not self.study.stale(_key(skin)):
            self.said.setText(_words(skin, laid, self.bench))
        else:
            self.said.setText("Laying it flat…")
        checks, wrong = self._checked(skin)
        lines = [check.said(WITHIN_MM) for check in checks[:SHOWN_CHECKS]]
        self.checks.setText("\n".join([*lines, *([wrong] if wrong else [])]))
        self.checks.setVisible(bool(lines or wrong))

    def _checked(self, skin: FormedSkin) -> tuple[tuple[Check, ...], str]:
        try:
            return checks_of(skin), ""
        except Refusal as error:
            return (), str(error)

    def _choose(self, k: int) -> None:
        self.at = k
        self.bench.lit_changed.emit()

    def _new(self) -> None:
        kept = [skin.model_dump() for skin in self.bench.job.formed]
        made = {"name": f"skin {len(kept) + 1}", "thickness_mm": 1.5, "sections": sections_of(STARTED)}
        if self.bench.edit({"formed": [*kept, made]}, "a new skin"):
            self.at, self.drawn = len(kept), True
            self.bench.lit_changed.emit()

    def _remove(self) -> None:
        kept = [skin.model_dump() for k, skin in enumerate(self.bench.job.formed) if k != self.at]
        self.bench.edit({"formed": kept}, "a skin taken out")

    def _draw(self) -> None:
        self.drawn = not self.drawn
        self.bench.lit_changed.emit()

    def _sections(self) -> Rows:
        sections = self.skin.sections if self.skin is not None else ()
        return [[s.at_mm, y, z] for s in sections for y, z in s.points]

    def _take_sections(self, rows: Rows) -> str:
        found: dict[Value, list[list[Value]]] = {}
        for at, y, z in rows:
            found.setdefault(at, []).append([y, z])
        document = [{"at_mm": at, "points": points} for at, points in found.items()]
        return self.bench.try_edit({f"formed.{self.at}.sections": document}, "section templates")

    def _write(self) -> None:
        skin = self.skin
        if skin is None:
            return

        def write(folder: Path) -> list[Path]:
            from bathyx.papers.skins import write_skin

            return write_skin(skin, folder)

        self.bench.write_papers(write)


def _key(skin: FormedSkin) -> object:
    return skin.sections, skin.thickness_mm


def _words(skin: FormedSkin, laid: Flattened, bench: Bench) -> str:
    low, high = laid.range_of()
    blank = blank_of(skin)
    size = " × ".join(show(v, "length", bench.units) for v in blank.size_mm)
    hard = "; more than most sheet takes cold at once: anneal on the way, or split it" if high > HARD_STRAIN else ""
    return (
        f"Blank {size}. Stretch up to {max(high, 0):.1%} and shrink up to {max(-low, 0):.1%} of length{hard}. "
        "An estimate: how it is hammered decides where the metal goes."
    )
