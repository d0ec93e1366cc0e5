"""Killed in the middle of the work: the last edit is there when it is opened again."""

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
    qtbot.waitUntil(lambda: hasattr(window, "pages"), timeout=20_000)
    assert window.bench.job.tank.height_mm == 271.0
    assert str(window.bench.path) == path
    window.close()


def test_a_register_that_cannot_be_read_is_said_in_the_window_and_left_alone(tmp_path, qtbot):
    from bathyx.desk.start import open_window

    broken = tmp_path / "register.sqlite"
    broken.write_bytes(b"not a database" * 100)
    window = open_window(tmp_path)
    qtbot.waitUntil(lambda: window.findChild(QLabel, "trouble text") is not None, timeout=30_000)
    assert "not a readable register" in window.findChild(QLabel, "trouble text").text()
    assert window.bench is None
    assert broken.read_bytes() == b"not a database" * 100
    window.close()


def test_a_job_that_was_left_broken_opens_the_shelf_with_the_reason(tmp_path, qtbot):
    from bathyx.desk.start import open_window

    (tmp_path / "jobs").mkdir()
    bad = tmp_path / "jobs" / "bad.bathyx.json"
    bad.write_text('{"schema_version": 7}')
    (tmp_path / "last-job").write_text(str(bad))
    window = open_window(tmp_path)
    qtbot.waitUntil(lambda: hasattr(window, "pages"), timeout=20_000)
    assert window.pages.currentIndex() == 1
    assert "newer Bathyx" in window.shelf.trouble.text()
    assert bad.read_text() == '{"schema_version": 7}'
    window.close()
