"""Shared builders: a plain box, the demo trolley, and a real window in Qt's offscreen mode."""

from __future__ import annotations

import gc
import os
import time

import pytest
from PyQt6.QtCore import QCoreApplication, QEvent

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

from bathyx.core.evaluate import Evaluation, evaluate
from bathyx.core.job import Job
from bathyx.core.tank.profile import ProfileTank
from bathyx.demo import jobs


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


def codes(e: Evaluation) -> set[str]:
    """Codes of an evaluation's findings."""
    return {f.code for f in e.findings}


@pytest.fixture
def trolley() -> Evaluation:
    return evaluate(jobs.trolley())


@pytest.fixture
def window(qtbot, tmp_path):
    """The real window on a fresh home with the demo in it, furnished."""
    from bathyx.desk.start import open_window
    from bathyx.desk.theme import load_fonts

    load_fonts()
    opened = open_window(tmp_path, None, demo=True)
    qtbot.waitUntil(lambda: hasattr(opened, "pages"), timeout=20_000)
    yield opened
    opened.close()
    opened.deleteLater()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
    gc.collect()
    gc.disable()


@pytest.fixture
def settle(qtbot):
    """Wait until something holds, with the event loop running."""

    def wait(condition, seconds=10.0):
        end = time.monotonic() + seconds
        while not condition():
            assert time.monotonic() < end, "it never came to hold"
            qtbot.wait(20)

    return wait
