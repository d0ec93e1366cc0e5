"""`make screenshots`: one current picture of each main view, from the demo data, at 1280 x 800."""

from __future__ import annotations

import json
import os
import socket
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtWidgets import QApplication

from bathyx.demo import jobs
from bathyx.desk.start import open_window
from bathyx.desk.theme import load_fonts

NAMES = ("brief", "space", "tank", "inside", "cut", "build", "prove", "hand-over")


def main(folder: Path) -> None:
    """Open the demo, walk the stages, and save a picture of each."""
    folder.mkdir(parents=True, exist_ok=True)
    socket.gethostname = lambda: "bench 2"
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
        others(window, settle, folder, Path(home))
        window.show_shelf()
        settle(lambda: not window.shelf.reading and not window.shelf._waiting, 20)
        settle()
        window.grab().save(str(folder / "shelf.png"))
        two_versions(window, settle, folder)
        window.choose(2)
        window.turn_theme()
        bench.turn_units()
        settle()
        window.grab().save(str(folder / "dark.png"))
        window.close()


def others(window, settle, folder: Path, home: Path) -> None:
    """Other families: the sawmill's rolled reservoir, the vineyard saddle without its pipe, a cone; spaces that are no boxes."""
    bench = window.bench
    first = bench.path

    def shot(name: str, stage: int, job: str, changes: dict | None = None, blank: str = "") -> None:
        bench.open(home / "jobs" / f"{job}.bathyx.json")
        if changes:
            bench.edit(changes, "for a picture")
        window.choose(stage)
        if blank:
            bench.light(f"blank:{blank}")
        settle(seconds=1.5)
        window.grab().save(str(folder / f"{name}.png"))
        if changes:
            bench.undo()
            bench.said.emit("note", "")

    shot("rolled", 2, "sawmill")
    shot("cone", 4, "sawmill", {"tank.front": {"kind": "cone", "depth_mm": 150}}, "front end")
    kept = [f for f in json.loads(jobs.vineyard().to_json())["inside"]["fittings"] if f["kind"] != "balance"]
    shot("pools", 2, "vineyard", {"inside.fittings": kept, "tank.sump": None})
    shot("stations", 1, "barge")
    bench.open(home / "jobs" / "dryer.bathyx.json")
    window.choose(1)
    stage = window.stage
    stage.offers.run(None)
    settle(lambda: not stage.study.running, 120)
    settle()
    stage.offers.pick(next(p for p in stage.study.result.found if p.kind == "saddle"))
    stage.card.ensureWidgetVisible(stage.offers.take)
    settle()
    window.grab().save(str(folder / "proposal.png"))
    bench.open(first)


def two_versions(window, settle, folder: Path) -> None:
    """A second window on the job in hand: both versions, side by side."""
    window.bench.file.hold.name(window.bench.who)
    second = open_window(window.home, window.bench.path)
    settle(lambda: hasattr(second, "pages"), 20)
    window.bench.edit({"tank.height_mm": 271.0}, "first")
    second.bench.edit({"tank.height_mm": 250.0, "brief.braking_g": 0.6}, "second")
    second.show_versions()
    settle()
    second.grab().save(str(folder / "two-versions.png"))
    window.bench.undo()
    second.close()


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
