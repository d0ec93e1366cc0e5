"""`make bench`: the measures that are kept, as ratios within one run. Prints a table; fails on a kept limit.

Cost must grow no faster than the work does; see docs/architecture.md for the limits and what they mean.
"""

from __future__ import annotations

import math
import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

BARE = """
import sys
from PyQt6.QtWidgets import QApplication, QWidget
{imports}
app = QApplication([])
class W(QWidget):
    done = False
    def paintEvent(self, e): self.done = True
w = W(); w.resize(1280, 800); w.show()
while not w.done: app.processEvents()
print("first paint", flush=True)
"""
HEAVY = "import numpy, scipy.interpolate, pydantic, shapely, sqlalchemy.orm"
DESK = "import sys; from pathlib import Path; from bathyx.desk.start import start; start(Path(sys.argv[1]), None, demo=True)"
ENV = os.environ | {"BATHYX_BENCH": "1", "QT_QPA_PLATFORM": os.environ.get("QT_QPA_PLATFORM", "offscreen")}
failures: list[str] = []


def kept(words: str, value: float, limit: float | None = None, unit: str = "") -> None:
    """Print a measure, and note it when it is over its limit."""
    over = limit is not None and value > limit
    print(
        f"{words:<68} {value:9.2f} {unit:<5}"
        + (f" limit {limit:g}{'  OVER' if over else ''}" if limit is not None else "")
    )
    if over:
        failures.append(words)


def until(code: str, *arguments: str) -> dict[str, float]:
    """Seconds from the start of a Python process to each word it prints, and the figures it prints."""
    start = time.perf_counter()
    seen: dict[str, float] = {}
    with subprocess.Popen(
        [sys.executable, "-c", code, *arguments], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True, env=ENV
    ) as process:
        for line in process.stdout:
            word = line.strip()
            if word.startswith("rss_kb"):
                seen["rss_mb"] = int(word.split()[1]) / 1024
            else:
                seen[word] = time.perf_counter() - start
    return seen


def middle(runs: list[dict[str, float]], key: str) -> float:
    """Median over runs."""
    return statistics.median(run[key] for run in runs)


def start_up() -> None:
    """First paint and live drawing against bare windows."""
    with tempfile.TemporaryDirectory() as home:
        until(DESK, home)  # lays out the demo and warms the disk
        bare, heavy, desk = [], [], []
        for _ in range(5):
            bare.append(until(BARE.format(imports="")))
            heavy.append(until(BARE.format(imports=HEAVY)))
            desk.append(until(DESK, home))
    kept("first paint / a bare PyQt6 window", middle(desk, "first paint") / middle(bare, "first paint"), 5.0)
    kept(
        "demo job drawn and live / imports and a bare window", middle(desk, "live") / middle(heavy, "first paint"), 2.0
    )
    kept("demo job drawn and live", middle(desk, "live"), None, "s")
    kept("idle memory", middle(desk, "rss_mb"), 400.0, "MB")


def evaluations() -> None:
    """One edit against everything from nothing."""
    from bathyx.core.evaluate import evaluate
    from bathyx.demo.jobs import trolley

    job = trolley()
    start = time.perf_counter()
    told(evaluate(job))
    cold = time.perf_counter() - start
    for path in ("tank.height_mm", "tank.width_mm", "inside.baffles.limber_mm", "brief.customer"):
        times, taken = [], []
        for k in range(30):
            value = f"c{k}" if path == "brief.customer" else job.value_at(path) - 0.1 * (k + 1)
            edited = job.edited(path, value)
            start = time.perf_counter()
            e = evaluate(edited)
            taken.append(time.perf_counter() - start)
            told(e)
            times.append(time.perf_counter() - start)
        edit = statistics.median(times)
        print_plain(f"an edit of {path} taken", statistics.median(taken) * 1000)
        kept(f"  … and everything told after it: {path}", edit * 1000, 20.0, "ms")
        kept(f"  … / a full evaluation of {cold * 1000:.0f} ms", edit / cold, 1.0)


def told(e) -> None:
    """Every result and finding asked for."""
    from bathyx.core.results import Results

    for name in Results.__annotations__:
        getattr(e.results, name)
    _ = (e.results.capacity.usable_tilted, e.results.capacity.left, e.findings)


def print_plain(words: str, value: float) -> None:
    """A figure without a limit, in ms."""
    kept(words, value, None, "ms")


