"""What a trace shows of the set-up: topped up, a gauge that stands still or does not move with the air, a leak that begins late.

Each check looks at the whole hold and says what it saw, and when. A trace in which one speaks is "disturbed", never tight: it
says something of the bench, not of the tank. What no trace can show is asked of the tank instead (`questions.py`).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Array
from bathyx.core.proving.gauges import UNKNOWN_LAG_S, GaugeKind
from bathyx.core.proving.readings import ATMOSPHERE_KPA, REFERENCE_K, ZERO_C_K, Trace, lagged, resolution_of

SIGHTED = formula(
    "proving.disturbed",
    "What a trace shows of the set-up",
    "jump |Δ| > 8 σ and 6 times what usually moves; still for longer than its noise allows (1e-6); of the air's warming less "
    "than half seen; a stretch that falls 6 σ faster than the others, at more than the limit",
    source="Robust spreads by the median absolute deviation (Hampel); run lengths of independent readings; regression of one "
    "channel on the other. The lines are Bathyx's own, set on simulated holds",
    valid="holds of 24 readings and more",
    check="tests/core/test_hidden.py and tools/hidden_study.py: worlds with something hidden, and holds without",
    tolerance="false alarms as the study prints them; under 2 % in a shop",
)
LEAST_LOOKED_AT = 24
JUMP_SIGMA, JUMP_USUAL, JUMP_WIDTH = 8.0, 6.0, 5
STILL_ODDS = 1e-6
SEEN_MOVES, SEEN_SHARE, MOVE_SIGMA = 48, 0.5, 3.5
STRETCH_SHARES, STRETCH_SIGMA, EARLY_SHARE = (0.04, 0.1, 0.2, 1 / 3, 0.5), 5.0, 0.1
COARSE_STEP_C, SETTLED_LAGS, UNSURE_S, QUICK_S, QUICK_SETTLED = 0.05, 3.0, 900.0, 90.0, 0.5
MAD = 1.4826


@dataclass(frozen=True)
class Sight:
    """What was seen, when (seconds), in words."""

    kind: str
    at_s: float
    words: str


@dataclass(frozen=True, eq=False)
class _Looked:
    """A trace made ready: gauge pressures, lag of the thermometer told, noise of a reading, steps of both channels."""

    trace: Trace
    lag_s: float
    noise: float
    step_p: float
    step_t: float
    per_k: float
    base_kpa: float
    to_leak: float
    limit: float
    settled_s: float


def disturbances(
    trace: Trace,
    volume_l: float,
    limit_ml_min: float,
    sensors: GaugeKind,
    base_kpa: float = ATMOSPHERE_KPA,
    sure: bool = True,
) -> tuple[Sight, ...]:
    """Everything that a trace shows of its set-up, in the order in which it is looked for.

    Args:
        trace: readings that make sense.
        volume_l: air volume, L.
        limit_ml_min: leak that still counts as tight.
        sensors: what is known of the gauge.
        base_kpa: air pressure, where no barometer was read.
        sure: whether that is known; a warm fill is brought to one temperature by it.
    """
    if len(trace.t) < LEAST_LOOKED_AT or trace.hold_s <= 0:
        return ()
    base = 0.0 if trace.absolute else base_kpa
    lag = UNKNOWN_LAG_S if sensors.temp_lag_s is None else sensors.temp_lag_s
    d = np.diff(trace.p)
    noise = MAD * float(np.median(np.abs(d - np.median(d)))) / np.sqrt(2)
    looked = _Looked(
        trace,
        lag,
        noise,
        sensors.resolution_kpa or resolution_of(trace.p),
        sensors.temp_resolution_c or resolution_of(trace.temp),
        float(((trace.p + base) / (trace.temp + ZERO_C_K)).mean()),
        base_kpa,
        volume_l * 1000 / ATMOSPHERE_KPA * 60,
        limit_ml_min,
        (QUICK_SETTLED if lag <= QUICK_S else SETTLED_LAGS) * lag if sure else max(SETTLED_LAGS * lag, UNSURE_S),
    )
    checks: tuple[Callable[[_Looked], Iterator[Sight]], ...] = (_jumps, _still, _deaf, _stretches)
    return tuple(sight for check in checks for sight in check(looked))


def _minute(looked: _Looked, at_s: float) -> str:
    return f"minute {(at_s - float(looked.trace.t[0])) / 60:.0f}"


def _jumps(looked: _Looked) -> Iterator[Sight]:
    """Steps that no weather makes: most of the change within a few readings, the like before and after."""
    t, p, w = looked.trace.t, looked.trace.p, JUMP_WIDTH
    if len(p) < 6 * w:
        return
    means = np.convolve(p, np.ones(w) / w, mode="valid")  # means[k]: p[k..k+w-1]
    gap = 2
    jump = means[w + gap :] - means[: -(w + gap)]  # over `gap` readings, from means of w to means of w
    usual = MAD * float(np.median(np.abs(jump - np.median(jump))))
    sigma = max(looked.noise * np.sqrt(2 / w), looked.step_p / np.sqrt(12) * np.sqrt(2 / w), 1e-9)
    least = max(JUMP_SIGMA * sigma, JUMP_USUAL * usual, 1.5 * looked.step_p)
    moved = jump - np.median(jump)
    span = t[2 * w + gap - 1 :] - t[: -(2 * w + gap - 1)]
    moved = np.where(span > 2 * np.median(span), 0.0, moved)  # readings left out between: nothing is said of them
    spots = np.flatnonzero(np.abs(moved) > least)
    if not len(spots):
        return
    groups = np.split(spots, np.flatnonzero(np.diff(spots) > w) + 1)
    found = []
    for group in groups:
        k = int(group[np.argmax(np.abs(moved[group]))])
        # Weather goes on: the same run of readings just before and after moves alike. A hand does not.
        beside = [abs(float(moved[j])) for j in (k - w - gap, k + w + gap) if 0 <= j < len(moved)]
        if len(beside) == 2 and max(beside) < 0.25 * abs(float(moved[k])):
            found.append((float(moved[k]), float(t[k + w + gap // 2])))
    if not found:
        return
    size, at = max(found, key=lambda x: abs(x[0]))
    times = f", {len(found)} times" if len(found) > 1 else ""
    why = "topped up, or something was knocked" if size > 0 else "air was let out, or something was knocked"
    words = f"the gauge jumped by {size:+.3f} kPa at {_minute(looked, at)}{times}: {why}"
    yield Sight("jump", at, words)


def _still(looked: _Looked) -> Iterator[Sight]:
    """A run of one and the same reading, longer than the noise of the others allows."""
    t, p = looked.trace.t, looked.trace.p
    same = np.diff(p) == 0
    edges = np.flatnonzero(np.diff(np.concatenate([[0], same.view(np.int8), [0]])))
    if not len(edges):
        return
    starts, ends = edges[::2], edges[1::2]
    k = int(np.argmax(ends - starts))
    start, length = int(starts[k]), int(ends[k] - starts[k])
    others = np.concatenate([same[:start], same[start + length :]])
    if length < 8 or len(others) < 12:
        return
    moving = 1 - float(others.mean())
    rest = np.concatenate([p[: start + 1], p[start + length :]])
    noise = float(np.diff(rest).std()) / np.sqrt(2)
    if noise < 0.5 * looked.step_p:
        return  # a gauge coarser than its noise stands still between its steps
    # Readings lean on one another: a reading in three counts.
    if (1 - moving) ** (length / 3) < STILL_ODDS or (moving > 0.9 and length > 30):
        minutes = float(t[start + length] - t[start]) / 60
        when = _minute(looked, float(t[start]))
        words = f"the gauge stood at {float(p[start]):g} kPa for {minutes:.0f} min from {when} on: stuck"
        yield Sight("still", float(t[start]), words)


def _bins(x: Array, n: int) -> Array:
    edges = np.linspace(0, len(x), n + 1).astype(int)
    return np.asarray(np.add.reduceat(x, edges[:-1]) / np.diff(edges))


def _flat(x: Array, t: Array) -> Array:
    """What is left of `x` beside a parabola in time."""
    return np.asarray(x - np.polynomial.polynomial.polyval(t, np.polynomial.polynomial.polyfit(t, x, 2)))


def _noise(x: Array, step: float, many: float = 1.0) -> float:
    """Noise of a mean of `many` readings, from how each differs from the next; steps wider than the noise do not average away."""
    d = np.diff(x)
    alone = max(MAD * float(np.median(np.abs(d))) / np.sqrt(2), float(d.std()) / 6)
    rounded = step / np.sqrt(12)
    return (
        float(np.hypot(alone, rounded) / np.sqrt(many))
        if alone > step / 3
        else float(np.hypot(alone / np.sqrt(many), rounded))
    )


def _deaf(looked: _Looked) -> Iterator[Sight]:
    """Gauge and thermometer that do not move together: what the one saw come and go is not in the other."""
    trace = looked.trace
    n = min(SEEN_MOVES, len(trace.t) // 4)
    if n < 12:
        return
    t, many = _bins(trace.t - trace.t[0], n) / trace.hold_s, len(trace.t) / n
    seen = _flat(_bins(trace.temp, n), t)
    base = np.where(np.isfinite(trace.baro), trace.baro, looked.base_kpa)
    gas = (trace.p + (0.0 if trace.absolute else base)) / looked.per_k
    told = [
        _flat(_bins(lagged(gas, trace.t, lag) if lag > 0 else gas, n), t)
        for lag in dict.fromkeys(looked.lag_s * share for share in (0.0, 0.3, 0.6, 1.0, 1.5))
    ]
    noise_t = _noise(trace.temp, looked.step_t, many)
    noise_p = _noise(trace.p, looked.step_p, many) / looked.per_k
    moved, felt = float(seen.std()), float(told[-1].std())
    if moved > MOVE_SIGMA * max(noise_t, noise_p) and moved * looked.per_k > 0.5 * looked.step_p:
        along = max(float((seen * x).sum()) for x in told) / float((seen**2).sum())
        if along < SEEN_SHARE:
            words = (
                f"the air warmed and cooled by {float(np.ptp(seen)):.2f} °C and the gauge does not show it "
                f"({float(np.ptp(seen)) * looked.per_k:.3f} kPa): stuck, shut off from the tank, or a supply holds it"
            )
            yield Sight("deaf", float(trace.t[0]), words)
    elif felt > 2 * MOVE_SIGMA * max(noise_t, noise_p) and felt > 2 * looked.step_t:
        last = told[-1]
        along = float((seen * last).sum()) / float((last**2).sum())
        if along < SEEN_SHARE / 2:
            words = (
                f"the gauge came and went by {float(np.ptp(last)) * looked.per_k:.3f} kPa and the thermometer does not show it: "
                "it is not on the tank, or the pressure moves by itself"
            )
            yield Sight("blind", float(trace.t[0]), words)


def _stretches(looked: _Looked) -> Iterator[Sight]:
    """A stretch, long enough to say so, in which it falls or rises faster than in the others, by more than the limit.

    However much of its lag the thermometer really has: what one lag explains is none.
    """
    lags = dict.fromkeys(looked.lag_s * share for share in ((1.0, 0.7) if looked.lag_s <= QUICK_S else (1.0, 0.5, 0.0)))
    found = [_stretch(looked, lag) for lag in lags]
    told = [x for x in found if x is not None]
    if len(told) < len(found):
        return
    fall, usual, first, last, _ = min(told, key=lambda x: x[4])
    when = f"from {_minute(looked, first)} to {_minute(looked, last)}"
    if fall < 0:
        words = (
            f"{when} it rose by {-fall:.1f} mL/min, otherwise it fell by {usual:.1f}: topped up, or something warms it"
        )
        yield Sight("rose", first, words)
    elif first - float(looked.trace.t[0]) < EARLY_SHARE * looked.trace.hold_s:
        words = f"{when} it fell at {fall:.1f} mL/min, later at {usual:.1f}: still settling, or a leak that shut"
        yield Sight("early", last, words)
    else:
        words = (
            f"{when} it fell at {fall:.1f} mL/min, otherwise at {usual:.1f}: a leak that opens, or something was moved"
        )
        yield Sight("stretch", first, words)


def _stretch(looked: _Looked, lag_s: float) -> tuple[float, float, float, float, float] | None:
    """(rate, rate otherwise, from, to, how plainly) of the stretch that stands out most, if the thermometer lags by `lag_s`."""
    trace = looked.trace
    base = np.where(np.isfinite(trace.baro), trace.baro, looked.base_kpa)
    absolute = trace.p + (0.0 if trace.absolute else base)
    felt = lagged(absolute, trace.t, lag_s) if lag_s > 0 else absolute
    amount = felt * REFERENCE_K / (trace.temp + ZERO_C_K)
    # Lagging takes the gauge's own noise away; what is left is the thermometer's.
    sigma = float(np.hypot(_noise(amount, 0.0), looked.step_t * looked.per_k / np.sqrt(12)))
    coarse = looked.step_p if looked.noise < looked.step_p / 3 else 0.0
    coarse += looked.step_t * looked.per_k if looked.step_t > COARSE_STEP_C else 0.0
    sigmas = STRETCH_SIGMA if looked.lag_s <= QUICK_S else STRETCH_SIGMA + 1
    settled = int(np.searchsorted(trace.t, trace.t[0] + looked.settled_s))
    worst: tuple[float, float, float, float, float] | None = None
    for share in STRETCH_SHARES:
        long = int(share * len(amount))
        if long < 8 or len(amount) - settled < 2 * long:
            continue
        starts = np.arange(settled, len(amount) - long + 1, max(1, long // 4))
        slopes = _slopes(trace.t, amount, starts, long) * looked.to_leak
        seconds = float(trace.t[long - 1] - trace.t[0])
        error = float(np.hypot(sigma * np.sqrt(12 / long), coarse)) / max(seconds, 1.0) * looked.to_leak
        # Neighbours differ by weather alone, but where something begins or ends.
        apart = slopes[4:] - slopes[:-4] if len(slopes) > 8 else slopes[:0]
        spread = float(np.hypot(MAD * np.median(np.abs(apart)) / np.sqrt(2) if len(apart) else 0.0, error))
        for sign in (1.0, -1.0):
            k = int(np.argmax(sign * slopes))
            others = np.delete(slopes, np.arange(max(0, k - 3), min(len(slopes), k + 4)))
            usual = float(np.median(others)) if len(others) else float(slopes.min() if sign > 0 else slopes.max())
            beyond = sign * (float(slopes[k]) - usual)
            if sign * slopes[k] > looked.limit and beyond > max(sigmas * spread, looked.limit / 2):
                first = int(starts[k])
                told = (
                    float(slopes[k]),
                    usual,
                    float(trace.t[first]),
                    float(trace.t[first + long - 1]),
                    beyond / spread,
                )
                if worst is None or told[4] > worst[4]:
                    worst = told
    return worst


def _slopes(t: Array, x: Array, starts: NDArray[np.int_], long: int) -> Array:
    """How fast `x` falls over `long` readings from each start, by least squares, (starts,); by sums that run on."""
    t, x = t - t.mean(), x - x.mean()
    sums = np.cumsum(np.stack([t, x, t * x, t * t]), axis=1)
    first, last = np.maximum(starts - 1, 0), starts + long - 1
    in_t, in_x, in_tx, in_tt = sums[:, last] - sums[:, first] * (starts > 0)
    return np.asarray((in_t * in_x / long - in_tx) / (in_tt - in_t**2 / long))
