"""How often the decay analysis is wrong: simulated holds by the thousand, case by case; prints the table of docs/decay-study.md.

`python tools/decay_study.py [--traces 500] [--cases 60] [--workers 2]`. The physics here is written apart from the
product: gas amount, gas temperature and air pressure second by second, sensors with lag, noise and steps.
Each case draws volume, limit, hold, barometer, altitude, lag, fill heat, resolutions, drift of the day and sun.
"""

from __future__ import annotations

import argparse
import itertools
import math
import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace

import numpy as np
from scipy.signal import lfilter

from bathyx.core.proving.decay import Trace
from bathyx.core.proving.designer import design
from bathyx.core.proving.gauges import UNKNOWN, GaugeKind, Surroundings
from bathyx.core.proving.rehearsal import Bench
from bathyx.core.proving.verdict import read_trace

SEA_KPA = 101.325


@dataclass(frozen=True)
class Case:
    """One cell of the table. `barometer`: 'read', 'ends' (typed at start and end) or 'unread'."""

    volume_l: float = 60.0
    limit: float = 2.0
    hold_min: float = 30.0
    barometer: str = "read"
    wander: float = 0.0
    altitude_m: float = 0.0
    told_altitude: bool = True
    lag_s: float = 0.0
    described: bool = True
    fill_heat_k: float = 2.5
    cooling_s: float = 240.0
    settle_s: float = 60.0
    step_kpa: float = 0.001
    step_c: float = 0.01
    noise_kpa: float = 0.003
    drift_k_h: float = 1.0
    sun_k: float = 0.0
    test_kpa: float = 20.0

    def sensors(self) -> GaugeKind:
        """What the analysis is told of the gauge: its description, or nothing."""
        if not self.described:
            return UNKNOWN
        return GaugeKind(
            name="study",
            resolution_kpa=self.step_kpa,
            noise_kpa=self.noise_kpa,
            temp_resolution_c=self.step_c,
            temp_lag_s=self.lag_s,
            barometer=self.barometer == "read",
        )

    def around(self, ends: tuple[float, float] | None) -> Surroundings:
        """What the analysis is told of the air."""
        altitude = self.altitude_m if self.told_altitude else None
        return Surroundings("unsettled", altitude, ends, 0.1)


def hold(case: Case, leak: float, seed: int) -> tuple[Trace, tuple[float, float] | None]:
    """A simulated hold with `leak` mL/min at the test pressure, and the barometer's typed ends where the case has them."""
    rng = np.random.default_rng(seed)
    seconds = case.hold_min * 60
    dt = max(1.0, seconds / 1200)
    t = np.arange(0.0, case.settle_s + seconds + dt / 2, dt)
    gas = 291.15 + case.drift_k_h * t / 3600 + case.fill_heat_k * np.exp(-t / case.cooling_s)
    if case.sun_k:
        shine = np.cumsum(rng.exponential(240.0, 400))
        on = (np.searchsorted(shine, t) % 2).astype(float)
        gas = gas + case.sun_k * lfilter([1 - math.exp(-dt / 120)], [1, -math.exp(-dt / 120)], on)
    if case.lag_s:
        keep = math.exp(-dt / case.lag_s)
        seen = lfilter([1 - keep], [1, -keep], gas - 291.15) + 291.15
    else:
        seen = gas
    air = SEA_KPA * (1 - 2.25577e-5 * case.altitude_m) ** 5.25588 + case.wander / 3600 * t
    begin = int(case.settle_s / dt)
    amount = np.empty(len(t) - begin)
    now = (case.test_kpa + air[begin]) / gas[begin]
    rate = leak / 60e3 / case.volume_l * SEA_KPA / 293.15 / case.test_kpa
    for i in range(len(amount)):
        amount[i] = now
        now -= rate * dt * max(now * gas[begin + i] - air[begin + i], 0.0)
    pick = np.arange(0, len(amount), max(1, round(seconds / 360 / dt)))
    there = begin + pick
    gauge = amount[pick] * gas[there] - air[there]

    def shown(x: np.ndarray, noise: float, step: float) -> np.ndarray:
        return np.round((x + rng.normal(0, noise, len(x))) / step) * step

    p = shown(gauge, case.noise_kpa, case.step_kpa)
    temp = shown(seen[there] - 273.15, min(case.step_c, 0.02), case.step_c)
    baro = shown(air[there], 0.003, 0.01) if case.barometer == "read" else np.full(len(pick), np.nan)
    ends = None
    if case.barometer == "ends":
        ends = tuple(round(float(air[k]), 1) for k in (there[0], there[-1]))
    return Trace(t[there] - t[begin], p, temp, baro), ends


def verdicts(case: Case, times_limit: float, traces: int) -> dict[str, float]:
    """Share of each verdict over `traces` runs."""
    count: dict[str, float] = {}
    for seed in range(traces):
        trace, ends = hold(case, times_limit * case.limit, seed)
        decision, _ = read_trace(
            trace, case.volume_l, case.limit, case.hold_min * 60, case.sensors(), case.around(ends), case.test_kpa
        )
        count[decision.verdict] = count.get(decision.verdict, 0.0) + 1 / traces
    return count


