"""Prove: choose the test, read the gauge, watch the trace, mark leaks, and put the run on record.

The hold itself is a value of the core, kept in the register; this stage shows it and passes on what is typed.
"""

from __future__ import annotations

import math

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QComboBox, QLineEdit, QSlider, QWidget

from bathyx.core.build.trial import missing_for_proof, terms_for
from bathyx.core.proving.decay import Sample
from bathyx.core.proving.energy import stored_energy
from bathyx.core.proving.gauges import UNKNOWN, GaugeKind
from bathyx.core.proving.hold import Ending, Judgement, Terms, start_refusal
from bathyx.core.proving.least import over_pressure_kpa
from bathyx.core.proving.plan import CAUTIONS, METHODS, PlannedTest
from bathyx.core.units import QuantityError, parse_quantity, show, worded
from bathyx.desk.stages.build import BuildStage, WhoLine
from bathyx.desk.stages.gauge_post import BY_EYE, SIMULATED, GaugePost
from bathyx.desk.stages.prove_plan import PlanPanel
from bathyx.desk.theme import scaled
from bathyx.desk.views.bench_line import TileData
from bathyx.desk.views.fields import Card, Choice, FigureLine, button, words
from bathyx.draft.charts import design_chart
from bathyx.draft.picture import Picture
from bathyx.instruments.line import LineError
from bathyx.instruments.shop_gauges import GaugeListError, shop_gauges
from bathyx.instruments.simulated import RigSettings
from bathyx.register import HoldSession, OpenHold, RegisterError, finish, open_hold

STALE_S = 4.0
UNDER_PRESSURE = "Under pressure: stand clear of panels and caps, and never leave it alone."


