"""A hold's readings: a trace of pressure, temperature and barometer, and whether they make sense as a test.

A hold proves something only with finite, physical, moving readings that stay near the test pressure without gaps.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from bathyx.core.geometry.shell import Array
from bathyx.errors import Refusal

ZERO_C_K = 273.15
REFERENCE_K = 293.15
ATMOSPHERE_KPA = 101.325
LEAST_READINGS = 8
STRAY_SHARE = 0.01  # single readings that a line garbled; more of them and the instrument is at fault
STEADY_BAND = 0.15
RAW_BAND = 0.30
GAP_S, GAP_STEPS, GAP_SHARE = 30.0, 6.0, 0.10
LEAST_STOOD_KPA = 2.0
CLIMBS = 0.005  # of the pressure, over two readings: somebody pumps
FINE_C = 0.05
COARSE_C = 0.5  # steps of a thermometer that shows one value all along and says nothing of itself
PHYSICAL = {
    "pressure": (-5.0, 2000.0),
    "absolute": (50.0, 2100.0),
    "temperature": (-60.0, 120.0),
    "barometer": (50.0, 110.0),
}


class TraceError(Refusal):
    """A trace from which nothing can be said; the message says what is missing."""


@dataclass(frozen=True)
class Sample:
    """One reading: seconds since the hold began, pressure (gauge, or absolute for an absolute gauge), gas temperature.

    `baro_kpa` is the barometer beside the gauge, NaN where there is none.
    """

    t_s: float
    gauge_kpa: float
    temp_c: float
    baro_kpa: float = math.nan

    @property
    def row(self) -> list[float]:
        """The reading as the register keeps it: three numbers, or four with a barometer."""
        kept = [round(self.t_s, 2), round(self.gauge_kpa, 5), round(self.temp_c, 4)]
        return kept if math.isnan(self.baro_kpa) else [*kept, round(self.baro_kpa, 5)]


@dataclass(frozen=True, eq=False)
class Trace:
    """Readings as arrays, each (n,): seconds, kPa as the gauge reads, degC, barometer kPa (NaN where unread)."""

    t: Array
    p: Array
    temp: Array
    baro: Array
    absolute: bool = False

    @classmethod
    def of(cls, samples: Sequence[Sample], absolute: bool = False) -> Trace:
        """The trace of samples in their order."""
        rows = np.array([[s.t_s, s.gauge_kpa, s.temp_c, s.baro_kpa] for s in samples], float).reshape(-1, 4)
        return cls(rows[:, 0], rows[:, 1], rows[:, 2], rows[:, 3], absolute)

    def picked(self, keep: NDArray[np.bool_]) -> Trace:
        """The readings where `keep` (n,) is true."""
        return Trace(self.t[keep], self.p[keep], self.temp[keep], self.baro[keep], self.absolute)

    @property
    def hold_s(self) -> float:
        """Seconds from the first reading to the last; 0 for fewer than two."""
        return float(self.t[-1] - self.t[0]) if len(self.t) > 1 else 0.0

    @cached_property
    def has_barometer(self) -> bool:
        """Whether a barometer was read all along (nine tenths of the readings)."""
        return bool(len(self.baro)) and float(np.isfinite(self.baro).mean()) >= 0.9

    def samples(self) -> list[Sample]:
        """The readings one by one."""
        return [Sample(*map(float, row)) for row in zip(self.t, self.p, self.temp, self.baro, strict=True)]


@dataclass(frozen=True, eq=False)
class Sense:
    """What can be used of a trace. `fault` says why it proves nothing, empty when it may.

    `lost` is true when the readings fell out of the band in a run that a leak explains; `used` is the part inside it.
    """

    used: Trace
    fault: str
    left_out: int = 0
    lost: bool = False


def resolution_of(values: Array) -> float:
    """Smallest step between different readings, the display's resolution as the trace shows it; 0 for one value."""
    steps = np.diff(np.unique(np.round(values[np.isfinite(values)], 9)))
    steps = steps[steps > 1e-7]
    return float(steps.min()) if len(steps) else 0.0


