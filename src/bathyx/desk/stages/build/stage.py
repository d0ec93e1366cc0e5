"""Build: the traveller with its hold points, and the weld log seam by seam on the drawn tank."""

from __future__ import annotations

import math
from collections.abc import Mapping
from datetime import datetime
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from bathyx.core.build.hours import estimated_of, work_of
from bathyx.core.build.rules import SEEN, heat_refusal, tick_refusal, vapour_caution, weld_refusal
from bathyx.core.build.steps import next_open, steps
from bathyx.core.build.welds import repair_warning, weld_words
from bathyx.core.job import way_in_of
from bathyx.core.making import Asked, Step, making_of
from bathyx.core.sheet.makeup.seams import Seam
from bathyx.core.units import Said, parse_quantity, show, worded
from bathyx.desk.bench import Bench
from bathyx.desk.stages.build.costs import Costs, shop_rates
from bathyx.desk.stages.build.day import DayBefore
from bathyx.desk.stages.build.gate import GatePanel
from bathyx.desk.stages.build.ply_clock import PlyClock
from bathyx.desk.stages.stage import Stage
from bathyx.desk.theme import Theme
from bathyx.desk.views.card import Card
from bathyx.desk.views.fields import button, clear, words
from bathyx.desk.views.plain import Pick, TextLine
from bathyx.desk.views.pressed import unless_pressed
from bathyx.desk.views.tile_data import TileData
from bathyx.draft.picture import Picture
from bathyx.draft.seam_view import seam_view
from bathyx.draft.solid_view import Show
from bathyx.errors import Refusal
from bathyx.register import Entry, RegisterError

MOST_MINUTES = 100_000.0