def cases(count: int) -> list[Case]:
    """Corner cases that were wrong once, then `count` cases drawn over all ranges."""
    found = [
        Case(barometer="unread", wander=-0.2, hold_min=60, volume_l=60),
        Case(barometer="unread", wander=-0.2, hold_min=60, volume_l=20),
        Case(barometer="unread", wander=0.2, hold_min=60, volume_l=20),
        Case(barometer="ends", wander=-0.2, hold_min=60, volume_l=20),
        Case(lag_s=300, described=False),
        Case(lag_s=300),
        Case(lag_s=0, described=False),
        Case(altitude_m=2000, told_altitude=False, drift_k_h=3, barometer="unread", volume_l=20, hold_min=60),
        Case(altitude_m=2000, told_altitude=False, drift_k_h=-3, barometer="unread", volume_l=20, hold_min=60),
        Case(step_kpa=1.0, volume_l=5, limit=10),
        Case(step_c=0.5, drift_k_h=3, hold_min=180),
        Case(step_c=0.5, drift_k_h=-3, hold_min=180, lag_s=300, sun_k=1.0, volume_l=20),
        Case(sun_k=1.0, lag_s=300, hold_min=60, described=False),
    ]
    rng = np.random.default_rng(2026)

    def draw(*options: float | str | bool):
        return options[int(rng.integers(len(options)))]

    for _ in range(count):
        found.append(
            Case(
                volume_l=draw(5.0, 20.0, 60.0, 150.0, 400.0),
                limit=draw(0.5, 1.0, 2.0, 5.0, 10.0),
                hold_min=draw(10.0, 20.0, 30.0, 60.0, 120.0, 180.0),
                barometer=draw("read", "unread", "ends"),
                wander=draw(-0.2, -0.1, 0.0, 0.1, 0.2),
                altitude_m=draw(0.0, 500.0, 1000.0, 2000.0),
                told_altitude=draw(True, False),
                lag_s=draw(0.0, 60.0, 150.0, 300.0),
                described=draw(True, False),
                fill_heat_k=draw(0.0, 1.5, 3.0, 4.0),
                cooling_s=draw(120.0, 240.0, 400.0),
                settle_s=draw(10.0, 60.0, 300.0),
                step_kpa=draw(0.001, 0.01, 0.1, 1.0),
                step_c=draw(0.01, 0.1, 0.5),
                noise_kpa=draw(0.001, 0.004, 0.02),
                drift_k_h=draw(-3.0, -1.0, 0.0, 1.0, 3.0),
                sun_k=draw(0.0, 0.0, 0.3, 1.0),
            )
        )
    return found


def designed_hold(case: Case) -> float | None:
    """The hold that the designer asks for in this case; it is always told the gauge."""
    place = "outdoors" if case.sun_k > 0 or abs(case.drift_k_h) > 2 else "shop"
    bench = Bench(case.volume_l, case.test_kpa, place, case.settle_s / 60, max(case.fill_heat_k, 0.5), case.cooling_s)
    ends = None if case.barometer != "ends" else (SEA_KPA, SEA_KPA)
    told = replace(case, described=True)
    return design(bench, case.limit, told.sensors(), told.around(ends)).hold_min


def row(job: tuple[Case, int]) -> dict[str, object]:
    """One line of the table."""
    case, traces = job
    near = {share: verdicts(case, share, traces) for share in (0.0, 0.95, 1.05, 2.0)}
    minutes = designed_hold(case)
    right = math.nan
    if minutes is not None:
        then = replace(case, hold_min=minutes, described=True)
        runs = max(50, traces // 2)
        right = min(verdicts(then, 0.0, runs).get("tight", 0.0), verdicts(then, 2.0, runs).get("leaks", 0.0))
    return {
        "case": case,
        "tight at 0": near[0.0].get("tight", 0.0),
        "wrong leaks": max(near[0.0].get("leaks", 0.0), near[0.95].get("leaks", 0.0)),
        "wrong tight": max(near[1.05].get("tight", 0.0), near[2.0].get("tight", 0.0)),
        "leaks at 2": near[2.0].get("leaks", 0.0),
        "hold": minutes,
        "right": right,
    }


def main() -> int:
    """Print the table; exit code 1 when a case is over 2.5 % or under 90 %."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--traces", type=int, default=500)
    parser.add_argument("--cases", type=int, default=60)
    parser.add_argument("--workers", type=int, default=2)
    options = parser.parse_args()
    jobs = list(zip(cases(options.cases), itertools.repeat(options.traces)))
    print("| L | limit | min | barometer | kPa/h | m | lag s | told | kPa | °C | K/h | sun | tight, no leak | "
          "wrong leaks | wrong tight | leaks, 2 limits | designer min | right |")  # fmt: skip
    print("|" + "---|" * 18)
    bad = 0
    with ProcessPoolExecutor(options.workers) as pool:
        for line in pool.map(row, jobs):
            c = line["case"]
            told = ("gauge" if c.described else "-") + (" alt" if c.told_altitude else "")
            hold_min = "none" if line["hold"] is None else f"{line['hold']:.0f}"
            right = "" if math.isnan(line["right"]) else f"{line['right']:.0%}"
            wrong = line["wrong leaks"] > 0.025 or line["wrong tight"] > 0.025 or line["right"] < 0.9
            bad += wrong
            print(f"| {c.volume_l:g} | {c.limit:g} | {c.hold_min:g} | {c.barometer} | {c.wander:g} | {c.altitude_m:g} | "
                  f"{c.lag_s:g} | {told} | {c.step_kpa:g} | {c.step_c:g} | {c.drift_k_h:g} | {c.sun_k:g} | "
                  f"{line['tight at 0']:.0%} | {line['wrong leaks']:.1%} | {line['wrong tight']:.1%} | "
                  f"{line['leaks at 2']:.0%} | {hold_min} | {right} |{' <-' if wrong else ''}", flush=True)  # fmt: skip
    print(f"\n{len(jobs)} cases of {options.traces} traces a leak; {bad} outside the promise.")
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
