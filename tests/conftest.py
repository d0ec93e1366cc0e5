"""Shared builders: a plain box, the demo trolley, and a real window in Qt's offscreen mode."""

from __future__ import annotations

import gc
import itertools
import logging
import os
import shutil
import sys
import time
import uuid

import pytest
from PyQt6.QtCore import QCoreApplication, QEvent

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

from bathyx.core.evaluate import Evaluation, evaluate
from bathyx.core.findings import rail
from bathyx.core.job import Job
from bathyx.core.tank.profile import ProfileTank
from bathyx.demo import jobs
from bathyx.demo.seed import lay_out

WINDOWS: list[object] = []
SWEPT_EVERY = 8  # a sweep takes longer than a window
PATIENCE_S = 180.0  # after which something that never comes fails a test; no test is timed by it


def pytest_configure():
    """Qt objects in cycles must not be destroyed from a worker thread: tests sweep on the main one, as the desk does."""
    gc.disable()


def box(length=300.0, width=400.0, height=200.0, sheet="5083/3", **more) -> ProfileTank:
    """A profile tank, plain unless chamfers or a jog are given."""
    return ProfileTank(length_mm=length, width_mm=width, height_mm=height, sheet=sheet, **more)


def job_with(tank: ProfileTank | None = None, **edits) -> Job:
    """A job round a tank, with dotted edits written with double underscores."""
    job = Job(uid="test-job-0001", maker="Tolmere Tankworks", tank=tank or box())
    return job.edited_many({path.replace("__", "."): value for path, value in edits.items()}) if edits else job


def kept_test(register, job, **payload):
    """A test on record, with the hold that it ended."""
    who = "Pell"
    hold = register.add(job, "hold", payload.get("what", "tank"), {}, who)
    told = {
        "hold": hold.id,
        "verdict": "tight",
        "method": "air_soap",
        "target_kpa": 20.0,
        "hold_min": 10.0,
        "held_s": 600.0,
    }
    return register.add_test(job, hold, told | payload, who)


def codes(e: Evaluation) -> set[str]:
    """Codes of an evaluation's findings."""
    return {f.code for f in e.findings}


@pytest.fixture
def trolley() -> Evaluation:
    return evaluate(jobs.trolley())


@pytest.fixture(autouse=True, scope="session")
def _state_of_our_own(tmp_path_factory):
    """Logs of faults go to a folder of the tests, never to that of whoever runs them."""
    os.environ["XDG_STATE_HOME"] = str(tmp_path_factory.mktemp("state"))


class _Faults(logging.Handler):
    def __init__(self):
        super().__init__()
        self.told = []

    def emit(self, record):
        self.told.append(self.format(record))


@pytest.fixture(autouse=True)
def _no_check_fails_in_silence(request):
    """A check that fails is said as a finding and logged; in a test it is a failure, but where it is meant."""
    heard = _Faults()
    rail.LOG.addHandler(heard)
    yield
    rail.LOG.removeHandler(heard)
    if "a_check_fails" not in request.keywords:
        failed = [told for told in heard.told if told.startswith("the check ")]
        assert not failed, failed[0]


@pytest.fixture(autouse=True)
def _searches_by_looks_and_not_by_the_wall(monkeypatch):
    """A way in is looked for as long on a slow machine as on a quick one: a look at the clock is a millisecond."""
    looked = itertools.count()
    monkeypatch.setattr("bathyx.core.wayin.clock._read", lambda: next(looked) / 1000)


@pytest.fixture(autouse=True)
def _swept_once_in_a_while(request, monkeypatch):
    """A window that is closed sweeps through all that is loaded: here once in eight windows, and where that is what is tested."""
    sweeper = sys.modules.get("bathyx.desk.sweeper")
    if sweeper is not None and request.node.path.name != "test_sweeper.py":
        monkeypatch.setattr(sweeper.Sweeper, "stop", sweeper.Sweeper.rest)


@pytest.fixture(scope="session")
def demo_home(tmp_path_factory):
    """A home with the demo in it, laid out once; tests work on copies."""
    home = tmp_path_factory.mktemp("demo")
    lay_out(home)
    before = {path: path.read_bytes() for path in sorted(home.rglob("*.json"))}
    yield home
    changed = [path.name for path, data in before.items() if path.read_bytes() != data]
    assert not changed, f"a test worked on the shared demo and not on a copy: {changed}"


@pytest.fixture
def window(qtbot, tmp_path, demo_home):
    """The real window on a fresh home with the demo in it, furnished."""
    from bathyx.desk.start import open_window
    from bathyx.desk.theme import load_fonts
    from bathyx.desk.turns import wait_for_helpers

    load_fonts()
    shutil.copytree(demo_home, tmp_path, dirs_exist_ok=True)
    opened = open_window(tmp_path, None, demo=True)
    qtbot.waitUntil(lambda: hasattr(opened, "pages"))
    opened.finish()
    opened.at_once = True
    yield opened
    opened.close()
    wait_for_helpers(PATIENCE_S)  # one that still reads a job file reads it with this test's tables and home
    opened.deleteLater()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
    WINDOWS.append(tmp_path)
    if len(WINDOWS) % SWEPT_EVERY == 0:
        gc.collect()
        gc.freeze()  # what outlives a window (modules, caches) need not be looked through again after every one
        gc.disable()


@pytest.fixture
def qtbot(qtbot):
    """pytest-qt's, as patient on a loaded machine as on a quiet one."""
    waited = qtbot.waitUntil
    qtbot.waitUntil = lambda until, timeout=0: waited(until, timeout=max(timeout, int(1000 * PATIENCE_S)))
    return qtbot


@pytest.fixture
def settle(qtbot):
    """Wait until something holds, with the event loop running."""

    def wait(condition):
        end = time.monotonic() + PATIENCE_S
        while not condition():
            assert time.monotonic() < end, "it never came to hold"
            qtbot.wait(20)

    return wait


@pytest.fixture(scope="session")
def postgres():
    """A private server, where PostgreSQL's package is on the machine."""
    from tests.postgres import Server, binaries

    if binaries() is None:
        pytest.skip("no PostgreSQL on this machine: tools/setup.sh --postgres installs it")
    server = Server()
    yield server
    server.remove()


@pytest.fixture(scope="session")
def postgres_template(postgres):
    """A database with an empty register, to be copied for each test."""
    from bathyx.register import Register

    postgres.sql("CREATE DATABASE made")
    Register(postgres.url("made")).close()
    return "made"


@pytest.fixture
def postgres_database(postgres, postgres_template):
    """The URL of a fresh register."""
    name = f"r{uuid.uuid4().hex[:12]}"
    postgres.sql(f"CREATE DATABASE {name} TEMPLATE {postgres_template}")
    return postgres.url(name)