class ProveStage(BuildStage):
    """The tests. Seams are drawn as in the build stage."""

    title, key = "Prove", "prove"

    def __init__(self, bench, theme) -> None:
        super().__init__(bench, theme)
        self.post = GaugePost()
        self.session: HoldSession | None = None
        self.trace: QWidget | None = None
        self.sim_speed, self.sim_leak = 60.0, 0.0
        self._open_for: object = None
        self._open: OpenHold | None = None
        self._left_here: set[int] = set()
        bench.leaving.connect(self.disconnect)
        self.timer = QTimer()
        self.timer.setInterval(120)
        self.timer.timeout.connect(self._poll)

    # -- the hold, as the record has it ---------------------------------------------------------------------------

    @property
    def hold(self) -> OpenHold | None:
        """The hold that is open: the one being read here, or what the record holds open."""
        if self.session is not None:
            return self.session.state
        entries = self.bench.record.all_entries
        key = (self.bench.job.uid, entries[-1].id if entries else 0)
        if self._open_for != key:
            self._open_for, self._open = key, open_hold(self.bench.register, self.bench.record)
        return self._open

    @property
    def running(self) -> bool:
        """Whether a hold goes on: read here, or timed by the clock."""
        return self.session is not None or (self.hold is not None and self.hold.terms.gauge is None)

    @property
    def broken_off(self) -> bool:
        """Whether the record holds a hold open whose gauge is read no more."""
        return self.hold is not None and not self.running and not self.elsewhere

    @property
    def elsewhere(self) -> bool:
        """Whether another bench is reading the hold that is open."""
        if self.session is not None or self.hold is None or self.hold.entry.id in self._left_here:
            return False
        return self.hold.read_elsewhere()

    @property
    def samples(self) -> list[Sample]:
        """Readings of the hold read here, or what the gauge sent lately."""
        return self.session.samples if self.session is not None else self.post.recent

    @property
    def now(self) -> Sample | None:
        """The gauge's last reading."""
        return self.post.now

    @property
    def simulated(self):
        """The simulated rig, while it is connected."""
        return self.post.simulated

    @property
    def sampler(self):
        """What reads the gauge."""
        return self.post.sampler

    @property
    def test(self) -> PlannedTest:
        """The test of the plan that is chosen."""
        return self.plan.test if self._card is not None else self.bench.job.proving.tests[0]

    # -- what is shown --------------------------------------------------------------------------------------------

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
        if self.bench.record.proven is not None:
            return TileData(figure, "proven tight", 1.0, "go", bears)
        state, said = self.worst()
        if tests:
            if tests[-1].payload["verdict"] == "leaks":
                return TileData(figure, "last: leaks", 0.6, "stop", bears)
            if proof.done:
                return TileData(figure, f"{proof.done} of {len(proof.rows)} tests tight", 0.7, "warn", bears)
            if tests[-1].payload.get("rehearsal"):
                return TileData(figure, "rehearsed only", 0.3, "warn", bears)
            if tests[-1].payload["verdict"] == "tight":
                return TileData(figure, "changed since: test again", 0.7, "warn", bears)
            return TileData(figure, f"last: {tests[-1].payload['verdict']}", 0.6, "warn", bears)
        return TileData(figure, said or "not tested", 0.1, state if said else "open", bears)

    @property
    def designing(self) -> bool:
        """Whether the designer's curve is what is looked at: asked for, and no gauge is read."""
        return self._card is not None and self.plan.design is not None and not self.post.connected and not self.running

    def flat(self) -> Picture:
        """The designer's curve, when it was asked for; else nothing, the trace stands there."""
        return design_chart(self.plan.design, self.bench.units) if self.designing else Picture(())

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
            samples = [Sample(*s) for s in self.bench.record.tests[-1].payload.get("samples", [])]
        if self.trace is not None:
            self.trace.show_samples(samples, self.bench.units)

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
        self.override = QLineEdit()
        self.override.setObjectName("override reason")
        self.override.setPlaceholderText("reason for going past what the tank bears")
        self.override.textChanged.connect(lambda _t: self._refresh_state())
        card.add(self.override)
        self.port = QComboBox()
        self.port.setObjectName("port")
        self.port.setEditable(True)
        self.port.addItems([SIMULATED, BY_EYE])
        self.port.currentTextChanged.connect(lambda _t: self._refresh_state())
        self.connect_button = button("Connect", "connect gauge", self.connect_or_leave)
        card.row(self.port, self.connect_button)
        self.kind_box = Choice(b, "Gauge kind", "gauge kind", self._kinds(), self._choose_kind, lambda: self.kind_name)
        self.kind_name = UNKNOWN.name
        card.column.addWidget(self.kind_box)
        self.sim_leak_field = QLineEdit("0")
        self.sim_leak_field.setObjectName("simulated leak")
        self.sim_leak_field.editingFinished.connect(self._take_sim_leak)
        self.sim_row = card.row(words("Rehearse a leak of, mL/min"), self.sim_leak_field)
        self.reading = words("", wrap=False)
        self.reading.setObjectName("reading")
        self.reading.setStyleSheet(scaled("font-size: 19pt; font-weight: bold;"))
        card.add(self.reading)
        self.pump = button("Pump up", "pump up", self.pump_up)
        self.vent_button = button("Let out", "vent", self.vent)
        card.row(self.pump, self.vent_button)
        self.typed_kpa, self.typed_baro = QLineEdit(), QLineEdit()
        self.typed_kpa.setObjectName("typed gauge")
        self.typed_baro.setObjectName("typed barometer")
        self.typed_kpa.textChanged.connect(lambda _t: self._refresh_state())
        self.typed_row = card.row(words("The gauge reads", wrap=False), self.typed_kpa)
        self.baro_row = card.row(words("The barometer reads, kPa", wrap=False), self.typed_baro)
        self.start_button = button("Start the hold", "start hold", self.start_hold, "main")
        self.finish_button = button("Finish and record", "finish test", self.finish, "main")
        card.row(self.start_button, self.finish_button)
        self.broken_button = button("Record the hold that was broken off", "record broken off", self.record_broken_off)
        card.add(self.broken_button)
        self.verdict = words("", wrap=True)
        self.verdict.setObjectName("verdict")
        card.add(self.verdict)
        self.leak = FigureLine(b, lambda: self.judgement().found.figure)
        card.column.addWidget(self.leak)
        self.state = words("")
        self.state.setObjectName("test state")
        card.add(self.state)
        card.head("A leak seen")
        self.leak_words = card.add(words("", "quiet"))
        self.share = QSlider()
        self.share.setObjectName("leak share")
        self.share.setOrientation(self.share.orientation().Horizontal)
        self.share.setRange(0, 100)
        self.share.setValue(50)
        card.add(self.share)
        self.leak_note = QLineEdit()
        self.leak_note.setObjectName("leak note")
        self.leak_note.setPlaceholderText("what was seen: bubbles, foam, a damp line")
        card.row(self.leak_note, button("Mark it", "mark leak", self.mark_leak, "danger"))
        card.head("The plan")
        card.add(self.plan)
        card.head("Tests of this tank")
        self.history = card.add(words(""))
        card.on_refresh(self._refresh_state)
        return card.finish()

    # -- the plan -------------------------------------------------------------------------------------------------

    def _choose_test(self, index: int) -> None:
        self.plan.choose(index)
        self.bench.lit_changed.emit()

    def _kinds(self) -> list[tuple[str, str]]:
        try:
            return [(name, name) for name in shop_gauges(self.bench.home) if name != SIMULATED]
        except GaugeListError as error:
            self.bench.said.emit("trouble", str(error))
            return [(UNKNOWN.name, UNKNOWN.name)]

    def _choose_kind(self, name: str) -> None:
        self.kind_name = name
        self._refresh_state()

    def _kind(self) -> GaugeKind:
        try:
            return shop_gauges(self.bench.home).get(self.kind_name, UNKNOWN)
        except GaugeListError:
            return UNKNOWN

    def _sensors(self) -> GaugeKind:
        """The gauge that a test would be read with."""
        from bathyx.instruments.shop_gauges import SIMULATED_KIND

        return self.post.kind or (SIMULATED_KIND if self.port.currentText() == SIMULATED else self._kind())

    def _energy(self):
        test = self.test
        return stored_energy(test.test_kpa if test.uses_air else 0.0, self.bench.evaluation.results.capacity.net.value)

    @property
    def by_eye(self) -> bool:
        """Whether the gauge is one that only eyes can read."""
        return self._card is not None and self.port.currentText().strip() == BY_EYE

    @property
    def over_limit(self) -> bool:
        """Whether the chosen test is above what the tank bears."""
        return over_pressure_kpa(self.test, self.bench.evaluation.results.strength.bears.value) > 0

    @property
    def missing(self) -> str:
        """What the build lacks before this test can prove."""
        return missing_for_proof(self.bench.evaluation, self.bench.record.ticks, self.seam_states, self.test.what)

    def terms(self) -> Terms:
        """The terms that a hold started now would freeze."""
        gauged = self.test.pressed and not self.by_eye and self.post.connected
        return terms_for(
            self.bench.evaluation,
            self.test,
            gauge=self.post.kind if gauged else None,
            identity=self.post.identity.words if gauged and self.post.identity else "",
            simulated=bool(gauged and self.post.identity and self.post.identity.simulated),
            begun_kpa=self._typed(self.typed_kpa) if self.test.pressed and self.by_eye else None,
            begun_baro_kpa=self._typed(self.typed_baro),
            override=self.override.text().strip(),
            missing=self.missing,
        )

    def _typed(self, edit: QLineEdit) -> float | None:
        """A pressure typed on the card; None where nothing or no number stands."""
        text = edit.text().strip()
        if not text:
            return None
        try:
            if edit is self.typed_baro:
                value = float(text.replace(",", "."))
                return value if 50 <= value <= 110 else None
            return parse_quantity(text, "pressure", self.bench.units)
        except (QuantityError, ValueError):
            return None

    def refusal(self) -> str:
        """Why a hold may not start now; empty when it may."""
        if not self.bench.who.strip():
            return "Type your name first: it goes on the record"
        if self.hold is not None:
            return (
                "Record the hold that is open before another is begun"
                if not self.elsewhere
                else "A hold is running at another bench"
            )
        if self.test.pressed and not self.by_eye and not self.post.connected:
            over = start_refusal(self.terms(), None)
            return over if over.startswith(("Refused", "Proves")) else "Connect a gauge"
        return worded(start_refusal(self.terms(), self.now), self.bench.units)

    # -- the gauge ------------------------------------------------------------------------------------------------

    def connect_or_leave(self) -> None:
        """Connect the gauge in the box, or let it go."""
        if self.post.connected:
            self.disconnect()
            return
        rig = RigSettings(
            volume_l=self.bench.evaluation.results.capacity.net.value,
            leak_ml_min=self.sim_leak,
            speed=self.sim_speed,
            seed=len(self.bench.record.tests),
        )
        try:
            self.post.connect(self.port.currentText().strip(), self._kind(), rig)
        except LineError as error:
            self.bench.said.emit("trouble", str(error))
            return
        self.timer.start()
        self.bench.lit_changed.emit()

    def disconnect(self) -> None:
        """Stop reading; a hold in progress stays open on record."""
        self.timer.stop()
        if self.session is not None:
            self._keep(self.session.keep)
            self._left_here.add(self.session.entry.id)
            self.session = None
            self._open_for = None
        self.post.leave()
        self._refresh_state()

    def _take_sim_leak(self) -> None:
        try:
            self.sim_leak = max(0.0, float(self.sim_leak_field.text().replace(",", ".")))
        except ValueError:
            self.bench.said.emit("trouble", f"{self.sim_leak_field.text()!r} is not a leak; write mL/min like 5")

    def pump_up(self) -> None:
        """Air into the simulated tank."""
        if self.simulated is not None:
            if self.over_limit and not self.override.text().strip():
                self.bench.said.emit("trouble", self.refusal())
                return
            self.simulated.rig.fill_to(self.test.test_kpa)

    def vent(self) -> None:
        """Air out of the simulated tank."""
        if self.simulated is not None:
            self.simulated.rig.vent()

    def _poll(self) -> None:
        read, trouble = self.post.drain()
        if trouble:
            self.bench.said.emit("trouble", trouble)
        if not read:
            if self.post.silent_s > STALE_S and self.now is not None:
                self.post.now = None
                self._refresh_state()
            return
        self._warn_of_pressure()
        if self.session is not None:
            began = self.began_at
            self._keep(
                lambda: self.session.add([Sample(s.t_s - began, s.gauge_kpa, s.temp_c, s.baro_kpa) for s in read])
            )
        self._show_trace()
        self._refresh_state()

    def _keep(self, do) -> None:
        """Put readings on record; a disk that fails is said, the hold goes on in memory."""
        try:
            do()
        except RegisterError as error:
            self.bench.said.emit("trouble", f"readings not on record yet: {error}")

    def _warn_of_pressure(self) -> None:
        """Say at once when the gauge is above what the tank bears."""
        bears = self.bench.evaluation.results.strength.bears.value
        if self.session is not None:
            bears = self.session.terms.bears_kpa
        if self.now is not None and self.now.gauge_kpa > bears and not self.override.text().strip():
            shown = (show(v, "pressure", self.bench.units, places=1) for v in (self.now.gauge_kpa, bears))
            self.bench.said.emit("trouble", "LET AIR OUT: {} is above the {} that the tank bears".format(*shown))

    # -- the run --------------------------------------------------------------------------------------------------

    def start_hold(self) -> None:
        """Begin the hold, unless something stands against it."""
        why = self.refusal()
        if why:
            self.bench.said.emit("trouble", why)
            return
        terms = self.terms()
        try:
            session = HoldSession(self.bench.register, self.bench.job, terms, self.bench.who)
        except RegisterError as error:
            self.bench.said.emit("trouble", str(error))
            return
        if terms.gauge is not None and self.now is not None:
            self.session, self.began_at = session, self.now.t_s
        self.typed_kpa.clear()
        self.typed_baro.clear()
        self.bench.read_again()

    def ending(self) -> Ending:
        """What is typed for the end of the hold."""
        return Ending(self._typed(self.typed_kpa), self._typed(self.typed_baro))

    def judgement(self) -> Judgement:
        """The verdict so far."""
        return self.hold.judged(self.bench.record, self.ending())

    def finish(self) -> None:
        """Put the run on record with its verdict, whatever it is."""
        if self.running:
            self._record(False)

    def record_broken_off(self) -> None:
        """Put a hold that was broken off on record, with what it can still prove."""
        if self.broken_off:
            self._record(True)

    def _record(self, broken_off: bool) -> None:
        hold = self.hold
        try:
            if self.session is not None:
                self.session.keep()
            judged = finish(
                self.bench.register, self.bench.job, hold, self.bench.record, self.bench.who, self.ending(), broken_off
            )
        except RegisterError as error:
            if "already" in str(error):
                self.session = None
            self.bench.read_again()
            self.bench.said.emit("trouble", str(error))
            return
        self.session = None
        self.typed_kpa.clear()
        self.typed_baro.clear()
        kind = "A rehearsal is on record" if judged.terms.rehearsal else "On record"
        self.bench.read_again()
        self.bench.said.emit("note", f"{kind}: {judged.verdict}. {worded(judged.reason, self.bench.units)}")

    def mark_leak(self) -> None:
        """A leak on the lit seam, on record at once; a running test counts it by the record."""
        if not self.bench.lit.startswith("seam:"):
            self.bench.said.emit("trouble", "Pick the seam on the drawing first, then mark the leak on it")
            return
        leak = {"share": self.share.value() / 100, "note": self.leak_note.text().strip() or "seen"}
        if self.add_seam_record("leak", leak):
            self.leak_note.clear()

    # -- refreshing -----------------------------------------------------------------------------------------------

    def _show_verdict(self, verdict: Judgement) -> None:
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

    def _refresh_state(self) -> None:
        if self._card is None:
            return
        b, test = self.bench, self.test
        hold = self.hold
        self._refresh_which()
        proof = b.record.proof
        left = [row for row in proof.rows if row[1] is None]
        self.standing.setText(
            "" if not b.record.tests else "All tests of the plan are tight." if proof.whole
            else f"{proof.done} of {len(proof.rows)} tests of the plan are tight; {len(left)} to go."
        )  # fmt: skip
        self.standing.setVisible(bool(self.standing.text()))
        under = self.running and hold is not None and hold.terms.test.pressed
        self.caution.setText(UNDER_PRESSURE if under else CAUTIONS[test.method])
        self.energy.setVisible(test.uses_air)
        self.override.setVisible(self.over_limit)
        self.connect_button.setText("Connect" if not self.post.connected else "Let go")
        for widget in (self.pump, self.vent_button):
            widget.setVisible(self.simulated is not None)
        port = self.port.currentText().strip()
        self.sim_row.setVisible(not self.post.connected and port == SIMULATED and test.uses_air)
        self.kind_box.setVisible(test.pressed and not self.by_eye and port != SIMULATED and not self.post.connected)
        self.kind_box.refresh()
        self.port.setVisible(test.pressed)
        for widget in (self.connect_button, self.reading):
            widget.setVisible(test.pressed and not self.by_eye)
        self.port.setEnabled(not self.post.connected)
        eye = hold.terms.by_eye if hold is not None else test.pressed and self.by_eye
        self.typed_row.setVisible(eye)
        unit = "psi" if str(b.units) == "us" else "kPa"
        self.typed_kpa.setPlaceholderText(f"{'at the end' if self.running else 'now'}, {unit}")
        kind = hold.terms.gauge if hold is not None else self.post.kind
        blind = kind is not None and not kind.barometer and not kind.absolute and test.method == "decay"
        self.baro_row.setVisible(blind)
        self.typed_baro.setPlaceholderText("at the end" if self.running else "at the start")
        if self.now is not None:
            self.reading.setText(f"{show(self.now.gauge_kpa, 'pressure', b.units)}   {self.now.temp_c:.1f} °C")
        else:
            self.reading.setText("no reading" if self.post.connected else "no gauge")
        self.broken_button.setVisible(self.broken_off)
        self.start_button.setVisible(not self.running)
        self.start_button.setText("Rehearse the hold" if self.missing else "Start the hold")
        self.finish_button.setVisible(self.running)
        self.finish_button.setText(
            "Finish the rehearsal" if hold is not None and hold.terms.rehearsal else "Finish and record"
        )
        self._refresh_words(hold)
        self._refresh_history()

    def _refresh_words(self, hold: OpenHold | None) -> None:
        b = self.bench
        said = []
        if self.running:
            verdict = self.judgement()
            self.leak.setVisible(verdict.found is not None)
            if verdict.found is not None:
                self.leak.refresh()
                self.leak.value.setText(leak_shown(verdict, b.units))
            self._show_verdict(verdict)
            said.append(worded(f"After {verdict.held_s / 60:.1f} min. {verdict.reason}.", b.units))
            said.append(worded(f"This hold runs on its own terms: {hold.terms.test.words}.", b.units))
        else:
            self.leak.hide()
            self.verdict.hide()
            if self.elsewhere:
                said.append(f"A hold begun by {hold.entry.who} is being read at another bench.")
            if self.broken_off:
                said.append(
                    f"A hold begun by {hold.entry.who} was broken off after {hold.held_s / 60:.1f} min; record it."
                )
            said.append(self.refusal() or "Ready: start the hold.")
        lacking = hold.terms.missing if hold is not None else self.missing
        if lacking:
            said.append(f"A rehearsal, it proves nothing: {lacking}.")
        if self.simulated:
            said.append(f"The gauge is simulated, its clock {self.sim_speed:g} times as fast.")
        self.state.setText("  ".join(said))
        picked = b.lit.startswith("seam:")
        where = f"On {self.seam.id}, at the share of its length:"
        self.leak_words.setText(where if picked else "Pick the seam on the drawing first.")

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
        self.history.setText("\n\n".join(lines) or "None yet.")


def leak_shown(verdict: Judgement, units) -> str:
    """A leak for reading: none seen, with what it is under, instead of a figure below zero."""
    found = verdict.found
    low, high = found.interval
    if found.ml_min <= 0 or low <= 0:
        return f"none seen, under {show(max(high, 0.0), 'leak', units)}" if high > 0 else "disturbed"
    return show(found.ml_min, "leak", units)
