"""Prove: choose the test, read the gauge, watch the trace, mark leaks, and put the run on record.

This file shows; what runs is in prove_run.py, what else is put on record in prove_records.py, what is planned in prove_plan.py.
"""

from __future__ import annotations

import math
import time

from PyQt6.QtWidgets import QWidget

from bathyx.core.formula import Figure
from bathyx.core.proving.decay import Sample
from bathyx.core.proving.gauges import UNKNOWN
from bathyx.core.proving.hold import Outcome, thinned
from bathyx.core.proving.judgement import LESS
from bathyx.core.proving.plan import CAUTIONS, METHODS
from bathyx.core.proving.questions import protocol
from bathyx.core.units import Family, show, worded
from bathyx.desk.stages.build.stage import WhoLine
from bathyx.desk.stages.prove.gauge_post import BY_EYE, SIMULATED
from bathyx.desk.stages.prove.plan import PlanPanel
from bathyx.desk.stages.prove.records import ProveRecords
from bathyx.desk.stages.prove.run import STALE_S
from bathyx.desk.study import KeptStudy
from bathyx.desk.theme import scaled
from bathyx.desk.views.card import Card
from bathyx.desk.views.fields import Choice, FigureLine, bare_unit, button, words
from bathyx.desk.views.plain import Pick, Slider, TextLine
from bathyx.desk.views.tile_data import TileData
from bathyx.draft.charts import design_chart, protocol_chart
from bathyx.draft.picture import Picture, stacked
from bathyx.instruments.profiles import ports
from bathyx.register import OpenHold

THERMOMETER_PLACES = ("in the air of the tank", "on the tank's wall", "in the room", "in the gauge")
DONE_WORDS = {
    "draw": "It is out",
    "return": "It is in again",
    "open": "The known leak is open",
    "shut": "The known leak is shut",
    "vent": "The air is out",
    "rest": "The valve is shut",
    "end": "The rest is over",
}
UNDER_PRESSURE = "Under pressure: stand clear of panels and caps, and never leave it alone."


