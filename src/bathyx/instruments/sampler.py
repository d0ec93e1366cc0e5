"""Reading a gauge steadily from a thread, so that no window waits for a serial line."""

from __future__ import annotations

import queue
import threading
import time

from bathyx.core.proving.decay import Sample
from bathyx.instruments.gauge import Gauge
from bathyx.instruments.line import LineError


class Sampler:
    """Reads `gauge` every `every_s` of wall time until stopped; samples and errors wait in `queue`."""

    def __init__(self, gauge: Gauge, every_s: float = 1.0) -> None:
        self.gauge, self.every_s = gauge, every_s
        self.queue: queue.SimpleQueue[Sample | LineError] = queue.SimpleQueue()
        self.began = gauge.clock()
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name="gauge sampler", daemon=True)
        self._thread.start()

    def _run(self) -> None:
        due = time.monotonic()
        while not self._stop.is_set():
            try:
                self.queue.put(self.gauge.read(self.began))
            except LineError as error:
                self.queue.put(error)
            due = max(due + self.every_s, time.monotonic())
            self._stop.wait(max(0.0, due - time.monotonic()))

    def drain(self) -> list[Sample | LineError]:
        """Everything read since the last call."""
        found = []
        while not self.queue.empty():
            found.append(self.queue.get())
        return found

    def stop(self) -> None:
        """Stop reading and close the gauge."""
        self._stop.set()
        self._thread.join(timeout=3)
        self.gauge.close()
