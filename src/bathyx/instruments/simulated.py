"""The simulated gauge and the rig it hangs on: a tank of air with a leak, a warm day and a noisy sensor.

It sits at the other end of a real pseudo-terminal, so that the code that talks to it is the code for a real gauge.
Its time may run faster than the wall clock; every record made with it says that it is simulated.
"""

from __future__ import annotations

import math
import os
import random
import select
import threading
import time
import tty
from dataclasses import dataclass

from bathyx.core.proving.readings import ATMOSPHERE_KPA, REFERENCE_K, ZERO_C_K
from bathyx.instruments.gauge import Gauge, framed
from bathyx.instruments.line import LineError, SerialLine


@dataclass(frozen=True)
class RigSettings:
    """The made-up world: volume, leak at 20 kPa, temperatures and sensor noise."""

    volume_l: float = 60.0
    leak_ml_min: float = 0.0
    ambient_c: float = 18.0
    drift_c_per_h: float = 1.2
    swing_c: float = 0.15
    fill_heat_c: float = 2.5
    fill_cooling_s: float = 240.0
    pressure_noise_kpa: float = 0.004
    temp_noise_c: float = 0.01
    baro_kpa: float = ATMOSPHERE_KPA
    baro_rate_kpa_per_h: float = -0.08
    baro_noise_kpa: float = 0.002
    speed: float = 1.0
    seed: int = 1


class Rig:
    """Air in a tank: amount of gas, a leak in proportion to gauge pressure, temperature by the clock."""

    def __init__(self, settings: RigSettings) -> None:
        self.settings = settings
        self._start = time.monotonic()
        self._random = random.Random(settings.seed)
        self._lock = threading.Lock()
        self._filled_at = -1e9
        self._last = 0.0
        self._drawn_l = 0.0
        self._known = (0.0, 20.0)  # mL/min at a gauge pressure, kPa
        self._vented = False
        # Pressure brought to 20 degC stands for the amount of gas.
        self._amount = self._air(0.0) * REFERENCE_K / self._kelvin(0.0)

    def now(self) -> float:
        """Seconds of the rig's own time."""
        return (time.monotonic() - self._start) * self.settings.speed

    def _kelvin(self, t: float) -> float:
        s = self.settings
        warm = s.fill_heat_c * math.exp(-(t - self._filled_at) / s.fill_cooling_s) if t >= self._filled_at else 0.0
        swing = s.swing_c * math.sin(2 * math.pi * t / 1500)
        return ZERO_C_K + s.ambient_c + s.drift_c_per_h * t / 3600 + swing + warm

    def _air(self, t: float) -> float:
        """Air pressure, kPa: it falls or rises for two hours and comes back."""
        rate, turn = self.settings.baro_rate_kpa_per_h, 7200.0
        return self.settings.baro_kpa + rate / 3600 * turn / math.pi * math.sin(math.pi * t / turn)

    def _advance(self, t: float) -> None:
        s = self.settings
        while self._last < t:
            step = min(5.0, t - self._last)
            gauge = self._gauge(self._last)
            known, at = self._known
            leaking = s.leak_ml_min / 20.0 + known / max(at, 0.1)
            self._amount -= leaking / 1000 / 60 / s.volume_l * ATMOSPHERE_KPA * max(gauge, 0.0) * step
            self._last += step
            if self._vented:
                self._amount = self._air(self._last) * REFERENCE_K / self._kelvin(self._last)

    def _gauge(self, t: float) -> float:
        """Gauge pressure, kPa: what was drawn into the syringe belongs to the same air."""
        share = self.settings.volume_l / (self.settings.volume_l + self._drawn_l)
        return self._amount * share * self._kelvin(t) / REFERENCE_K - self._air(t)

    def ask(self, what: str, value: float) -> None:
        """Do to the tank what a question asks: draw mL or give them back, open or shut a known leak, vent and shut it."""
        with self._lock:
            t = self.now()
            self._advance(t)
            if what in ("draw", "return"):
                self._drawn_l = value / 1000 if what == "draw" else 0.0
            elif what in ("open", "shut"):
                self._known = (value if what == "open" else 0.0, max(self._gauge(t), 0.1))
            elif what in ("vent", "rest"):
                self._vented = what == "vent"
                self._amount = self._air(t) * REFERENCE_K / self._kelvin(t)

    def fill_to(self, gauge_kpa: float, at_s: float | None = None) -> None:
        """Let air in until the gauge shows `gauge_kpa`; the air comes in warm."""
        with self._lock:
            t = self.now() if at_s is None else at_s
            self._advance(t)
            self._filled_at = t
            self._vented, self._drawn_l, self._known = False, 0.0, (0.0, 20.0)
            self._amount = (gauge_kpa + self._air(t)) * REFERENCE_K / self._kelvin(t)

    def schedule(self, gauge_kpa: float, hold_s: float, every_s: float, settle_s: float = 900.0) -> list[float]:
        """Fill, let the air settle, top up, and return the times of a hold's readings, for runs without a wall clock.

        Args:
            gauge_kpa: pressure to fill to, gauge.
            hold_s: length of the hold, s.
            every_s: between readings, s.
            settle_s: wait after the fill, s.
        """
        self.fill_to(gauge_kpa, 0.0)
        with self._lock:
            self._advance(settle_s)
            self._amount = (gauge_kpa + self._air(settle_s)) * REFERENCE_K / self._kelvin(settle_s)
        return [settle_s + k * every_s for k in range(int(hold_s / every_s) + 1)]

    def vent(self) -> None:
        """Open the valve."""
        with self._lock:
            t = self.now()
            self._advance(t)
            self._amount = self._air(t) * REFERENCE_K / self._kelvin(t)

    def read(self) -> tuple[float, float, float]:
        """(gauge kPa, degC, barometer kPa) as the noisy sensors see them now."""
        return self.read_at(self.now())

    def read_at(self, t: float) -> tuple[float, float, float]:
        """(gauge kPa, degC, barometer kPa) at the rig's time `t`, which must not run backwards."""
        with self._lock:
            self._advance(t)
            kelvin = self._kelvin(t)
            gauge = self._gauge(t)
            s = self.settings
            return (
                gauge + self._random.gauss(0, s.pressure_noise_kpa),
                kelvin - ZERO_C_K + self._random.gauss(0, s.temp_noise_c),
                self._air(t) + self._random.gauss(0, s.baro_noise_kpa),
            )


