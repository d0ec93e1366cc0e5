"""The post at which a gauge is read: connect, read, let go; and the simulated rig that can be pumped up and let out."""

from __future__ import annotations

import time

from bathyx.core.proving.decay import Sample
from bathyx.core.proving.gauges import GaugeKind
from bathyx.instruments.gauge import Gauge, Identity
from bathyx.instruments.line import LineError, SerialLine
from bathyx.instruments.profiles import GaugeProfile, ProfileGauge
from bathyx.instruments.sampler import Sampler
from bathyx.instruments.shop_gauges import SIMULATED_KIND
from bathyx.instruments.simulated import RigSettings, SimulatedGauge

SIMULATED, BY_EYE = "simulated gauge", "gauge read by eye"
BEFORE_HOLD = 600


class GaugePost:
    """At most one gauge. `now` is its last reading, `waiting` what came in and nobody took."""

    def __init__(self) -> None:
        self.sampler: Sampler | None = None
        self.simulated: SimulatedGauge | None = None
        self.identity: Identity | None = None
        self.kind: GaugeKind | None = None
        self.now: Sample | None = None
        self.recent: list[Sample] = []
        self.read_at = 0.0

    @property
    def silent_s(self) -> float:
        """Seconds of the wall clock since the last reading, or since it was connected."""
        return time.monotonic() - self.read_at

    @property
    def connected(self) -> bool:
        """Whether a gauge is being read, or looked for on its port."""
        return self.sampler is not None

    def connect(self, port: str, kind: GaugeKind, rig: RigSettings, profile: GaugeProfile | None = None) -> None:
        """Have `port` (or the simulated rig) opened and read from a thread; who answers comes with `drain`.

        Args:
            port: to open.
            kind: what is known of the gauge.
            rig: of the simulated one.
            profile: how it is talked to; None for one that speaks as Bathyx's own.
        """
        self.leave()
        if port == SIMULATED:
            self.simulated = SimulatedGauge(rig)
            self.kind = SIMULATED_KIND
            self.sampler = Sampler(self.simulated.gauge, 0.2)
        else:
            self.kind = kind
            self.sampler = Sampler(lambda: Gauge(SerialLine(port)) if profile is None else ProfileGauge(profile, port))
        self.read_at = time.monotonic()

    def leave(self) -> None:
        """Stop reading."""
        if self.sampler is not None:
            self.sampler.stop()
        if self.simulated is not None:
            self.simulated.close()
        self.sampler = self.simulated = self.identity = self.kind = self.now = None
        self.recent = []

    def drain(self) -> tuple[list[Sample], str]:
        """(readings since the last call, what went wrong on the line or nothing)."""
        if self.sampler is None:
            return [], ""
        fresh = self.sampler.drain()
        troubles = [str(x) for x in fresh if isinstance(x, LineError)]
        read = [x for x in fresh if isinstance(x, Sample)]
        for x in fresh:
            if isinstance(x, Identity):
                self.identity = x
        if read:
            self.now = read[-1]
            self.read_at = time.monotonic()
            self.recent = [*self.recent, *read][-BEFORE_HOLD:]
        return read, troubles[-1] if troubles else ""