def lagged(x: Array, t: Array, lag_s: float) -> Array:
    """`x` as a sensor of first order with time constant `lag_s` sees it, begun in step with it; shape (n,)."""
    seen, out, steps = float(x[0]), [float(x[0])], np.diff(t)
    if len(steps) > 8 and float(np.ptp(steps)) < 1e-6 * float(steps[0]):
        from scipy.signal import lfilter

        keep = math.exp(-float(steps[0]) / lag_s)
        after, _ = lfilter([1 - keep], [1.0, -keep], (x[1:] + x[:-1]) / 2, zi=[keep * seen])
        return np.concatenate([[seen], after])
    middles = ((x[1:] + x[:-1]) / 2).tolist()
    for middle, keep in zip(middles, np.exp(-steps / lag_s).tolist(), strict=True):
        seen = middle + (seen - middle) * keep
        out.append(seen)
    return np.array(out)


def sensible(
    trace: Trace,
    target_kpa: float | None,
    atmosphere_kpa: float,
    resolution_kpa: float | None,
    temp_resolution_c: float | None = None,
    spans: Sequence[tuple[float, float]] = (),
) -> Sense:
    """Whether the readings make sense for the whole hold, and what of them can be used.

    `target_kpa` gauge is the pressure the hold was to stand at; None takes what the trace began at.
    `atmosphere_kpa` turns an absolute trace to gauge where no barometer was read.

    Args:
        trace: the readings of a hold.
        target_kpa: gauge pressure the hold was to stand at; None takes what the trace began at.
        atmosphere_kpa: turns an absolute trace to gauge where no barometer was read.
        resolution_kpa: the gauge's step, None where not known.
        temp_resolution_c: the thermometer's step, None where not known.
        spans: from when to when readings were left out, because the tank was asked something.
    """
    if len(trace.t) < LEAST_READINGS:
        return Sense(trace, f"{len(trace.t)} readings are too few; at least {LEAST_READINGS} are needed")
    if not np.all(np.isfinite(trace.t)) or np.any(np.diff(trace.t) <= 0):
        return Sense(trace, "the times of the readings do not follow one another")
    low, high = PHYSICAL["absolute" if trace.absolute else "pressure"]
    cold, hot = PHYSICAL["temperature"]
    sane = np.isfinite(trace.p) & np.isfinite(trace.temp)
    with np.errstate(invalid="ignore"):
        physical = sane & (trace.p > low) & (trace.p < high) & (trace.temp > cold) & (trace.temp < hot)
        thin = ~np.isnan(trace.baro)
        physical &= ~(thin & ((trace.baro < PHYSICAL["barometer"][0]) | (trace.baro > PHYSICAL["barometer"][1])))
    strays = int((~physical).sum())
    if strays > STRAY_SHARE * len(trace.t):
        what = "are no numbers" if not np.all(sane) and int((~sane).sum()) == strays else "are not physical"
        return Sense(
            trace, f"{strays} of {len(trace.t)} readings {what}; check the gauge, its plug and its units", strays
        )
    good = trace.picked(physical)
    gap = _gap(good.t, spans)
    if gap:
        return Sense(good, gap, strays)
    fault = _stuck(good, resolution_kpa) or _stuck_thermometer(good, temp_resolution_c)
    if fault:
        return Sense(good, fault, strays)
    return _in_band(good, target_kpa, atmosphere_kpa, strays)


def _gap(t: Array, spans: Sequence[tuple[float, float]]) -> str:
    steps = np.diff(t)
    for start, end in spans:
        steps = np.where((t[:-1] <= start) & (t[1:] >= end), 0.0, steps)
    usual, longest = float(np.median(steps)), float(steps.max())
    allowed = max(GAP_S, GAP_STEPS * usual)
    if longest > allowed or (longest > 2 * usual and longest > GAP_SHARE * float(t[-1] - t[0]) and longest > GAP_S):
        at = float(t[int(steps.argmax())])
        return (
            f"no reading for {longest / 60:.1f} min from minute {at / 60:.1f}: a hold needs its readings without gaps"
        )
    return ""


