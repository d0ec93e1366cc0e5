"""A hold as a value: the terms frozen when it starts, what may start, and the verdict by its own terms.

The register keeps the terms as an entry of kind `hold`, readings as entries of kind `readings`, leaks as they are
marked. Nothing of a hold lives anywhere else, so a restart, another window or an edited plan cannot change it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from pydantic import Field

from bathyx.core.proving.decay import Leak, Sample, Trace, TraceError, leak
from bathyx.core.proving.energy import energy_refusal
from bathyx.core.proving.eye import eye_leak, water_fall
from bathyx.core.proving.gauges import EYE, UNKNOWN, GaugeKind, Surroundings, Weather
from bathyx.core.proving.least import Least, over_pressure_kpa, too_little
from bathyx.core.proving.plan import PlannedTest
from bathyx.core.proving.questions import Mark, hold_of
from bathyx.core.proving.readings import ATMOSPHERE_KPA, STEADY_BAND, calm, sensible
from bathyx.core.proving.verdict import Asked, Verdict, read_trace
from bathyx.core.units.frozen import Frozen

MOST_SAMPLES_DRAWN = 2000
NEAR_TARGET = 0.10
FALL_LOOKED_AT_S = 120.0
LOST_SHARE = 0.8
FILL_COOLS = 0.01  # of the absolute pressure: 3 K of a warm fill


class Terms(Frozen):
    """What a hold freezes when it starts. `gauge` None: read by eye (`begun_kpa` typed) off the `dial`, or a fill that needs none.

    `missing` says what the build still lacks: the run is then a rehearsal and proves nothing. `override`: why the tank may be
    pressed past what it bears, by whom and up to which pressure. `stored_j`: energy of the air at the test's pressure.
    """

    test: PlannedTest
    volume_l: float = Field(gt=0)
    bears_kpa: float
    head_mm: float = Field(ge=0)
    head_kpa: float = Field(ge=0)
    least: Least
    gauge: GaugeKind | None = None
    identity: str = ""
    simulated: bool = False
    weather: Weather = "unsettled"
    altitude_m: float | None = None
    begun_kpa: float | None = None
    begun_baro_kpa: float | None = None
    override: str = ""
    override_by: str = ""
    override_kpa: float = 0.0
    missing: str = ""
    fluid: str = ""
    dial: GaugeKind | None = None
    blanked: str = Field("", max_length=200)
    thermometer: str = Field("", max_length=80)
    stored_j: float = 0.0
    give: tuple[float, float] = (0.0, 0.004)

    @property
    def read_kind(self) -> GaugeKind:
        """What is known of whatever is read."""
        return self.gauge or self.dial or (EYE if self.by_eye else UNKNOWN)

    @property
    def least_reading_kpa(self) -> float:
        """The lowest reading by which the least pressure is sure to have stood; 0 where the plan is under it for a reason."""
        return 0.0 if self.test.test_kpa < self.least.kpa - 0.005 else self.least.kpa + self.read_kind.off_kpa

    @property
    def rehearsal(self) -> bool:
        """Whether this run cannot prove the tank."""
        return bool(self.missing)

    @property
    def by_eye(self) -> bool:
        """Whether a pressure is read by eye and typed."""
        return self.test.pressed and self.gauge is None

    @property
    def gauge_words(self) -> str:
        """The instrument, for the record."""
        if self.gauge is None:
            return f"read by eye: {self.read_kind.words}" if self.test.pressed else "none"
        return f"{self.identity}; {self.gauge.words}" if self.identity else self.gauge.words


@dataclass(frozen=True)
class Ending:
    """What is typed when a hold ends: the gauge, and the barometer, where they are read by eye."""

    kpa: float | None = None
    baro_kpa: float | None = None


@dataclass(frozen=True)
class Outcome:
    """The verdict on a run in words, with the fitted leak where there is a trace, and the pressure it stood at."""

    terms: Terms
    verdict: Verdict
    reason: str
    more_min: float | None
    held_s: float
    found: Leak | None
    stood_kpa: float | None = None
    lowest_kpa: float | None = None
    lost: bool = False

    def payload(self) -> dict[str, Any]:
        """What the register keeps of it, beside the readings."""
        t = self.terms
        kept: dict[str, Any] = {
            "terms": t.model_dump(mode="json"),
            "what": t.test.what,
            "method": t.test.method,
            "target_kpa": t.test.test_kpa if t.test.pressed else 0.0,
            "stood_kpa": self.stood_kpa,
            "lowest_kpa": self.lowest_kpa,
            "head_mm": t.head_mm if not t.test.pressed else None,
            "head_kpa": t.head_kpa if not t.test.pressed else None,
            "hold_min": t.test.hold_min,
            "limit_ml_min": t.test.leak_limit_ml_min if t.test.method == "decay" else 0.0,
            "held_s": self.held_s,
            "verdict": self.verdict,
            "reason": self.reason,
            "gauge": t.gauge_words,
            "simulated": t.simulated,
            "rehearsal": t.rehearsal,
            "missing": t.missing,
            "volume_l": t.volume_l,
            "override": f"{t.override} ({t.override_by}, to {t.override_kpa:g} kPa)" if t.override_by else t.override,
            "lost": self.lost,
            "less_than_least": f"{too_little(t.test, t.least)}: {t.test.reason}" if too_little(t.test, t.least) else "",
        }
        if self.found is not None:
            low, high = self.found.interval
            kept |= {
                "leak_ml_min": self.found.ml_min,
                "half_width_ml_min": self.found.half_width,
                "leak_low_ml_min": low,
                "leak_high_ml_min": high,
                "raw_drop_kpa": self.found.raw_drop_kpa,
                "corrected_drop_kpa": self.found.corrected_drop_kpa,
            }
        return kept


def thinned(samples: Sequence[Sample]) -> list[Sample]:
    """Readings for drawing, thinned evenly to at most MOST_SAMPLES_DRAWN, the last one always among them."""
    step = max(1, -(-len(samples) // MOST_SAMPLES_DRAWN))
    kept = list(samples[::step])
    if kept and kept[-1] is not samples[-1]:
        kept.append(samples[-1])
    return kept


def start_refusal(terms: Terms, now: Sample | None) -> str:
    """Why a hold may not start on these terms; empty when it may. Quantities are metric, to be worded where shown.

    `now` is the gauge's last reading, None without one.
    """
    test = terms.test
    over = over_pressure_kpa(test, terms.bears_kpa)
    if over > 0 and not overridden(terms.override, terms.override_by, terms.override_kpa, test):
        return (
            f"Refused: {test.test_kpa:.2f} kPa is above the {terms.bears_kpa:.2f} kPa that the tank bears. "
            "Lower it, or write the reason for going past"
        )
    little = too_little(test, terms.least)
    if little and not test.reason.strip():
        return f"Proves nothing: {little}. Raise it, or write in the plan why less will do"
    if not test.pressed:
        return ""
    return energy_refusal(test, terms.stored_j) or _gauge_refusal(terms, now)


def _gauge_refusal(terms: Terms, now: Sample | None) -> str:
    """Why what is read does not let a hold begin."""
    test, kind = terms.test, terms.read_kind
    if test.test_kpa > kind.range_kpa:
        return f"{kind.name} reads to {kind.range_kpa:.2f} kPa and may not judge {test.test_kpa:.2f} kPa: use another gauge"
    if terms.gauge is None:
        if test.method == "decay":
            return "A decay needs its readings: connect a gauge"
        if terms.begun_kpa is None:
            return "Type what the gauge reads now"
        return _off_target(terms.begun_kpa, test.test_kpa) or _under_least(terms, terms.begun_kpa)
    if now is None:
        return "Connect a gauge"
    gauge = above_air_kpa(now, terms.gauge, _around(terms, Ending()))
    if not math.isfinite(gauge):
        return "The gauge sends no number: check its plug"
    return _off_target(gauge, test.test_kpa) or _under_least(terms, gauge)


def overridden(reason: str, by: str, upto_kpa: float, test: PlannedTest) -> bool:
    """Whether a person wrote, by name, why this test may go past what the tank bears, at this pressure and no more."""
    return bool(reason.strip()) and bool(by.strip()) and test.test_kpa <= upto_kpa + 0.005


def _under_least(terms: Terms, kpa: float) -> str:
    """Why a hold that begins at a reading would be under the least: the gauge may read too high."""
    least = terms.least_reading_kpa
    if kpa >= least - 0.005:
        return ""
    off = terms.read_kind.off_kpa
    return (
        f"Bring the tank to {least:.2f} kPa or a little more: {terms.least.kpa:.2f} kPa is the least, and the gauge may read "
        f"{off:.2f} kPa too high"
    )


def pump_to_kpa(terms: Terms) -> float:
    """Where to pump to, kPa gauge: the planned pressure, or as much more as warm air cools, so that it ends above the least;
    never past what the tank bears, nor so far that the hold may not begin."""
    cools = FILL_COOLS * (terms.test.test_kpa + ATMOSPHERE_KPA) if terms.test.uses_air else 0.0
    wanted = max(terms.test.test_kpa, terms.least_reading_kpa + cools)
    most = min((1 + NEAR_TARGET - 0.01) * terms.test.test_kpa, terms.bears_kpa)
    return max(terms.test.test_kpa, min(wanted, most))


def above_air_kpa(now: Sample, gauge: GaugeKind | None, around: Surroundings) -> float:
    """A reading as pressure above the air round the tank, kPa: an absolute gauge's less the barometer or its best guess."""
    if gauge is None or not gauge.absolute:
        return now.gauge_kpa
    return now.gauge_kpa - (now.baro_kpa if math.isfinite(now.baro_kpa) else around.level_kpa)


