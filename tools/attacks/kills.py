"""Kills (SIGKILL) in the middle of edits, records, holds, exports and the making of a register.

    python -m tools.attacks.kills [how many, in all] [seed]

What a child was told is done before it was killed must be there afterwards, whole; what it left must be usable at once.
"""

from __future__ import annotations

import os
import random
import shutil
import signal
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from bathyx.core.build.trial import terms_for
from bathyx.core.evaluate import evaluate
from bathyx.core.job import read_job
from bathyx.core.proving.decay import Sample
from bathyx.demo import jobs
from bathyx.files import read_text, write_text
from bathyx.files.kept import KeptFile
from bathyx.instruments.shop_gauges import SIMULATED_KIND
from bathyx.papers.export import export_all
from bathyx.papers.folder import write_all
from bathyx.register import HoldSession, Register, open_hold, record_of

JOB = jobs.dairy()
Done = Callable[[int], None]


def edits(home: Path, done: Done) -> None:
    """Edit and save, again and again."""
    file = KeptFile(home / "job.json", "Marn")
    for k in range(10_000):
        file.write(JOB.edited("tank.height_mm", 200.0 + k / 100).to_json())
        done(k)


def check_edits(home: Path, last: int) -> str:
    """The file is the last edit that was said to be saved, or the one after it."""
    found = read_job(read_text(home / "job.json")).tank.height_mm
    k = round((found - 200.0) * 100)
    if last >= 0 and k not in (last, last + 1):
        return f"edit {last} was saved, {k} is there"
    file = KeptFile(home / "job.json", "Pell")
    held = file.holder
    file.leave()
    return f"still held by {held.words}" if held else ""


def records(home: Path, done: Done) -> None:
    """Records, one after another."""
    register = Register(home / "r.sqlite")
    for k in range(10_000):
        register.add(JOB if k % 7 else JOB.edited("tank.height_mm", 250.0 + k), "weld", f"S{k}", {"n": k}, "Marn")
        done(k)


def check_records(home: Path, last: int) -> str:
    """Every record that was said to be made is there, the chain holds, and one more can be made."""
    register = Register(home / "r.sqlite")
    try:
        broken = register.verify()
        if broken:
            return broken[0].reason
        made = [e.payload["n"] for e in register.entries(JOB.uid) if e.kind == "weld"]
        if made != list(range(len(made))) or len(made) not in (last + 1, last + 2):
            return f"{last + 1} records were made, {len(made)} are there"
        register.add(JOB, "note", "note", {"text": "after"}, "Pell")
        return ""
    finally:
        register.close()


def holds(home: Path, done: Done) -> None:
    """A hold with readings, a batch at a time."""
    register = Register(home / "r.sqlite")
    test = JOB.proving.tests[0]
    terms = terms_for(evaluate(JOB), test, gauge=SIMULATED_KIND, identity="SIM", simulated=True)
    session = HoldSession(register, JOB, terms, "Marn")
    for k in range(10_000):
        session.add([Sample(float(k), 20.0, 18.0, 101.3)])
        session.keep()
        done(k)


def check_holds(home: Path, last: int) -> str:
    """The hold is open with every reading that was said to be kept."""
    register = Register(home / "r.sqlite")
    try:
        broken = register.verify()
        if broken:
            return broken[0].reason
        left = open_hold(register, record_of(register, evaluate(JOB)))
        if last >= 0 and left is None:
            return "the hold is gone"
        kept = [s.t_s for s in left.samples] if left else []
        if kept != [float(k) for k in range(len(kept))] or (last >= 0 and len(kept) not in (last + 1, last + 2)):
            return f"{last + 1} readings were kept, {len(kept)} are there"
        return ""
    finally:
        register.close()


def exports(home: Path, done: Done) -> None:
    """All papers, again and again, into new folders and in place of the one before."""
    e = evaluate(JOB)
    for k in range(10_000):
        write_all(home / "out", lambda folder: export_all(e, folder), instead=True)
        done(k)


def check_exports(home: Path, last: int) -> str:
    """Every folder of papers that is there holds them all; none is missing that was said to be written."""
    whole = len(evaluate(JOB).results.blanks) + 6
    folders = [p for p in home.glob("out*") if p.is_dir()]
    counts = {p.name: len(list(p.iterdir())) for p in folders}
    if any(n != whole for n in counts.values()):
        return f"papers in part: {counts}"
    return "" if len(folders) >= last + 1 else f"{last + 1} times written, {len(folders)} folders are there"


def making(home: Path, done: Done) -> None:
    """A register made, and its first record."""
    register = Register(home / "r.sqlite")
    done(0)
    register.add(JOB, "weld", "S0", {"n": 0}, "Marn")
    done(1)
    time.sleep(5)


def check_making(home: Path, last: int) -> str:
    """It opens, holds, and takes a record."""
    register = Register(home / "r.sqlite")
    try:
        broken = register.verify()
        if broken:
            return broken[0].reason
        count = len([e for e in register.entries(JOB.uid) if e.kind == "weld"])
        register.add(JOB, "weld", "S1", {"n": 1}, "Pell")
        return "" if last < 1 or count == 1 else "the first record is gone"
    finally:
        register.close()


KINDS = {
    "edits": (edits, check_edits, 0.25),
    "records": (records, check_records, 0.3),
    "holds": (holds, check_holds, 0.3),
    "exports": (exports, check_exports, 2.5),
    "register making": (making, check_making, 0.35),
}


def kill_one(kind: str, dice: random.Random) -> tuple[str, int]:
    """(what is wrong afterwards or nothing, how much the child had done) of one kill."""
    do, check, within_s = KINDS[kind]
    home = Path(tempfile.mkdtemp(prefix="bathyx-kill-"))
    write_text(home / "job.json", JOB.to_json())
    near, far = os.pipe()
    pid = os.fork()
    if pid == 0:
        os.close(near)
        try:
            do(home, lambda k: os.write(far, f"{k}\n".encode()) and None)
        finally:
            os._exit(1)
    os.close(far)
    time.sleep(dice.uniform(0.0, within_s))
    os.kill(pid, signal.SIGKILL)
    os.waitpid(pid, 0)
    told = b""
    while data := os.read(near, 65536):
        told += data
    os.close(near)
    last = int(told.split(b"\n")[-2]) if told.count(b"\n") else -1
    try:
        wrong = check(home, last)
    except Exception as error:
        wrong = f"{type(error).__name__}: {error}"
    shutil.rmtree(home, ignore_errors=True)
    return wrong, last + 1


def main(count: int = 1000, seed: int = 1) -> int:
    """Kill `count` children, in turn of every kind."""
    evaluate(JOB)
    dice, bad = random.Random(seed), 0
    for kind in KINDS:
        lost, did = 0, 0
        for _ in range(count // len(KINDS)):
            wrong, done = kill_one(kind, dice)
            did += done
            if wrong:
                lost += 1
                print(f"{kind}: {wrong}", flush=True)
        bad += lost
        print(
            f"{kind}: {count // len(KINDS)} kills, {did} things done before them, {lost} lost or unusable", flush=True
        )
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main(*(int(x) for x in sys.argv[1:3])))
