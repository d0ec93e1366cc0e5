"""What a tank answered: its gas volume, how a known leak was seen, what is read at rest, and the leak with these in it."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from bathyx.core.geometry.shell import Array
from bathyx.core.proving.decay import Leak, leak
from bathyx.core.proving.gauges import UNKNOWN_LAG_S, GaugeKind, Surroundings
from bathyx.core.proving.questions import LOOKS_S, SETTLES_S, Mark, hold_of
from bathyx.core.proving.readings import (
    ATMOSPHERE_KPA,
    LEAST_READINGS,
    REFERENCE_K,
    ZERO_C_K,
    Trace,
    TraceError,
    lagged,
)

WARMS_S, WARMTH_DOUBT = 60.0, 0.05  # how a drawn gas warms at the walls, and what of it is not known
WORST_VOLUME, AGREE, VOLUME_DOUBT = 2.2, 0.2, 0.15
LEAK_DOUBT = 0.6
FELL_SIGMA = 4.0
GAINED_SHARE = 0.15  # of what a drawn volume moves
REST_SHARE, UNSTEADY, SCALE_DOUBT = 0.5, 1.0, 0.3  # of what is read at rest that may be otherwise in the hold
UNEVEN_TIMES = 4.0  # what changes by a part from half to half of a hold may be four times that part
KNOWN_DOUBT = 1.4  # the parabola takes up a part of slow noise: worlds with nothing hidden spread by so much more
QUANTILE = 2.2  # of Student's t, 95 %, for some ten independent readings


@dataclass(frozen=True)
class VolumeAnswer:
    """A known volume of `ml`: the gas volume that answers for it, walls included, with its ends, L; infinite: nothing moved.

    `gained_kpa`: by how much it came back to more than it was drawn from, beyond what readings and weather do.
    """

    at_s: float
    ml: float
    litres: float
    low: float
    high: float
    gained_kpa: float = 0.0

    def seen_ml(self, told_l: float) -> float:
        """How much of it a tank of the told volume would have answered."""
        return self.ml * told_l / self.litres if self.litres > 0 else 0.0


@dataclass(frozen=True)
class LeakAnswer:
    """A known leak of `ml_min` and what was seen of it, with its ends; `error`: the half-width that is the readings' own."""

    ml_min: float
    seen: float
    low: float
    high: float
    error: float


@dataclass(frozen=True)
class Answers:
    """What the tank answered: volumes, the known leak, the rest; `fault` where the set-up was found out, `words` for the record.

    `volume_l`: the gas volume to reckon with. `whole`: whether every question was asked and answered right.
    """

    volumes: tuple[VolumeAnswer, ...]
    known: LeakAnswer | None
    rest: Leak | None
    volume_l: float
    fault: str
    words: str
    whole: bool


