"""`make screenshots`: one current picture of each main view, from the demo data, at 1280 x 800."""

from __future__ import annotations

import os
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtWidgets import QApplication

from bathyx.desk.start import open_window
from bathyx.desk.theme import load_fonts

NAMES = ("brief", "space", "tank", "inside", "cut", "build", "prove", "hand-over")


def main(folder: Path) -> None:
    """Open the demo, walk the stages, and save a picture of each."""
    folder.mkdir(parents=True, exist_ok=True)
    app = QApplication([])
    load_fonts()
    with tempfile.TemporaryDirectory() as home:
        window = open_window(Path(home), None, demo=True)

        def settle(condition=lambda: False, seconds: float = 0.4) -> None:
            end = time.monotonic() + seconds
            while time.monotonic() < end and not condition():
                app.processEvents()
                time.sleep(0.01)

        settle(lambda: hasattr(window, "pages"), 20)
        bench = window.bench
        bench.who = "Marn Ostley"
        for index, name in enumerate(NAMES):
            window.choose(index)
            if name == "prove":
                window.stage._choose_test(1) if window.stage.card else None
                rehearse(window, settle)
            settle(seconds=1.2)
            window.grab().save(str(folder / f"{name}.png"))
            if name == "prove":
                window.stage.disconnect()
                window.stage._record(True)
                window.stage.plan.run_design()
                settle(lambda: window.stage.plan.design is not None, 60)
                settle()
                window.grab().save(str(folder / "design.png"))
            if name == "cut":
                window.stage.run_nest()
                settle(lambda: not window.stage.study.running, 10)
                settle()
                window.grab().save(str(folder / "nest.png"))
            if name == "build":
                window.stage.log = True
                bench.open(Path(home) / "jobs" / "sawmill.bathyx.json")
                bench.light("seam:S2")
                settle()
                window.grab().save(str(folder / "weld-log.png"))
                bench.open(Path(home) / "jobs" / "trolley.bathyx.json")
        window.show_shelf()
        settle()
        window.grab().save(str(folder / "shelf.png"))
        window.choose(2)
        window.turn_theme()
        bench.turn_units()
        settle()
        window.grab().save(str(folder / "dark.png"))
        window.close()


def rehearse(window, settle) -> None:
    """A hold with the simulated gauge, caught while it runs."""
    stage = window.stage
    stage.sim_speed = 600.0
    stage.connect_or_leave()
    settle(lambda: stage.now is not None, 5)
    stage.pump_up()
    settle(lambda: stage.refusal() == "", 5)
    stage.start_hold()
    settle(lambda: len(stage.samples) > 12 and stage.judgement().verdict == "tight", 20)


if __name__ == "__main__":
    main(Path(sys.argv[1]))
