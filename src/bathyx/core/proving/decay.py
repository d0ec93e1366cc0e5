"""Pressure decay: a leak from a falling gauge, corrected for temperature and barometer, with an interval.

A closed tank holds P V / T constant unless air leaves. The trace of P_abs T_ref / T is fitted with a leak in proportion
to the gauge pressure, beside the slow relaxations that a warm fill and a lagging thermometer leave in it. Those are
fitted with priors: what the trace cannot tell from a leak widens the interval, so a trace that still settles is not
mistaken for one that leaks, nor for one that is tight.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from bathyx.core.formula import Figure, formula
from bathyx.core.geometry.shell import Array
from bathyx.core.proving.gauges import UNKNOWN, UNKNOWN_LAG_S, GaugeKind, Surroundings
from bathyx.core.proving.readings import (
    ATMOSPHERE_KPA,
    COARSE_C,
    LEAST_READINGS,
    REFERENCE_K,
    ZERO_C_K,
    Sample,
    Trace,
    TraceError,
    lagged,
    resolution_of,
)
from bathyx.core.units import celsius, leakage

CONFIDENCE = 0.95
DECAY = formula(
    "proving.decay",
    "Leak from pressure decay",
    "Q = −(V / P₀) · d(P·T₀/T)/dt, P absolute, P₀ = 101.325 kPa, T₀ = 293.15 K, Q in proportion to the gauge pressure",
    source="Ideal gas law; generalised least squares with priors on relaxations; long-run variance by equal-weighted "
    "cosines (Lazarus, Lewis, Stock & Watson, J. Bus. Econ. Stat. 36 (2018) 541); resolution, drift and lag after GUM "
    "(JCGM 100:2008, 4.3.7 and F.2.2)",
    valid="rigid tank, gas near the temperature read; at least 8 readings without gaps, near the test pressure",
    check="tests/outside/test_gas_laws.py and tools/decay_study.py: simulated holds with a known leak",
    tolerance="wrong tight at 1.05 limits and wrong leaks at 0.95 limits in at most 2.5 % of runs of each case",
)
RELAXATIONS_S = (45.0, 120.0, 300.0, 600.0)
FILL_HEAT_K, UNEVEN_K, MOVED_SHARE = 4.0, 0.1, 2.0
MOST_BINS, COSINES = 240, 8
LAG_SHARES = (0.0, 0.25, 0.5, 0.75, 1.0)
LAG_TOLERANCE = 1.4  # residual variance, against the least, that a lag may leave and still be believed
RESOLUTION_SHARE = 0.85  # of the worst case that rounding can do to a slope
__all__ = ["DECAY", "Leak", "Sample", "Trace", "TraceError", "corrected_kpa", "leak", "steady_gauge_kpa"]


@dataclass(frozen=True)
class Leak:
    """Leak in mL/min of air at 20 degC and 101.325 kPa at the mean pressure of the hold, with its 95 % interval by cause.

    Half-widths: `statistical` of the readings; `settling` of relaxations that cannot be told from a leak; `resolution`;
    `drift` of the sensors; `barometer` unread. `below`, `above`: from the estimate to the ends of the interval.
    `curved` says that the trace bends more than its noise.
    """

    ml_min: float
    statistical: float
    settling: float
    resolution: float
    drift: float
    barometer: float
    below: float
    above: float
    hold_s: float
    raw_drop_kpa: float
    corrected_drop_kpa: float
    curved: bool
    straight_ml_min: float
    excess: float = 0.0

    @property
    def half_width(self) -> float:
        """Half of the interval."""
        return (self.below + self.above) / 2

    @property
    def interval(self) -> tuple[float, float]:
        """Lower and upper end."""
        return self.ml_min - self.below, self.ml_min + self.above

    @property
    def words(self) -> str:
        """The estimate for people: a leak below zero is none seen."""
        low, high = self.interval
        if high < 0:
            return f"the tank seems to gain {-self.ml_min:.2f} ± {self.half_width:.2f} mL/min"
        if self.ml_min <= 0 or low <= 0:
            return f"no leak seen, under {max(high, 0.0):.2f} mL/min"
        return f"{self.ml_min:.2f} mL/min, between {max(low, 0.0):.2f} and {high:.2f} mL/min"

    @property
    def figure(self) -> Figure:
        """The leak as a figure that explains itself."""
        working = (
            f"{self.corrected_drop_kpa:.3f} kPa lost at {celsius(20)} in {self.hold_s / 60:.1f} min ({self.raw_drop_kpa:.3f} kPa "
            f"as read): {self.words}. Half-widths: readings {leakage(self.statistical)}, settling "
            f"{leakage(self.settling)}, resolution {leakage(self.resolution)}, sensor drift {leakage(self.drift)}, barometer "
            f"{leakage(self.barometer)}"
        )
        return Figure("Leak", self.ml_min, "leak", DECAY, working)


def corrected_kpa(samples: Sequence[Sample], atmosphere_kpa: float = ATMOSPHERE_KPA) -> Array:
    """Absolute pressures brought to 20 degC, shape (n,), from gauge readings."""
    trace = Trace.of(samples)
    baro = np.where(np.isfinite(trace.baro), trace.baro, atmosphere_kpa)
    return np.asarray((trace.p + baro) * REFERENCE_K / (trace.temp + ZERO_C_K))


def steady_gauge_kpa(samples: Sequence[Sample]) -> Array:
    """Gauge pressures brought to the first reading's temperature, shape (n,): what a trace shows beside the raw gauge."""
    steady = corrected_kpa(samples)
    base = samples[0].baro_kpa if math.isfinite(samples[0].baro_kpa) else ATMOSPHERE_KPA
    return np.asarray(steady * (samples[0].gauge_kpa + base) / steady[0] - base)