def _off_target(kpa: float, target: float) -> str:
    if target <= 0:
        return "A test of 0 kPa proves nothing: set its pressure"
    if not abs(kpa - target) <= NEAR_TARGET * target:
        return f"Bring the tank to {target:.2f} kPa"
    return ""


def _around(terms: Terms, ending: Ending) -> Surroundings:
    typed = None
    if terms.begun_baro_kpa is not None and ending.baro_kpa is not None:
        typed = (terms.begun_baro_kpa, ending.baro_kpa)
    return Surroundings(terms.weather, terms.altitude_m, typed)


def judge(
    terms: Terms,
    samples: Sequence[Sample],
    leaks_seen: int,
    held_s: float,
    ending: Ending | None = None,
    marks: Sequence[Mark] = (),
) -> Outcome:
    """The verdict so far, by the hold's own terms.

    A leak that was seen always counts; what was not held long enough, at its pressure, with readings that make sense, is
    not decided. For soap, bath and fills the eye decides; a trace that shows a leak overrules the eye.

    Args:
        terms: as frozen when the hold started.
        samples: the readings, empty where a gauge is read by eye or there is none.
        leaks_seen: leaks on record since the hold began.
        held_s: seconds since it began.
        ending: what is typed at its end.
        marks: the questions that were put to the tank meanwhile.
    """
    ending = ending or Ending()
    test, around = terms.test, _around(terms, ending)
    whole = Trace.of(samples, terms.gauge.absolute) if terms.gauge is not None else None
    trace = whole if whole is None else hold_of(whole, marks)
    stood, lowest = _stood(terms, trace, ending, around)

    lost = _lost_pressure(terms, trace, ending, around)

    def said(verdict: Verdict, reason: str, more: float | None = None, found: Leak | None = None) -> Outcome:
        gone = lost and verdict != "leaks"
        if gone and verdict == "tight":
            verdict, reason = "not decided", f"{reason}; but it lost its pressure: was air let out?"
        return Outcome(terms, verdict, reason, more, held_s, found, stood, lowest, gone)

    sensors = terms.gauge or UNKNOWN
    if whole is not None and test.method == "decay":
        asked = Asked(tuple(marks), terms.give) if marks else None
        decision, found = read_trace(
            whole, terms.volume_l, test.leak_limit_ml_min, test.hold_min * 60, sensors, around, test.test_kpa, asked
        )
        if leaks_seen:
            return said("leaks", _seen(leaks_seen), None, found)
        more = decision.more_min
        if decision.verdict == "not decided" and more is None and found is None:
            more = max(test.hold_min - held_s / 60, 1.0)
        return said(decision.verdict, decision.reason, more, found)
    if leaks_seen:
        return said("leaks", _seen(leaks_seen))
    left = test.hold_min - held_s / 60
    if held_s < 0:
        return said("not decided", "the clock was set back during the hold: start it again")
    if not test.pressed:
        if left > 0.02:
            return said("not decided", "nothing seen so far; it has not stood its time", left)
        return said("tight", f"nothing seen under a head of {terms.head_mm:.0f} mm in {held_s / 3600:.1f} h")
    if trace is not None:
        return _watched(terms, trace, sensors, around, left, held_s, said)
    return _by_eye(terms, ending, left, held_s, said)


