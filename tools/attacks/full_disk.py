"""A disk that is full, really: a small file system filled up to a few bytes before each thing that is kept.

    python -m tools.attacks.full_disk        mounts a tmpfs of its own in a namespace of its own (Linux; unshare)

Each thing must say that it could not be done, leave what stood before as it was, and work once there is room again.
"""

from __future__ import annotations

import gc
import hashlib
import os
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

from bathyx.errors import Refusal

SIZE = 24_000_000


def _ballast(disk: Path, leave: int) -> Path:
    """Fill the disk but for `leave` bytes."""
    path = disk / "ballast"
    with Path(path).open("wb", buffering=0) as file:
        for step in (1_000_000, 4096):
            try:
                while True:
                    file.write(b"\0" * step)
            except OSError:
                continue
    size = path.stat().st_size
    with Path(path).open("r+b") as file:
        file.truncate(max(0, size - leave))
    return path


def _state(home: Path) -> dict[str, str]:
    """What stands in the home, but for what comes and goes beside it."""
    passing = (".held", ".making", "-wal", "-shm", ".heads")
    return {
        str(p.relative_to(home)): hashlib.sha256(p.read_bytes()).hexdigest()
        for p in home.rglob("*")
        if p.is_file() and not p.name.endswith(passing)
    }


def _points() -> list[tuple[str, int, Callable[[Path], Callable[[], object]]]]:
    """(what, bytes left on the disk, make ready in a home and give back what is tried)."""
    from bathyx.core.build.trial import terms_for
    from bathyx.core.evaluate import evaluate
    from bathyx.core.proving.decay import Sample
    from bathyx.core.proving.gauges import GaugeKind
    from bathyx.demo import jobs
    from bathyx.demo.seed import lay_out
    from bathyx.files import write_text
    from bathyx.files.kept import KeptFile
    from bathyx.instruments.shop_gauges import SIMULATED_KIND, keep_gauge
    from bathyx.papers.export import export_all
    from bathyx.papers.folder import write_all
    from bathyx.register import HoldSession, Register, finish, record_of
    from bathyx.register.bench.journal import Journal
    from bathyx.register.ledger.keys import make_key
    from bathyx.register.opening.copies import daily_copy
    from bathyx.register.opening.restore import restore
    from tests.old_register import make_version_1

    job = jobs.dairy()
    e = evaluate(job)

    def edit(home: Path):
        write_text(home / "job.json", job.to_json())
        file = KeptFile(home / "job.json")
        return lambda: file.write(job.edited("tank.height_mm", 211.0).to_json())

    def new(home: Path):
        (home / "jobs").mkdir()
        return lambda: write_text(home / "jobs" / "tank-1.bathyx.json", job.to_json())

    def record(home: Path):
        register = Register(home / "r.sqlite")
        register.add(job, "weld", "S1", {}, "Marn")
        return lambda: register.add(job, "weld", "S2", {"note": "x" * 30_000}, "Marn")

    def hold(home: Path):
        register = Register(home / "r.sqlite")
        register.add(job, "weld", "S1", {}, "Marn")
        terms = terms_for(e, job.proving.tests[0], gauge=SIMULATED_KIND, identity="SIM", simulated=True)
        return register, lambda: HoldSession(register, job, terms, "Marn")

    def readings(home: Path):
        _, begin = hold(home)
        session = begin()
        session.add([Sample(float(k), 20.0, 18.0, 101.3) for k in range(1500)])
        return session.keep

    def test(home: Path):
        register, begin = hold(home)
        session = begin()
        session.line = [f"{k}: " + "x" * 150 for k in range(200)]
        return lambda: finish(register, job, session.state, record_of(register, evaluate(job)), "Marn")

    def papers(home: Path):
        return lambda: write_all(home / "out", lambda folder: export_all(e, folder))

    def copy(home: Path):
        Register(home / "r.sqlite").close()
        return lambda: daily_copy(home, home / "r.sqlite")

    def back(home: Path):
        Register(home / "r.sqlite").close()
        made = daily_copy(home, home / "r.sqlite")
        return lambda: restore(made, home / "r.sqlite")

    def old(home: Path):
        make_version_1(home / "r.sqlite")
        return lambda: Register(home / "r.sqlite").close()

    def journal(home: Path):
        kept = Journal(home / "journal.jsonl")
        kept.put({"token": "a", "stand_in": 1})
        return lambda: kept.put({"token": "b", "stand_in": 2, "text": "x" * 9000})

    def register(home: Path):
        return lambda: Register(home / "r.sqlite").close()

    return [
        ("an edit", 0, edit),
        ("an edit", 1000, edit),
        ("a new job", 0, new),
        ("a new job", 1000, new),
        ("a record", 0, record),
        ("a record", 4096, record),
        ("a record", 12_288, record),
        ("a hold begun", 0, lambda home: hold(home)[1]),
        ("readings of a hold", 0, readings),
        ("readings of a hold", 20_000, readings),
        ("a test", 0, test),
        ("papers", 0, papers),
        ("papers", 50_000, papers),
        ("papers", 200_000, papers),
        ("a register made", 0, register),
        ("a register made", 40_000, register),
        ("a register brought up to date", 0, old),
        ("a register brought up to date", 60_000, old),
        ("the copy of the day", 20_000, copy),
        ("a copy brought back", 20_000, back),
        ("the shop's key", 0, lambda home: lambda: make_key(home)),
        ("a gauge of the shop", 0, lambda home: lambda: keep_gauge(home, GaugeKind(name="dial"))),
        ("the journal of a bench", 4096, journal),
        ("the demo", 100_000, lambda home: lambda: lay_out(home / "demo")),
    ]


