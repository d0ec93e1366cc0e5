"""A real pointer and a real keyboard on an X server: what offscreen tests missed. Needs Xvfb and xdotool."""

import os
import shutil
import subprocess
import sys
import time

import pytest

pytestmark = pytest.mark.skipif(
    not (shutil.which("Xvfb") and shutil.which("xdotool")), reason="tools/setup.sh --pointer installs Xvfb and xdotool"
)


@pytest.fixture
def screen():
    """The environment of an X server of our own."""
    near, far = os.pipe()
    line = ["Xvfb", "-displayfd", str(far), "-screen", "0", "1280x800x24", "-nolisten", "tcp"]
    server = subprocess.Popen(line, pass_fds=(far,), stderr=subprocess.DEVNULL)
    display = f":{os.read(near, 20).decode().strip()}"
    yield os.environ | {"DISPLAY": display, "QT_QPA_PLATFORM": "xcb"}
    server.terminate()
    server.wait(10)


def test_a_value_typed_and_not_left_and_a_remedy_pressed(screen):
    """The field commits as it is left, the rail has something new to say, and the press still lands: no crash, no lost click."""
    app = subprocess.Popen(
        [sys.executable, "-m", "tests.desk.pointer_app"], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True, env=screen
    )  # fmt: skip

    def hands(*words):
        subprocess.run(["xdotool", *words], check=True, env=screen, timeout=120)

    try:
        first = next((line for line in app.stdout if line.startswith(("AT ", "FAULT"))), "nothing")
        assert first.startswith("AT "), first
        at = first.split()
        hands("mousemove", at[1], at[2], "click", "1", "sleep", "0.3", "key", "ctrl+a", "key", "1", "key", "2")
        hands("mousemove", at[3], at[4], "sleep", "0.2", "mousedown", "1", "sleep", "0.3", "mouseup", "1")
        end = time.monotonic() + 120
        clearance = length = 0.0
        for line in app.stdout:
            assert not line.startswith("FAULT"), line
            _, clearance, length = line.split()
            if (float(clearance) == 12.0 and float(length) != 440.0) or time.monotonic() > end:
                break
        assert app.poll() is None
        assert float(clearance) == 12.0  # what was typed is taken
        assert float(length) < 440.0  # and the remedy was pressed
    finally:
        app.kill()
        app.wait(10)


def test_a_few_hundred_random_events(tmp_path):
    done = subprocess.run(
        [sys.executable, "-m", "tools.attacks.events", "180", "11"], capture_output=True, text=True, timeout=300
    )
    last = done.stdout.strip().splitlines()[-1]
    assert "0 aborts" in last, done.stdout[-2000:]
    assert " 0 faults" in last, done.stdout[-2000:]