def _seen(leaks: int) -> str:
    return f"{leaks} {'leak' if leaks == 1 else 'leaks'} seen and marked"


def _stood(
    terms: Terms, trace: Trace | None, ending: Ending, around: Surroundings
) -> tuple[float | None, float | None]:
    """(mean, lowest) gauge pressure that was read, kPa; None where none was."""
    if not terms.test.pressed:
        return None, None
    if trace is not None:
        base = np.where(np.isfinite(trace.baro), trace.baro, around.level_kpa) if trace.absolute else 0.0
        gauge = trace.p - base
        good = gauge[np.isfinite(gauge)]
        return (float(good.mean()), float(calm(good).min())) if len(good) else (None, None)
    read = [x for x in (terms.begun_kpa, ending.kpa) if x is not None]
    return (sum(read) / len(read), min(read)) if read else (None, None)


def _lost_pressure(terms: Terms, trace: Trace | None, ending: Ending, around: Surroundings) -> bool:
    """Whether a run that had stood at its pressure ended far below it: a leak, until a person says that it was let out."""
    target = terms.test.test_kpa
    if not terms.test.pressed or target <= 0:
        return False
    if trace is None:
        return ending.kpa is not None and terms.begun_kpa is not None and ending.kpa < LOST_SHARE * terms.begun_kpa
    base = np.where(np.isfinite(trace.baro), trace.baro, around.level_kpa) if trace.absolute else 0.0
    gauge = trace.p - base
    gauge = gauge[np.isfinite(gauge)]
    if len(gauge) < 3:
        return False
    steady = calm(gauge)
    high = np.maximum.accumulate(steady)
    return bool(high[-1] >= (1 - NEAR_TARGET) * target and (steady < LOST_SHARE * np.minimum(high, target)).any())