def _binned(trace: Trace) -> Trace:
    """At most MOST_BINS averages of consecutive readings."""
    n = len(trace.t)
    if n <= MOST_BINS:
        return trace
    edges = np.linspace(0, n, MOST_BINS + 1).astype(int)[:-1]
    count = np.diff(np.append(edges, n))

    def mean(x: Array) -> Array:
        return np.asarray(np.add.reduceat(x, edges) / count)

    return Trace(mean(trace.t), mean(trace.p), mean(trace.temp), mean(trace.baro), trace.absolute)


def _smooth(x: Array) -> Array:
    """`x` through a quadratic over about a sixteenth of it, shape (n,); short traces are left as they are."""
    from scipy.signal import savgol_filter

    window = (len(x) // 16) | 1
    return np.asarray(savgol_filter(x, window, 2, mode="interp")) if window >= 5 else x


def _rounding(values: Array, step: float, reach: float) -> float:
    """What steps of `step` may do to a slope over unit time: between GUM's rectangle at both ends and the worst case.

    Noise wider than a step leaves a bias of exp(-2 pi^2 (sigma/step)^2) of it (Widrow, rounding with dither).
    """
    if step <= 0:
        return 0.0
    noise = max(float(np.diff(values[np.isfinite(values)]).var()) / 2 - step**2 / 12, 0.0)
    least = 1.96 * step / math.sqrt(12) * math.sqrt(2)
    worst = RESOLUTION_SHARE * reach * step / 2
    return least + max(worst - least, 0.0) * math.exp(-2 * math.pi**2 * noise / step**2)


@dataclass(frozen=True, eq=False)
class _Air:
    """Absolute pressure with its base, and what is not known of the base: rate (kPa/s), level bounds (kPa), step (kPa)."""

    absolute: Array
    gauge: Array
    rate: float
    bow_rate: float
    level: tuple[float, float]
    step: float


def _air(trace: Trace, around: Surroundings, sensors: GaugeKind) -> _Air:
    """The pressures of a trace above nothing. A barometer read beside the gauge comes first, then one read at both ends."""
    per_s, hold = around.rate_kpa_per_h / 3600, max(trace.hold_s, 1.0)
    if trace.has_barometer:
        baro = np.interp(trace.t, trace.t[np.isfinite(trace.baro)], trace.baro[np.isfinite(trace.baro)])
        rate, bow, level, step = 0.0, 0.0, (-0.3, 0.3), sensors.baro_resolution_kpa
    elif around.barometer_kpa is not None:
        first, last = around.barometer_kpa
        baro = first + (last - first) * (trace.t - trace.t[0]) / hold
        rate, bow, level, step = around.barometer_step_kpa / hold, 0.1 * per_s, around.level_bounds_kpa, 0.0
    else:
        baro = np.full(len(trace.t), around.level_kpa)
        rate, bow, level, step = per_s, 0.0, around.level_bounds_kpa, 0.0
    if trace.absolute:
        return _Air(trace.p, trace.p - baro, 0.0, 0.0, (0.0, 0.0), 0.0)
    return _Air(trace.p + baro, trace.p, rate, bow, level, step)


def leak(  # noqa: PLR0915 - one derivation, read from top to bottom
    samples: Sequence[Sample] | Trace,
    volume_l: float,
    sensors: GaugeKind = UNKNOWN,
    around: Surroundings | None = None,
    test_kpa: float | None = None,
    even: bool = False,
) -> Leak:
    """The leak of a hold.

    Args:
        samples: readings in time order, or their Trace.
        volume_l: air volume of the tank, L.
        sensors: what is known of the gauge and thermometer.
        around: weather, altitude and barometer; None for the worst usual.
        test_kpa: the gauge pressure that the limit is meant at; a hold that stood lower has its upper end raised.
        even: what is lost does not follow the pressure: the weather of a tank at rest.

    Raises:
        TraceError: fewer than 8 readings, times out of order, or no volume.
    """
    from scipy.special import stdtrit

    full = samples if isinstance(samples, Trace) else Trace.of(samples, sensors.absolute)
    around = around or Surroundings()
    if len(full.t) < LEAST_READINGS:
        raise TraceError(f"{len(full.t)} readings are too few to fit a leak; at least {LEAST_READINGS} are needed")
    if not volume_l > 0 or not math.isfinite(volume_l):
        raise TraceError("the tank's volume must be above zero to turn a pressure drop into a leak")
    if full.hold_s <= 0 or np.any(np.diff(full.t) < 0):
        raise TraceError("readings must follow one another in time")
    if float(full.temp.min()) < -60:
        raise TraceError("a temperature below −60 °C is a sensor fault; check its plug")
    step_p = sensors.resolution_kpa or resolution_of(full.p)
    step_t = sensors.temp_resolution_c or resolution_of(full.temp) or COARSE_C
    trace = _binned(full)
    air = _air(trace, around, sensors)
    hold = full.hold_s
    t = (trace.t - trace.t[0]) / hold
    kelvin = trace.temp + ZERO_C_K
    cold = REFERENCE_K / kelvin
    y = air.absolute * cold
    mean_gauge = max(float(air.gauge.mean()), 0.1)
    shape = np.ones_like(t) if even else np.clip(air.gauge, 0, None) / mean_gauge
    lost = np.concatenate([[0.0], np.cumsum(np.diff(t) * (shape[1:] + shape[:-1]) / 2)])
    per_k = float((air.absolute / kelvin).mean())
    lag = UNKNOWN_LAG_S if sensors.temp_lag_s is None else sensors.temp_lag_s
    smooth = _smooth(air.absolute)
    # A warm fill that the thermometer misses shows in the pressure: what moved little hides little.
    moved = MOVED_SHARE * (float(np.ptp(smooth)) / per_k + float(np.ptp(_smooth(trace.temp))))
    warmth = UNEVEN_K + min(FILL_HEAT_K * min(1.0, lag / 150), moved)
    fast = float(np.diff(y).var()) / 2
    rounding = (step_p * float(cold.mean())) ** 2 / 12 + (step_t * per_k) ** 2 / 12
    noise = max(fast * 4 + rounding * max(1.0, len(t) / 8), 1e-10)
    # Unknown parts of each fit: start, leak, and relaxations; their priors are what a warm fill can leave.
    design = np.column_stack([np.ones_like(t), -lost, *(np.exp(-t * hold / tau) for tau in RELAXATIONS_S)])
    prior = np.array([1e-12, 1e-12, *([(per_k * warmth) ** -2] * len(RELAXATIONS_S))])
    scaled = design.T / noise
    inverse = np.linalg.inv(scaled @ design + np.diag(prior))
    weights = inverse @ scaled
    w = weights[1]
    # The thermometer's lag: each share of it that the trace does not contradict is kept, and the interval spans them.
    shares = LAG_SHARES if lag > 0 else (0.0,)
    behind = [(smooth - lagged(smooth, trace.t, lag * share)) * cold.mean() if share else 0.0 * y for share in shares]
    mended = np.stack([y - y[0] - part for part in behind])
    beta = mended @ weights.T
    residuals = mended - beta @ design.T
    spread = residuals.var(axis=1)
    kept = spread <= LAG_TOLERANCE * float(spread.min()) + 0.5 * rounding
    effective = max(len(t) - float(np.trace(weights @ design)), 2.0)
    score = w * residuals * math.sqrt(len(t) / effective)
    cosine = np.cos(np.pi * np.outer(np.arange(1, COSINES + 1), (np.arange(len(t)) + 0.5)) / len(t))
    long_run = ((math.sqrt(2) * score @ cosine.T) ** 2).mean(axis=1)
    quantile = float(stdtrit(COSINES, 0.5 + CONFIDENCE / 2))
    to_leak = volume_l * 1000 / ATMOSPHERE_KPA * 60 / hold
    statistical = quantile * np.sqrt(np.maximum(long_run, float((w**2).sum()) * fast))
    settling = 1.96 * math.sqrt(max(float(inverse[1, 1]) - noise * float((w**2).sum()), 0.0))
    reach = float(np.abs(w).sum())
    rounded = math.hypot(
        _rounding(full.p, step_p, reach) * float(cold.mean()), _rounding(full.temp, step_t, reach) * per_k,
        _rounding(full.baro, air.step, reach) if air.step else 0.0,
    )  # fmt: skip
    hours = hold / 3600
    drift = 1.96 * math.hypot(sensors.drift_kpa_per_h, per_k * sensors.temp_drift_k_per_h, air.bow_rate * 3600) * hours
    ramp = abs(float(w @ (t * cold))) * hold * air.rate
    levels = [float(w @ cold) * d for d in air.level] if not trace.absolute else [0.0, 0.0]
    values = beta[kept, 1]
    value = float(values.mean())
    each = np.sqrt(statistical[kept] ** 2 + settling**2 + rounded**2 + drift**2)
    below = value - float((values - each).min()) + ramp + max(0.0, -min(levels))
    above = float((values + each).max()) - value + ramp + max(0.0, *levels)
    spanned = math.hypot(settling, float(np.ptp(values)) / 2)
    residual, typical = residuals[kept].mean(axis=0), float(statistical[kept].mean())
    lift = max(1.0, test_kpa / mean_gauge) if test_kpa else 1.0
    top = value + above
    above = max(top * lift, top) - value
    straight = np.polyfit(-lost, y, 1)
    bent = y - np.polyval(straight, -lost)
    floor = max(fast, rounding, 1e-12)
    curved = float(bent.var()) > 4 * float(residual.var()) + 0.5 * floor
    ends = max(1, len(t) // 20)
    steady_drop = float(y[:ends].mean() - y[-ends:].mean())
    # What everything but a leak could take from the ends of the trace, at the most.
    other = (
        3 * per_k * warmth * (1 - math.exp(-hold / RELAXATIONS_S[1]))
        + step_p + step_t * per_k + (air.rate + air.bow_rate) * hold
        + 3 * math.hypot(sensors.drift_kpa_per_h, per_k * sensors.temp_drift_k_per_h) * hours
        + max(abs(d) for d in air.level) * float(np.ptp(cold)) + 3 * math.sqrt(fast)
    )  # fmt: skip
    span = float(t[-ends:].mean() - t[:ends].mean()) * float(lost[-1])
    return Leak(
        value * to_leak,
        typical * to_leak,
        spanned * to_leak,
        rounded * to_leak,
        drift * to_leak,
        ramp * to_leak,
        below * to_leak,
        above * to_leak,
        hold,
        float(full.p[0] - full.p[-1]),
        value,
        curved,
        float(straight[0]) * to_leak,
        (steady_drop - other) / max(span, 1e-9) * to_leak,
    )
