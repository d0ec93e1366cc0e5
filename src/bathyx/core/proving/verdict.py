"""What a trace proves: tight, leaks, settling, disturbed, or not decided and for how long yet."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from bathyx.core.proving.answers import Answers, answers_of, barometer_turned, fell_at_first, net_of, unevenness, unrest
from bathyx.core.proving.decay import FILL_HEAT_K, UNEVEN_K, Leak, leak
from bathyx.core.proving.disturbances import Sight, disturbances
from bathyx.core.proving.gauges import UNKNOWN, UNKNOWN_LAG_S, GaugeKind, Surroundings
from bathyx.core.proving.questions import Mark, asked_spans, hold_of
from bathyx.core.proving.readings import (
    ATMOSPHERE_KPA,
    REFERENCE_K,
    ZERO_C_K,
    Trace,
    TraceError,
    resolution_of,
    sensible,
)

Verdict = Literal["tight", "leaks", "settling", "disturbed", "not decided"]
LEAST_HOLD_S = 300.0  # nothing is tight sooner, whatever was planned
UNQUESTIONED = 1.5  # times what is seen: a set-up that was not questioned may hide a third of a leak
BELIES = ("deaf", "blind", "still")
INTERIM = 2.0  # before the planned hold is over, a leak must stand this many half-widths above the limit


@dataclass(frozen=True)
class Asked:
    """The questions put to a tank, and least and most growth of its volume, share for each kPa, as its walls give."""

    marks: tuple[Mark, ...]
    give: tuple[float, float] = (0.0, 0.004)


@dataclass(frozen=True)
class Decision:
    """What the trace proves against a limit; `more_min` is the further hold that should decide it, or None."""

    verdict: Verdict
    reason: str
    more_min: float | None = None


def decide(found: Leak, limit_ml_min: float, planned_hold_s: float, spare: float = UNQUESTIONED) -> Decision:
    """Tight when the interval's upper end is within the limit, leaking when its lower end is above it, else how much longer.

    A hold shorter than planned is never called tight, and leaks then only when the leak is plain: a look at every
    minute is many looks. A leak that is plainly negative says that something disturbs the tank.

    Args:
        found: the leak with its interval.
        limit_ml_min: that still counts as tight.
        planned_hold_s: never tight before it is over.
        spare: how many times what is seen may be there: a set-up that was not questioned may hide a part of a leak.
    """
    high = found.interval[1]
    planned_hold_s = max(planned_hold_s, LEAST_HOLD_S)
    early = found.hold_s + 1 < planned_hold_s
    words = f"{found.words}, against a limit of {limit_ml_min:g} mL/min"
    if found.excess > limit_ml_min:
        return Decision("leaks", f"{words}: it loses more air than weather and sensors can take")
    if found.ml_min - found.below * (INTERIM if early else 1.0) > limit_ml_min:
        return Decision("leaks", f"{words}: even the low end is above the limit")
    if found.ml_min + 1.5 * found.above < 0:
        reason = "disturbed: something warms the tank or the weather turns"
        return Decision("disturbed", f"{words}; {reason}. Shade it, wait, and read a barometer", None)
    sure = max(found.ml_min, 0.0) * (spare - 1) + high <= limit_ml_min
    if sure and not early:
        return Decision("tight", f"{words}: even the high end is within it")
    left = math.ceil(min(planned_hold_s - found.hold_s, 1e7) / 60) if early else 0
    if sure:
        return Decision("not decided", f"{words}, but the planned hold is not over", left)
    further = _further_hold(
        found, abs(limit_ml_min - found.ml_min * (spare if found.ml_min < limit_ml_min / spare else 1.0))
    )
    if high <= limit_ml_min and not early:
        why = "within it, but a set-up that was not questioned may hide a third of a leak: ask it, or look with soap"
        return Decision("not decided", f"{words}: {why}", further)
    more = None if further is None else max(further, left)
    return _undecided(found, limit_ml_min, words, further, more)


def _undecided(found: Leak, limit_ml_min: float, words: str, further: float | None, more: float | None) -> Decision:
    """Why a leak is not told from its limit, and how much longer to hold."""
    if found.settling > 0.5 * found.half_width or (found.curved and found.settling > 0.3 * found.half_width):
        return Decision("settling", f"{words}: the trace still settles after filling, or the thermometer lags", more)
    if further is None and found.barometer > 0.5 * abs(limit_ml_min - found.ml_min):
        return Decision(
            "not decided", f"{words}: the unread barometer alone may do that; read one beside the gauge", None
        )
    if further is None:
        return Decision("not decided", f"{words}: too close to the limit to decide by decay; use soap or a bath", None)
    return Decision("not decided", words, more)


def _further_hold(found: Leak, margin: float) -> float | None:
    """Whole minutes of further hold until the half-width should fall to `margin`; None beyond 48 h.

    The statistical part falls as T^-1.5, settling as T^-2 once it fades, resolution as 1/T; drift and barometer are rates.
    """
    fixed = found.barometer

    def half_width(hold_s: float) -> float:
        r = found.hold_s / hold_s
        parts = (found.statistical * r**1.5, found.settling * r**2, found.resolution * r, found.drift)
        return math.hypot(*parts) + fixed

    low: float = found.hold_s
    high: float = found.hold_s + 48 * 3600
    if half_width(high) > margin:
        return None
    while high - low > 1:
        middle = (low + high) / 2
        low, high = (low, middle) if half_width(middle) <= margin else (middle, high)
    return float(max(1, math.ceil((high - found.hold_s) / 60)))


def read_trace(
    trace: Trace,
    volume_l: float,
    limit_ml_min: float,
    planned_hold_s: float = 0.0,
    sensors: GaugeKind = UNKNOWN,
    around: Surroundings | None = None,
    test_kpa: float | None = None,
    asked: Asked | None = None,
) -> tuple[Decision, Leak | None]:
    """What a whole trace proves: its readings are judged first, then the leak in what can be used of them.

    Args:
        trace: the readings; times in seconds.
        volume_l: air volume, L.
        limit_ml_min: leak that still counts as tight, mL/min at 20 degC and 101.325 kPa.
        planned_hold_s: never tight before that.
        sensors: what is known of the gauge.
        around: weather, altitude, barometer.
        test_kpa: gauge pressure the hold was to stand at; None takes its beginning.
        asked: the questions that were put to the tank; None for none.

    Returns:
        The decision, and the leak where one could be fitted.
    """
    around = around or Surroundings()
    whole = trace.picked(np.isfinite(trace.p) & np.isfinite(trace.temp))
    if asked is not None and asked.marks:
        trace = hold_of(trace, asked.marks)
    unknown_base = (
        trace.absolute and not trace.has_barometer and around.barometer_kpa is None and around.altitude_m is None
    )
    base = HIGH_BASE if unknown_base else around.level_kpa
    spans = () if asked is None else asked_spans(asked.marks)
    sense = sensible(trace, test_kpa, base, sensors.resolution_kpa, sensors.temp_resolution_c, spans)
    if sense.fault and not sense.lost:
        more = " With an absolute gauge give the barometer or the altitude." if unknown_base else ""
        return Decision("not decided", f"{sense.fault}.{more}" if more else sense.fault), None
    spoken = f" ({sense.left_out} stray readings left out)" if sense.left_out else ""
    plunge = _plunge(trace, volume_l, limit_ml_min, sensors, around) if sense.lost else None
    if plunge is not None:
        return Decision("leaks", f"{sense.fault}: {plunge}{spoken}"), _maybe(
            sense.used, volume_l, sensors, around, test_kpa
        )
    try:
        found = leak(sense.used, volume_l, sensors, around, test_kpa)
    except TraceError as error:
        return Decision("not decided", f"{sense.fault}; {error}" if sense.fault else str(error)), None
    if sense.lost:
        decision = decide(found, limit_ml_min, math.inf)
        if decision.verdict == "leaks":
            return decision, found
        return Decision("not decided", f"{sense.fault}. {decision.reason}{spoken}", None), found
    answers = None
    if asked is not None and asked.marks:
        answers = answers_of(whole, asked.marks, volume_l, sensors, around, asked.give, test_kpa)
        if answers.fault:
            why = f"{answers.fault}. {found.words}, but this says nothing of the tank{spoken}"
            return Decision("disturbed", why), found
        turned = 0.0 if trace.absolute else barometer_turned(whole, asked.marks, volume_l)
        found = net_of(found, answers, volume_l, unevenness(sense.used, volume_l, sensors, base), turned)
        spoken = f". {answers.words[:1].upper()}{answers.words[1:]}{spoken}" if answers.words else spoken
    decision, spoken = _weighed(found, answers, limit_ml_min, planned_hold_s, spoken)
    if decision.verdict == "tight" and answers is not None and asked is not None:
        fell = fell_at_first(whole, asked.marks, volume_l, limit_ml_min, sensors, base)
        restless = unrest(answers, limit_ml_min)
        if fell or restless:
            verdict: Verdict = "settling" if fell else "disturbed"
            return Decision(verdict, f"{fell or restless}. {decision.reason}{spoken}", None), found
    known = trace.has_barometer or around.barometer_kpa is not None or around.altitude_m is not None
    seen = disturbances(sense.used, volume_l, limit_ml_min, sensors, base, known)
    if decision.verdict == "leaks":
        # What no weather can take is lost all the same; what a gauge says that does not move with the air is no leak and no proof.
        seen = tuple(sight for sight in seen if sight.kind in BELIES) if found.excess <= limit_ml_min else ()
    return _sighted(decision, seen, found, float(sense.used.t[0]), spoken), found


def _weighed(
    found: Leak, answers: Answers | None, limit_ml_min: float, planned_hold_s: float, spoken: str
) -> tuple[Decision, str]:
    """(the decision by what was asked, what is said besides)."""
    whole = answers is not None and answers.whole
    decision = decide(found, limit_ml_min, planned_hold_s, 1.0 if whole else UNQUESTIONED)
    if decision.verdict == "tight" and not whole:
        spoken += "; the set-up was not questioned" if answers is None else "; not every question was asked"
    return decision, spoken


def _sighted(decision: Decision, seen: tuple[Sight, ...], found: Leak, began_s: float, spoken: str) -> Decision:
    """The decision, unless the trace shows something of its set-up."""
    if [sight.kind for sight in seen] == ["early"]:
        later = math.ceil((seen[0].at_s - began_s) / 60 * 4)
        return Decision("settling", f"{seen[0].words}. {found.words}{spoken}", later)
    if seen:
        what = "; ".join(sight.words for sight in seen)
        return Decision("disturbed", f"{what}. {found.words}, but this says nothing of the tank{spoken}", None)
    return Decision(decision.verdict, decision.reason + spoken, decision.more_min)


HIGH_BASE = 105.0  # kPa: the highest air pressure, so that an absolute reading is never taken for more gauge than it is


def _maybe(
    trace: Trace, volume_l: float, sensors: GaugeKind, around: Surroundings, test_kpa: float | None
) -> Leak | None:
    try:
        return leak(trace, volume_l, sensors, around, test_kpa)
    except TraceError:
        return None


def _plunge(trace: Trace, volume_l: float, limit_ml_min: float, sensors: GaugeKind, around: Surroundings) -> str | None:
    """Words for a tank that lost far more air than weather, sensors and a leak at the limit can take; None when it did not."""
    good = np.isfinite(trace.p) & np.isfinite(trace.temp)
    p, temp = trace.p[good], trace.temp[good]
    base = 0.0 if trace.absolute else around.level_kpa
    steady = (p + base) * (temp[0] + ZERO_C_K) / (temp + ZERO_C_K)
    last = max(3, len(p) // 20)
    drop = float(steady[0] - np.median(steady[-last:]))
    gauge = float(p[0]) - (around.level_kpa if trace.absolute else 0.0)
    lag = UNKNOWN_LAG_S if sensors.temp_lag_s is None else sensors.temp_lag_s
    warm_k = 1.5 * (UNEVEN_K + FILL_HEAT_K * min(1.0, lag / 150))
    heat = warm_k * float(steady[0]) / (temp[0] + ZERO_C_K)
    other = heat + around.rate_kpa_per_h * trace.hold_s / 3600 + 1.5 * (sensors.resolution_kpa or resolution_of(p))
    allowed = limit_ml_min * trace.hold_s / 60e3 / volume_l * ATMOSPHERE_KPA * float(temp[0] + ZERO_C_K) / REFERENCE_K
    steps = np.diff(p)
    sudden = float(-steps.min()) if len(steps) else 0.0
    if drop > max(other + allowed, 0.15 * gauge) and sudden < 0.6 * drop:
        return f"{drop:.1f} kPa of air lost at one temperature, far more than weather and sensors can take"
    return None
