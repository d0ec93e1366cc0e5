"""Pressure decay: a leak from a falling gauge, corrected for temperature, with an interval and a verdict.

A closed tank holds P V / T constant unless air leaves. The trace of P_abs T_ref / T is fitted with a straight line;
its slope is the leak. Residuals of real gauges follow one another, so the interval is widened for their correlation,
and a share is added for slow drift of the sensors that no statistics can see.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from bathyx.core.formula import Figure, formula
from bathyx.core.geometry.shell import Array
from bathyx.core.proving.energy import ATMOSPHERE_KPA

REFERENCE_K = 293.15
ZERO_C_K = 273.15
CONFIDENCE = 0.95
DECAY = formula(
    "proving.decay",
    "Leak from pressure decay",
    "Q = −(V / P₀) · d(P·T₀/T)/dt, P absolute, P₀ = 101.325 kPa, T₀ = 293.15 K",
    source="Ideal gas law; least squares with the standard error widened by (1 + ρ)/(1 − ρ) for lag-one correlation",
    valid="rigid tank, gas at the temperature read; at least 8 readings over a hold",
    check="tests/outside/test_gas_laws.py, synthetic traces with a known leak and a drifting temperature",
    tolerance="the true leak lies in the 95 % interval in at least 90 of 100 runs",
)

Verdict = Literal["tight", "leaks", "not decided"]


class TraceError(ValueError):
    """A trace from which nothing can be said; the message says what is missing."""


@dataclass(frozen=True)
class Sample:
    """One reading: seconds since the hold began, gauge pressure, gas temperature."""

    t_s: float
    gauge_kpa: float
    temp_c: float


@dataclass(frozen=True)
class SensorDrift:
    """Slow drift over a hold that the instrument's maker allows, as a standard uncertainty."""

    pressure_kpa: float = 0.005
    temperature_k: float = 0.03


@dataclass(frozen=True)
class Leak:
    """Leak in mL/min of air at 20 degC and 101.325 kPa: value and half-width of its 95 % interval, split by cause."""

    ml_min: float
    half_width: float
    statistical: float
    drift: float
    hold_s: float
    raw_drop_kpa: float
    corrected_drop_kpa: float

    @property
    def figure(self) -> Figure:
        """The leak as a figure that explains itself."""
        working = (
            f"{self.corrected_drop_kpa:.3f} kPa lost at 20 °C in {self.hold_s / 60:.1f} min ({self.raw_drop_kpa:.3f} kPa as "
            f"read): {self.ml_min:.2f} ± {self.half_width:.2f} mL/min, of which readings ± {self.statistical:.2f} and "
            f"sensor drift ± {self.drift:.2f}"
        )
        return Figure("Leak", self.ml_min, "leak", DECAY, working)

    @property
    def interval(self) -> tuple[float, float]:
        """Lower and upper end."""
        return self.ml_min - self.half_width, self.ml_min + self.half_width


@dataclass(frozen=True)
class Decision:
    """What the trace proves against a limit; `more_min` is the further hold that should decide it, or None."""

    verdict: Verdict
    reason: str
    more_min: float | None = None


def corrected_kpa(samples: Sequence[Sample]) -> Array:
    """Absolute pressures brought to 20 degC, shape (n,)."""
    p = np.array([s.gauge_kpa for s in samples]) + ATMOSPHERE_KPA
    t = np.array([s.temp_c for s in samples]) + ZERO_C_K
    return np.asarray(p * REFERENCE_K / t)


def steady_gauge_kpa(samples: Sequence[Sample]) -> Array:
    """Gauge pressures brought to the first reading's temperature, shape (n,): what a trace shows beside the raw gauge."""
    steady = corrected_kpa(samples)
    return np.asarray(steady * (samples[0].gauge_kpa + ATMOSPHERE_KPA) / steady[0] - ATMOSPHERE_KPA)


def leak(samples: Sequence[Sample], volume_l: float, drift: SensorDrift | None = None) -> Leak:
    """The leak of a hold. TraceError for fewer than 8 readings, no spread in time, or a temperature below -60 degC."""
    from scipy.special import stdtrit

    drift = drift or SensorDrift()
    if len(samples) < 8:
        raise TraceError(f"{len(samples)} readings are too few to fit a leak; at least 8 are needed")
    if volume_l <= 0:
        raise TraceError("the tank's volume must be above zero to turn a pressure drop into a leak")
    t = np.array([s.t_s for s in samples])
    hold = float(np.ptp(t))
    if hold <= 0 or np.any(np.diff(t) < 0):
        raise TraceError("readings must follow one another in time")
    if min(s.temp_c for s in samples) < -60:
        raise TraceError("a temperature below −60 °C is a sensor fault; check its plug")
    y = corrected_kpa(samples)
    centred = t - t.mean()
    spread = float((centred**2).sum())
    slope = float((centred * y).sum()) / spread
    residual = y - y.mean() - slope * centred
    free = len(t) - 2
    variance = float((residual**2).sum()) / free
    rho = float((residual[1:] * residual[:-1]).sum() / max(float((residual**2).sum()), 1e-300))
    rho = min(max(rho, 0.0), 0.99)
    error = math.sqrt(variance / spread * (1 + rho) / (1 - rho))
    effective = max(free * (1 - rho) / (1 + rho), 2.0)
    quantile = float(stdtrit(effective, 0.5 + CONFIDENCE / 2))
    to_leak = volume_l * 1000 / ATMOSPHERE_KPA * 60
    slow = math.hypot(drift.pressure_kpa, float(y.mean()) * drift.temperature_k / REFERENCE_K) / hold
    statistical, drifting = quantile * error * to_leak, 1.96 * slow * to_leak
    return Leak(
        -slope * to_leak,
        math.hypot(statistical, drifting),
        statistical,
        drifting,
        hold,
        samples[0].gauge_kpa - samples[-1].gauge_kpa,
        -slope * hold,
    )


def decide(found: Leak, limit_ml_min: float, planned_hold_s: float) -> Decision:
    """Tight when the interval's upper end is within the limit, leaking when its lower end is above it, else how much longer.

    A hold shorter than planned is never called tight.
    """
    low, high = found.interval
    words = f"{found.ml_min:.2f} ± {found.half_width:.2f} mL/min against a limit of {limit_ml_min:g}"
    if low > limit_ml_min:
        return Decision("leaks", f"{words}: even the low end is above the limit")
    if high <= limit_ml_min:
        if found.hold_s + 1 < planned_hold_s:
            more = (planned_hold_s - found.hold_s) / 60
            return Decision("not decided", f"{words}, but the planned hold is not over", math.ceil(more))
        return Decision("tight", f"{words}: even the high end is within it")
    margin = abs(limit_ml_min - found.ml_min)
    further = _further_hold(found, margin)
    if further is None:
        return Decision("not decided", f"{words}: too close to the limit to decide by decay; use soap or water")
    return Decision("not decided", words, further)


def _further_hold(found: Leak, margin: float) -> float | None:
    """Whole minutes of further hold until the half-width should fall to `margin`; None beyond 48 h.

    At a steady sampling rate the statistical part falls as T^-1.5 and the drift as 1/T.
    """

    def half_width(hold_s: float) -> float:
        ratio = found.hold_s / hold_s
        return math.hypot(found.statistical * ratio**1.5, found.drift * ratio)

    low: float = found.hold_s
    high: float = found.hold_s + 48 * 3600
    if half_width(high) > margin:
        return None
    while high - low > 1:
        middle = (low + high) / 2
        low, high = (low, middle) if half_width(middle) <= margin else (middle, high)
    return float(max(1, math.ceil((high - found.hold_s) / 60)))
