"""A made-up hold, for the test designer: air in a tank with a leak, a warm fill, a thermometer that lags, noise and steps."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from bathyx.core.geometry.shell import Array
from bathyx.core.proving.gauges import GaugeKind, Surroundings, standard_kpa
from bathyx.core.proving.readings import ATMOSPHERE_KPA, REFERENCE_K, Trace, lagged

CLOUD_S = 240.0  # how long sun or an open door lasts, on the average
PLACES: dict[str, str] = {
    "closed room": "Closed room, no sun",
    "shop": "Shop with doors",
    "outdoors": "Outdoors or in the sun",
}
_FLICKER_K = {"closed room": 0.05, "shop": 0.2, "outdoors": 1.2}
_DRIFT_K_H = {"closed room": 0.5, "shop": 1.5, "outdoors": 3.0}


@dataclass(frozen=True)
class Bench:
    """What a hold is made up from: air volume, pressure, place, and minutes between filling and the first reading."""

    volume_l: float
    test_kpa: float = 20.0
    place: str = "shop"
    settle_min: float = 2.0
    fill_heat_k: float = 2.5
    fill_cooling_s: float = 240.0


def made_up_hold(
    bench: Bench, sensors: GaugeKind, around: Surroundings, leak_ml_min: float, hold_s: float, seed: int
) -> tuple[Trace, Surroundings]:
    """A trace of about 240 readings over `hold_s` with a leak of `leak_ml_min` at the test pressure, and the air with the
    barometer as it would be typed at both ends, where it is.

    Sixteen seeds in a row go through both ways of the barometer, of the day's warming, of an altitude and a lag not known.

    Args:
        bench: what the hold is run on: pressure, volume, how it settles.
        sensors: the gauge and its errors.
        around: air, barometer and altitude as they truly are.
        leak_ml_min: at the test pressure, mL/min of air at 20 °C and 101.325 kPa.
        hold_s: length of the hold, s.
        seed: of the made-up noise; equal seeds give equal traces.
    """
    rng = np.random.default_rng(seed)
    lead = bench.settle_min * 60
    step = max(1.0, hold_s / 240)
    t = np.arange(0.0, lead + hold_s + step / 2, step)
    falls, cools, high = (seed & 1 > 0, seed & 2 > 0, seed & 4 > 0)
    drift = _DRIFT_K_H[bench.place] * (-1 if cools else 1)
    clouds = np.cumsum(rng.exponential(CLOUD_S, int(4 * t[-1] / CLOUD_S) + 20))
    flicker = lagged((np.searchsorted(clouds, t) % 2).astype(float), t, 120.0)
    gas = 291.15 + drift * t / 3600 + bench.fill_heat_k * np.exp(-t / bench.fill_cooling_s)
    gas = gas + _FLICKER_K[bench.place] * flicker
    lag = (60.0 if seed & 8 else 300.0) if sensors.temp_lag_s is None else sensors.temp_lag_s
    cold_start = np.concatenate([[291.15], gas[1:]])
    seen = lagged(cold_start, t, lag) if lag > 0 else gas
    pulse = around.rate_kpa_per_h * (-1 if falls else 1)
    unknown = around.altitude_m is None and around.barometer_kpa is None
    air = (standard_kpa(2000.0) if unknown and high else around.level_kpa) + pulse * t / 3600
    first = int(np.searchsorted(t, lead))
    held = slice(first, len(t))
    amount = _amount(bench, leak_ml_min, t[held], gas[held], air[held])
    absolute = amount * gas[held] / REFERENCE_K
    n = len(absolute)
    shown = absolute if sensors.absolute else absolute - air[held]
    p = _stepped(shown + rng.normal(0, sensors.noise_kpa, n), sensors.resolution_kpa or 0.001)
    step_t = sensors.temp_resolution_c or 0.01
    temp = _stepped(seen[held] - 273.15 + rng.normal(0, min(step_t, 0.05), n), step_t)
    read = sensors.barometer
    baro = _stepped(air[held] + rng.normal(0, 0.003, n), sensors.baro_resolution_kpa) if read else np.full(n, np.nan)
    if around.barometer_kpa is not None:
        step = around.barometer_step_kpa
        ends = (round(float(air[first]) / step) * step, round(float(air[-1]) / step) * step)
        around = replace(around, barometer_kpa=ends)
    return Trace(t[held] - t[first], p, temp, baro, sensors.absolute), around


def _amount(bench: Bench, leak_ml_min: float, t: Array, gas: Array, air: Array) -> Array:
    """Amount of air as its pressure at 20 degC, (n,): it leaves in proportion to the gauge pressure."""
    per_s = leak_ml_min / 60 / 1000 / bench.volume_l * ATMOSPHERE_KPA / bench.test_kpa
    now = (bench.test_kpa + float(air[0])) * REFERENCE_K / float(gas[0])
    out = [now]
    for k in range(len(t) - 1):
        gauge = now * float(gas[k]) / REFERENCE_K - float(air[k])
        now -= per_s * max(gauge, 0.0) * float(t[k + 1] - t[k])
        out.append(now)
    return np.array(out)


def _stepped(x: Array, step: float) -> Array:
    return np.asarray(np.round(x / step) * step)