def _watched(
    terms: Terms, trace: Trace, sensors: GaugeKind, around: Surroundings, left: float, held_s: float, said: Any
) -> Outcome:
    """Soap or bath with a gauge connected: the eye decides, the readings must stand for the whole hold."""
    test = terms.test
    sense = sensible(trace, test.test_kpa, around.level_kpa, sensors.resolution_kpa, sensors.temp_resolution_c)
    covered = trace.hold_s / 60
    if left > 0.02 and (not sense.fault or len(trace.t) < 8):
        return _early(terms, trace, sensors, around, left, said)
    if sense.fault:
        judged: Outcome = said("not decided", sense.fault)
        return judged
    if covered < test.hold_min - 0.5:
        judged = said("not decided", f"the gauge was read for {covered:.1f} of {test.hold_min:g} min only", left)
        return judged
    return _early(terms, trace, sensors, around, left, said)


def _early(terms: Terms, trace: Trace, sensors: GaugeKind, around: Surroundings, left: float, said: Any) -> Outcome:
    test = terms.test
    found: Leak | None = None
    if trace.hold_s >= FALL_LOOKED_AT_S and test.uses_air:
        try:
            found = leak(trace, terms.volume_l, sensors, around, test.test_kpa)
        except TraceError:
            found = None
    if found is not None and (found.interval[0] > test.leak_limit_ml_min or found.excess > test.leak_limit_ml_min):
        judged: Outcome = said("leaks", f"nothing seen, but the gauge falls: {found.words}. Look again", None, found)
        return judged
    if not test.uses_air and trace.hold_s >= FALL_LOOKED_AT_S:
        ends = max(1, len(trace.p) // 20)
        wet = water_fall(float(np.median(trace.p[:ends])), float(np.median(trace.p[-ends:])), test.test_kpa, sensors)
        if wet is not None:
            judged = said(*wet)
            return judged
    if left > 0.02:
        judged = said("not decided", "nothing seen so far; the hold is not over", left, found)
        return judged
    judged = said("tight", f"nothing seen on any seam in {trace.hold_s / 60:.0f} min", None, found)
    return judged


def _by_eye(terms: Terms, ending: Ending, left: float, held_s: float, said: Any) -> Outcome:
    """A gauge read by eye: its reading at start and end is typed, both stand near the test's pressure, and what it fell is a
    leak beyond what dial, warm fill and weather can take."""
    test = terms.test
    judged: Outcome
    if terms.begun_kpa is not None and ending.kpa is not None and math.isfinite(ending.kpa) and held_s > 0:
        began, ended = terms.begun_kpa, ending.kpa
        read = f"the gauge read {began:.2f} kPa and {ended:.2f} kPa"
        if test.uses_air:
            found = eye_leak(terms.volume_l, began, ended, held_s, terms.read_kind, _around(terms, ending))
            if found.interval[0] > test.leak_limit_ml_min and ended >= LOST_SHARE / 2 * began:
                judged = said("leaks", f"nothing seen, but {read}: {found.words}. Look again", None, found)
                return judged
        else:
            wet = water_fall(began, ended, test.test_kpa, terms.read_kind)
            if wet is not None:
                judged = said(*wet)
                return judged
    if left > 0.02:
        judged = said("not decided", "nothing seen so far; the hold is not over", left)
    elif terms.begun_kpa is None or ending.kpa is None:
        judged = said("not decided", "the gauge's reading at start and end is what it stood at: type it")
    elif not math.isfinite(ending.kpa) or abs(ending.kpa / max(test.test_kpa, 1e-9) - 1) > STEADY_BAND:
        judged = said(
            "not decided",
            f"the gauge read {ending.kpa:.2f} kPa at the end, not near the {test.test_kpa:g} kPa of the test",
        )
    else:
        judged = said("tight", f"nothing seen on any seam in {held_s / 60:.0f} min; {read}")
    return judged
