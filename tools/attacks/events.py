"""Random events through a real pointer and keyboard on an X server of its own: no abort, no stall over half a second, no growth.

    python -m tools.attacks.events [how many] [seed]        needs Xvfb and xdotool

The window runs in a process of its own with the demo; a heartbeat in it measures how long it does not answer.
"""

from __future__ import annotations

import os
import random
import shutil
import subprocess
import sys
import tempfile
import threading
import time
import traceback
from pathlib import Path

STALL_S = 0.5
BATCH_S = 20.0  # a batch that still rings after this is not waited for
BATCH = 25
BEAT_MS = 25
KEYS = (
    *"0123456789abcz.,-", "Return", "Return", "Tab", "Tab", "Tab", "shift+Tab", "Escape", "space", "BackSpace", "Delete", "Left",
    "Right", "Up", "Down", "question", "ctrl+z", "ctrl+z", "ctrl+shift+z", "ctrl+u", "ctrl+d", "ctrl+t", "ctrl+o", "ctrl+a",
    *(f"alt+{k}" for k in range(1, 9)),
)  # fmt: skip


def app(home: str) -> int:
    """The window, with a heartbeat that tells on standard output how it is."""
    from PyQt6.QtCore import QEvent, QObject, QTimer
    from PyQt6.QtWidgets import QApplication

    from bathyx.desk.start import open_window
    from bathyx.desk.theme import load_fonts

    application = QApplication(sys.argv[:1])
    load_fonts()
    window = open_window(Path(home), None, demo=True)
    window.faults.install()
    seen = {"events": 0, "faults": 0, "stall": 0.0, "stalls": 0}

    class Counter(QObject):
        def eventFilter(self, _watched, event) -> bool:
            kinds = (QEvent.Type.KeyPress, QEvent.Type.MouseButtonPress, QEvent.Type.Wheel, QEvent.Type.MouseMove)
            if event.type() in kinds and event.spontaneous():
                seen["events"] += 1
            return False

    def fault(f) -> None:
        seen["faults"] += 1
        print("FAULT", f.whole.replace("\n", " | ")[-700:], flush=True)

    counter = Counter()
    application.installEventFilter(counter)
    window.faults.happened.connect(fault)
    last = time.monotonic()

    def beat() -> None:
        nonlocal last
        now = time.monotonic()
        gap, last = now - last, now
        if gap > STALL_S:
            seen["stalls"] += 1
            print(f"STALL {gap:.2f} stage {window.current}", flush=True)
        seen["stall"] = max(seen["stall"], gap)

    def tell() -> None:
        rss = int(Path("/proc/self/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE") // 1_000_000
        print("AT", seen["events"], rss, f"{seen['stall']:.3f}", seen["stalls"], seen["faults"], flush=True)

    def watch() -> None:
        """What the interface thread is at while it does not answer."""
        main = threading.main_thread().ident
        told_for = 0.0
        while True:
            time.sleep(0.05)
            if begun and time.monotonic() - last > 0.8 * STALL_S and told_for != last:
                told_for = last
                frames = traceback.extract_stack(sys._current_frames()[main])
                print(
                    "WORKING",
                    " < ".join(f"{Path(f.filename).name}:{f.lineno} {f.name}" for f in reversed(frames[-14:])),
                    flush=True,
                )

    begun: list[bool] = []
    threading.Thread(target=watch, daemon=True).start()
    timers = []
    for every, do in ((BEAT_MS, beat), (100, tell)):
        timer = QTimer()
        timer.timeout.connect(do)
        timers.append((timer, every))

    def begin() -> None:
        nonlocal last
        last = time.monotonic()
        begun.append(True)
        for timer, every in timers:
            timer.start(every)
        print("READY", flush=True)

    window.furnished.connect(lambda: QTimer.singleShot(500, begin))
    return int(application.exec())


def some(dice: random.Random) -> tuple[str, int]:
    """(an xdotool command, how many events it makes)."""
    x, y, what = dice.randrange(4, 1276), dice.randrange(4, 796), dice.random()
    if what < 0.5:
        return f"mousemove {x} {y} click 1", 2
    if what < 0.56:
        return f"mousemove {x} {y} click --repeat 2 --delay 5 1", 3
    if what < 0.66:
        return (
            f"mousemove {x} {y} mousedown 1 mousemove {x + dice.randrange(-120, 120)} {y + dice.randrange(-80, 80)} mouseup 1",
            3,
        )
    if what < 0.74:
        return f"mousemove {x} {y} click --repeat 2 --delay 0 {dice.choice((4, 5))}", 3
    # A value typed and not left, then something pressed: what brought the first release down.
    if what < 0.80:
        return f"key --delay 0 ctrl+a 3 {dice.choice('0123456789')} mousemove {x} {y} click 1", 5
    return f"key --delay 0 {' '.join(dice.choice(KEYS) for _ in range(3))}", 3


def main(count: int = 50_000, seed: int = 1) -> int:
    """Send `count` events, and print what became of the window."""
    for tool in ("Xvfb", "xdotool"):
        if shutil.which(tool) is None:
            print(f"needs {tool}")
            return 2
    dice, home = random.Random(seed), tempfile.mkdtemp(prefix="bathyx-events-")
    near, far = os.pipe()
    screen = ["Xvfb", "-displayfd", str(far), "-screen", "0", "1280x800x24", "-nolisten", "tcp"]
    server = subprocess.Popen(screen, pass_fds=(far,), stderr=subprocess.DEVNULL)
    display = f":{os.read(near, 20).decode().strip()}"
    environment = os.environ | {"DISPLAY": display, "QT_QPA_PLATFORM": "xcb", "XDG_STATE_HOME": f"{home}/state"}
    child = subprocess.Popen(
        [sys.executable, "-m", "tools.attacks.events", "--app", f"{home}/home"],
        stdout=subprocess.PIPE,
        stderr=Path(home, "said.txt").open("w"),  # noqa: SIM115
        text=True,
        env=environment | {"PYTHONFAULTHANDLER": "1"},
    )
    hands = subprocess.Popen(
        ["xdotool", "-"], stdin=subprocess.PIPE, text=True, env=environment, stderr=subprocess.DEVNULL
    )
    sent, told, memory, began, quiet = 0, None, [], time.monotonic(), 0

    def listen() -> bool:
        """Take a line in; False when the window is gone."""
        nonlocal told
        line = child.stdout.readline()
        if not line:
            return False
        if line.startswith("AT "):
            told = line.split()
        elif not line.startswith("READY"):
            print(line.rstrip()[:900], flush=True)
        return True

    alive = True
    while alive and told is None:
        alive = listen()
    while alive and sent < count:
        before = told[1]
        for _ in range(BATCH):
            command, events = some(dice)
            hands.stdin.write(command + "\n")
            sent += events
        hands.stdin.flush()
        quiet, given_up = 0, time.monotonic() + BATCH_S
        while alive and quiet < 2 and time.monotonic() < given_up:
            alive = listen()
            quiet = quiet + 1 if told[1] == before else 0
            before = told[1]
        if not memory or sent - memory[-1][0] >= count // 10:
            memory.append((sent, int(told[2])))
            print(f"{sent} sent, {told[1]} came, {told[2]} MB, longest stall {told[3]} s", flush=True)
    aborted = not alive
    if aborted:
        print(f"exit code {child.wait(10)}; it said last:", Path(f"{home}/said.txt").read_text()[-4000:], flush=True)
        for path in Path(home).rglob("*"):
            if path.is_file() and path.suffix in (".log", ".txt") and "state" in str(path):
                print(path.name, path.read_text("utf-8", "replace")[-6000:], flush=True)
    print(
        f"{sent} events sent in {time.monotonic() - began:.0f} s, {told[1]} taken by the window; "
        f"{'ABORTED' if aborted else '0 aborts'}, "
        f"{told[4]} stalls over {STALL_S} s (longest {told[3]} s), {told[5]} faults; "
        f"memory after a tenth {memory[1][1] if len(memory) > 1 else 0} MB, at the end {told[2]} MB"
    )
    for process in (hands, child, server):
        process.terminate()
        process.wait(10)
    shutil.rmtree(home, ignore_errors=True)
    grown = len(memory) > 1 and int(told[2]) > 1.2 * memory[1][1]
    return 1 if aborted or int(told[4]) or int(told[5]) or grown else 0


if __name__ == "__main__":
    if sys.argv[1:2] == ["--app"]:
        sys.exit(app(sys.argv[2]))
    sys.exit(main(*(int(x) for x in sys.argv[1:3])))
