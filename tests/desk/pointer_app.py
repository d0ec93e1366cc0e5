"""The window for test_pointer.py, in a process of its own: says where to press, and what came of it."""

import sys
import tempfile
from pathlib import Path

from PyQt6.QtCore import QPoint, QTimer
from PyQt6.QtWidgets import QApplication, QLineEdit, QPushButton

from bathyx.desk.start import open_window
from bathyx.desk.theme import load_fonts

FIELD, LIFE_MS = "space.clearance.front_mm", 400_000


def main() -> int:
    app = QApplication(sys.argv[:1])
    load_fonts()
    window = open_window(Path(tempfile.mkdtemp()), None, demo=True)
    window.faults.install()
    window.faults.happened.connect(lambda f: print("FAULT", f.line, flush=True))

    def centre(widget) -> str:
        at = widget.mapToGlobal(QPoint(widget.width() // 2, widget.height() // 2))
        return f"{at.x()} {at.y()}"

    def ready() -> None:
        window.choose(1)
        window.bench.edit({"tank.length_mm": 440.0}, "too long")
        QTimer.singleShot(1200, say)

    def say() -> None:
        field = window.stage.card.findChild(QLineEdit, FIELD)
        window.stage.card.bring(field)
        app.processEvents()
        window.stage.card.ensureWidgetVisible(field)
        app.processEvents()
        remedies = [
            b for b in window.rail.findChildren(QPushButton) if b.objectName().startswith("remedy ") and b.isVisible()
        ]
        print("AT", centre(field), centre(remedies[0]), remedies[0].objectName(), flush=True)
        timer.start(100)

    def tell() -> None:
        job = window.bench.job
        print("JOB", job.space.clearance.front_mm, job.tank.length_mm, flush=True)

    timer = QTimer()
    timer.timeout.connect(tell)
    QTimer.singleShot(LIFE_MS, app.quit)  # whoever waits for a line is told by its end
    window.furnished.connect(lambda: QTimer.singleShot(300, ready))
    return int(app.exec())


if __name__ == "__main__":
    sys.exit(main())
