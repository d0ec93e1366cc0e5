"""Eight hours of an idle hold in the real window, on a clock that runs fast: memory, and what a look at the hold costs.

python -m tools.attacks.idle_hold [hours]
"""

from __future__ import annotations

import os
import random
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

FAST_S = 60.0  # a minute of the hold's readings at each turn of the loop


def memory_mb() -> float:
    """Resident memory of this process."""
    return int(Path("/proc/self/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE") / 1e6


def main(hours: float = 8.0) -> int:
    """Run the hold; a reading a second of its own time, handed over a minute at a time."""
    from PyQt6.QtWidgets import QApplication

    from bathyx.core.proving.decay import Sample
    from bathyx.desk.start import open_window
    from bathyx.desk.theme import load_fonts

    app = QApplication([])
    load_fonts()
    with tempfile.TemporaryDirectory() as home:
        window = open_window(Path(home), None, demo=True)

        def settle(true=lambda: False, seconds: float = 0.3) -> None:
            end = time.monotonic() + seconds
            while time.monotonic() < end and not true():
                app.processEvents()
                time.sleep(0.005)

        settle(lambda: hasattr(window, "pages"), 20)
        window.bench.who = "Marn Ostley"
        tests = [{"method": "decay", "test_kpa": 21.0, "hold_min": 60 * hours, "leak_limit_ml_min": 2.0}]
        window.bench.edit({"proving.tests": tests}, "plan")
        window.choose(6)
        stage = window.stage
        stage.connect_or_leave()
        settle(lambda: stage.now is not None, 10)
        stage.pump_up()
        settle(lambda: (stage.above_air_kpa or 0) > 20, 10)
        stage.start_hold()
        settle(lambda: stage.session is not None, 5)
        post = stage.post
        post.sampler.stop()  # from here on readings come from the fast clock
        t = stage.samples[-1].t_s if stage.samples else 0.0
        began, slowest, figures = stage.began_at, 0.0, []
        dice = random.Random(1)
        turns = int(hours * 3600 / FAST_S)
        for turn in range(turns):
            fresh = [
                Sample(began + t + k, 21.0 + 0.002 * dice.gauss(0, 1), 18.0 + 0.003 * dice.gauss(0, 1), 101.3)
                for k in range(1, int(FAST_S) + 1)
            ]
            t += FAST_S
            for sample in fresh:
                post.sampler.queue.put(sample)
            start = time.monotonic()
            stage._next_look = 0.0
            stage._poll()
            app.processEvents()
            slowest = max(slowest, time.monotonic() - start)
            if turn % max(1, turns // 16) == 0:
                window.sweeper.sweep()
                figures.append(memory_mb())
                looked = f"{len(stage.samples)} readings, slowest look {slowest * 1000:.0f} ms"
                print(f"after {t / 3600:5.2f} h: {figures[-1]:6.1f} MB, {looked}", flush=True)
        stage.finish()
        verdict = window.bench.record.tests[-1].payload["verdict"]
        stage.disconnect()
        window.close()
        warm = figures[len(figures) // 8]
        said = f"{warm:.0f} MB after warm-up, {figures[-1]:.0f} MB at the end"
        print(f"{hours:g} h: {said}, slowest look {slowest * 1000:.0f} ms, {verdict}")
        return 1 if figures[-1] > 1.2 * warm else 0


if __name__ == "__main__":
    sys.exit(main(*(float(x) for x in sys.argv[1:2])))