def faces() -> None:
    """What an edit costs as the faces of an outline double."""
    from bathyx.core.evaluate import evaluate
    from bathyx.demo.jobs import trolley

    took = {}
    for corners in (8, 15, 30, 60):
        turn = [2 * math.pi * (k + 0.5) / corners for k in range(corners)]
        ring = [{"x_mm": round(400 + 300 * math.cos(a), 2), "z_mm": round(400 + 300 * math.sin(a), 2)} for a in turn]
        tank = {"family": "outline", "width_mm": 500.0, "sheet": "5083/3", "corners": ring}
        job = trolley().edited_many({"tank": tank, "makeup": {"school": "wrap"}, "inside.fittings": []})
        evaluate(job)
        times = []
        for k in range(7):
            edited = job.edited("tank.width_mm", 499.0 - k)
            start = time.perf_counter()
            evaluate(edited)
            times.append(time.perf_counter() - start)
        took[corners] = statistics.median(times)
    kept("evaluate after an edit of an outline of 60 faces", took[60] * 1000, None, "ms")
    kept("  … / that of 8 faces", took[60] / took[8], 7.5)
    kept("  … as faces double, 60 / 30", took[60] / took[30], 2.2)


def painted() -> None:
    """From an edit, and from a selection, to the window painted; loading the core against what it is made of."""
    code = """
import sys, time, statistics
from pathlib import Path
from PyQt6.QtWidgets import QApplication
from bathyx.desk.start import open_window
app = QApplication([])
window = open_window(Path(sys.argv[1]), None, demo=True)
while not hasattr(window, "pages"): app.processEvents()
window.choose(2)
for _ in range(20): app.processEvents()
def took(do, whole=True):
    runs = []
    for k in range(15):
        window.advise.stop()
        start = time.perf_counter()
        do(k)
        if whole: window.finish()
        window.rest.stop()
        window.advise.stop()
        app.processEvents()
        runs.append(time.perf_counter() - start)
        window.finish()
    return statistics.median(runs) * 1000
print("edit", took(lambda k: window.bench.edit({"tank.height_mm": 249.0 - 0.1 * k}, "lower")))
print("drawn", took(lambda k: window.bench.edit({"tank.height_mm": 240.0 - 0.1 * k}, "lower"), False))
print("name", took(lambda k: window.bench.edit({"brief.customer": f"c{k}"}, "name")))
print("pick", took(lambda k: window.bench.light("face:top" if k % 2 else "face:bottom")))
"""
    with tempfile.TemporaryDirectory() as home:
        told = subprocess.run([sys.executable, "-c", code, home], capture_output=True, text=True, env=ENV, check=True)
    found = dict(
        line.split() for line in told.stdout.splitlines() if line.split()[0] in ("edit", "drawn", "name", "pick")
    )
    kept("edit of a size to painted window", float(found["edit"]), 60.0, "ms")
    kept("edit of a size to painted drawing, the rest after it", float(found["drawn"]), 20.0, "ms")
    kept("edit of a name to painted window", float(found["name"]), 25.0, "ms")
    kept("selection to painted window", float(found["pick"]), 25.0, "ms")
    runs: dict[str, list[float]] = {"core": [], "bare": []}
    for _ in range(5):
        for name, modules in (("core", "bathyx.core.evaluate"), ("bare", "numpy, pydantic")):
            start = time.perf_counter()
            subprocess.run([sys.executable, "-c", f"import {modules}"], check=True)
            runs[name].append(time.perf_counter() - start)
    ratio = statistics.median(runs["core"]) / statistics.median(runs["bare"])
    kept("import of the core / of numpy and pydantic", ratio, 3.0)


def dips() -> None:
    """A thousand levels from the curve against slicing a mesh at each."""
    import numpy as np
    import trimesh

    from bathyx.core.geometry.dip import dip_curve
    from bathyx.demo.jobs import trolley

    shell = trolley().tank.shell()
    start = time.perf_counter()
    curve = dip_curve(shell.half_edges)
    levels = np.linspace(curve.low_mm + 1, curve.high_mm - 1, 1000)
    curve.at(levels)
    ours = time.perf_counter() - start
    mesh = trimesh.util.concatenate([_fan(face.loop) for face in shell.faces])
    mesh.merge_vertices()
    start = time.perf_counter()
    for level in levels[::50]:
        mesh.section(plane_normal=[0, 0, 1], plane_origin=[0, 0, level])
    theirs = (time.perf_counter() - start) * 50
    kept("dip table of 1000 levels / trimesh slicing", ours / theirs, 1.0)


def _fan(loop):
    import shapely
    import trimesh

    if len(loop) == 4:
        return trimesh.Trimesh(loop, [[0, 1, 2], [0, 2, 3]])
    flat = shapely.Polygon(loop[:, [0, 2]])
    triangles = [t for t in shapely.constrained_delaunay_triangles(flat).geoms]
    points = [[(x, loop[0, 1], z) for x, z in list(t.exterior.coords)[:3]] for t in triangles]
    return trimesh.util.concatenate([trimesh.Trimesh(p, [[0, 1, 2]]) for p in points])


