"""A painter is put down when its widget is painted, whoever still holds on to the frame it was painted in.

Left to be collected, it lives as long as a traceback or a watching thread holds that frame. Let go while the next widget of the
window is painted, it takes the state of Qt's engine with it, and the program dies.
"""

import shutil
import subprocess
import sys

HELD = """
import os
import sys
from pathlib import Path
from PyQt6.QtWidgets import QApplication
from bathyx.desk.start import open_window
from bathyx.desk.views import bench_line, canvas, rail

app = QApplication([])
window = open_window(Path(sys.argv[1]), None, demo=True)
while not hasattr(window, "pages"):
    app.processEvents()
window.choose(2)
colour = window.theme.colour
kept, painted = [], set()

def holding(name):
    frame = sys._getframe(1)
    while frame.f_code.co_name != "paintEvent" and frame.f_back is not None:
        frame = frame.f_back
    if frame not in kept:
        kept.clear()  # the painter of the widget before goes in the middle of this one
        kept.append(frame)
        painted.add(type(frame.f_locals.get("self")).__name__)
    return colour(name)

window.theme.colour = holding
window.bench.edit({"inside.fittings": []}, "something to say")
for _ in range(6):
    window.repaint()
    app.processEvents()
window.theme.colour = colour
wrong = []
window.faults.install()
window.faults.happened.connect(lambda fault: wrong.append(fault.line))
sound = canvas.Canvas._paint_poly
def broken(self, p, item):
    raise ZeroDivisionError("in the middle of a picture")
canvas.Canvas._paint_poly = broken
window.flat.zoom(1.01)
window.flat.repaint()
app.processEvents()
canvas.Canvas._paint_poly = sound
for _ in range(3):
    window.repaint()
    app.processEvents()
print("painted", sorted(painted), wrong[:1], flush=True)
os._exit(0)  # how Qt takes its parts down at the end of a process with a window open is another matter
"""


def test_a_frame_that_is_held_and_a_fault_in_the_middle_of_a_picture_end_no_window(demo_home, tmp_path):
    home = shutil.copytree(demo_home, tmp_path / "home")
    done = subprocess.run([sys.executable, "-c", HELD, str(home)], capture_output=True, text=True, timeout=120)
    assert done.returncode == 0, (done.returncode, done.stderr[-2000:])
    assert (
        "painted ['Canvas', 'Flag', 'SolidCanvas', 'Tile'] ['ZeroDivisionError: in the middle of a picture']"
        in done.stdout
    )