class WhoLine(QWidget):
    """Whose name goes on the records."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self.bench = bench
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(words("Your name", wrap=False), 4)
        self.edit = TextLine(bench.who)
        self.edit.setObjectName("who")
        self.edit.setPlaceholderText("goes on every record")
        self.edit.textEdited.connect(self._take)
        line.addWidget(self.edit, 7)

    def _take(self, text: str) -> None:
        self.bench.who = text
        self.bench.settings.keep("who", text.strip())

    def refresh(self) -> None:
        """The name in force."""
        if not self.edit.hasFocus():
            self.edit.setText(self.bench.who)


HOW = ("amps", "nozzle_c")  # what of the log stands under a repair too


class BuildStage(Stage):
    """Traveller and weld log."""

    def __init__(self, bench: Bench, theme: Theme) -> None:
        super().__init__(bench, theme)
        self.log = False
        self.show_done = False
        self.found, self.took = "", ""
        self.fallen: Mapping[str, str] = {}

    @property
    def seam_states(self) -> dict[str, str]:
        """State of each seam by its records."""
        return {s.id: self.bench.record.seam_state(s.edge) for s in self.bench.evaluation.results.seams}

    def tile(self) -> TileData:
        """Steps done, and the next."""
        every = steps(self.bench.evaluation)
        ticks = self.bench.record.standing_ticks
        done = [s for s in every if s.id in ticks]
        upcoming = next_open(every, ticks)
        leaking = sum(state == "leaks" for state in self.seam_states.values())
        if leaking:
            said = f"{leaking} seam leaks" if leaking == 1 else f"{leaking} seams leak"
            return TileData(
                f"{len(done)} of {len(every)}", said, len(done) / len(every), "stop", self._explained(len(done))
            )
        said = "all done" if upcoming is None else f"next: {upcoming.title.lower()}"
        return TileData(
            f"{len(done)} of {len(every)}",
            said,
            len(done) / len(every),
            "open" if upcoming else "go",
            self._explained(len(done)),
        )

    def _explained(self, done: int) -> str:
        """What the tile's figure counts, with this tank's numbers."""
        every, states = steps(self.bench.evaluation), list(self.seam_states.values())
        ticks, fallen = self.bench.record.standing_ticks, self.bench.record.proof.fallen
        upcoming = next_open(every, ticks)
        held = [s.title for s in every if s.hold and s.id not in ticks]
        lines = [
            "Steps of the traveller that are ticked",
            f"Here: {done} of {len(every)}; {sum(x != 'open' for x in states)} of {len(states)} seams are logged, "
            f"{states.count('leaks')} leak",
            f"Next: {upcoming.title if upcoming else 'nothing'}",
            f"Hold points still open: {', '.join(held) or 'none'}",
            *(f"{s.title}: ticked, and fallen: {fallen[s.id]}" for s in every if s.id in fallen),
            "Source: the register, entry by entry; steps are made from the design as it stands",
        ]
        return "\n".join(lines)

    def flat(self) -> Picture:
        """Seams on three views."""
        return seam_view(self.bench.evaluation, self.bench.units, self.seam_states)

    def show(self) -> Show:
        """Seams by state, leaks where they were marked."""
        states = self.seam_states
        marks = [
            (seam.id, float(entry.payload.get("share", 0.5)))
            for seam in self.every_seam
            if self.bench.record.seam_state(seam.edge) == "leaks"
            for entry in self.bench.record.seam(seam.edge)
            if entry.kind == "leak"
        ]
        return Show(None, states, tuple(marks), self.bench.lit)

    def picked(self, tag: str, share: float = 0.5) -> None:
        """A seam picked opens its log."""
        super().picked(tag, share)
        if tag.startswith(("seam:", "fitting:")):
            self.log = True
            self._refresh()

    def make_card(self) -> Card:
        """Two leaves: traveller and weld log."""
        b = self.bench
        card = Card(b)
        card.add(WhoLine(b))
        self.to_steps = button("Traveller", "leaf traveller", lambda: self._leaf(False))
        self.to_log = button("Weld log", "leaf weld log", lambda: self._leaf(True))
        for made in (self.to_steps, self.to_log):
            made.setCheckable(True)
        card.row(self.to_steps, self.to_log)
        self.revision = card.add(words("", "quiet"))
        self.gate = card.add(GatePanel(b))
        self.ply = card.add(PlyClock(b))
        self.steps_leaf = card.add(QWidget())
        self.steps_column = QVBoxLayout(self.steps_leaf)
        self.steps_column.setContentsMargins(0, 0, 0, 0)
        self.steps_column.setSpacing(4)
        self.day = card.add(DayBefore(b))
        self.costs = card.add(Costs(b))
        self.notes = card.add(words("", "quiet"))
        self.note = TextLine()
        self.note.setObjectName("note")
        self.note.setPlaceholderText("what would be quicker next time?")
        self.note_row = card.row(self.note, button("Write it down", "write note", self.write_note))
        self.log_leaf = card.add(QWidget())
        self._make_log()

        def also() -> None:
            self._refresh()

        card.on_refresh(also)
        return card.finish()

    def _leaf(self, log: bool) -> None:
        self.log = log
        self._refresh()

    def _refresh(self) -> None:
        self.to_steps.setChecked(not self.log)
        self.to_log.setChecked(self.log)
        for leaf in (self.steps_leaf, self.day, self.notes, self.note_row):
            leaf.setVisible(not self.log)
        self.log_leaf.setVisible(self.log)
        self.revision.setText(self._revision_words())
        if self.log:
            self._refresh_log()
        else:
            self._refresh_steps()

    def _revision_words(self) -> str:
        try:
            number, same = self.bench.register.revision_of(self.bench.job)
        except RegisterError as error:
            return f"The records cannot be read: {error}"
        if not number:
            return "The first record freezes the design as revision 1 and gives the tank its serial number."
        frozen = (
            f"revision {number} is frozen"
            if same
            else f"the design has changed since revision {number}: the next record begins revision {number + 1}"
        )
        return f"Serial {self.bench.serial}; {frozen}. Records are added, never changed."

    # -- traveller ------------------------------------------------------------------------------------------------

    def _refresh_steps(self) -> None:
        if not unless_pressed(self.steps_leaf, self._refresh):
            return
        clear(self.steps_column)
        every = steps(self.bench.evaluation)
        ticks, self.fallen = self.bench.record.standing_ticks, self.bench.record.proof.fallen
        upcoming = next_open(every, ticks)
        done = [step for step in every if step.id in ticks]
        if done:
            last = ticks[done[-1].id]
            words_ = f"{'Hide' if self.show_done else 'Show'} the {len(done)} done, last by {last.who}"
            self.steps_column.addWidget(
                button(words_, "show done", self._turn_done, "link"), 0, Qt.AlignmentFlag.AlignLeft
            )
        for step in every:
            if step.id not in ticks or self.show_done:
                self.steps_column.addWidget(self._step_row(step, ticks, step is upcoming))
        notes = [e for e in self.bench.record.of_kind("note") if e.subject == "note"]
        self.notes.setText("\n".join(f"{e.at[:10]} {e.who}: {e.payload['text']}" for e in notes))
        self.notes.setVisible(bool(notes))

    def _turn_done(self) -> None:
        self.show_done = not self.show_done
        self._refresh()

    def _step_row(self, step: Step, ticks: dict[str, Entry], upcoming: bool) -> QWidget:
        c = self.theme.colours
        row = QFrame()
        row.setObjectName(f"step {step.id}")
        if upcoming:
            row.setStyleSheet(f"QFrame {{ background: {c['paper']}; }}")
        column = QVBoxLayout(row)
        column.setContentsMargins(8, 4, 6, 4)
        column.setSpacing(4)
        line = QHBoxLayout()
        entry = ticks.get(step.id)
        mark = QLabel("✓" if entry else "■" if step.hold else "○")
        mark.setStyleSheet(f"font-size: 13pt; color: {c['go' if entry else 'stop' if step.hold else 'thin']};")
        mark.setFixedWidth(20)
        line.addWidget(mark)
        title = words(("HOLD  " if step.hold and not entry else "") + step.title)
        title.setStyleSheet(
            "font-weight: bold;" if upcoming or step.hold else f"color: {c['quiet'] if entry else c['ink']};"
        )
        line.addWidget(title, 1)
        column.addLayout(line)
        if step.id in self.fallen:
            why = worded(self.fallen[step.id], self.bench.units)
            column.addWidget(words(f"Ticked, and fallen: {why}", "caution"))
        if entry:
            if entry.payload.get("found"):
                said = worded(
                    Said(f"Promised: {entry.payload['promised']}. Found: {entry.payload['found']}"), self.bench.units
                )
                column.addWidget(words(said, "quiet"))
            signed = QHBoxLayout()
            signed.addWidget(words(f"{entry.who}, {entry.at[:16].replace('T', ' ')}", "quiet"), 1)
            signed.addWidget(button("Take back", f"untick {step.id}", lambda: self.untick(step.id), "link"))
            column.addLayout(signed)
        elif upcoming:
            column.addWidget(words(worded(step.detail, self.bench.units), "quiet"))
            if step.caution:
                column.addWidget(words(step.caution, "caution"))
            if self.promised(step.id):
                found = TextLine(self.found)
                found.setObjectName("fit found")
                found.setPlaceholderText("as promised; or where it was otherwise, and by how much")
                found.textEdited.connect(self._take_found)
                column.addWidget(found)
            done = QHBoxLayout()
            done.addWidget(button("Done", f"tick {step.id}", lambda: self.tick(step.id), "main"))
            if work_of(step.id):
                took = TextLine(self.took)
                took.setObjectName("minutes booked")
                took.setPlaceholderText("it took, minutes")
                took.textEdited.connect(self._take_took)
                done.addWidget(took)
            done.addStretch(1)
            column.addLayout(done)
        return row

    def tick(self, step_id: str) -> bool:
        """Tick a step, unless a hold point before it stands open."""
        record = self.bench.record
        why = tick_refusal(
            self.bench.evaluation, step_id, record.standing_ticks, proof=record.proof, no_heat=self.no_heat()
        )
        if why:
            self.bench.said.emit("trouble", worded(why, self.bench.units))
            return False
        step = next(s for s in steps(self.bench.evaluation) if s.id == step_id)
        promised = self.promised(step_id)
        more = {"promised": promised, "found": self.found.strip() or "as promised"} if promised else {}
        try:
            more |= self._booked(step_id)
        except Refusal as error:
            self.bench.said.emit("trouble", str(error))
            return False
        added = self.bench.add_record("tick", step_id, {"title": step.title, **more})
        if added:
            self.found = "" if promised else self.found
            self.took = ""
        return added

    def no_heat(self) -> str:
        """Why no heat may be used on this tank now; empty for a new one."""
        b = self.bench
        return heat_refusal(b.job, b.record.standing, datetime.now().astimezone())

    def _booked(self, step_id: str) -> dict[str, Any]:
        """What was booked for a step, beside what was estimated for it at the shop's rates; nothing where nothing was typed."""
        text, work = self.took.strip().removesuffix("min").strip(), work_of(step_id)
        if not text or not work:
            return {}
        try:
            minutes = float(text.replace(",", "."))
        except ValueError:
            minutes = math.nan
        if not 0 < minutes <= MOST_MINUTES:
            raise Refusal(f"{self.took.strip()[:20]!r} is no number of minutes; write it like 35, or leave it empty")
        estimated = estimated_of(self.bench.evaluation, step_id, shop_rates(self.bench.settings)[0])
        return {"work": work, "minutes": minutes, "estimated": round(estimated, 2)}

    def _take_took(self, text: str) -> None:
        self.took = text

    def _take_found(self, text: str) -> None:
        self.found = text

    def promised(self, step_id: str) -> str:
        """What was promised of the way in, at the fit check; nothing at other steps, or where nothing was kept for this tank."""
        way = self.bench.job.space.way_in
        kept = way.promise if way is not None and step_id == "fit" else None
        return kept.reason if kept is not None and kept.of == way_in_of(self.bench.job) else ""

    def untick(self, step_id: str) -> bool:
        """Take a tick back: another entry, the old one stays."""
        return self.bench.add_record("tick", step_id, {"done": False})

    def write_note(self) -> None:
        """A remark for the next time, kept with the tank."""
        text = self.note.text().strip()
        if text and self.bench.add_record("note", "note", {"text": text}):
            self.note.clear()

    # -- weld log -------------------------------------------------------------------------------------------------

    def _make_log(self) -> None:
        column = QVBoxLayout(self.log_leaf)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.seam_box = Pick()
        self.seam_box.setObjectName("seam")
        self.seam_box.activated.connect(lambda k: self.bench.light(f"seam:{self.seam_box.itemData(k)}"))
        column.addWidget(self.seam_box)
        self.seam_words = words("", "quiet")
        column.addWidget(self.seam_words)
        self.inputs: dict[str, QLineEdit] = {}
        self.log_lines: tuple[Asked, ...] = ()
        self.named: list[str] = []
        self.asking = QVBoxLayout()
        self.asking.setSpacing(6)
        column.addLayout(self.asking)
        self._ask(making_of(self.bench.evaluation.results.sheet).asked(self.bench.evaluation.results.sheet))
        line = QHBoxLayout()
        line.addWidget(words("Seen"), 3)
        self.seen = Pick()
        self.seen.setObjectName("weld visual")
        self.seen.addItems(SEEN)
        line.addWidget(self.seen, 7)
        column.addLayout(line)
        column.addWidget(button("Log this weld", "log weld", self.log_weld, "main"))
        self.warning = words("", "caution")
        column.addWidget(self.warning)
        self.repair_note = TextLine()
        self.repair_note.setObjectName("repair note")
        self.repair_note.setPlaceholderText("what was done to repair it")
        line = QHBoxLayout()
        line.addWidget(self.repair_note, 1)
        line.addWidget(button("Log repair", "log repair", self.log_repair))
        column.addLayout(line)
        column.addWidget(words("This seam's record", "head"))
        self.history = QVBoxLayout()
        column.addLayout(self.history)
        self._defaults_for = ""

    @property
    def every_seam(self) -> tuple[Seam, ...]:
        """Seams of the shell and stitches, then the welds of rings, bosses and mounts."""
        r = self.bench.evaluation.results
        return (*r.seams, *r.rings)

    @property
    def seam(self) -> Seam:
        """The seam in hand: the lit one, or the first not welded."""
        seams, states = self.bench.evaluation.results.seams, self.seam_states
        lit = next((s for s in self.every_seam if self.bench.lit in (f"seam:{s.id}", s.edge)), None)
        return lit or next((s for s in seams if states[s.id] == "open"), seams[0])

    def add_seam_record(self, kind: str, payload: dict[str, Any], corrects: int | None = None) -> bool:
        """A record of the seam in hand, under its number and its edge."""
        return self.bench.add_record(kind, self.seam.id, payload | {"edge": self.seam.edge}, corrects)

    def _ask(self, asked: tuple[Asked, ...]) -> None:
        """The lines that this way of making asks of a seam."""
        if [self._named(a) for a in asked] != self.named:
            self.named = [self._named(a) for a in asked]
            clear(self.asking)
            self.inputs = {}
            for line in asked:
                row = QWidget()
                across = QHBoxLayout(row)
                across.setContentsMargins(0, 0, 0, 0)
                label = self._named(line)
                across.addWidget(words(label), 3)
                edit = TextLine()
                edit.setObjectName(f"weld {line.key}")
                edit.setAccessibleName(line.label)
                across.addWidget(edit, 7)
                self.inputs[line.key] = edit
                self.asking.addWidget(row)
        self.log_lines = asked

    def _fahrenheit(self, line: Asked) -> bool:
        return self.bench.units.us and line.unit.startswith("°C")

    def _named(self, line: Asked) -> str:
        """Its label with the unit it is typed in."""
        unit = "°F" if self._fahrenheit(line) else line.unit.split(",")[0]
        return line.label if unit in ("", "A") else f"{line.label}, {unit}"

    def _logged(self, line: Asked) -> str:
        """What was typed, heat in °C: records are kept metric."""
        text = self.inputs[line.key].text().strip()
        if not text or not line.unit.startswith("°C"):
            return text
        try:
            return f"{parse_quantity(text, 'temperature', self.bench.units):.4g}"
        except Refusal:
            return text

    def _refresh_log(self) -> None:
        seams, states = self.bench.evaluation.results.seams, self.seam_states
        self.seam_box.clear()
        every, record = self.every_seam, self.bench.record
        for seam in every:
            self.seam_box.addItem(f"{seam.id}  {seam.title}: {record.seam_state(seam.edge)}", seam.id)
        seam = self.seam
        current = seam.id
        self.seam_box.setCurrentIndex([s.id for s in every].index(current))
        logged = sum(state != "open" for state in states.values())
        self.seam_words.setText(
            f"{seam.joint} joint, {show(seam.length_mm, 'length', self.bench.units)}. "
            f"{logged} of {len(seams)} seams logged."
        )
        sheet = self.bench.evaluation.results.sheet
        making = making_of(sheet)
        asked_for = f"{making.key} {sheet.key} {self.bench.units}"
        if self._defaults_for != asked_for:
            self._defaults_for = asked_for
            self._ask(making.asked(sheet))
            for line in self.log_lines:
                self.inputs[line.key].setText("" if line.seen else line.begin)
                if line.seen:
                    self.inputs[line.key].setPlaceholderText("as it was found")
                self.inputs[line.key].setCursorPosition(0)
                self.inputs[line.key].setToolTip(f"to begin with: {making.settings(sheet).source}")
        warning = repair_warning(self.bench.record.repairs(seam.edge))
        record, fluid = self.bench.record, self.bench.evaluation.results.fluid
        methods = {str(e.payload.get("test", {}).get("method")) for e in record.of_kind("hold")}
        ticked = {e.subject for e in record.all_entries if e.kind == "tick"}
        vapour = vapour_caution(fluid, methods, ticked)
        said = [x for x in (f"{current} {warning}" if warning else "", vapour) if x]
        self.warning.setVisible(bool(said))
        self.warning.setText("\n".join(said))
        if not unless_pressed(self.log_leaf, self._refresh):
            return
        clear(self.history)
        entries = self.bench.record.seam(seam.edge, standing=False)
        standing = {e.id for e in self.bench.record.standing}
        for entry in reversed(entries):
            self.history.addWidget(self._entry_row(entry, entry.id in standing))
        if not entries:
            self.history.addWidget(words("Nothing yet.", "quiet"))

    def _entry_row(self, entry: Entry, stands: bool) -> QWidget:
        row = QFrame()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 2, 0, 2)
        p = entry.payload
        said = {
            "weld": weld_words(p),
            "repair": "a repair taken back" if p.get("taken_back") else f"repair: {p.get('note', '')}",
            "leak": f"leak: {p.get('note', '')}",
        }[entry.kind]
        text = f"{entry.at[:16].replace('T', ' ')} {entry.who}\n{said}"
        if entry.corrects:
            text += f"\ncorrects entry {entry.corrects}"
        label = words(text if stands else f"{text}\n(corrected since)", "" if stands else "quiet")
        line.addWidget(label, 1)
        if stands and entry.kind == "repair" and not entry.payload.get("taken_back"):
            line.addWidget(button("Take back", f"take back {entry.id}", lambda: self.take_back(entry), "link"))
        if stands and entry.kind == "weld":
            line.addWidget(button("Correct", f"correct {entry.id}", lambda: self.log_weld(entry.id), "link"))
        return row

    def log_weld(self, corrects: int | None = None) -> None:
        """A weld entry for the seam in hand; a correction is a new entry that points to the old one."""
        payload = {line.key: self._logged(line) for line in self.log_lines} | {"visual": self.seen.currentText()}
        why = self.no_heat() or weld_refusal(payload, self.log_lines)
        if why:
            self.bench.said.emit("trouble", why)
            return
        if not self.add_seam_record("weld", payload, corrects):
            return
        for line in self.log_lines:
            if line.seen:  # each seam is measured and looked at by itself
                self.inputs[line.key].clear()
        if corrects is None:
            ahead = next((seam_id for seam_id, state in self.seam_states.items() if state == "open"), "")
            if ahead:
                self.bench.light(f"seam:{ahead}")

    def take_back(self, entry: Entry) -> None:
        """A repair that was none: another entry in its place; the leak stands again."""
        payload = {"edge": entry.payload.get("edge", entry.subject), "taken_back": True, "note": "taken back"}
        self.bench.add_record("repair", entry.subject, payload, entry.id)

    def log_repair(self) -> None:
        """A repair entry for the seam in hand."""
        note = self.repair_note.text().strip()
        if not note:
            self.bench.said.emit("trouble", "Say what was done: ground out how far, cleaned how, welded again")
            return
        if why := self.no_heat():
            self.bench.said.emit("trouble", worded(why, self.bench.units))
            return
        how = {key: self.inputs[key].text() for key in HOW if key in self.inputs}
        if self.add_seam_record("repair", {"note": note} | how):
            self.repair_note.clear()
