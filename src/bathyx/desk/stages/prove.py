"""Prove: plan the test, read the gauge, watch the trace, mark leaks, and put the run on record."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from datetime import datetime

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QComboBox, QLineEdit, QSlider, QWidget

from bathyx.core.proving.decay import Sample
from bathyx.core.proving.energy import stored_energy
from bathyx.core.proving.plan import CAUTIONS, METHODS, USUAL_HOLD_MIN, ProvingPlan
from bathyx.core.proving.testrun import Judgement, judge
from bathyx.core.units import show
from bathyx.desk.stages.build import BuildStage, WhoLine
from bathyx.desk.views.bench_line import TileData
from bathyx.desk.views.fields import Card, Choice, Field, FigureLine, button, words
from bathyx.draft.picture import Picture
from bathyx.instruments.gauge import Gauge, Identity
from bathyx.instruments.line import LineError, SerialLine
from bathyx.instruments.sampler import Sampler
from bathyx.instruments.simulated import RigSettings, SimulatedGauge
from bathyx.register import HoldJournal

MOST_SAMPLES_KEPT = 2000
BEGUN = "test begun"
SIMULATED, BY_EYE = "simulated gauge", "gauge read by eye"
NEAR_TARGET = 0.15


def _kept(samples: Sequence[Sample]) -> list[list[float]]:
    """Readings as the register keeps them, thinned evenly to at most MOST_SAMPLES_KEPT."""
    step = max(1, -(-len(samples) // MOST_SAMPLES_KEPT))
    return [[round(s.t_s, 2), round(s.gauge_kpa, 4), round(s.temp_c, 3)] for s in samples[::step]]


class ProveStage(BuildStage):
    """The test. Seams are drawn as in the build stage."""

    title, key = "Prove", "prove"

    def __init__(self, bench, theme) -> None:
        super().__init__(bench, theme)
        self.sampler: Sampler | None = None
        self.simulated: SimulatedGauge | None = None
        self.identity: Identity | None = None
        self.now: Sample | None = None
        self.samples: list[Sample] = []
        self.held_from: float | None = None
        self.leaks: list[dict[str, object]] = []
        self.trace: QWidget | None = None
        self.sim_speed, self.sim_leak = 60.0, 0.0
        bench.leaving.connect(self.disconnect)
        self.timer = QTimer()
        self.timer.setInterval(120)
        self.timer.timeout.connect(self._poll)

    # -- what is shown --------------------------------------------------------------------------------------------

    def tile(self) -> TileData:
        """Planned pressure, and where the proof stands."""
        plan, tests = self.bench.job.proving, self.bench.record.tests
        figure = show(plan.test_kpa, "pressure", self.bench.units, places=1) if plan.uses_air else "water"
        bears = self.bench.evaluation.results.strength.bears.explain()
        if self.running:
            return TileData(figure, "hold running", 0.5, "warn", bears)
        if self.bench.record.proven is not None:
            return TileData(figure, "proven tight", 1.0, "go", bears)
        state, said = self.worst()
        if tests:
            last = tests[-1].payload["verdict"]
            if last == "tight":
                return TileData(figure, "changed since: test again", 0.7, "warn", bears)
            return TileData(figure, f"last: {last}", 0.6, "stop" if last == "leaks" else "warn", bears)
        return TileData(figure, said or "not tested", 0.1, state if said else "open", bears)

    def flat(self) -> Picture:
        """Nothing: the trace stands there."""
        return Picture(())

    def flat_widget(self) -> QWidget | None:
        """The pressure trace."""
        if self.trace is None:
            from bathyx.desk.views.trace import Trace

            self.trace = Trace(self.theme)
        self._show_trace()
        return self.trace

    def _show_trace(self) -> None:
        samples = self.samples
        if self.held_from is None and self.bench.record.tests and self.sampler is None:
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
        """Plan, safety, gauge, run, leaks."""
        b = self.bench
        card = Card(b)
        card.add(WhoLine(b))
        self.energy = card.add(FigureLine(b, self._energy))
        card.add(FigureLine(b, lambda: b.evaluation.results.strength.bears))
        self.caution = card.add(words("", "caution"))
        self.override = QLineEdit()
        self.override.setObjectName("override reason")
        self.override.setPlaceholderText("reason for going past what the panels bear")
        self.override.textChanged.connect(lambda _t: self._refresh_state())
        card.add(self.override)
        self.port = QComboBox()
        self.port.setObjectName("port")
        self.port.setEditable(True)
        self.port.addItems([SIMULATED, BY_EYE])
        self.port.currentTextChanged.connect(lambda _t: self._refresh_state())
        self.connect_button = button("Connect", "connect gauge", self.connect_or_leave)
        card.row(self.port, self.connect_button)
        self.sim_leak_field = QLineEdit("0")
        self.sim_leak_field.setObjectName("simulated leak")
        self.sim_leak_field.editingFinished.connect(self._take_sim_leak)
        self.sim_row = card.row(words("Rehearse a leak of, mL/min"), self.sim_leak_field)
        self.reading = words("", wrap=False)
        self.reading.setObjectName("reading")
        self.reading.setStyleSheet("font-size: 19pt; font-weight: bold;")
        card.add(self.reading)
        self.pump = button("Pump up", "pump up", self.pump_up)
        self.vent_button = button("Let out", "vent", self.vent)
        self.start_button = button("Start the hold", "start hold", self.start_hold, "main")
        self.finish_button = button("Finish and record", "finish test", self.finish, "main")
        card.row(self.pump, self.vent_button)
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
        card.head("The plan")
        card.add(Choice(b, "Method", "proving.method", list(METHODS.items()), take=self._take_method))
        card.add(Field(b, "Pressure", "proving.test_kpa", "pressure"))
        card.add(Field(b, "Hold, minutes", "proving.hold_min", "number"))
        card.add(Field(b, "Leak that counts, mL/min", "proving.leak_limit_ml_min", "number"))
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
        card.head("Tests of this tank")
        self.history = card.add(words(""))

        def also() -> None:
            self._refresh_state()

        card.on_refresh(also)
        return card.finish()

    # -- the plan -------------------------------------------------------------------------------------------------

    def _take_method(self, method: str) -> None:
        self.bench.edit({"proving.method": method, "proving.hold_min": USUAL_HOLD_MIN[method]}, "test method")

    def _energy(self):
        plan = self.bench.job.proving
        return stored_energy(plan.test_kpa if plan.uses_air else 0.0, self.bench.evaluation.results.capacity.net.value)

    @property
    def by_eye(self) -> bool:
        """Whether the gauge is one that only eyes can read."""
        return self._card is not None and self.port.currentText().strip() == BY_EYE

    @property
    def over_limit(self) -> bool:
        """Whether the planned pressure is above what the panels bear."""
        plan = self.bench.job.proving
        return plan.uses_air and plan.test_kpa > self.bench.evaluation.results.strength.bears.value

    def refusal(self) -> str:
        """Why a hold may not start now; empty when it may."""
        plan, b = self.bench.job.proving, self.bench
        if not b.who.strip():
            return "Type your name first: it goes on the record"
        if self.over_limit and not self.override.text().strip():
            bears = show(b.evaluation.results.strength.bears.value, "pressure", b.units)
            return (
                f"Refused: {show(plan.test_kpa, 'pressure', b.units)} is above the {bears} that the panels bear. "
                "Lower it, or write the reason for going past"
            )
        if not plan.uses_air:
            return ""
        if self.by_eye:
            return "A decay needs its readings: connect a gauge" if plan.method == "decay" else ""
        if self.sampler is None or self.now is None:
            return "Connect a gauge"
        if abs(self.now.gauge_kpa - plan.test_kpa) > NEAR_TARGET * plan.test_kpa:
            return f"Bring the tank to {show(plan.test_kpa, 'pressure', b.units)}"
        return ""

    # -- the gauge ------------------------------------------------------------------------------------------------

    def connect_or_leave(self) -> None:
        """Connect the gauge in the box, or let it go."""
        if self.sampler is not None:
            self.disconnect()
            return
        port = self.port.currentText().strip()
        try:
            if port == SIMULATED:
                volume = self.bench.evaluation.results.capacity.net.value
                self.simulated = SimulatedGauge(
                    RigSettings(
                        volume_l=volume,
                        leak_ml_min=self.sim_leak,
                        speed=self.sim_speed,
                        seed=len(self.bench.record.tests),
                    )
                )
                gauge = self.simulated.gauge()
            else:
                gauge = Gauge(SerialLine(port))
            self.identity = gauge.identify()
        except LineError as error:
            self._leave_simulated()
            self.bench.said.emit("trouble", str(error))
            return
        self.sampler = Sampler(gauge, 0.2 if self.simulated else 1.0)
        self.samples, self.now = [], None
        self.timer.start()
        self._refresh_state()

    def disconnect(self) -> None:
        """Stop reading; a hold in progress that was not recorded is given up."""
        self.timer.stop()
        if self.sampler is not None:
            self.sampler.stop()
        self.sampler, self.now, self.held_from = None, None, None
        self._leave_simulated()
        self._refresh_state()

    def _leave_simulated(self) -> None:
        if self.simulated is not None:
            self.simulated.close()
            self.simulated = None

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
            self.simulated.rig.fill_to(self.bench.job.proving.test_kpa)

    def vent(self) -> None:
        """Air out of the simulated tank."""
        if self.simulated is not None:
            self.simulated.rig.vent()

    def _poll(self) -> None:
        if self.sampler is None:
            return
        fresh = self.sampler.drain()
        troubles = [x for x in fresh if isinstance(x, LineError)]
        if troubles:
            self.bench.said.emit("trouble", str(troubles[-1]))
        read = [x for x in fresh if isinstance(x, Sample)]
        if not read:
            return
        self.now = read[-1]
        self._warn_of_pressure()
        if self.held_from is None:
            self.samples = [*self.samples, *read][-600:]
        else:
            held = [Sample(s.t_s - self.held_from, s.gauge_kpa, s.temp_c) for s in read]
            self.samples += held
            self._journal(lambda journal: journal.add(held))
        self._show_trace()
        self._refresh_state()

    def _warn_of_pressure(self) -> None:
        """Say at once when the gauge is above what the panels bear."""
        bears = self.bench.evaluation.results.strength.bears.value
        if self.now is not None and self.now.gauge_kpa > bears and not self.override.text().strip():
            shown = (show(v, "pressure", self.bench.units, places=1) for v in (self.now.gauge_kpa, bears))
            self.bench.said.emit("trouble", "LET AIR OUT: {} is above the {} that the panels bear".format(*shown))

    # -- the run --------------------------------------------------------------------------------------------------

    def start_hold(self) -> None:
        """Begin the hold, unless something stands against it."""
        why = self.refusal()
        if why:
            self.bench.said.emit("trouble", why)
            return
        self.leaks = []
        if self.by_eye or not self.bench.job.proving.uses_air:
            self.bench.add_record("note", BEGUN, {"method": self.bench.job.proving.method})
        else:
            self.held_from = self.now.t_s if self.now else 0.0
            self.samples = []
            self._journal(lambda journal: journal.begin(self._run_facts() | self._begun_by()))
        self._refresh_state()
        self.bench.recorded.emit()

    @property
    def begun(self):
        """The entry that began a test without a gauge and is not finished, or None."""
        found = None
        for entry in self.bench.record.of_kind("note", "test"):
            found = entry if entry.subject == BEGUN else None
        return found

    @property
    def running(self) -> bool:
        """Whether a hold is on."""
        return self.held_from is not None or self.begun is not None

    def judgement(self) -> Judgement:
        """The verdict so far."""
        plan = self.bench.job.proving
        samples = self.samples if self.held_from is not None else []
        if self.held_from is not None:
            held = samples[-1].t_s if samples else 0.0
        else:
            held = (datetime.now().astimezone() - datetime.fromisoformat(self.begun.at)).total_seconds()
        return judge(plan, samples, self.bench.evaluation.results.capacity.net.value, len(self.leaks), held)

    def finish(self) -> None:
        """Put the run on record with its verdict, whatever it is."""
        if not self.running:
            return
        verdict = self.judgement()
        samples = self.samples if self.held_from is not None else []
        payload = verdict.payload() | self._run_facts() | {"samples": _kept(samples), "leaks": self.leaks}
        if self.bench.add_record("test", "tank", payload):
            self.held_from = None
            self.leaks = []
            self._journal(lambda journal: journal.clear())
            self.bench.said.emit("note", f"On record: {verdict.verdict}. {verdict.reason}")
        self._refresh_state()
        self.bench.recorded.emit()

    def _run_facts(self) -> dict[str, object]:
        """What is known of a run besides its readings."""
        gauged = self.held_from is not None and self.identity is not None
        by_eye = "read by eye" if self.bench.job.proving.uses_air else "none"
        return {
            "gauge": self.identity.words if gauged and self.identity else by_eye,
            "simulated": bool(gauged and self.identity and self.identity.simulated),
            "volume_l": self.bench.evaluation.results.capacity.net.value,
            "override": self.override.text().strip() if self.over_limit else "",
        }

    def _begun_by(self) -> dict[str, object]:
        """What the journal of a hold needs to be judged later: who began it, and by which plan."""
        return {"who": self.bench.who, "plan": self.bench.job.proving.model_dump(mode="json")}

    def _journal(self, do: Callable[[HoldJournal], None]) -> None:
        """Keep the journal of the hold; a disk that fails is said, the hold goes on."""
        try:
            do(HoldJournal(self.bench.home, self.bench.job.uid))
        except OSError as error:
            self.bench.said.emit("trouble", f"the hold's journal cannot be written: {error.strerror or error}")

    def record_broken_off(self) -> None:
        """Put a hold that a crash broke off on record, with what it can still prove."""
        left = HoldJournal(self.bench.home, self.bench.job.uid).read()
        if left is None:
            return
        volume = float(left.head.get("volume_l", self.bench.evaluation.results.capacity.net.value))
        plan = ProvingPlan.model_validate(left.head.get("plan", self.bench.job.proving.model_dump()))
        verdict = judge(plan, left.samples, volume, 0, left.held_s)
        facts = {k: v for k, v in left.head.items() if k not in ("who", "plan")}
        reason = (
            f"broken off after {left.held_s / 60:.1f} min, begun by {left.head.get('who', 'unknown')}; {verdict.reason}"
        )
        said = "not decided" if verdict.verdict == "tight" and verdict.plan.method != "decay" else verdict.verdict
        payload = (
            verdict.payload() | facts | {"samples": _kept(left.samples), "leaks": [], "reason": reason, "verdict": said}
        )
        if self.bench.add_record("test", "tank", payload):
            HoldJournal(self.bench.home, self.bench.job.uid).clear()
        self._refresh_state()

    def mark_leak(self) -> None:
        """A leak on the lit seam, on record at once; a running test counts it."""
        if not self.bench.lit.startswith("seam:"):
            self.bench.said.emit("trouble", "Pick the seam on the drawing first, then mark the leak on it")
            return
        leak = {"share": self.share.value() / 100, "note": self.leak_note.text().strip() or "seen"}
        if self.add_seam_record("leak", leak):
            self.leaks.append({"seam": self.seam.id, **leak})
            self.leak_note.clear()

    # -- refreshing -----------------------------------------------------------------------------------------------

    def _show_verdict(self, verdict: Judgement) -> None:
        """The verdict so far, large; undecided it says how much longer."""
        said = verdict.verdict.upper()
        if verdict.more_min is not None:
            said += f": hold at least {max(1, math.ceil(verdict.more_min))} min more"
        role = {"tight": "go", "leaks": "stop"}.get(verdict.verdict, "warn")
        self.verdict.setStyleSheet(f"font-size: 15pt; font-weight: bold; color: {self.theme.colours[role]};")
        self.verdict.setText(said)
        self.verdict.show()

    def _refresh_state(self) -> None:
        if self._card is None:
            return
        b, plan = self.bench, self.bench.job.proving
        self.caution.setText(CAUTIONS[plan.method])
        self.energy.setVisible(plan.uses_air)
        self.override.setVisible(self.over_limit)
        self.connect_button.setText("Connect" if self.sampler is None else "Let go")
        for widget in (self.pump, self.vent_button):
            widget.setVisible(self.simulated is not None)
        self.sim_row.setVisible(self.sampler is None and self.port.currentText() == SIMULATED and plan.uses_air)
        self.port.setVisible(plan.uses_air)
        for widget in (self.connect_button, self.reading):
            widget.setVisible(plan.uses_air and not self.by_eye)
        self.port.setEnabled(self.sampler is None)
        if self.now is not None:
            self.reading.setText(f"{show(self.now.gauge_kpa, 'pressure', b.units)}   {self.now.temp_c:.1f} °C")
        else:
            self.reading.setText("no gauge")
        left = HoldJournal(b.home, b.job.uid).read() if not self.running else None
        self.broken_button.setVisible(left is not None)
        self.start_button.setVisible(not self.running)
        self.finish_button.setVisible(self.running)
        if self.running:
            verdict = self.judgement()
            self.leak.setVisible(verdict.found is not None)
            if verdict.found is not None:
                self.leak.refresh()
            self._show_verdict(verdict)
            self.state.setText(f"After {verdict.held_s / 60:.1f} min. {verdict.reason}.")
        else:
            self.leak.hide()
            self.verdict.hide()
            why = self.refusal() or "Ready: start the hold."
            if left is not None:
                why = f"A hold was broken off after {left.held_s / 60:.1f} min and is not on record yet. {why}"
            self.state.setText(why)
        speed = f"{self.sim_speed:g} times as fast"
        sim = f"  The gauge is simulated, its clock {speed}: a rehearsal." if self.simulated else ""
        if sim:
            self.state.setText(self.state.text() + sim)
        picked = b.lit.startswith("seam:")
        where = f"On {self.seam.id}, at the share of its length:"
        self.leak_words.setText(where if picked else "Pick the seam on the drawing first.")
        lines = []
        for entry in reversed(b.record.tests):
            p = entry.payload
            lines.append(
                f"{entry.at[:16].replace('T', ' ')} {entry.who}: {METHODS[p['method']].lower()}, "
                f"{p['verdict'].upper()}. {p['reason']}"
            )
        self.history.setText("\n\n".join(lines) or "None yet.")
