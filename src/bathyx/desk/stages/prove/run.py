"""The run of a test on the desk: what may start, the gauge that is read, the hold that is open, and its record.

The hold itself is a value of the core, kept in the register; what is typed and read is passed on to it.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QComboBox, QLineEdit, QWidget

from bathyx.core.build.rules import barometer, fill_refusal, hold_refusal, over_limit, too_high
from bathyx.core.build.trial import bears_kpa, missing_for_proof, terms_for
from bathyx.core.formula import Figure
from bathyx.core.proving.decay import Sample
from bathyx.core.proving.energy import stored_energy
from bathyx.core.proving.gauges import EYE, UNKNOWN, GaugeKind
from bathyx.core.proving.hold import Ending, Outcome, Terms, above_air_kpa, pump_to_kpa
from bathyx.core.proving.plan import PlannedTest
from bathyx.core.proving.questions import Step, next_step, syringe_for
from bathyx.core.proving.readings import ATMOSPHERE_KPA
from bathyx.core.units import parse_quantity, show, worded
from bathyx.desk.bench import Bench
from bathyx.desk.stages.build.stage import BuildStage
from bathyx.desk.stages.prove.gauge_post import BY_EYE, SIMULATED, GaugePost
from bathyx.desk.stages.prove.plan import PlanPanel
from bathyx.desk.theme import Theme
from bathyx.errors import Refusal
from bathyx.instruments.profiles import GaugeProfile, gauge_profiles
from bathyx.instruments.sampler import Sampler
from bathyx.instruments.shop_gauges import GaugeListError, shop_gauges
from bathyx.instruments.simulated import RigSettings, SimulatedGauge
from bathyx.register import HoldSession, OpenHold, RegisterError, finish, open_hold

if TYPE_CHECKING:
    from bathyx.desk.views.trace import Trace

STALE_S = 4.0
MOST_BETWEEN_S = 2.0  # looks at a hold are no further apart
PROFILE = "profile:"


class HoldRun(BuildStage):
    """A stage that runs holds; the prove stage shows it. Its card has made the fields that are read here."""

    plan: PlanPanel
    port: QComboBox
    override: QLineEdit
    typed_kpa: QLineEdit
    typed_baro: QLineEdit
    typed_row: QWidget
    baro_row: QWidget
    sim_leak_field: QLineEdit
    kind_name: str
    began_at: float
    blanked: QLineEdit
    thermometer: QComboBox
    syringe: QLineEdit
    known_leak: QLineEdit
    _override_for: tuple[object, ...] = ()

    def __init__(self, bench: Bench, theme: Theme) -> None:
        super().__init__(bench, theme)
        self.post = GaugePost()
        self.session: HoldSession | None = None
        self.trace: Trace | None = None
        self.sim_speed, self.sim_leak = 60.0, 0.0
        self._open_for: object = None
        self._open: OpenHold | None = None
        self._left_here: set[int] = set()
        self._next_look = 0.0
        bench.leaving.connect(self.disconnect)
        self.timer = QTimer()
        self.timer.setInterval(120)
        self.timer.timeout.connect(self._poll)

    def _refresh_state(self) -> None:
        """Show where the run stands; the prove stage does."""
        raise NotImplementedError

    def _show_trace(self) -> None:
        """Show what was read; the prove stage does."""
        raise NotImplementedError

    # -- the hold, as the record has it ---------------------------------------------------------------------------

    @property
    def hold(self) -> OpenHold | None:
        """The hold that is open: the one being read here, or what the record holds open."""
        if self.session is not None:
            return self.session.state
        entries = self.bench.record.all_entries
        key = (self.bench.job.uid, entries[-1].id if entries else 0)
        if self._open_for != key:
            try:
                self._open_for, self._open = key, open_hold(self.bench.register, self.bench.record)
            except RegisterError as error:
                self._open_for, self._open = key, None
                self.bench.said.emit("trouble", f"The hold that is open cannot be read: {error}")
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
    def simulated(self) -> SimulatedGauge | None:
        """The simulated rig, while it is connected."""
        return self.post.simulated

    @property
    def sampler(self) -> Sampler | None:
        """What reads the gauge."""
        return self.post.sampler

    @property
    def test(self) -> PlannedTest:
        """The test of the plan that is chosen."""
        return self.plan.test if self._card is not None else self.bench.job.proving.tests[0]

    # -- the plan -------------------------------------------------------------------------------------------------

    def _choose_test(self, index: int) -> None:
        self.plan.choose(index)
        self.bench.lit_changed.emit()

    def _kinds(self) -> list[tuple[str, str]]:
        try:
            listed = [(name, name) for name in shop_gauges(self.bench.home) if name != SIMULATED]
            return listed + [
                (f"{PROFILE}{name}", f"{name} (by its profile)") for name in gauge_profiles(self.bench.home)
            ]
        except Refusal as error:
            self.bench.said.emit("trouble", str(error))
            return [(UNKNOWN.name, UNKNOWN.name)]

    def _choose_kind(self, name: str) -> None:
        self.kind_name = name
        self._refresh_state()

    def _kind(self) -> GaugeKind:
        try:
            profile = self._profile()
            name = self.kind_name if profile is None else profile.kind
            return shop_gauges(self.bench.home).get(name, UNKNOWN)
        except GaugeListError:
            return UNKNOWN

    def _profile(self) -> GaugeProfile | None:
        """The profile that is chosen; None for a gauge that speaks as Bathyx's own."""
        if not self.kind_name.startswith(PROFILE):
            return None
        try:
            return gauge_profiles(self.bench.home).get(self.kind_name.removeprefix(PROFILE))
        except Refusal as error:
            self.bench.said.emit("trouble", str(error))
            return None

    def _sensors(self) -> GaugeKind:
        """The gauge that a test would be read with."""
        from bathyx.instruments.shop_gauges import SIMULATED_KIND

        return self.post.kind or (SIMULATED_KIND if self.port.currentText() == SIMULATED else self._kind())

    def _energy(self) -> Figure:
        test = self.test
        return stored_energy(test.test_kpa if test.uses_air else 0.0, self.bench.evaluation.results.capacity.net.value)

    @property
    def by_eye(self) -> bool:
        """Whether the gauge is one that only eyes can read."""
        return self._card is not None and self.port.currentText().strip() == BY_EYE

    @property
    def over_limit(self) -> bool:
        """Whether the chosen test is above what the tank bears."""
        return over_limit(self.bench.evaluation, self.test)

    @property
    def missing(self) -> str:
        """What the build lacks before this test can prove."""
        ticks = self.bench.record.standing_ticks
        return missing_for_proof(self.bench.evaluation, ticks, self.seam_states, self.test.what)

    @property
    def _here(self) -> tuple[object, ...]:
        """What a reason to go past the limit belongs to: this job, this test, this pressure, this person."""
        test = self.test
        return (self.bench.job.uid, test.method, test.what, test.test_kpa, self.bench.who.strip())

    def override_now(self) -> tuple[str, str, float]:
        """(reason, who wrote it, kPa it is for), when it was written for just this; else nothing."""
        text = self.override.text().strip() if self._card is not None else ""
        if not text or self._override_for != self._here:
            return "", "", 0.0
        return text, self.bench.who.strip(), self.test.test_kpa

    def _take_override(self) -> None:
        self._override_for = self._here if self.override.text().strip() else ()
        self._refresh_state()

    def _drop_override(self) -> None:
        """A reason written for another job, test, pressure or person goes."""
        if self.override.text() and self._override_for != self._here:
            self.override.clear()
            self._override_for = ()

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
            override=self.override_now(),
            missing=self.missing,
            dial=self._dial() if self.test.pressed and self.by_eye else None,
            blanked=self.blanked.text().strip(),
            thermometer=self.thermometer.currentText() if gauged else "",
        )

    def _dial(self) -> GaugeKind:
        """The gauge that eyes read; not said, a dial."""
        kind = self._kind()
        return EYE if kind == UNKNOWN else kind

    def _typed(self, edit: QLineEdit, *, aloud: bool = False) -> float | None:
        """A pressure typed on the card; None where nothing or no number stands."""
        text = edit.text().strip()
        if not text:
            return None
        try:
            if edit is self.typed_baro:
                return barometer(text, self.bench.units)
            return parse_quantity(text, "pressure", self.bench.units)
        except Refusal:
            if aloud:
                raise
            return None

    def _typed_wrong(self) -> str:
        """What is wrong with a reading that is typed and asked for; empty where nothing is."""
        try:
            for edit, row in ((self.typed_kpa, self.typed_row), (self.typed_baro, self.baro_row)):
                if not row.isHidden():
                    self._typed(edit, aloud=True)
        except Refusal as error:
            return str(error)
        return ""

    def refusal(self) -> str:
        """Why a hold may not start now; empty when it may."""
        why = self._typed_wrong() or hold_refusal(
            self.terms(),
            self.now,
            who=self.bench.who,
            open_here=self.hold is not None,
            elsewhere=self.elsewhere,
            by_eye=self.by_eye,
            connected=self.post.connected,
            identified=self.post.identity is not None,
        )
        return worded(why, self.bench.units)

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
        self.post.connect(self.port.currentText().strip().split("  ")[0], self._kind(), rig, self._profile())
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
            self.sim_leak = max(0.0, parse_quantity(self.sim_leak_field.text() or "0", "leak", self.bench.units))
        except Refusal as error:
            self.bench.said.emit("trouble", str(error))

    def pump_up(self) -> None:
        """Air into the simulated tank."""
        if self.simulated is not None:
            why = fill_refusal(self.bench.evaluation, self.test, self.override_now())
            if why:
                self.bench.said.emit("trouble", worded(why, self.bench.units))
                return
            self.simulated.rig.fill_to(pump_to_kpa(self.terms()))

    def vent(self) -> None:
        """Air out of the simulated tank."""
        if self.simulated is not None:
            self.simulated.rig.vent()

    def _poll(self) -> None:
        read, trouble = self.post.drain()
        if trouble:
            self.bench.said.emit("trouble", trouble)
            if self.session is not None:
                self.session.trouble(trouble)
            if self.post.identity is None:
                # It never answered: nothing is connected, and nothing pretends to be.
                self.disconnect()
                self.bench.lit_changed.emit()
                return
        if not read:
            if self.post.silent_s > STALE_S and time.monotonic() > self._next_look:
                self.post.now = None
                self._next_look = time.monotonic() + 1.0
                self._refresh_state()
            return
        self._warn_of_pressure()
        session = self.session
        if session is not None:
            began = self.began_at
            self._keep(lambda: session.add([Sample(s.t_s - began, s.gauge_kpa, s.temp_c, s.baro_kpa) for s in read]))
        began = time.monotonic()
        if began < self._next_look:
            return
        self._show_trace()
        self._refresh_state()
        # A long hold takes longer to judge: look less often, so that the window stays quick; but one slow look (a machine that
        # slept, a turn that was waited for) may not stop the clock that is watched.
        done = time.monotonic()
        self._next_look = done + min(8 * (done - began), MOST_BETWEEN_S)

    def _keep(self, do: Callable[[], object]) -> None:
        """Put readings on record; a disk that fails is said, the hold goes on in memory."""
        try:
            do()
        except RegisterError as error:
            self.bench.said.emit("trouble", f"readings not on record yet: {error}")

    @property
    def above_air_kpa(self) -> float | None:
        """The last reading as gauge pressure, whatever kind of gauge read it."""
        if self.now is None:
            return None
        return above_air_kpa(self.now, self.post.kind, self.bench.job.proving.around())

    def _warn_of_pressure(self) -> None:
        """Say at once when the gauge is above what the tank bears."""
        bears = bears_kpa(self.bench.evaluation, self.test)
        terms = self.session.terms if self.session is not None else None
        if terms is not None:
            bears = min(bears, terms.bears_kpa)
        kpa = self.above_air_kpa
        if kpa is not None and too_high(kpa, bears):
            shown = (show(v, "pressure", self.bench.units, places=1) for v in (kpa, bears))
            by = f" (past it by {terms.override_by}: {terms.override})" if terms is not None and terms.override else ""
            self.bench.said.emit("trouble", "LET AIR OUT: {} is above the {} that the tank bears{}".format(*shown, by))

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

    def next_question(self) -> Step | None:
        """The next question of the protocol, while a decay is read here."""
        if self.session is None or self.session.terms.test.method != "decay" or self.hold is None:
            return None
        marks = self.hold.marks(self.bench.record)
        return next_step(marks, self.session.terms.test.hold_min, *self._known())

    def _known(self) -> tuple[float, float]:
        """(mL of the syringe, mL/min of the known leak) as typed, or what suits."""
        found = []
        kind = self.post.kind or UNKNOWN
        level = self.test.test_kpa + ATMOSPHERE_KPA
        usual = (
            syringe_for(self.bench.evaluation.results.capacity.net.value, kind, level),
            self.test.leak_limit_ml_min,
        )
        for edit, fallback, of in zip((self.syringe, self.known_leak), usual, ("dose", "leak"), strict=True):
            try:
                value = parse_quantity(edit.text(), of, self.bench.units)
            except Refusal:
                value = 0.0
            found.append(value if 0 < value <= 100_000 else fallback)
        return found[0], found[1]

    def ask_next(self) -> None:
        """The next question was put to the tank: on record, and done on the simulated rig."""
        step = self.next_question()
        session = self.session
        if step is None or session is None:
            return
        if self.simulated is not None:
            self.simulated.rig.ask(step.what, step.value)
        try:
            session.ask(step.what, step.value)
        except RegisterError as error:
            self.bench.said.emit("trouble", str(error))
            return
        self.bench.read_again()

    def ending(self) -> Ending:
        """What is typed for the end of the hold."""
        return Ending(self._typed(self.typed_kpa), self._typed(self.typed_baro))

    def judgement(self) -> Outcome:
        """The verdict so far of the hold that is open."""
        assert self.hold is not None
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
        hold, wrong = self.hold, self._typed_wrong()
        if hold is None:
            return
        if wrong:
            self.bench.said.emit("trouble", worded(wrong, self.bench.units))
            return
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
