"""Python's cycle collector, kept on the interface thread.

Widgets hold closures that hold widgets. Collected from whatever thread happens to allocate (the gauge's, a study's), such
a cycle would destroy Qt objects on the wrong thread, and Qt does not survive that. So the automatic collector rests
while a window is open, and a timer of the interface thread sweeps instead.
"""

from __future__ import annotations

import gc

from PyQt6.QtCore import QObject, QTimer

EVERY_MS = 2000


class Sweeper(QObject):
    """Sweeps every two seconds from start to `stop`; whole generations only when the young ones have filled up."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        gc.freeze()  # what was loaded by now stays; sweeping it again and again would be felt
        self._timer = QTimer(self)
        self._timer.timeout.connect(self.sweep)
        self._timer.start(EVERY_MS)

    def sweep(self) -> None:
        """Collect what is due."""
        young, middle, old = gc.get_count()
        generation = 2 if old > 10 else 1 if middle > 10 or young > 5000 else 0
        gc.collect(generation)

    def rest(self) -> None:
        """Sweep no more."""
        self._timer.stop()

    def stop(self) -> None:
        """Sweep once more and give the collector back."""
        self.rest()
        gc.unfreeze()
        gc.collect()
        gc.enable()