def _stuck(trace: Trace, resolution_kpa: float | None) -> str:
    """Readings that never move come from a stuck gauge, unless its steps are known to be coarser than what should move it."""
    if np.ptp(trace.p) > 0:
        return ""
    base = trace.p + (0.0 if trace.absolute else ATMOSPHERE_KPA)
    expected = float(np.ptp(base / (trace.temp + ZERO_C_K))) * (float(trace.temp.mean()) + ZERO_C_K)
    if (
        resolution_kpa is not None
        and resolution_kpa >= 0.02
        and expected <= 1.5 * resolution_kpa
        and np.ptp(trace.temp) > 0
    ):
        return ""
    if resolution_kpa is not None and resolution_kpa >= 0.2 and expected <= 1.5 * resolution_kpa:
        return ""
    return f"the gauge stands at {float(trace.p[0]):g} kPa in every reading: a stuck gauge proves nothing"


def _stuck_thermometer(trace: Trace, resolution_c: float | None) -> str:
    """A fine thermometer that never moves is stuck, and then the weather is in the gauge uncorrected."""
    if np.ptp(trace.temp) > 0 or resolution_c is None or resolution_c >= FINE_C:
        return ""
    return f"the thermometer stands at {float(trace.temp[0]):g} °C in every reading: a stuck one corrects nothing"


def _in_band(trace: Trace, target_kpa: float | None, atmosphere_kpa: float, strays: int) -> Sense:
    baro = np.where(np.isfinite(trace.baro), trace.baro, atmosphere_kpa)
    gauge = calm(trace.p - baro if trace.absolute else trace.p)
    target = float(np.median(gauge[:5])) if target_kpa is None else target_kpa
    if target < LEAST_STOOD_KPA:
        return Sense(
            trace, f"the tank stood at {target:.2f} kPa; below {LEAST_STOOD_KPA:g} kPa a trace proves nothing", strays
        )
    kelvin = trace.temp + ZERO_C_K
    steady = (gauge + baro) * kelvin[0] / kelvin - baro
    with np.errstate(invalid="ignore"):
        inside = (abs(gauge / target - 1) <= RAW_BAND) & (calm(steady) >= target * (1 - STEADY_BAND - 0.1 / target))
        inside &= calm(steady) <= target * (1 + STEADY_BAND) + 0.1
    if float((~inside).mean()) <= STRAY_SHARE:
        return Sense(trace, "", strays)
    began = bool(inside[: max(2, len(inside) // 50)].any())
    if not began:
        stood = int(np.argmax(inside)) if inside.any() else 0
        if stood and len(inside) - stood >= LEAST_READINGS:
            # The logger ran while the tank was pumped up: the hold begins where it first stands at its pressure.
            pumped = stood
            while stood < len(gauge) - LEAST_READINGS and gauge[stood + 2] - gauge[stood] > CLIMBS * target:
                stood += 1
            if stood > pumped:
                stood = min(stood + 3, len(gauge) - LEAST_READINGS)  # its last stroke
            return _in_band(trace.picked(np.arange(len(inside)) >= stood), target, atmosphere_kpa, strays)
        first = float(gauge[0])
        return Sense(trace, f"the hold began at {first:.2f} kPa, not near its {target:g} kPa", strays)
    out = int(np.argmax(~inside))
    minute = float(trace.t[out] - trace.t[0]) / 60
    if gauge[out] > target:
        why = f"the pressure climbed to {float(gauge.max()):.2f} kPa: is the regulator still open?"
        return Sense(trace, f"after {minute:.1f} min {why}", strays)
    drop = float(gauge[out - 1] - gauge[out]) if out else 0.0
    words = (
        f"after {minute:.1f} min the pressure had left its band round {target:g} kPa, at {float(gauge[out]):.2f} kPa"
    )
    if drop > 0.5 * target:
        return Sense(trace.picked(np.arange(len(inside)) < out), f"{words}, in one step: was air let out?", strays)
    return Sense(trace.picked(np.arange(len(inside)) < out), words, strays, lost=True)


def calm(values: Array) -> Array:
    """Running median of three, so that a single stray reading is no departure."""
    if len(values) < 3:
        return values
    stacked = np.stack([values[:-2], values[1:-1], values[2:]])
    middle = np.median(stacked, axis=0)
    return np.concatenate([values[:1], middle, values[-1:]])
