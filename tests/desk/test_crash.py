"""Killed in the middle of the work: the last edit is there when it is opened again; what a signal redraws."""

import os
import signal
import subprocess
import sys
from pathlib import Path

from PyQt6.QtWidgets import QLabel

from bathyx.core.job import read_job
from bathyx.register import Register

KILLED = """
import os, signal, sys
from pathlib import Path
from PyQt6.QtWidgets import QApplication
from bathyx.desk.start import open_window
app = QApplication([])
window = open_window(Path(sys.argv[1]), None, demo=True)
def work():
    bench = window.bench
    bench.who = "Marn"
    for height in (290.0, 280.0, 271.0):
        bench.edit({"tank.height_mm": height}, "lower")
    bench.add_record("weld", "S1", {"amps": "160"})
    print(bench.path, flush=True)
    os.kill(os.getpid(), signal.SIGKILL)
window.furnished.connect(work)
app.exec()
"""


def test_after_kill_minus_nine_the_last_edit_and_record_are_there(tmp_path, qtbot):
    env = os.environ | {"QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run(
        [sys.executable, "-c", KILLED, str(tmp_path)], capture_output=True, text=True, env=env, timeout=60, check=False
    )
    assert done.returncode == -signal.SIGKILL, done.stderr
    path = done.stdout.strip()
    job = read_job(Path(path).read_text("utf-8"))
    assert job.tank.height_mm == 271.0
    register = Register(tmp_path / "register.sqlite")
    assert register.entries(job.uid)[-1].payload == {"amps": "160"}
    assert register.verify() == ()
    register.close()

    from bathyx.desk.start import open_window

    window = open_window(tmp_path)
    qtbot.waitUntil(lambda: hasattr(window, "pages"))
    assert window.bench.job.tank.height_mm == 271.0
    assert str(window.bench.path) == path
    window.close()


def test_a_register_that_cannot_be_read_is_said_in_the_window_and_left_alone(tmp_path, qtbot):
    from bathyx.desk.start import open_window

    broken = tmp_path / "register.sqlite"
    broken.write_bytes(b"not a database" * 100)
    window = open_window(tmp_path)
    qtbot.waitUntil(lambda: window.findChild(QLabel, "trouble text") is not None)
    assert "not a readable register" in window.findChild(QLabel, "trouble text").text()
    assert window._bench is None
    assert broken.read_bytes() == b"not a database" * 100
    window.close()


def test_a_job_that_was_left_broken_opens_the_shelf_with_the_reason(tmp_path, qtbot):
    from bathyx.desk.start import open_window

    (tmp_path / "jobs").mkdir()
    bad = tmp_path / "jobs" / "bad.bathyx.json"
    bad.write_text('{"schema_version": 7}')
    (tmp_path / "last-job").write_text(str(bad))
    window = open_window(tmp_path)
    qtbot.waitUntil(lambda: hasattr(window, "pages"))
    assert window.pages.currentIndex() == 1
    assert "newer Bathyx" in window.shelf.trouble.text()
    assert bad.read_text() == '{"schema_version": 7}'
    window.close()


DRAGGED = """
import os, signal, sys
from pathlib import Path
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication
from bathyx.desk.start import open_window
app = QApplication([])
window = open_window(Path(sys.argv[1]), None, demo=True)
steps = iter(range(1, 10_000))
def step():
    window.bench.edit({"tank.height_mm": 250.0 + 0.01 * next(steps)}, "drag", "a drag that does not end")
def work():
    window.steady = QTimer()
    window.steady.timeout.connect(step)
    window.steady.start(15)
    QTimer.singleShot(1500, stop)
def stop():
    window.steady.stop()
    shown = window.bench.job.tank.height_mm
    on_disk = __import__("json").loads(window.bench.path.read_text())["tank"]["height_mm"]
    print(window.bench.path, shown, on_disk, flush=True)
    QTimer.singleShot(500, lambda: os.kill(os.getpid(), signal.SIGKILL))
window.furnished.connect(work)
app.exec()
"""


def test_a_drag_is_saved_as_it_goes_and_whole_within_half_a_second_of_its_end(tmp_path):
    env = os.environ | {"QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run(
        [sys.executable, "-c", DRAGGED, str(tmp_path)], capture_output=True, text=True, env=env, timeout=60, check=False
    )
    assert done.returncode == -signal.SIGKILL, done.stderr
    *path, shown, on_disk = done.stdout.strip().rsplit(" ", 2)
    assert float(shown) > float(on_disk) - 1e-9 > 250.0  # saved in the middle of it
    assert read_job(Path(path[0]).read_text("utf-8")).tank.height_mm == float(shown)


def test_whatever_comes_after_a_drag_finds_it_saved(window):
    bench = window.bench

    def on_disk():
        return read_job(bench.path.read_text("utf-8")).tank.height_mm

    def drag(height):
        bench.edit({"tank.height_mm": height}, "drag", "the drag")

    before = on_disk()
    drag(251.0)
    drag(251.5)
    assert on_disk() == before
    bench.let_go()
    assert on_disk() == 251.5
    drag(252.0)
    bench.undo()
    assert on_disk() == 251.5
    drag(252.5)
    bench.who = "Marn"
    assert bench.add_record("note", "note", {"text": "seen"})
    assert on_disk() == 252.5
    drag(253.0)
    bench.look_at_file()
    assert on_disk() == 253.0
    assert bench.apart is None
    drag(253.5)
    path = bench.path
    bench.start_new()
    assert read_job(path.read_text("utf-8")).tank.height_mm == 253.5
    drag(254.0)
    window.close()
    assert on_disk() == 254.0


def test_a_signal_redraws_what_it_changed_and_no_more(window, monkeypatch, qtbot):
    drawn = []
    for thing, name in ((window.rail, "show_findings"), (window.flat, "show_picture"), (window.stages[2], "tile")):
        sound = getattr(thing, name)
        monkeypatch.setattr(thing, name, lambda *a, _s=sound, _n=name, **k: (drawn.append(_n), _s(*a, **k))[1])
    window.choose(2)
    window.advise.stop()
    drawn.clear()
    window.bench.light("face:top")
    assert drawn == ["show_picture"]
    drawn.clear()
    window.bench.recorded.emit()
    assert sorted(drawn) == ["show_picture", "tile"]
    drawn.clear()
    window.bench.edit({"tank.height_mm": 249.0}, "lower")
    assert sorted(drawn) == ["show_findings", "show_picture", "tile"]
