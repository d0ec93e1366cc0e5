"""Laying out the demo: sample job files, and a register with a tank that has been built, leaked, mended and proven."""

from __future__ import annotations

import itertools
from datetime import datetime, timedelta
from pathlib import Path

from bathyx.core.build.steps import steps
from bathyx.core.build.trial import missing_for_proof, terms_for
from bathyx.core.evaluate import evaluate
from bathyx.core.job import Job
from bathyx.core.making import making_of
from bathyx.core.proving.decay import Sample
from bathyx.demo import jobs
from bathyx.files import write_text
from bathyx.instruments.shop_gauges import SIMULATED_KIND
from bathyx.instruments.simulated import Rig, RigSettings
from bathyx.register import HoldSession, Register, finish, record_of

WELDERS = ("Marn Ostley", "Pell Drury")


def lay_out(home: Path) -> Path:
    """Fill an empty `home` with the demo, leave an existing one alone; returns the trolley's job file."""
    folder = home / "jobs"
    first = folder / "trolley.bathyx.json"
    if first.exists():
        return first
    folder.mkdir(parents=True, exist_ok=True)
    for name, make in jobs.ALL.items():
        write_text(folder / f"{name}.bathyx.json", make().to_json())
    clock = itertools.count()
    start = datetime(2026, 3, 2, 8, 0).astimezone()
    register = Register(
        home / "register.sqlite", now=lambda: (start + timedelta(minutes=7 * next(clock))).isoformat(timespec="seconds")
    )
    build_and_prove(register, jobs.sawmill(), leak_seam="S2")
    begin(register, jobs.trolley())
    register.close()
    return first


def begin(register: Register, job: Job, upto: str = "tack") -> None:
    """Tick the traveller's steps up to and with `upto`."""
    for step in steps(evaluate(job)):
        register.add(job, "tick", step.id, {"title": step.title}, WELDERS[0])
        if step.id == upto:
            return


def build_and_prove(register: Register, job: Job, leak_seam: str) -> None:
    """The whole of a build: ticks, welds, a first test that finds a leak, its repair, and a tight test."""
    e = evaluate(job)
    begin(register, job, "closing" if e.results.plates else "fit")
    weld = making_of(e.results.sheet).settings(e.results.sheet)
    edge = next(seam.edge for seam in e.results.seams if seam.id == leak_seam)
    for k, seam in enumerate(e.results.seams):
        register.add(
            job,
            "weld",
            seam.id,
            {
                "process": weld.process,
                "filler": weld.filler,
                "amps": weld.amps,
                "gas": weld.gas,
                "settings": weld.further,
                "edge": seam.edge,
                "pass": "1",
                "visual": "good",
            },
            WELDERS[k % 2],
        )
    for step_id in ("weld", "dress"):
        register.add(job, "tick", step_id, {}, WELDERS[0])
    _test(register, job, leak=40.0, seam=leak_seam)
    register.add(
        job,
        "repair",
        leak_seam,
        {"edge": edge, "note": "ground out 40 mm, cleaned, rewelded", "process": weld.process, "amps": weld.amps},
        WELDERS[0],
    )
    _test(register, job, leak=0.0)
    register.add(job, "tick", "test", {}, WELDERS[1])
    register.add(
        job,
        "note",
        "note",
        {"text": "Clamp the ends square before the long seams; the first leak sat at a start."},
        WELDERS[0],
    )


def _test(register: Register, job: Job, leak: float, seam: str = "") -> None:
    """A run of the simulated rig, read in steps of its own time; with `seam`, a leak is marked on it during the hold."""
    e = evaluate(job)
    test = job.proving.tests[0]
    record = record_of(register, e)
    states = {s.id: record.seam_state(s.edge) for s in e.results.seams}
    rig = Rig(RigSettings(volume_l=e.results.capacity.net.value, leak_ml_min=leak, seed=7))
    times = rig.schedule(test.test_kpa, test.hold_min * 60, 20.0)
    terms = terms_for(
        e,
        test,
        gauge=SIMULATED_KIND,
        identity="Bathyx SIM-1 no. 0001",
        simulated=True,
        missing=missing_for_proof(e, record.standing_ticks, states),
    )
    session = HoldSession(register, job, terms, WELDERS[1])
    session.add([Sample(t - times[0], *rig.read_at(t)) for t in times])
    session.keep()
    if seam:
        edge = next(s.edge for s in e.results.seams if s.id == seam)
        register.add(job, "leak", seam, {"edge": edge, "share": 0.35, "note": "bubbles at a start"}, WELDERS[1])
    finish(register, job, session.state, record_of(register, e), WELDERS[1])
