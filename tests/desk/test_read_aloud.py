"""What a screen reader is told, by the tree it walks on the bus of the desktop: every part that can be come to has a name."""

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

HERE = Path(__file__).parent
LAUNCHER = Path("/usr/libexec/at-spi-bus-launcher")
PYTHON = "/usr/bin/python3"


def bindings() -> bool:
    line = [PYTHON, "-c", "import gi; gi.require_version('Atspi', '2.0'); from gi.repository import Atspi"]
    return Path(PYTHON).exists() and subprocess.run(line, capture_output=True).returncode == 0


pytestmark = pytest.mark.skipif(
    not (shutil.which("Xvfb") and shutil.which("dbus-daemon") and LAUNCHER.exists() and bindings()),
    reason="tools/setup.sh --pointer installs Xvfb, D-Bus and AT-SPI with its bindings",
)


@pytest.fixture
def desktop():
    """The environment of an X server and a session bus of our own, with a bus for screen readers on it."""
    near, far = os.pipe()
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", str(far), "-screen", "0", "1280x800x24", "-nolisten", "tcp"],
        pass_fds=(far,), stderr=subprocess.DEVNULL,
    )  # fmt: skip
    display = f":{os.read(near, 20).decode().strip()}"
    bus = subprocess.Popen(
        ["dbus-daemon", "--session", "--nofork", "--print-address=1"],
        stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True,
    )  # fmt: skip
    env = os.environ | {
        "DISPLAY": display, "DBUS_SESSION_BUS_ADDRESS": bus.stdout.readline().strip(), "QT_QPA_PLATFORM": "xcb",
        "QT_ACCESSIBILITY": "1", "QT_LINUX_ACCESSIBILITY_ALWAYS_ON": "1",
    }  # fmt: skip
    launcher = subprocess.Popen(
        [str(LAUNCHER), "--launch-immediately"], env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    yield env
    for process in (launcher, bus, server):
        process.terminate()
        process.wait(10)


def test_every_part_that_can_be_come_to_has_a_name(desktop):
    app = subprocess.Popen(
        [sys.executable, "-m", "tests.desk.atspi_app"],
        stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True, env=desktop,
    )  # fmt: skip
    pages, parts, nameless = [], 0, []
    try:
        for line in app.stdout:
            assert not line.startswith("FAULT"), line
            if not line.startswith("SHOWN"):
                continue
            page = line.removeprefix("SHOWN ").strip()
            done = subprocess.run(
                [PYTHON, str(HERE / "atspi_walk.py"), "Bathyx"],
                capture_output=True,
                text=True,
                env=desktop,
                timeout=150,
            )
            told = json.loads(done.stdout)
            assert told["there"], done.stderr[-1000:]
            pages.append(page)
            parts += len(told["rows"])
            nameless += [(page, row["role"], row["way"]) for row in told["rows"] if not row["name"]]
            app.stdin.write("\n")
            app.stdin.flush()
    finally:
        app.kill()
        app.wait(10)
    print(f"{parts} parts on {len(pages)} pages, {len(nameless)} without a name")
    assert len(pages) == 12
    assert parts > 300
    assert nameless == []