def attack(disk: Path) -> int:
    """Try every point on the disk at `disk`."""
    bad = 0
    points = _points()
    for what, leave, ready in points:
        home = Path(tempfile.mkdtemp(dir=disk))
        do = ready(home)
        gc.collect()  # what earlier points had open is given back now, and not in the middle of this one
        before = _state(home)
        ballast = _ballast(disk, leave)
        said, wrong = "", ""
        try:
            do()
            wrong = "said nothing"
        except Refusal as error:
            said = str(error).replace(str(disk), "")[:110]
        except Exception as error:
            wrong = f"{type(error).__name__}: {error}"[:160]
        after = {k: v for k, v in _state(home).items() if not (k.startswith("demo") and k not in before)}
        sqlite = {k for k in before if k.endswith(".sqlite")}
        if {k: v for k, v in after.items() if k not in sqlite} != {k: v for k, v in before.items() if k not in sqlite}:
            wrong = wrong or f"left or changed {sorted(set(after.items()) ^ set(before.items()))}"
        ballast.unlink()
        if not wrong:
            try:
                do()
            except Exception as error:
                wrong = f"with room again: {type(error).__name__}: {error}"[:200]
        for register in home.glob("*.sqlite"):
            from bathyx.register import Register

            opened = Register(register)
            broken = opened.verify()
            opened.close()
            wrong = wrong or (f"the chain is broken: {broken[0].reason}" if broken else "")
        bad += bool(wrong)
        print(f"{what}, {leave} bytes left: {'BAD: ' + wrong if wrong else said}", flush=True)
        shutil.rmtree(home, ignore_errors=True)
    print(f"{len(points)} points at a full disk: {bad} lost something or were silent")
    return 1 if bad else 0


def main() -> int:
    """Mount a small disk where nobody else sees it, and attack it."""
    if sys.argv[1:2] == ["--on"]:
        return attack(Path(sys.argv[2]))
    folder = tempfile.mkdtemp(prefix="bathyx-disk-")
    inside = (
        f"mount -t tmpfs -o size={SIZE} none {folder} && exec {sys.executable} -m tools.attacks.full_disk --on {folder}"
    )
    flags = ["-m"] if os.geteuid() == 0 else ["-rm"]
    done = subprocess.run(["unshare", *flags, "sh", "-c", inside], check=False)
    Path(folder).rmdir()
    return done.returncode


if __name__ == "__main__":
    sys.exit(main())