class SimulatedGauge:
    """The stand-in: answers the gauge protocol on a pseudo-terminal from a thread. `port` is what to open."""

    def __init__(self, settings: RigSettings | None = None) -> None:
        self.rig = Rig(settings or RigSettings())
        self._master, slave = os.openpty()
        tty.setraw(slave)
        self.port = os.ttyname(slave)
        self._slave = slave
        self._stop = threading.Event()
        self._closed = False
        self._thread = threading.Thread(target=self._serve, name="simulated gauge", daemon=True)
        self._thread.start()

    def gauge(self) -> Gauge:
        """A Gauge on a real serial line to this stand-in, on the rig's clock. LineError once it was closed.

        The kernel gives the name of a closed terminal to the next one, which may be somebody else's.
        """
        if self._closed:
            raise LineError(f"cannot open {self.port}: the simulated gauge was closed. Connect it again", True)
        return Gauge(SerialLine(self.port), self.rig.now)

    def _serve(self) -> None:
        pending = b""
        while not self._stop.is_set():
            ready, _, _ = select.select([self._master], [], [], 0.1)
            if not ready:
                continue
            try:
                pending += os.read(self._master, 256)
            except OSError:
                return
            while b"\n" in pending:
                request, pending = pending.split(b"\n", 1)
                reply = self._answer(request.strip().decode("ascii", "replace"))
                os.write(self._master, f"{reply}\r\n".encode("ascii"))

    def _answer(self, request: str) -> str:
        if request == "I":
            return framed("I;Bathyx;SIM-1;0001")
        if request == "R":
            kpa, celsius, baro = self.rig.read()
            return framed(f"R;{kpa:+.4f};kPa;{celsius:+.3f};C;{baro:+.4f};kPa")
        return framed("E;unknown request")

    def close(self) -> None:
        """Stop answering and give the terminal back."""
        self._closed = True
        self._stop.set()
        self._thread.join(timeout=1)
        if self._thread.is_alive():
            return  # it holds the terminal still: closed here, its number would be another file's in the thread's hands
        for end in (self._master, self._slave):
            os.close(end)