def exports() -> None:
    """DXF for each blank as blanks double."""
    from bathyx.core.evaluate import evaluate
    from bathyx.demo.jobs import trolley
    from bathyx.papers.machine.dxf import write_dxf

    blanks = evaluate(trolley()).results.blanks[:4]
    with tempfile.TemporaryDirectory() as folder:

        def write(count: int) -> float:
            start = time.perf_counter()
            for k in range(count):
                write_dxf(blanks[k % len(blanks)], Path(folder) / f"{k}.dxf")
            return (time.perf_counter() - start) / count

        write(4)
        kept("DXF per blank, 16 blanks / 8 blanks", write(16) / write(8), 1.5)


def nests() -> None:
    """Used share of the nest against one plain pass of rectpack on the same stock."""
    from rectpack import newPacker

    from bathyx.core.evaluate import evaluate
    from bathyx.core.sheet.cutting.nest import nest
    from bathyx.demo.jobs import trolley

    results = evaluate(trolley()).results
    start = time.perf_counter()
    laid = nest(results.blanks, results.sheet.material.stock)
    took = time.perf_counter() - start
    packer = newPacker()
    for i, blank in enumerate(results.blanks):
        packer.add_rect(blank.size_mm[0] + 6, blank.size_mm[1] + 6, i)
    packer.add_bin(laid.stock[0] + 6, laid.stock[1] + 6, count=len(results.blanks))
    packer.pack()
    plain = len({spot[0] for spot in packer.rect_list()})
    kept("sheets of the nest / one plain rectpack pass", laid.sheets / plain, 1.0)
    kept("nest of the demo", took * 1000, None, "ms")


def registers() -> None:
    """Searching and opening in a register of 100,000 tanks and 5 million readings, and an edit of a tank with 150 tests."""
    from bathyx.core.evaluate import evaluate
    from bathyx.core.job import read_job
    from bathyx.register import Register, record_of
    from tools.big_register import fill

    with tempfile.TemporaryDirectory() as folder:
        start = time.perf_counter()
        uids = fill(Path(folder) / "r.sqlite", 100_000, 5_000_000)
        kept("a register of 100,000 tanks and 5 million readings made in", time.perf_counter() - start, None, "s")
        register = Register(Path(folder) / "r.sqlite")

        def took(do, times: int = 9) -> float:
            runs = []
            for _ in range(times):
                start = time.perf_counter()
                do()
                runs.append(time.perf_counter() - start)
            return statistics.median(runs) * 1000

        for words, arguments in (
            ("a serial", ("TT-2013-050123",)),
            ("a customer", ("lunnickbram",)),
            ("nobody", ("nobody at all",)),
            ("two words", ("whinlow 99",)),
            ("a fluid", ("", "hydraulic")),
            ("dates", ("", "", "2004-03", "2004-05")),
            ("nothing", ()),
        ):
            kept(f"  searched for {words}", took(lambda a=arguments: register.find(*a)), 50.0, "ms")
        job = read_job(register.document(uids[70_000], 1))
        kept(
            "  a tank opened: records, revisions, serial, head",
            took(lambda: record_of(register, evaluate(job))),
            200.0,
            "ms",
        )
        start = time.perf_counter()
        assert register.verify() == ()
        kept("  every record verified", time.perf_counter() - start, None, "s")
        register.close()
        many_tests(Path(folder) / "m.sqlite", kept, took)


def many_tests(path: Path, kept, took) -> None:
    """A tank with 150 tests of 2,000 readings: opening it, and what an edit costs its records."""
    from dataclasses import replace

    from bathyx.core.evaluate import evaluate
    from bathyx.demo.jobs import dairy
    from bathyx.register import Register, record_of

    register, job = Register(path), dairy()
    rows = [[float(t), 20.0, 18.0, 101.3] for t in range(2000)]
    for k in range(150):
        hold = register.add(job, "hold", "tank", {}, "Marn")
        register.add_readings(hold, rows, "Marn")
        register.add_test(job, hold, {"hold": hold.id, "verdict": "tight", "method": "decay", "n": k}, "Marn")
    kept(
        "a tank with 150 tests of 2,000 readings opened", took(lambda: record_of(register, evaluate(job))), 200.0, "ms"
    )
    record = record_of(register, evaluate(job))
    asked = replace(record.asked, builds=frozenset())
    kept("  what an edit costs its records", took(lambda: replace(record, asked=asked).proof), 5.0, "ms")
    register.close()


if __name__ == "__main__":
    sys.path.insert(0, str(Path(__file__).parent.parent))
    chosen = sys.argv[1:]
    for part in (start_up, evaluations, faces, painted, dips, exports, nests, registers):
        if not chosen or part.__name__ in chosen:
            part()
    if failures:
        sys.exit("over the kept limit: " + "; ".join(failures))
