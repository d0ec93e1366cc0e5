"""`make screenshots`: one current picture of each main view, from the demo data, at 1280 x 800."""

from __future__ import annotations

import os
import socket
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication, QPushButton, QScrollArea

from bathyx.demo import jobs
from bathyx.desk.start import open_window
from bathyx.desk.theme import load_fonts
from bathyx.desk.views.card import Drawer

HELP_PX = 720
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
            if name == "inside":
                window.tray.picked.emit("coupler")
                window.flat.hung.emit(330.0, 180.0)
            settle(seconds=1.2)
            window.grab().save(str(folder / f"{name}.png"))
            window.flat.gave_up.emit()
            if name == "prove":
                window.stage.disconnect()
                window.stage._record(True)
            if name == "cut":
                window.stage.nesting.take_way("shear")
                nesting = window.stage.nesting
                nesting._take_rows([[600.0, 400.0, "5083/3", 3.0, "the sawmill's oil tank"]])
                window.stage.run_nest()
                settle(lambda: not window.stage.nesting.cutting.running, 60)
                settle()
                nesting.slider.setValue(7)
                seen(window, nesting.shelve)
                settle()
                window.grab().save(str(folder / "nest.png"))
        others(window, settle, folder, Path(home))
        trolley = bench.path
        in_use(window, settle, folder, Path(home))
        goes_in(window, settle, folder, Path(home))
        bench.open(trolley)
        window.show_shelf()
        settle(lambda: not window.shelf.reading and not window.shelf._waiting, 20)
        settle()
        window.grab().save(str(folder / "shelf.png"))
        window.choose(4)
        window.turn_theme()
        bench.turn_units()
        edges = window.stage.edges
        seen(window, edges)
        edges.pick("bottom/left end")
        edges.role.choose("tee")
        window.stage.card.verticalScrollBar().setValue(edges.y() - 30)
        settle()
        window.grab().save(str(folder / "dark.png"))
        bench.undo()
        window.close()


def for_help(folder: Path) -> None:
    """The stages' pictures in the help, smaller."""
    beside = Path(__file__).parents[1] / "src/bathyx/help/pictures"
    beside.mkdir(exist_ok=True)
    for name in NAMES:
        picture = QImage(str(folder / f"{name}.png"))
        small = picture.scaledToWidth(HELP_PX, Qt.TransformationMode.SmoothTransformation)
        small.save(str(beside / f"{name}.png"))


def seen(window, part) -> None:
    """A part of the card, its drawer open and scrolled to."""
    window.stage.card.bring(part)
    window.stage.card.ensureWidgetVisible(part)


def others(window, settle, folder: Path, home: Path) -> None:
    """The page on which a new tank is begun, and the help."""
    bench = window.bench
    first = bench.path

    window.begin_tank()
    settle(lambda: not window.begin.drawing.isActive(), 20)
    settle()
    window.grab().save(str(folder / "new-tank.png"))
    window.hands.show_help("cut")
    settle()
    window.grab().save(str(folder / "help.png"))
    bench.open(first)
    window.choose(4)


def in_use(window, settle, folder: Path, home: Path) -> None:
    """A laid-up tank with its plies; a scan of the barge's counter, cut into stations."""
    bench = window.bench
    bench.open(home / "jobs" / "punt.bathyx.json")
    window.choose(2)
    settle()
    drawer = next(d for d in window.findChildren(Drawer) if d.isVisible() and d.head.text().startswith("Sheet"))
    drawer.head.click()
    settle()
    for area in window.findChildren(QScrollArea):
        bar = area.verticalScrollBar()
        if area.isVisible() and bar is not None:
            bar.setValue(bar.maximum())
    settle(seconds=1.0)
    window.grab().save(str(folder / "layup.png"))
    bench.open(home / "jobs" / "barge.bathyx.json")
    window.choose(1)
    settle()
    scan = window.stage.parts.scan
    scan.take_up(scanned(home / "counter.xyz"))
    settle(lambda: not scan.study.running, 60)
    scan.unit.setCurrentText("m")
    scan._cut()
    settle(lambda: not scan.study.running, 60)
    settle(seconds=1.0)
    window.stage.card.verticalScrollBar().setValue(0)
    window.stage.card.findChild(QPushButton, "open offsets").click()
    settle()
    window.grab().save(str(folder / "scan.png"))
    window.board.lay("", None)
    bench.undo()


def goes_in(window, settle, folder: Path, home: Path) -> None:
    """The dryer's tank, which does not go in by its hatch; what would make it; the way then, where it is tightest."""
    bench = window.bench
    bench.open(home / "jobs" / "dryer.bathyx.json")
    window.choose(1)
    settle()
    way = window.stage.way
    way.run()
    settle(lambda: not way.study.running, 60)
    way.run_ways()
    settle(lambda: not way.ways.running, 300)
    settle()
    seen(window, way)
    settle()
    change = next(c for c in way.ways.result.changes if "width" in c.words)
    way._take(change.changes, change.words)
    settle()
    way.run()
    settle(lambda: not way.study.running, 60)
    settle()
    way.show_tightest()
    seen(window, way.tight)
    settle()
    window.grab().save(str(folder / "way.png"))
    bench.undo()
    small = [[3, 3], [355, 3], [355, 305], [3, 305]]
    bench.edit({"space.way_in.openings.0.corners": small}, "a smaller hatch")
    way.run()
    settle(lambda: not way.study.running, 60)
    settle()
    way.clash.click()
    way.keep_it()
    settle()
    seen(window, way.more)
    settle()
    window.grab().save(str(folder / "proof.png"))
    way.clash.click()
    bench.undo()
    bench.undo()
    planned(window, settle, folder)


def planned(window, settle, folder: Path) -> None:
    """Candidates for the make-up of the dryer's tank, and the best half folded."""
    bench = window.bench
    window.choose(4)
    settle()
    offers = window.stage.make_ups
    offers.run()
    settle(lambda: not offers.study.running, 60)
    settle(seconds=1.0)
    window.view_buttons["view flat"].click()
    window.stage.card.verticalScrollBar().setValue(0)
    settle(seconds=1.0)
    window.grab().save(str(folder / "make-ups.png"))
    offers.take(0)
    window.stage._show_blanks()
    window.stage.folding.setValue(120)
    seen(window, window.stage.folding)
    settle(seconds=1.0)
    window.grab().save(str(folder / "fold.png"))
    window.stage.folding.setValue(window.stage.folding.maximum())
    bench.undo()


def scanned(path: Path) -> Path:
    """A made-up scan of the barge's counter, metres."""
    cavity = jobs.barge().space.cavity
    rng = np.random.default_rng(3)
    x, z = rng.uniform(-30, 1530, 60_000), rng.uniform(2, 515, 60_000)
    left, right, low, high = cavity.around(np.clip(x, 0, 1500), z)
    y = np.where(rng.random(len(x)) < 0.5, left, right) + rng.normal(0, 0.4, len(x))
    np.savetxt(path, np.column_stack([x, y, z])[(z > low) & (z < high)] / 1000, fmt="%.5f")
    return path


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
    for_help(Path(sys.argv[1]))
