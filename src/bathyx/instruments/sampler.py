"""Reading a gauge steadily from a thread, so that no window waits for a serial line; and opening it again when it comes back."""

from __future__ import annotations

import queue
import threading
import time
from collections.abc import Callable

from bathyx.core.proving.decay import Sample
from bathyx.instruments.gauge import Identity, Readable
from bathyx.instruments.line import LineError

SILENT_TIMES = 3


class Sampler:
    """Opens a gauge and reads it every `every_s` of wall time until stopped. What comes waits in `queue`.

    That is: the gauge's Identity once it is known, Samples, and LineErrors. Nothing that happens on the line ends the thread.
    A port that is lost, or silent three times running, is opened again; another gauge on it is not taken for the first.
    """

    def __init__(self, open_gauge: Callable[[], Readable], every_s: float = 1.0, start: bool = True) -> None:
        self.open_gauge, self.every_s = open_gauge, every_s
        self.queue: queue.SimpleQueue[Sample | LineError | Identity] = queue.SimpleQueue()
        self.identity: Identity | None = None
        self.gauge: Readable | None = None
        self.began = 0.0
        self._silent = 0
        self._last_s = -1.0
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name="gauge sampler", daemon=True)
        if start:
            self._thread.start()

    def step(self) -> None:
        """One try: open if need be, read, and put what came into the queue. Raises nothing."""
        try:
            if self.gauge is None:
                self._open()
            assert self.gauge is not None
            sample = self.gauge.read(self.began)
            if sample.t_s <= self._last_s:
                return
            self._last_s, self._silent = sample.t_s, 0
            self.queue.put(sample)
        except LineError as error:
            self._silent += 1
            self.queue.put(error)
            if error.lost or self._silent >= SILENT_TIMES:
                self._drop()
        except Exception as error:  # noqa: BLE001 - a fault here must not leave the last reading standing as if it were now
            self.queue.put(LineError(f"the line gave something nobody awaited: {type(error).__name__}: {error}"[:200]))
            self._drop()

    def _open(self) -> None:
        gauge = self.open_gauge()
        try:
            identity = gauge.identify()
            if self.identity is not None and identity != self.identity:
                raise LineError(f"another gauge answers, {identity.words}; plug {self.identity.words} in again", True)
        except BaseException:
            gauge.close()
            raise
        if self.identity is None:
            self.identity, self.began = identity, gauge.clock()
            self.queue.put(identity)
        self.gauge, self._silent = gauge, 0

    def _drop(self) -> None:
        if self.gauge is not None:
            self.gauge.close()
        self.gauge, self._silent = None, 0

    def _run(self) -> None:
        due = time.monotonic()
        while not self._stop.is_set():
            self.step()
            due = max(due + self.every_s, time.monotonic())
            self._stop.wait(max(0.0, due - time.monotonic()))
        self._drop()

    def drain(self) -> list[Sample | LineError | Identity]:
        """Everything that came since the last call."""
        found = []
        while not self.queue.empty():
            found.append(self.queue.get())
        return found

    def stop(self) -> None:
        """Stop reading; the thread closes the gauge when its last try is over."""
        self._stop.set()
        if self._thread.is_alive():
            self._thread.join(timeout=0.4)
        else:
            self._drop()
