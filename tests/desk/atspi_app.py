"""The window for test_read_aloud.py, in a process of its own: shows one page after another, each until a line comes in."""

import sys
import tempfile
from pathlib import Path

from PyQt6.QtCore import QSocketNotifier, QTimer
from PyQt6.QtWidgets import QApplication

from bathyx.desk.start import open_window
from bathyx.desk.theme import load_fonts
from bathyx.desk.views.fields import Fold

LIFE_MS = 600_000


def main() -> int:
    app = QApplication(sys.argv[:1])
    app.setApplicationName("Bathyx")
    load_fonts()
    window = open_window(Path(tempfile.mkdtemp()), None, demo=True)
    window.faults.install()
    window.faults.happened.connect(lambda f: print("FAULT", f.line, flush=True))

    def stage(index: int) -> None:
        window.choose(index)
        for fold in window.stage.card.findChildren(Fold):
            if fold.isVisible() and not fold.opened:
                fold.turn.click()

    def pages() -> list:
        shown = [(f"stage {k}", lambda k=k: stage(k)) for k in range(8)]
        return [
            *shown,
            ("shelf", window.show_shelf),
            ("new tank", window.begin_tank),
            ("settings", window.hands.show_settings),
            ("help", lambda: window.hands.show_help("tank")),
        ]

    left: list = []

    def on() -> None:
        if not left:
            app.quit()
            return
        name, show = left.pop(0)
        show()
        QTimer.singleShot(400, lambda: print("SHOWN", name, flush=True))

    def begin() -> None:
        left.extend(pages())
        on()

    listening = QSocketNotifier(sys.stdin.fileno(), QSocketNotifier.Type.Read)
    listening.activated.connect(lambda *_: (sys.stdin.readline(), on()))
    QTimer.singleShot(LIFE_MS, app.quit)
    window.furnished.connect(lambda: QTimer.singleShot(300, begin))
    return int(app.exec())


if __name__ == "__main__":
    sys.exit(main())
