"""Holds with something hidden: simulated tanks in which what the analysis is told is not what happens.

The physics is written apart from the product, second by second: gas amount, gas temperature, air pressure, walls that give, a
supply that is not shut, a gauge that is not where it should be. `KINDS` names each world; `run` gives its trace, with the
questions asked of it or without.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np
from scipy.signal import lfilter

P0, T0 = 101.325, 293.15


@dataclass(frozen=True)
class World:
    """What really is. Fields that hide something have a default that hides nothing.

    `leak`: mL/min at the test pressure. `leak_of(t_share, gauge_kpa, seed)`: times that. `supply(gauge, t_s, leak)`: mL/min let
    in. `shown(p, t, rng)`: what becomes of the gauge's readings. `felt(T, t, rng)`: of the thermometer's.
    """

    volume_l: float = 60.0
    told_volume: float = 1.0
    limit: float = 2.0
    hold_min: float = 45.0
    test_kpa: float = 21.0
    noise_kpa: float = 0.003
    step_kpa: float = 0.001
    step_c: float = 0.01
    lag_s: float = 60.0
    told_lag_s: float = 60.0
    fill_heat_k: float = 2.0
    settle_s: float = 600.0
    drift_k_h: float = 0.5
    flicker_k: float = 0.05
    baro_kpa_h: float = 0.1
    barometer: bool = True
    over_kpa: float = 0.4  # above the test's pressure at the start
    give: float = 0.0  # growth of the volume, share per kPa
    creep: float = 0.0  # growth of the volume, share per decade of minutes
    vapour_kpa: float = 0.0  # residue that evaporates
    vapour_s: float = 1200.0
    uneven_k_h: float = 0.0  # warming that the thermometer does not see
    warm_step_k: float = 0.0  # of a sun or a draught that it does not see
    clock: float = 1.0
    dead_leg: str = (
        ""  # "shut": the gauge sees a leg of its own; "half": from the middle on; "slow": through a restriction
    )
    leak_of: Callable[[float, float], float] = lambda share, gauge: 1.0
    supply: Callable[[float, float, float], float] = lambda gauge, t, leak: 0.0
    top_ups: tuple[float, ...] = ()  # shares of the hold at which it is brought back to where it began
    top_over_s: float = 1.0
    shown: Callable[..., np.ndarray] = lambda p, t, rng: p
    felt: Callable[..., np.ndarray] = lambda x, t, rng: x
    aired: Callable[..., np.ndarray] = lambda x, t, rng: x


@dataclass
class Read:
    """What the bench has: columns, and the questions that were asked."""

    t: np.ndarray
    p: np.ndarray
    temp: np.ndarray
    baro: np.ndarray
    marks: list[tuple[float, str, float]] = field(default_factory=list)


def run(  # noqa: PLR0912, PLR0915 - one world, second by second
    w: World, leak: float, seed: int, questions: bool = False, syringe_ml: float = 0.0
) -> Read:
    """The trace of a world with `leak` mL/min at its test pressure.

    With `questions`: a known volume is drawn and given back before and after the hold, a known leak at the limit's rate is opened
    after it, and the tank rests at no overpressure at the end, as the product's protocol has it.
    """
    rng = np.random.default_rng(seed)
    hold = w.hold_min * 60
    v_ml = syringe_ml or 1000.0 * w.volume_l * 0.002
    dt = 5.0
    plan: list[tuple[float, str, float]] = []
    end = hold
    if questions:
        q = 240.0
        plan = [(q, "draw", v_ml), (2 * q, "return", v_ml)]
        start = 3 * q
        plan += [(start + hold, "open", w.limit), (start + hold + 0.5 * hold, "shut", w.limit)]
        again = start + 1.5 * hold
        plan += [(again + q, "draw", v_ml), (again + 2 * q, "return", v_ml), (again + 3 * q, "vent", 0.0)]
        rest = again + 3 * q + 900.0
        plan += [(rest, "rest", 0.0), (rest + hold, "end", 0.0)]
        end = rest + hold
        hold_from, hold_to = start, start + hold
    else:
        hold_from, hold_to = 0.0, hold
    t = np.arange(0.0, end + dt / 2, dt)
    n = len(t)
    # Weather.
    flick = np.cumsum(rng.exponential(240.0, int(end / 100) + 50))
    on = (np.searchsorted(flick, t) % 2).astype(float) - 0.5
    wave = _lag(on, dt, 120.0) * 2 * w.flicker_k
    sign = 1 if seed & 1 else -1
    gas = 291.15 + sign * w.drift_k_h * t / 3600 + wave + w.fill_heat_k * np.exp(-(t + w.settle_s) / 240.0)
    hidden = w.uneven_k_h * t / 3600 + w.warm_step_k * _lag((t > 0.35 * hold_to).astype(float), dt, 400.0)
    air = P0 + (1 if seed & 2 else -1) * w.baro_kpa_h * t / 3600
    rest_at = next((m[0] for m in plan if m[1] == "rest"), 0.0)
    vent_at = next((m[0] for m in plan if m[1] == "vent"), None)
    if vent_at is not None:
        # Air that expands cools; the walls warm it again.
        gas = gas - np.where(t >= vent_at, 3.0 * np.exp(-np.clip(t - vent_at, 0, None) / 240.0), 0.0)
    for at, what, value in plan:
        if what in ("draw", "return"):
            # Gas that is drawn out cools as it widens, 0.4 of its share, and comes back in a minute or two.
            moved = (-1 if what == "draw" else 1) * 0.4 * value / 1000 / w.volume_l * 291.0
            gas = gas + np.where(t >= at, moved * np.exp(-np.clip(t - at, 0, None) / 50.0), 0.0)
    true_t = gas + hidden
    # Air in the tank, in kPa·L/K.
    volume0 = w.volume_l
    amount = np.empty(n)
    gauge = np.empty(n)
    vol = np.empty(n)
    # What it begins with.
    base = w.test_kpa + w.over_kpa + air[0]

    def volume(p_gauge: float, when: float, drawn: float) -> float:
        crept = w.creep * math.log10(1 + when / 60.0)
        return volume0 * (1 + w.give * (p_gauge - w.test_kpa) + crept) + drawn / 1000

    now = base * volume(w.test_kpa, 0.0, 0.0) / true_t[0]
    shut = False
    drawn, opened = 0.0, 0.0
    marks = list(plan)
    given = 0
    for i in range(n):
        while given < len(marks) and marks[given][0] <= t[i] + 1e-9:
            _, what, value = marks[given]
            if what == "draw":
                drawn = value
            elif what == "return":
                drawn = 0.0
            elif what == "open":
                opened = value
            elif what == "shut":
                opened = 0.0
            elif what == "vent":
                shut = True
            given += 1
        vapour = w.vapour_kpa * (1 - math.exp(-t[i] / w.vapour_s))
        # Pressure and the volume that goes with it.
        g = gauge[i - 1] if i else w.test_kpa + w.over_kpa
        for _ in range(3):
            vol[i] = volume(g, t[i], drawn)
            g = now * true_t[i] / vol[i] + vapour - air[i]
        if vent_at is not None and vent_at <= t[i] < rest_at - 30.0:
            now = (air[i] - vapour) * volume(0.0, t[i], drawn) / true_t[i]
            g = 0.0
        gauge[i], amount[i] = g, now
        share = (t[i] - hold_from) / max(hold_to - hold_from, 1.0)
        rate = leak * w.leak_of(share, g) * max(g, 0.0) / w.test_kpa
        rate += opened * max(g, 0.0) / w.test_kpa
        let_in = w.supply(g, t[i], leak) if not (shut and w.supply is SUPPLY_AT_PRESSURE) else 0.0
        now += (let_in - rate) / 60e3 * dt * P0 / T0
        for at in w.top_ups:
            when = hold_from + at * (hold_to - hold_from)
            if 0 <= t[i] - when < max(dt, w.top_over_s):
                missing = (w.test_kpa + w.over_kpa + air[i]) * volume(w.test_kpa, t[i], drawn) / true_t[i] - now
                steps = max(1.0, (w.top_over_s - (t[i] - when)) / dt)
                now += max(missing, 0.0) / steps
    p = gauge.copy()
    if w.dead_leg:
        leg = (w.test_kpa + w.over_kpa + air[0]) / gas[0] * gas - air
        if w.dead_leg == "shut":
            p = leg
        elif w.dead_leg == "half":
            k = int(np.searchsorted(t, (hold_from + hold_to) / 2))
            p = p.copy()
            p[k:] = (gauge[k] + air[k]) / gas[k] * gas[k:] - air[k:]
        else:
            p = _lag(gauge + air, dt, 900.0) - air
    p = p + rng.normal(0, w.noise_kpa, n)
    p = w.shown(p, t, rng)
    p = np.round(p / w.step_kpa) * w.step_kpa
    seen = w.felt(_lag(gas, dt, w.lag_s) if w.lag_s else gas, t, rng) - 273.15
    temp = np.round((seen + rng.normal(0, min(w.step_c, 0.02), n)) / w.step_c) * w.step_c
    baro = np.round((w.aired(air, t, rng) + rng.normal(0, 0.003, n)) / 0.01) * 0.01
    if not w.barometer:
        baro = np.full(n, np.nan)
    clocked = [(at * w.clock, what, value) for at, what, value in marks]
    return Read(t * w.clock, p, temp, baro, clocked)


def _lag(x: np.ndarray, dt: float, tau: float) -> np.ndarray:
    keep = math.exp(-dt / tau)
    return np.asarray(lfilter([1 - keep], [1, -keep], x, zi=[keep * float(x[0])])[0])


def SUPPLY_AT_PRESSURE(gauge: float, t: float, leak: float) -> float:
    """A supply that gives just what leaks while the tank stands at its pressure, and is let go with it."""
    return leak


def _held(p: np.ndarray, mask: np.ndarray) -> np.ndarray:
    """Readings that stand still where `mask` is true."""
    out, last = p.copy(), p[0]
    for i in range(len(p)):
        if mask[i] and i:
            out[i] = last
        last = out[i]
    return out


def _backlash(p: np.ndarray, gap: float) -> np.ndarray:
    out, at = p.copy(), p[0]
    for i, x in enumerate(p):
        at = min(max(at, x - gap / 2), x + gap / 2)
        out[i] = at
    return out


def _stand(shares: tuple[float, float]):
    return lambda p, t, rng: _held(p, (t >= shares[0] * t[-1]) & (t <= shares[1] * t[-1]))


def _mostly(share: float):
    return lambda p, t, rng: _held(p, rng.random(len(p)) < share)


def _flicker(step: float):
    return lambda p, t, rng: p[0] + step * rng.integers(0, 2, len(p))


def _regulator(at: float, stiff: float):
    """mL/min let in for each kPa below the set pressure, no more than 400."""
    return lambda gauge, t, leak: min(max(0.0, at - gauge) * stiff, 400.0)


def _hunting(at: float, seconds: float):
    return lambda gauge, t, leak: min(max(0.0, at + 0.04 * math.sin(2 * math.pi * t / seconds) - gauge) * 4000.0, 600.0)


WORLD = World()
KINDS: dict[str, World] = {
    "nothing hidden": WORLD,
    # topped up
    **{
        f"topped up every {k} min": replace(WORLD, top_ups=tuple(np.arange(k, 45, k) / 45.0)) for k in (2, 3, 5, 10, 15)
    },
    "topped up once, in the middle": replace(WORLD, top_ups=(0.5,)),
    "topped up once, near the end": replace(WORLD, top_ups=(0.9,)),
    "topped up slowly, a minute long, every 10": replace(
        WORLD, top_ups=tuple(np.arange(10, 45, 10) / 45.0), top_over_s=60.0
    ),
    # the gauge
    "gauge stands still": replace(WORLD, shown=_stand((0.0, 1.0))),
    "gauge stands still for 92 %": replace(WORLD, shown=_mostly(0.92)),
    "gauge stands still from a tenth on": replace(WORLD, shown=_stand((0.1, 1.0))),
    "gauge stands still in the second half": replace(WORLD, shown=_stand((0.5, 1.0))),
    "gauge stands still in the first half": replace(WORLD, shown=_stand((0.0, 0.5))),
    "last digit flickers": replace(WORLD, shown=_flicker(0.001)),
    "last digit of a coarse gauge flickers": replace(WORLD, step_kpa=0.01, shown=_flicker(0.01)),
    "backlash of 0.1 kPa": replace(WORLD, shown=lambda p, t, rng: _backlash(p, 0.1)),
    "backlash of 0.3 kPa": replace(WORLD, shown=lambda p, t, rng: _backlash(p, 0.3)),
    "backlash of 1 kPa": replace(WORLD, shown=lambda p, t, rng: _backlash(p, 1.0)),
    "gauge reads a slow mean": replace(WORLD, shown=lambda p, t, rng: _lag(p, 5.0, 1800.0)),
    "gauge shows a third of what moves": replace(WORLD, shown=lambda p, t, rng: p[0] + (p - p[0]) / 3),
    "gauge drifts up as much as it leaks": replace(WORLD, shown=lambda p, t, rng: p + 0.0051 * t / 60),
    "gauge shut off": replace(WORLD, dead_leg="shut"),
    "gauge shut off from the middle on": replace(WORLD, dead_leg="half"),
    "gauge behind a restriction": replace(WORLD, dead_leg="slow"),
    # the supply
    "regulator open, steady": replace(WORLD, supply=_regulator(21.38, 4000.0)),
    "regulator open, soft": replace(WORLD, supply=_regulator(21.40, 60.0)),
    "regulator hunts, a minute": replace(WORLD, supply=_hunting(21.38, 60.0)),
    "regulator hunts, five minutes": replace(WORLD, supply=_hunting(21.38, 300.0)),
    "supply leaks in as much": replace(WORLD, supply=lambda g, t, leak: leak),
    "supply leaks in half as much": replace(WORLD, supply=lambda g, t, leak: leak / 2),
    "supply leaks in, less as it goes": replace(WORLD, supply=lambda g, t, leak: 1.4 * leak * math.exp(-t / 7200)),
    # the leak
    "leak begins in the last tenth": replace(WORLD, leak_of=lambda s, g: 1.0 if s > 0.9 else 0.0),
    "leak begins in the last fifth": replace(WORLD, leak_of=lambda s, g: 1.0 if s > 0.8 else 0.0),
    "leak begins in the middle": replace(WORLD, leak_of=lambda s, g: 1.0 if s > 0.5 else 0.0),
    "leak ends in the middle": replace(WORLD, leak_of=lambda s, g: 1.0 if s < 0.5 else 0.0),
    "leak ends after a fifth": replace(WORLD, leak_of=lambda s, g: 1.0 if s < 0.2 else 0.0),
    "leak grows from nothing": replace(WORLD, leak_of=lambda s, g: min(max(s, 0.0), 1.0)),
    "leak comes and goes, 2 min": replace(WORLD, leak_of=lambda s, g: 2.0 * (int(s * 22.5) % 2)),
    "leak comes and goes, 10 min": replace(WORLD, leak_of=lambda s, g: 2.0 * (int(s * 4.5) % 2)),
    "leak shuts 0.05 kPa below": replace(WORLD, over_kpa=0.02, leak_of=lambda s, g: float(g > 21.0 - 0.05)),
    "leak shuts 0.1 kPa below": replace(WORLD, over_kpa=0.02, leak_of=lambda s, g: float(g > 21.0 - 0.1)),
    "leak shuts 0.3 kPa below": replace(WORLD, over_kpa=0.02, leak_of=lambda s, g: float(g > 21.0 - 0.3)),
    "leak shuts for a while": replace(WORLD, leak_of=lambda s, g: 0.0 if 0.3 < s < 0.7 else 1.0),
    # what was told wrong
    **{f"volume told {x:g} of what it is": replace(WORLD, told_volume=x) for x in (0.5, 0.7, 1.4, 2.0)},
    "walls give 0.2 %/kPa": replace(WORLD, give=0.002),
    "walls give 0.4 %/kPa": replace(WORLD, give=0.004),
    "walls creep, plastic": replace(WORLD, creep=0.0006),
    "thermometer lags 600 s, told 60": replace(WORLD, lag_s=600.0, drift_k_h=1.5),
    "thermometer reads twice the change": replace(WORLD, felt=lambda x, t, rng: x[0] + 2 * (x - x[0])),
    "thermometer reads half the change": replace(WORLD, felt=lambda x, t, rng: x[0] + (x - x[0]) / 2),
    "thermometer drifts down 0.3 K/h": replace(WORLD, felt=lambda x, t, rng: x - 0.3 * t / 3600),
    "thermometer drifts up 0.3 K/h": replace(WORLD, felt=lambda x, t, rng: x + 0.3 * t / 3600),
    "thermometer in another room": replace(
        WORLD, felt=lambda x, t, rng: 293.15 + 0.3 * np.sin(2 * np.pi * t / 2400 + rng.uniform(0, 6))
    ),
    "thermometer stands still": replace(WORLD, felt=lambda x, t, rng: np.full(len(x), x[0])),
    "thermometer falls off in the middle": replace(
        WORLD, felt=lambda x, t, rng: np.where(t > 0.5 * t[-1], x + 0.4 * (1 - np.exp(-(t - 0.5 * t[-1]) / 120)), x)
    ),
    # what was not said
    "sun on the tank, slowly": replace(WORLD, uneven_k_h=0.6),
    "shade on the tank, slowly": replace(WORLD, uneven_k_h=-0.6),
    "sun on the tank from a third on": replace(WORLD, warm_step_k=0.4),
    "a door opens at a third": replace(WORLD, warm_step_k=-0.4),
    "residue evaporates": replace(WORLD, vapour_kpa=0.4),
    "residue evaporates slowly": replace(WORLD, vapour_kpa=1.0, vapour_s=7200.0),
    "vapour condenses": replace(WORLD, vapour_kpa=-0.3, vapour_s=2400.0),
    "barometer stands still": replace(WORLD, baro_kpa_h=0.3, aired=lambda x, t, rng: np.full(len(x), x[0])),
    "barometer of sea level, 60 m down": replace(WORLD, aired=lambda x, t, rng: x + 0.72),
    "barometer an hour late": replace(WORLD, baro_kpa_h=0.3, aired=lambda x, t, rng: np.interp(t - 3600, t, x)),
    "clock runs a tenth fast": replace(WORLD, clock=1.1),
    "clock runs a fifth slow": replace(WORLD, clock=0.8),
    "warm fill, begun at once": replace(WORLD, fill_heat_k=3.0, settle_s=30.0),
    "warm fill, thermometer told quick": replace(WORLD, fill_heat_k=3.0, settle_s=60.0, lag_s=400.0),
}
SMALL = {"volume_l": 12.0, "limit": 1.0, "hold_min": 45.0}