def answers_of(
    trace: Trace,
    marks: Sequence[Mark],
    volume_l: float,
    sensors: GaugeKind,
    around: Surroundings,
    give: tuple[float, float] = (0.0, 0.004),
    test_kpa: float | None = None,
) -> Answers:
    """What a tank answered.

    Args:
        trace: all readings, of hold and questions.
        marks: what was done, and when.
        volume_l: gas volume as it is told, L.
        sensors: what is known of the gauge.
        around: the air outside.
        give: least and most growth of its volume, share for each kPa, as its walls are reckoned to swell.
        test_kpa: gauge pressure at which a known leak runs at its rate; None takes what the trace began at.
    """
    ordered = sorted(marks, key=lambda m: m.t_s)
    base = 0.0 if trace.absolute else around.level_kpa
    volumes = tuple(_volumes(trace, ordered, base, _amount(trace, sensors, base)))
    pressure = base + float(np.median(trace.p[: max(3, len(trace.p) // 10)]))
    least, most = volume_l * (1 + pressure * give[0]), volume_l * (1 + pressure * give[1])
    fault = _volume_fault(volumes, volume_l, least, most)
    good = [v for v in volumes if v.high - v.low < 4 * VOLUME_DOUBT * v.litres]
    used = float(np.mean([v.litres for v in good])) if good and not fault else (least + most) / 2
    known = None if fault else _known(trace, ordered, used, sensors, base, test_kpa)
    if known is not None and not fault:
        fault = _leak_fault(known)
    rest, rested = (None, "") if fault else _rest(trace, ordered, used, sensors, around)
    fault = fault or rested
    twice = len(volumes) >= 2
    said = []
    if volumes:
        seen = " and ".join(f"{min(v.seen_ml(volume_l), 9999.0):.1f}" for v in volumes)
        said.append(f"gauge answered {seen} of {volumes[0].ml:g} mL")
        said += _walls(good, least, most)
    if known is not None:
        said.append(f"known leak of {known.ml_min:g} seen as {known.low:.2f} to {known.high:.2f} mL/min")
    if rest is not None:
        said.append(f"at rest {rest.ml_min:+.2f} ± {rest.half_width:.2f} mL/min")
    whole = twice and known is not None and rest is not None and not fault
    return Answers(volumes, known, rest, used, fault, "; ".join(said), whole)


def _volumes(trace: Trace, marks: Sequence[Mark], base: float, amount: Array) -> list[VolumeAnswer]:
    """Each volume that was drawn and given back; `amount`: the gas, (n,), kPa at 20 degC."""
    found = []
    for mark in marks:
        if mark.what != "draw" or mark.value <= 0:
            continue
        back = next((m for m in marks if m.what == "return" and m.t_s > mark.t_s), None)
        if back is None:
            continue
        t = trace.t
        out, home = mark.t_s, back.t_s
        near = (t > out - LOOKS_S) & (t < home + SETTLES_S + LOOKS_S)
        near &= ~((t >= out) & (t < out + SETTLES_S)) & ~((t >= home) & (t < home + SETTLES_S)) & np.isfinite(trace.p)
        drawn = (t >= out) & (t < home)
        if int((near & drawn).sum()) < 4 or int((near & ~drawn).sum()) < 4:
            continue
        s = (t[near] - out) / max(home - out, 1.0)
        # Gas that was widened is cold, and warms again at the walls; given back, it is warm.
        cold = np.where(
            t >= home, -np.exp(-np.clip(t - home, 0, None) / WARMS_S), np.exp(-np.clip(t - out, 0, None) / WARMS_S)
        )
        cold = np.where(t < out, 0.0, cold)[near]
        design = np.column_stack([np.ones_like(s), s, drawn[near].astype(float), cold])
        fit, *_ = np.linalg.lstsq(design, trace.p[near], rcond=None)
        spread = float((trace.p[near] - design @ fit).std()) * math.sqrt(len(s) / max(len(s) - 4, 1))
        error = QUANTILE * spread * math.sqrt(float(np.linalg.inv(design.T @ design)[2, 2]))
        fell = -float(fit[2])
        error = math.hypot(error, WARMTH_DOUBT * abs(fell))
        level = base + float(fit[0])

        def litres_at(fall: float, level: float = level, ml: float = mark.value) -> float:
            return level * ml / 1000 / fall if fall > 0 else math.inf

        ends = (litres_at(fell), litres_at(fell + error), litres_at(fell - error))
        found.append(VolumeAnswer(mark.t_s, mark.value, *ends, _gained(trace, amount, out, home, abs(fell))))
    return found


def _gained(trace: Trace, amount: Array, out: float, home: float, fell: float) -> float:
    """By how much more air there is after a volume was given back than before it was drawn, kPa; 0 within what weather does."""
    before = amount[(trace.t > out - LOOKS_S) & (trace.t < out)]
    after = amount[(trace.t >= home + 2 * SETTLES_S) & (trace.t < home + 2 * SETTLES_S + LOOKS_S)]
    if len(before) < 3 or len(after) < 3:
        return 0.0
    gained = float(after.mean() - before.mean())
    noise = math.hypot(float(before.std()) / math.sqrt(len(before)), float(after.std()) / math.sqrt(len(after)))
    return gained if gained > 8 * noise + GAINED_SHARE * fell else 0.0


def _volume_fault(volumes: Sequence[VolumeAnswer], told_l: float, least: float, most: float) -> str:
    """What is wrong with how it answers for a volume; empty where nothing is."""
    for v in volumes:
        seen = f"the gauge answered {min(v.seen_ml(told_l), 9999.0):.1f} of {v.ml:g} mL"
        if v.low > WORST_VOLUME * most:
            return f"{seen}: it is stuck, shut off from the tank, or a supply holds the pressure"
        if v.high < least / WORST_VOLUME:
            return f"{seen}: it reads another vessel than the tank, or is shut off from it"
        if v.high > 4 * v.litres:
            return f"{seen}, not plainly: draw more"
        if v.gained_kpa > 0:
            return f"when {v.ml:g} mL were given back it stood {v.gained_kpa:.3f} kPa higher than before: something was let in"
    for a, b in itertools.pairwise(volumes):
        if a.low > b.high * (1 + AGREE) or b.low > a.high * (1 + AGREE):
            seen = " and then ".join(f"{min(v.seen_ml(told_l), 9999.0):.1f}" for v in (a, b))
            return f"the gauge answered {seen} of {a.ml:g} mL: something was changed between"
    return ""


def _walls(good: Sequence[VolumeAnswer], least: float, most: float) -> list[str]:
    """What answers against what gas volume and swelling walls were reckoned to, in words."""
    if not good:
        return []
    low, high = max(v.low for v in good), min(v.high for v in good)
    if low > high:
        low, high = min(v.low for v in good), max(v.high for v in good)
    reckoned = f"{least:.1f} to {most:.1f} L are reckoned with walls that swell"
    if low > most or high < least:
        how = "more" if low > most else "less"
        return [f"it answers like {low:.1f} to {high:.1f} L, {how} than reckoned ({reckoned}): look at its volume"]
    return [f"it answers like {low:.1f} to {high:.1f} L ({reckoned})"]


def _amount(trace: Trace, sensors: GaugeKind, base: float) -> Array:
    """Gas, as its pressure at 20 degC, as a gauge that lags as the thermometer does would have it."""
    baro = np.where(np.isfinite(trace.baro), trace.baro, base)
    absolute = trace.p + (0.0 if trace.absolute else baro)
    lag = UNKNOWN_LAG_S if sensors.temp_lag_s is None else sensors.temp_lag_s
    felt = lagged(absolute, trace.t, lag) if lag > 0 else absolute
    return np.asarray(felt * REFERENCE_K / (trace.temp + ZERO_C_K))


def _known(
    trace: Trace, marks: Sequence[Mark], volume_l: float, sensors: GaugeKind, base: float, test_kpa: float | None
) -> LeakAnswer | None:
    """What was seen of a known leak: how much faster it fell while that was open. It runs as the gauge stands to the test's."""
    opened = next((m for m in marks if m.what == "open"), None)
    if opened is None or opened.value <= 0:
        return None
    after = [m.t_s for m in marks if m.t_s > opened.t_s]
    shut = next(
        (m.t_s for m in marks if m.what == "shut" and m.t_s > opened.t_s), min(after, default=float(trace.t[-1]))
    )
    following = min((t for t in after if t > shut), default=float(trace.t[-1]))
    long = shut - opened.t_s
    start = max([m.t_s + SETTLES_S for m in marks if m.t_s < opened.t_s] + [opened.t_s - 1.5 * long])
    whole = trace.picked((trace.t >= start) & (trace.t < following))
    if len(whole.t) < 3 * LEAST_READINGS or long <= 0:
        return None
    amount, t = _amount(whole, sensors, base), whole.t
    lag = UNKNOWN_LAG_S if sensors.temp_lag_s is None else sensors.temp_lag_s
    began = trace.p[: max(3, len(trace.p) // 50)]
    above = 0.0 if not trace.absolute else float(np.nanmedian(whole.baro)) if whole.has_barometer else ATMOSPHERE_KPA
    at_test = float(np.median(began)) - above if test_kpa is None else test_kpa
    drives = np.clip((whole.p - above) / max(at_test, 0.1), 0.0, 1.5)
    ramp = _running(drives * ((t >= opened.t_s) & (t < shut)), t)
    ramp = lagged(ramp, t, lag) if lag > 0 else ramp
    kept = t >= t[0] + min(4 * lag, long / 2)  # a gauge that lags as the thermometer does begins in step with it
    amount, t, ramp, drives = amount[kept], t[kept], ramp[kept], drives[kept]
    span = float(t[-1] - t[0])
    s = (t - t[0]) / span
    design = np.column_stack([np.ones_like(s), s, s**2, -ramp / long])
    fit, *_ = np.linalg.lstsq(design, amount, rcond=None)
    # What leaks of itself slows down as the gauge falls: taken out, and fitted again.
    amount = amount - float(fit[1]) / span * _running(drives - drives[0], t)
    fit, *_ = np.linalg.lstsq(design, amount, rcond=None)
    left = amount - design @ fit
    inverse = np.linalg.inv(design.T @ design)
    score = (inverse @ design.T)[3] * left
    cosine = np.cos(np.pi * np.outer(np.arange(1, 9), (np.arange(len(s)) + 0.5)) / len(s))
    error = KNOWN_DOUBT * 2.306 * math.sqrt(float((2 * (cosine @ score) ** 2).mean()))
    to_leak = volume_l * 1000 / ATMOSPHERE_KPA * 60 / long
    seen = float(fit[3]) * to_leak
    wide = math.hypot(error * to_leak, VOLUME_DOUBT * seen)
    return LeakAnswer(opened.value, seen, seen - wide, seen + wide, error * to_leak)


def _running(x: Array, t: Array) -> Array:
    """The sum of `x` over time, from the first reading on."""
    return np.concatenate([[0.0], np.cumsum((x[1:] + x[:-1]) / 2 * np.diff(t))])


def _leak_fault(known: LeakAnswer) -> str:
    q = known.ml_min
    seen = f"a known leak of {q:g} mL/min was seen as {known.seen:.2f}, {known.low:.2f} to {known.high:.2f}"
    if known.high < q * (1 - 0.1) or known.low > q * (1 + 0.1):
        return f"{seen}: what is read does not follow the tank"
    if known.seen < (1 - LEAK_DOUBT) * q or known.seen > (1 + LEAK_DOUBT) * q or known.low <= 0:
        return f"{seen}, not plainly: leave it open longer"
    return ""


def _rest(
    trace: Trace, marks: Sequence[Mark], volume_l: float, sensors: GaugeKind, around: Surroundings
) -> tuple[Leak | None, str]:
    """(what is read at no overpressure as if it were a leak, why it is no rest)."""
    begun = next((m for m in marks if m.what == "rest"), None)
    if begun is None:
        return None, ""
    ended = next((m.t_s for m in marks if m.what == "end" and m.t_s > begun.t_s), math.inf)
    part = trace.picked((trace.t >= begun.t_s) & (trace.t <= ended))
    if len(part.t) < 3 * LEAST_READINGS:
        return None, ""
    if trace.absolute and not trace.has_barometer:
        return None, ""
    baro = np.where(np.isfinite(part.baro), part.baro, around.level_kpa)
    gauge = part.p - (baro if trace.absolute else 0.0)
    if abs(float(np.median(gauge[: max(3, len(gauge) // 10)]))) > 1.0:
        return None, f"at rest the gauge stood at {float(np.median(gauge)):.2f} kPa: a rest is at no overpressure"
    try:
        return leak(part, volume_l, sensors, around, None, even=True), ""
    except TraceError as error:
        return None, f"the rest cannot be read: {error}"


def unevenness(hold: Trace, volume_l: float, sensors: GaugeKind, base: float) -> float:
    """Half of what the halves of a hold differ by in what they lose, mL/min: a loss that is not steady is not one figure."""
    if len(hold.t) < 4 * LEAST_READINGS:
        return 0.0
    amount, middle = _amount(hold, sensors, base), len(hold.t) // 2
    rates = [
        -float(np.polynomial.polynomial.polyfit(hold.t[part], amount[part], 1)[1])
        for part in (slice(None, middle), slice(middle, None))
    ]
    return abs(rates[0] - rates[1]) / 2 * volume_l * 1000 / ATMOSPHERE_KPA * 60


def fell_at_first(
    trace: Trace, marks: Sequence[Mark], volume_l: float, limit: float, sensors: GaugeKind, base: float
) -> str:
    """Words for a tank that fell before it was asked anything, faster than its limit and than later; empty otherwise.

    Args:
        trace: all readings.
        marks: what was asked.
        volume_l: gas volume.
        limit: leak that still counts as tight, mL/min.
        sensors: the gauge.
        base: air pressure, where no barometer was read.
    """
    first = min((m.t_s for m in marks), default=0.0)
    lag = UNKNOWN_LAG_S if sensors.temp_lag_s is None else sensors.temp_lag_s
    amount, later = _amount(trace, sensors, base), hold_of(trace, marks)
    early = (trace.t < first) & (trace.t >= trace.t[0] + lag / 2)
    rest = np.isin(trace.t, later.t) & (trace.t > first)
    if early.sum() < 2 * LEAST_READINGS or rest.sum() < 4 * LEAST_READINGS:
        return ""
    per = volume_l * 1000 / ATMOSPHERE_KPA * 60
    rates, errors = [], []
    for part in (early, rest):
        t, x = trace.t[part], amount[part]
        fit = np.polynomial.polynomial.polyfit(t, x, 1)
        left = x - np.polynomial.polynomial.polyval(t, fit)
        rates.append(-float(fit[1]) * per)
        errors.append(float(left.std()) * math.sqrt(12 / len(t)) / float(np.ptp(t)) * per)
    beyond = rates[0] - rates[1]
    if rates[0] <= limit or beyond <= max(limit / 2, FELL_SIGMA * math.hypot(*errors)):
        return ""
    fell = f"before it was asked anything it fell at {rates[0]:.1f} mL/min, later at {rates[1]:.1f}"
    return f"{fell}: still settling, or a leak that shut"


def barometer_turned(whole: Trace, marks: Sequence[Mark], volume_l: float) -> float:
    """By how much the barometer moved otherwise in the hold than at rest, mL/min: one that is late or stood still tells by that."""
    begun = next((m.t_s for m in marks if m.what == "rest"), math.inf)
    ended = next((m.t_s for m in marks if m.what == "end" and m.t_s > begun), math.inf)
    spans = (
        whole.t < min([m.t_s for m in marks if m.what == "open"], default=begun),
        (whole.t >= begun) & (whole.t <= ended),
    )
    rates = []
    for span in spans:
        t, baro = whole.t[span], whole.baro[span]
        t, baro = t[np.isfinite(baro)], baro[np.isfinite(baro)]
        if len(t) < 2 * LEAST_READINGS:
            return 0.0
        rates.append(float(np.polynomial.polynomial.polyfit(t, baro, 1)[1]))
    return abs(rates[0] - rates[1]) * volume_l * 1000 / ATMOSPHERE_KPA * 60


def net_of(found: Leak, answers: Answers, told_l: float, uneven: float = 0.0, turned: float = 0.0) -> Leak:
    """The leak with what the tank answered in it: its own gas volume, less what is read at rest.

    Args:
        found: as fitted with the told volume.
        answers: what it answered.
        told_l: that volume.
        uneven: by how much the halves of the hold differ, beyond what readings do.
        turned: by how much the barometer moved otherwise in the hold than at rest, mL/min.
    """
    uneven = UNEVEN_TIMES * max(0.0, uneven - found.statistical)
    found = replace(found, below=math.hypot(found.below, uneven), above=math.hypot(found.above, uneven))
    share = answers.volume_l / told_l
    doubt = max(((v.high - v.low) / 2 / v.litres for v in answers.volumes if math.isfinite(v.high)), default=0.0)
    known = answers.known
    scale = 1.0
    if known is not None and known.error < SCALE_DOUBT * known.seen:
        # Held against the known leak, volume, walls and clock fall out.
        scale, doubt = known.ml_min / known.seen, known.error / known.seen
    scaled, rest = _times(found, share * scale), answers.rest
    if rest is None:
        wide = doubt * abs(scaled.ml_min)
        return replace(scaled, below=math.hypot(scaled.below, wide), above=math.hypot(scaled.above, wide))
    rest = _times(rest, scale)
    value = scaled.ml_min - rest.ml_min
    wide = math.hypot(doubt * abs(value), UNSTEADY * rest.ml_min, turned * scale)
    low = math.hypot(scaled.below, rest.above, wide)
    high = math.hypot(scaled.above, rest.below, wide)
    return replace(scaled, ml_min=value, below=low, above=high, excess=min(scaled.excess, value))


def unrest(answers: Answers, limit_ml_min: float) -> str:
    """Why a tank is not called tight on the strength of its rest; empty where what it reads at rest is small."""
    rest = answers.rest
    if rest is None or abs(rest.ml_min) <= REST_SHARE * limit_ml_min:
        return ""
    goes = "gains" if rest.ml_min < 0 else "loses"
    return (
        f"at rest, where nothing can leak, it {goes} {abs(rest.ml_min):.2f} mL/min: a supply, a wet residue, sun or a draught; "
        "what is that large does not stay the same"
    )


def _times(found: Leak, share: float) -> Leak:
    told = (
        "ml_min",
        "statistical",
        "settling",
        "resolution",
        "drift",
        "barometer",
        "below",
        "above",
        "straight_ml_min",
        "excess",
    )
    return replace(found, **{name: getattr(found, name) * share for name in told})
