"""A used tank that came in, on the card of Brief: what, whose, what it held, of what it is, where it is hurt."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from bathyx.core.material import fluids
from bathyx.core.repair.intake import CAUSES, FOUND_BY, KINDS, TRAPS, UNKNOWN, WAYS, WOUNDS, Intake
from bathyx.desk.bench import Bench
from bathyx.desk.study import Study
from bathyx.desk.views.fields import Choice, Field, Fold, Tick, button, words
from bathyx.desk.views.grid import Column, rows_of
from bathyx.errors import Refusal
from bathyx.files.pictures import FOLDER, keep_picture, picture_at

SMALL_PX = (96, 72)


@dataclass(frozen=True)
class Kept:
    """Pictures that were kept, by name with a note to begin with, and why others were not."""

    named: dict[str, str]
    troubles: tuple[str, ...]


def _keep(home: Path, paths: list[Path], progress: Callable[[float], bool]) -> Kept:
    named: dict[str, str] = {}
    troubles: list[str] = []
    for k, path in enumerate(paths):
        if not progress(k / len(paths)):
            break
        try:
            named.setdefault(keep_picture(home, path), path.stem[:200])
        except Refusal as error:
            troubles.append(str(error))
    return Kept(named, tuple(troubles))


class Pictures(QWidget):
    """Pictures of the tank as it came in, each with what is seen on it."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self.bench = bench
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(4)
        self.column.addWidget(button("Add pictures…", "add pictures", self._ask))
        self.study = Study(_keep)
        self.study.done.connect(self._kept)
        self.shown: tuple[str, ...] | None = None
        self.rows: list[QWidget] = []

    def _ask(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(
            self, "Pictures of the tank", "", "Pictures (*.jpg *.jpeg *.png *.webp *.tif *.bmp)"
        )
        self.take([Path(name) for name in names])

    def take(self, paths: list[Path]) -> None:
        """Keep pictures beside the interface thread, then list them in the job."""
        if self.bench.job.repair is not None and paths:
            self.study.run(self.bench.job.uid, self.bench.home, paths)

    def _kept(self) -> None:
        """List what was kept, in the tank that it was kept for."""
        intake, kept = self.bench.job.repair, self.study.result
        if kept is None:
            self.bench.said.emit("trouble", self.study.trouble)
            return
        for trouble in kept.troubles:
            self.bench.said.emit("trouble", trouble)
        if intake is None or self.bench.job.uid != self.study.key:
            return
        rows = [p.model_dump() for p in intake.pictures]
        known = {row["file"] for row in rows}
        rows += [{"file": name, "note": note} for name, note in kept.named.items() if name not in known]
        self.bench.edit({"repair.pictures": rows}, "pictures")

    def _drop(self, at: int) -> None:
        rows = [
            p.model_dump()
            for k, p in enumerate(self.bench.job.repair.pictures if self.bench.job.repair else ())
            if k != at
        ]
        self.bench.edit({"repair.pictures": rows}, "a picture")

    def refresh(self) -> None:
        """A row a picture: it, its note, and a button that takes it off the list."""
        intake = self.bench.job.repair
        names = tuple(p.file for p in intake.pictures) if intake is not None else ()
        if names != self.shown:
            self.shown = names
            for row in self.rows:
                self.column.removeWidget(row)
                row.deleteLater()
            self.rows = [self._row(k, name) for k, name in enumerate(names)]
            for row in self.rows:
                self.column.addWidget(row)
        for row in self.rows:
            row.findChild(Field).refresh()

    def _row(self, at: int, name: str) -> QWidget:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        seen, there = QLabel(), picture_at(self.bench.home / FOLDER, name)
        seen.setFixedSize(*SMALL_PX)
        seen.setAccessibleName(f"picture {at + 1}")
        if there is None:
            seen.setText("not on this bench")
            seen.setWordWrap(True)
        else:
            seen.setPixmap(
                QPixmap(str(there)).scaled(
                    *SMALL_PX, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
                )
            )
        line.addWidget(seen)
        side = QVBoxLayout()
        side.addWidget(Field(self.bench, f"{at + 1}.", f"repair.pictures.{at}.note", "text", "what is seen"))
        side.addWidget(button("Take off", f"drop picture {at}", partial(self._drop, at), "link"))
        line.addLayout(side, 1)
        return row


class UsedTank(QWidget):
    """A tick makes the job one of a used tank; the rest shows then."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self.bench = bench
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(5)
        self.used = Tick(
            bench, "A used tank that came in to be mended", "used tank", self._turn, lambda: self.intake is not None
        )
        column.addWidget(self.used)
        held = [(UNKNOWN, "nobody knows"), *((f.key, f.name) for f in fluids().values())]
        hurts = (
            (Column("where", "text"), "where"),
            (Column("what", "text", tuple(WOUNDS)), "what"),
            (Column("size", "length"), "mm"),
            (Column("why", "text", tuple(CAUSES)), "cause"),
            (Column("mended by", "text", tuple(WAYS)), "way"),
        )
        self.parts: list[Any] = [
            Field(bench, "What it is", "repair.what"),
            Field(bench, "Whose", "repair.owner"),
            Choice(bench, "Kind", "repair.kind", list(KINDS.items())),
            Choice(bench, "It held", "repair.held", held),
            Field(bench, "Last on", "repair.last_held", "text", "like 2026-05-31"),
            rows_of(
                bench,
                "Hurts",
                lambda: "repair.hurts",
                hurts,
                "Where and how it is hurt, a row each; its length or width.",
            ),
            words("Found out what it is of by", "quiet"),
            *(self._one_of("found_by", key, said) for key, said in FOUND_BY.items()),
            words("Where vapour stays in it", "quiet"),
            *(self._one_of("traps", key, said) for key, said in TRAPS.items()),
            Field(bench, "Refused, because", "repair.refused"),
        ]
        self.parts.insert(6, Pictures(bench))
        for part in self.parts:
            column.addWidget(part)
        donors = (
            (Column("part", "text"), "part"),
            (Column("out of", "text", may_be_empty=True), "source"),
            (Column("it held", "text", (UNKNOWN, *fluids())), "held"),
            (Column("kind", "text", tuple(KINDS)), "kind"),
        )
        self.donors = Fold(
            "Parts out of a used tank",
            "fold donors",
            lambda: rows_of(
                bench,
                "Parts out of a used tank",
                lambda: "donors",
                donors,
                "A tunnel, a neck, a ring that is cut out of a used tank for this one: its gate comes before any heat on it.",
            ),
            lambda: bool(bench.job.donors),
        )
        column.addWidget(self.donors)

    @property
    def intake(self) -> Intake | None:
        """What came in; None for a new tank."""
        return self.bench.job.repair

    def _one_of(self, name: str, key: str, said: str) -> Tick:
        def take(on: bool) -> None:
            listed = [k for k in getattr(self.intake, name, ()) if k != key]
            self.bench.edit({f"repair.{name}": [*listed, key] if on else listed}, said)

        return Tick(self.bench, said, f"repair {name} {key}", take, partial(self._holds, name, key))

    def _holds(self, name: str, key: str) -> bool:
        return key in getattr(self.intake, name, ())

    def _turn(self, on: bool) -> None:
        b = self.bench
        if not on:
            b.edit({"repair": None}, "a new tank")
            return
        made = Intake(what=b.job.brief.name, owner=b.job.brief.customer)
        b.edit({"repair": made.model_dump()}, "a used tank")

    def refresh(self) -> None:
        """Show what came in; only the tick where it is a new tank."""
        self.used.refresh()
        there = self.intake is not None
        self.donors.setVisible(not there)
        self.donors.refresh()
        for part in self.parts:
            part.setVisible(there)
            if there and hasattr(part, "refresh"):
                part.refresh()
