"""The plan on the card: which tests, each with its method, pressure, hold and limit; where they are made; the designer."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from bathyx.core.build.trial import least_for, proposal, stored_j
from bathyx.core.proving.designer import Design
from bathyx.core.proving.energy import STOP_J
from bathyx.core.proving.gauges import WEATHER_WORDS, GaugeKind
from bathyx.core.proving.least import too_little
from bathyx.core.proving.plan import METHODS, USUAL_HOLD_MIN, PlannedTest
from bathyx.core.proving.rehearsal import PLACES, Bench
from bathyx.core.units import worded
from bathyx.desk.bench import Bench as DeskBench
from bathyx.desk.study import KeptStudy
from bathyx.desk.views.fields import Choice, Field, button, words
from bathyx.studies import DesignInputs


class PlanPanel(QWidget):
    """The tests of the plan, one of them chosen. `index` is the chosen one."""

    def __init__(self, bench: DeskBench, sensors: Callable[[], GaugeKind]) -> None:
        super().__init__()
        self.bench, self.sensors = bench, sensors
        self.index = 0
        self.study = KeptStudy("design", bench.home)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.method = Choice(bench, "Method", "method", list(METHODS.items()), self._take_method, self._method)
        self.fields = [
            Field(bench, "Of what", "what"),
            Field(bench, "Pressure", "test_kpa", "pressure"),
            Field(bench, "Hold, minutes", "hold_min", "number"),
            Field(bench, "Leak that counts, mL/min", "leak_limit_ml_min", "number"),
            Field(bench, "Why less will do, or air", "reason", hint="printed on the record"),
            Field(bench, "Everybody stands off, m", "stand_off_m", "optional"),
        ]
        self.names = [f.path for f in self.fields]
        self.least = words("", "quiet")
        self.weather = Choice(bench, "Weather", "proving.weather", list(WEATHER_WORDS.items()))
        self.place = Choice(bench, "Place", "proving.place", list(PLACES.items()))
        self.altitude = Field(bench, "Height above the sea, m", "proving.altitude_m", "optional", "not known")
        for widget in (self.method, *self.fields, self.least):
            column.addWidget(widget)
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(button("Add a test", "add test", self.add))
        line.addWidget(button("Take out", "remove test", self.remove))
        line.addWidget(button("Propose", "propose tests", self.propose))
        column.addWidget(row)
        for widget in (self.place, self.weather, self.altitude):
            column.addWidget(widget)
        self.ask = button("How long must it hold?", "design test", self.run_design)
        self.advice = words("", "quiet")
        self.advice.setObjectName("design advice")
        column.addWidget(self.ask)
        column.addWidget(self.advice)
        self.study.done.connect(self._designed)

    # -- the chosen test ------------------------------------------------------------------------------------------

    @property
    def tests(self) -> tuple[PlannedTest, ...]:
        """The plan's tests."""
        return self.bench.job.proving.tests

    @property
    def test(self) -> PlannedTest:
        """The chosen one."""
        self.index = min(self.index, len(self.tests) - 1)
        return self.tests[self.index]

    def choose(self, index: int) -> None:
        """Take another test in hand."""
        self.index = index
        self.refresh()

    def _method(self) -> str:
        return self.test.method

    def _take_method(self, method: str) -> None:
        at = f"proving.tests.{self.index}"
        changes = {f"{at}.method": method, f"{at}.hold_min": USUAL_HOLD_MIN[method]}
        if method in ("water_fill", "soak"):
            changes[f"{at}.test_kpa"] = 0.0
        elif self.test.test_kpa <= 0:
            changes[f"{at}.test_kpa"] = least_for(
                self.bench.evaluation, self.test.model_copy(update={"method": method})
            ).kpa
        self.bench.edit(changes, "test method")

    # -- the list -------------------------------------------------------------------------------------------------

    def _set(self, tests: Iterable[PlannedTest], said: str) -> bool:
        return self.bench.edit({"proving.tests": list(tests)}, said)

    def add(self) -> None:
        """One more test, like the chosen one."""
        if self._set((*self.tests, self.test), "add a test"):
            self.choose(len(self.tests) - 1)

    def remove(self) -> None:
        """One test fewer."""
        if len(self.tests) < 2:
            self.bench.said.emit("trouble", "A tank needs at least one test; change this one instead")
            return
        if self._set((t for k, t in enumerate(self.tests) if k != self.index), "take a test out"):
            self.choose(0)

    def propose(self) -> None:
        """The tests that suit the fluid and service."""
        if self._set(proposal(self.bench.evaluation), "proposed tests"):
            self.choose(0)

    # -- the designer ---------------------------------------------------------------------------------------------

    @property
    def inputs(self) -> DesignInputs:
        """What the designer is run on."""
        e, test, plan = self.bench.evaluation, self.test, self.bench.job.proving
        bench = Bench(round(e.results.capacity.net.value, 2), max(test.test_kpa, 1.0), plan.place)
        bears = round(e.results.strength.bears.value, 2)
        return DesignInputs(bench, test.leak_limit_ml_min, self.sensors(), plan.around(), bears)

    def run_design(self) -> None:
        """Begin, or stop, the search for the hold that decides."""
        if self.study.running:
            self.study.stop()
            self.refresh()
            return
        self.study.run(self.inputs)
        self.refresh()

    @property
    def design(self) -> Design | None:
        """The finished design, when it still is of this test."""
        return None if self.study.result is None or self.study.stale(self.inputs) else self.study.result

    def _designed(self) -> None:
        self.bench.lit_changed.emit()

    # -- refreshing -----------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the chosen test."""
        test = self.test
        for name, field in zip(self.names, self.fields, strict=True):
            field.path = f"proving.tests.{self.index}.{name}"
            field.edit.setObjectName(field.path)
        self.method.path = f"proving.tests.{self.index}.method"
        self.method.box.setObjectName(self.method.path)
        for choice in (self.method, self.weather, self.place):
            choice.refresh()
        for field in (*self.fields, self.altitude):
            field.refresh()
        what, pressure, _hold, limit, reason, off = self.fields
        what.setVisible(True)
        pressure.setVisible(test.pressed)
        limit.setVisible(test.uses_air)
        least = least_for(self.bench.evaluation, test)
        little = too_little(test, least)
        much = stored_j(self.bench.evaluation, test) > STOP_J
        reason.setVisible(bool(little or test.reason or much))
        off.setVisible(much or test.stand_off_m is not None)
        at = f"{least.kpa:.1f} kPa and " if test.pressed else ""
        said = (
            f"Proves nothing: {little}." if little else f"Least that proves: {at}{least.minutes:g} min, {least.rule}."
        )
        self.least.setText(worded(said, self.bench.units))
        for part in (self.weather, self.place, self.altitude, self.ask, self.advice):
            part.setVisible(test.method == "decay")
        if self.study.running:
            self.ask.setText("Stop")
            self.advice.setText("Trying holds from 5 minutes to a day…")
            return
        self.ask.setText("How long must it hold?")
        found = self.design
        if found is None:
            self.advice.setText(self.study.trouble)
            return
        head = (
            f"A hold of {found.hold_min:.0f} min decides it." if found.hold_min else "No hold within a day decides it."
        )
        self.advice.setText(worded("\n".join([head, *found.advice]), self.bench.units))