class ProveStage(ProveRecords):
    """The tests. Seams are drawn as in the build stage."""

    _traced: tuple[int, list[Sample]] | None = None

    # -- what is shown --------------------------------------------------------------------------------------------

    def studies(self) -> tuple[KeptStudy, ...]:
        """The designer of the plan, once there is a card."""
        return (self.plan.study,) if self._card is not None else ()

    def tile(self) -> TileData:
        """Planned pressure, and where the proof stands."""
        proof, tests = self.bench.record.proof, self.bench.record.tests
        first = self.bench.job.proving.tests[0]
        figure = (
            show(first.test_kpa, "pressure", self.bench.units, places=1) if first.pressed else METHODS[first.method]
        )
        figure = figure.split(",")[0]
        bears = self.bench.evaluation.results.strength.bears.explain()
        if self.running:
            return TileData(figure, "hold running", 0.5, "warn", bears)
        if proof.whole:
            return TileData(figure, "proven tight", 1.0, "go", bears)
        state, said = self.worst()
        if proof.state == "leak known":
            return TileData(figure, "leak known", 0.6, "stop", bears)
        if tests:
            if proof.done:
                return TileData(figure, f"{proof.done} of {len(proof.rows)} tests tight", 0.7, "warn", bears)
            words_ = {
                "rehearsal": "rehearsed only",
                "void": "changed since: test again",
                LESS: "proven for less",
                "not tested": self._last_words(),
            }
            return TileData(figure, words_[proof.state], 0.3 if proof.state == "rehearsal" else 0.7, "warn", bears)
        return TileData(figure, said or "not tested", 0.1, state if said else "open", bears)

    def _last_words(self) -> str:
        """How the last run ended, in a word or two: a rehearsal is none."""
        last = self.bench.record.tests[-1].payload
        return "rehearsed only" if last.get("rehearsal") else f"last: {last.get('verdict')}"

    @property
    def designing(self) -> bool:
        """Whether the designer's curve is what is looked at: asked for, and no gauge is read."""
        return self._card is not None and self.plan.design is not None and not self.post.connected and not self.running

    def flat(self) -> Picture:
        """The designer's curve, when it was asked for; else nothing, the trace stands there."""
        design = self.plan.design if self.designing else None
        if design is None:
            return Picture(())
        b, test = self.bench, self.test
        volume, rate = self._known()
        litres = b.evaluation.results.capacity.net.value
        steps = protocol(design.hold_min or test.hold_min, volume, rate)
        asked = protocol_chart(steps, litres, test.test_kpa, test.leak_limit_ml_min, b.units)
        return stacked([design_chart(design, b.units), asked], 34)

    def flat_widget(self) -> QWidget | None:
        """The pressure trace, unless the designer's curve is looked at."""
        if self.designing:
            return None
        if self.trace is None:
            from bathyx.desk.views.trace import Trace

            self.trace = Trace(self.theme)
        self._show_trace()
        return self.trace

    def _show_trace(self) -> None:
        samples = self.samples
        if not self.running and not self.post.connected and self.bench.record.tests:
            samples = self._last_trace()
        if self.trace is not None:
            self.trace.show_samples(samples, self.bench.units)

    def _last_trace(self) -> list[Sample]:
        """The readings of the last test, read from the register once."""
        last = self.bench.record.tests[-1]
        if self._traced is None or self._traced[0] != last.id:
            self._traced = (last.id, thinned(self.bench.record.trace(last)))
        return self._traced[1]

    def _leak_figure(self) -> Figure:
        found = self.judgement().found
        assert found is not None  # shown only where a leak was reckoned
        return found.figure

    def picked(self, tag: str, share: float = 0.5) -> None:
        """A seam picked is where a leak would be marked."""
        self.bench.light(tag)
        if tag.startswith("seam:") and self._card is not None:
            self.share.setValue(round(share * 100))
        self._refresh_state()

    def make_card(self) -> Card:
        """Which test, safety, gauge, run, leaks, plan."""
        b = self.bench
        card = Card(b)
        card.add(WhoLine(b))
        self.plan = PlanPanel(b, self._sensors)
        self.which = Choice(b, "Test", "which test", [], self._choose_test, lambda: self.plan.index)
        card.column.addWidget(self.which)
        self.standing = card.add(words("", "quiet"))
        self.standing.setObjectName("proof")
        self.energy = card.add(FigureLine(b, self._energy))
        card.add(FigureLine(b, lambda: b.evaluation.results.strength.bears))
        self.caution = card.add(words("", "caution"))
        self.override = TextLine()
        self.override.setObjectName("override reason")
        self.override.setPlaceholderText("reason for going past what the tank bears")
        self.override.textChanged.connect(lambda _t: self._take_override())
        card.add(self.override)
        card.head("The gauge", lambda: self.reading.text() or "not connected")
        self._gauge_part(card)
        self._hold_shown = (False, False)
        self.hold_drawer = card.head("The hold", lambda: self.verdict.text().partition(":")[0].lower())
        self._run_part(card)
        self._question_part(card)
        self._leak_part(card)
        card.head("The plan", lambda: f"{len(b.job.proving.tests)} tests")
        card.add(self.plan)
        card.head("A trace of another logger")
        self.trace_path, self.trace_columns = TextLine(), TextLine()
        self.trace_path.setObjectName("trace file")
        self.trace_path.setPlaceholderText("its file, a table of any logger")
        self.trace_columns.setObjectName("trace columns")
        self.trace_columns.setPlaceholderText("time=Date; pressure=CH1 psi; temperature=CH2 F")
        card.add(self.trace_path)
        card.add(self.trace_columns)
        card.add(button("Bring it in as this test", "bring in", self.bring_in))
        card.head("Tests of this tank", lambda: str(len(b.record.tests)))
        self.runs = card.add(words(""))
        card.on_refresh(self._refresh_state)
        return card.finish()

    def _gauge_part(self, card: Card) -> None:
        """Which gauge, and what it reads."""
        b = self.bench
        self.port = Pick()
        self.port.setObjectName("port")
        self.port.setEditable(True)
        self.port.addItems([SIMULATED, BY_EYE, *(f"{device}  {called}" for device, called in ports())])
        self.port.currentTextChanged.connect(lambda _t: self._refresh_state())
        self.connect_button = button("Connect", "connect gauge", self.connect_or_leave)
        card.row(self.port, self.connect_button)
        self.kind_box = Choice(b, "Gauge kind", "gauge kind", self._kinds(), self._choose_kind, lambda: self.kind_name)
        self.kind_name = UNKNOWN.name
        card.column.addWidget(self.kind_box)
        self.sim_leak_field = TextLine()
        self.sim_leak_field.setObjectName("simulated leak")
        self.sim_leak_field.editingFinished.connect(self._take_sim_leak)
        self.sim_row = card.row(words("Rehearse a leak of"), self.sim_leak_field)
        self.reading = words("", wrap=False)
        self.reading.setObjectName("reading")
        self.reading.setStyleSheet(scaled("font-size: 19pt; font-weight: bold;"))
        card.add(self.reading)
        self.pump = button("Pump up", "pump up", self.pump_up)
        self.vent_button = button("Let out", "vent", self.vent)
        card.row(self.pump, self.vent_button)
        self.typed_kpa, self.typed_baro = TextLine(), TextLine()
        self.typed_kpa.setObjectName("typed gauge")
        self.typed_baro.setObjectName("typed barometer")
        self.typed_kpa.textChanged.connect(lambda _t: self._refresh_state())
        self.typed_row = card.row(words("The gauge reads", wrap=False), self.typed_kpa)
        self.baro_row = card.row(words("The barometer reads", wrap=False), self.typed_baro)
        self.thermometer = Pick()
        self.thermometer.setObjectName("thermometer place")
        self.thermometer.addItems(THERMOMETER_PLACES)
        self.place_row = card.row(words("Thermometer", wrap=False), self.thermometer)
        self.blanked = TextLine()
        self.blanked.setObjectName("blanked off")
        self.blanked.setPlaceholderText("what closes the openings: caps, plugs, plate")
        card.add(self.blanked)

    def _run_part(self, card: Card) -> None:
        """Start, finish, and the verdict so far."""
        self.start_button = button("Start the hold", "start hold", self.start_hold, "main")
        self.finish_button = button("Finish and record", "finish test", self.finish, "main")
        card.row(self.start_button, self.finish_button)
        self.broken_button = button("Record the hold that was broken off", "record broken off", self.record_broken_off)
        card.add(self.broken_button)
        self.verdict = words("", wrap=True)
        self.verdict.setObjectName("verdict")
        card.add(self.verdict)
        self.leak = FigureLine(self.bench, self._leak_figure)
        card.column.addWidget(self.leak)
        self.state = words("")
        self.state.setObjectName("test state")
        card.add(self.state)

    def _question_part(self, card: Card) -> None:
        """Questions put to the tank: one button, the next step in words."""
        self.question_words = card.add(words("", "caution"))
        self.question_words.setObjectName("question")
        self.ask_button = card.add(button("Done", "ask next", self.ask_next, "main"))
        self.syringe, self.known_leak = TextLine(), TextLine()
        self.syringe.setObjectName("syringe")
        self.known_leak.setObjectName("known leak")
        self.syringe_row = card.row(words("Syringe", wrap=False), self.syringe)
        self.known_row = card.row(words("Known leak", wrap=False), self.known_leak)

    def _refresh_questions(self) -> None:
        step = self.next_question()
        decay = self.test.method == "decay" and not self.by_eye
        self.syringe_row.setVisible(decay and not self.running)
        self.known_row.setVisible(decay and not self.running)
        if decay and not self.running:
            volume, rate = self._known()
            self.syringe.setPlaceholderText(show(volume, "dose", self.bench.units))
            self.known_leak.setPlaceholderText(show(rate, "leak", self.bench.units))
        self.question_words.setVisible(step is not None)
        self.ask_button.setVisible(step is not None)
        if step is None or self.session is None:
            return
        at = self.session.samples[-1].t_s if self.session.samples else 0.0
        wait = step.from_s - at
        asked = len(self.hold.marks(self.bench.record)) if self.hold is not None else 0
        when = "now" if wait <= 0 else f"in {wait / 60:.0f} min" if wait >= 60 else "in less than a minute"
        self.question_words.setText(f"Question {asked + 1} of 9, {when}: {step.words}. Then press.")
        self.ask_button.setText(DONE_WORDS[step.what])
        self.ask_button.setEnabled(wait <= 0)

    def _leak_part(self, card: Card) -> None:
        """A leak on the seam that is picked."""
        card.head(
            "A leak seen",
            lambda: f"{len(self.bench.record.proof.leaks)} stand" if self.bench.record.proof.leaks else "none",
        )
        self.leak_words = card.add(words("", "quiet"))
        self.share = Slider()
        self.share.setObjectName("leak share")
        self.share.setOrientation(self.share.orientation().Horizontal)
        self.share.setRange(0, 100)
        self.share.setValue(50)
        card.add(self.share)
        self.leak_note = TextLine()
        self.leak_note.setObjectName("leak note")
        self.leak_note.setPlaceholderText("what was seen: bubbles, foam, a damp line")
        card.row(self.leak_note, button("Mark it", "mark leak", self.mark_leak, "danger"))
        self.mended = TextLine()
        self.mended.setObjectName("mended note")
        self.mended.setPlaceholderText("what leaked that is no seam, what was done")
        self.mended_row = card.row(self.mended, button("Log it", "log mended", self.log_mended))
        self.let_out_button = card.add(button("The air was let out, I say so", "say let out", self.say_let_out))

    # -- refreshing -----------------------------------------------------------------------------------------------

    def _show_verdict(self, verdict: Outcome) -> None:
        """The verdict so far, large; undecided it says how much longer."""
        said = verdict.verdict.upper()
        if verdict.terms.rehearsal:
            said = f"REHEARSAL: {verdict.verdict}"
        if verdict.more_min is not None:
            said += f": hold at least {max(1, math.ceil(verdict.more_min))} min more"
        role = {"tight": "go", "leaks": "stop"}.get(verdict.verdict, "warn")
        if verdict.terms.rehearsal and role == "go":
            role = "warn"
        self.verdict.setStyleSheet(scaled(f"font-size: 15pt; font-weight: bold; color: {self.theme.colours[role]};"))
        self.verdict.setText(said)
        self.verdict.show()

    def _refresh_which(self) -> None:
        rows = self.bench.record.proof.rows
        options = []
        for k, test in enumerate(self.plan.tests):
            done = k < len(rows) and rows[k][1] is not None
            what = "" if test.what == "tank" else f" ({test.what})"
            options.append(
                (k, f"{k + 1} of {len(self.plan.tests)}: {METHODS[test.method]}{what}{'  ✓' if done else ''}")
            )
        if options != self.which.options:
            self.which.offer(options)
        self.which.refresh()

    def _show_hold(self, card: Card) -> None:
        """The hold's drawer comes first once there is a gauge to hold by, and again when it begins."""
        step = (self.now is not None, self.running)
        if step != self._hold_shown:
            self._hold_shown = step
            if any(step):
                card.bring(self.hold_drawer)

    def _refresh_state(self) -> None:
        if self._card is None:
            return
        self._show_hold(self._card)
        b, test = self.bench, self.test
        hold = self.hold
        self._refresh_which()
        proof = b.record.proof
        left = [row for row in proof.rows if row[1] is None]
        first = f" {worded(proof.words, b.units)[:1].upper()}{worded(proof.words, b.units)[1:]}."
        self.standing.setText(
            "" if not b.record.tests and not proof.leaks else "All tests of the plan are tight." if proof.whole
            else f"{proof.done} of {len(proof.rows)} tests of the plan are tight; {len(left)} to go.{first}"
        )  # fmt: skip
        self.standing.setVisible(bool(self.standing.text()))
        self.let_out_button.setVisible(self.lost_test is not None)
        self.mended_row.setVisible(self.leak_without_place)
        self._drop_override()
        under = self.running and hold is not None and hold.terms.test.pressed
        self.caution.setText(UNDER_PRESSURE if under else CAUTIONS[test.method])
        self.energy.setVisible(test.uses_air)
        self.override.setVisible(self.over_limit)
        self.connect_button.setText("Connect" if not self.post.connected else "Let go")
        for widget in (self.pump, self.vent_button):
            widget.setVisible(self.simulated is not None)
        port = self.port.currentText().strip()
        self.sim_row.setVisible(not self.post.connected and port == SIMULATED and test.uses_air)
        self.sim_leak_field.setPlaceholderText(show(0.0, "leak", b.units))
        self.kind_box.setVisible(test.pressed and port != SIMULATED and not self.post.connected)
        self.place_row.setVisible(test.pressed and not self.by_eye and not self.running)
        self.blanked.setVisible(test.pressed and not self.running)
        self.kind_box.refresh()
        self.port.setVisible(test.pressed)
        gauged = test.pressed and not self.by_eye
        self.connect_button.setVisible(gauged)
        self.reading.setVisible(gauged)
        self.port.setEnabled(not self.post.connected)
        eye = hold.terms.by_eye if hold is not None else test.pressed and self.by_eye
        self.typed_row.setVisible(eye)
        unit = bare_unit("pressure", b.units)
        self.typed_kpa.setPlaceholderText(f"{'at the end' if self.running else 'now'}, {unit}")
        kind = hold.terms.gauge if hold is not None else self.post.kind
        blind = kind is not None and not kind.barometer and not kind.absolute and test.method == "decay"
        self.baro_row.setVisible(blind)
        when = "at the end" if self.running else "at the start"
        self.typed_baro.setPlaceholderText(f"{when}, {bare_unit('barometer', b.units)}")
        if self.now is not None:
            kpa = self.above_air_kpa or 0.0
            self.reading.setText(
                f"{show(kpa, 'pressure', b.units)}   {show(self.now.temp_c, 'temperature', b.units, places=1)}"
            )
        else:
            waited = f"no reading for {self.post.silent_s:.0f} s" if self.post.silent_s > STALE_S else "no reading yet"
            self.reading.setText(waited if self.post.connected else "no gauge")
        self.broken_button.setVisible(self.broken_off)
        self.start_button.setVisible(not self.running)
        self.start_button.setText("Rehearse the hold" if self.missing else "Start the hold")
        self.finish_button.setVisible(self.running)
        self.finish_button.setText(
            "Finish the rehearsal" if hold is not None and hold.terms.rehearsal else "Finish and record"
        )
        self._refresh_words(hold)
        self._refresh_questions()
        self._refresh_history()

    def _refresh_words(self, hold: OpenHold | None) -> None:
        b = self.bench
        said = []
        if self.running and hold is not None:
            verdict = self.judgement()
            self.leak.setVisible(verdict.found is not None)
            if verdict.found is not None:
                self.leak.refresh()
                self.leak.value.setWordWrap(True)  # "none seen, under 0.025 cu in/min" is a line and a half
                self.leak.value.setText(leak_shown(verdict, b.units))
            self._show_verdict(verdict)
            said.append(worded(f"After {verdict.held_s / 60:.1f} min. {verdict.reason}.", b.units))
            said.append(worded(f"This hold runs on its own terms: {hold.terms.test.words}.", b.units))
        else:
            self.leak.hide()
            self.verdict.hide()
            if self.elsewhere and hold is not None:
                said.append(f"A hold begun by {hold.entry.who} is being read at another bench.")
            if self.broken_off and hold is not None:
                said.append(
                    f"A hold begun by {hold.entry.who} was broken off after {hold.held_s / 60:.1f} min; record it."
                )
            said.append(self.refusal() or "Ready: start the hold.")
        lacking = hold.terms.missing if hold is not None else self.missing
        if lacking:
            said.append(f"A rehearsal, it proves nothing: {lacking}.")
        kind = hold.terms.gauge if hold is not None else self._sensors()
        if kind is not None and kind.overdue(time.strftime("%Y-%m-%d")):
            said.append(f"{kind.name}: its check was due {kind.check_due}. Have it checked, or read another gauge.")
        if self.simulated:
            said.append(f"The gauge is simulated, its clock {self.sim_speed:g} times as fast.")
        self.state.setText("  ".join(said))
        picked = any(b.lit in (f"seam:{s.id}", s.edge) for s in self.every_seam)
        where = f"On {self.seam.id}, at the share of its length:"
        self.leak_words.setText(where if picked else "Pick the seam or fitting on the drawing first.")

    def _refresh_history(self) -> None:
        lines = []
        for entry in reversed(self.bench.record.tests):
            p = entry.payload
            kind = "REHEARSAL, " if p.get("rehearsal") else ""
            what = "" if p.get("what", "tank") == "tank" else f" of {p['what']}"
            lines.append(
                f"{entry.at[:16].replace('T', ' ')} {entry.who}: {kind}{METHODS[p['method']].lower()}{what}, "
                f"{p['verdict'].upper()}. {worded(p['reason'], self.bench.units)}"
            )
        self.runs.setText("\n\n".join(lines) or "None yet.")


def leak_shown(verdict: Outcome, units: Family) -> str:
    """A leak for reading: none seen, with what it is under, instead of a figure below zero."""
    found = verdict.found
    if found is None:
        return ""
    low, high = found.interval
    if found.ml_min <= 0 or low <= 0:
        return f"none seen, under {show(max(high, 0.0), 'leak', units)}" if high > 0 else "disturbed"
    return show(found.ml_min, "leak", units)
