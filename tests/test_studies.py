"""Studies in processes of their own: told, stopped, kept, found again; and what happens when one dies or its file is bad."""

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from bathyx.core.evaluate import evaluate
from bathyx.core.proving.designer import design
from bathyx.core.proving.gauges import GaugeKind, Surroundings
from bathyx.core.proving.rehearsal import Bench
from bathyx.core.sheet.cutting.nest import nest, pieces_of
from bathyx.demo import jobs
from bathyx.desk.study import KeptStudy
from bathyx.studies import KINDS, DesignInputs, NestInputs, Running, keep, recall


def nest_inputs(**edits) -> NestInputs:
    job = jobs.trolley()
    r = evaluate(job.edited_many(edits) if edits else job).results
    return NestInputs(pieces_of(r.blanks), r.sheet.material.stock)


def long_design(limit=0.003) -> DesignInputs:
    """One that no hold within a day decides: minutes of work."""
    return DesignInputs(Bench(400.0), limit, GaugeKind(), Surroundings(), 30.0)


@pytest.fixture
def heard():
    """(what was said, wait for the end)."""
    said = []

    def wait(seconds=180.0):
        end = time.monotonic() + seconds
        while not [w for w, _ in said if w != "progress"]:
            assert time.monotonic() < end, "nothing was heard"
            time.sleep(0.02)
        return said[-1]

    return said, wait


def test_another_process_finds_what_this_one_does(heard):
    said, wait = heard
    inputs = nest_inputs()
    Running(KINDS["nest"], inputs, lambda word, value: said.append((word, value)))
    word, found = wait()
    assert word == "result"
    r = evaluate(jobs.trolley()).results
    assert found == nest(r.blanks, r.sheet.material.stock)
    assert [w for w, _ in said].count("progress") > 1


def test_a_design_comes_back_whole(heard):
    said, wait = heard
    inputs = DesignInputs(Bench(12.0), 2.0, GaugeKind(temp_resolution_c=0.01), Surroundings(altitude_m=0.0), 0.0)
    Running(KINDS["design"], inputs, lambda word, value: said.append((word, value)))
    word, found = wait(120)
    assert word == "result"
    assert found == design(inputs.bench, 2.0, inputs.sensors, inputs.around)


def test_a_refusal_is_the_makers_and_a_fault_is_ours(heard):
    said, wait = heard
    big = nest_inputs(**{"tank.length_mm": 6000.0, "inside.baffles.max_bay_mm": 4000.0})
    Running(KINDS["nest"], big, lambda word, value: said.append((word, value)))
    word, text = wait()
    assert word == "refused"
    assert "no stock sheet takes it" in text
    told = subprocess.run([sys.executable, "-m", "bathyx.studies", "nest"], input=b"{}\n", capture_output=True).stdout
    word, text = json.loads(told)
    assert word == "fault"
    assert "ValidationError" in text


def test_a_study_that_is_killed_says_so_and_one_that_is_stopped_says_nothing(heard):
    said, wait = heard
    running = Running(KINDS["design"], long_design(), lambda word, value: said.append((word, value)))
    time.sleep(0.3)
    os.kill(running._process.pid, signal.SIGKILL)
    word, text = wait()
    assert word == "fault"
    assert "ended without a word (exit code -9)" in text
    said.clear()
    running = Running(KINDS["design"], long_design(), lambda word, value: said.append((word, value)))
    running.stop()
    running._process.wait(10)
    time.sleep(0.2)
    assert [w for w, _ in said if w != "progress"] == []


def test_a_study_ends_with_who_started_it():
    """Its starter is killed outright: the study does not go on for nobody."""
    code = (
        "import os, sys, time\n"
        "from tests.test_studies import long_design\n"
        "from bathyx.studies import KINDS, Running\n"
        "r = Running(KINDS['design'], long_design(), lambda *a: None)\n"
        "time.sleep(1.5); print(r._process.pid, flush=True); os.kill(os.getpid(), 9)\n"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True)
    pid = int(done.stdout)
    end = time.monotonic() + 120
    stat = Path(f"/proc/{pid}/stat")
    while stat.exists() and stat.read_text().split()[2] != "Z":
        assert time.monotonic() < end, "it is still at work"
        time.sleep(0.05)


def test_a_result_is_kept_by_content_and_a_bad_file_is_no_result(tmp_path):
    kind, inputs = KINDS["nest"], nest_inputs()
    found = nest(inputs.pieces, inputs.stocks)
    assert recall(tmp_path, kind, inputs) is None
    keep(tmp_path, kind, inputs, found)
    assert recall(tmp_path, kind, nest_inputs(**{"brief.customer": "Else"})) == found
    assert recall(tmp_path, kind, nest_inputs(**{"tank.width_mm": 333.0})) is None
    (file,) = (tmp_path / "studies").iterdir()
    for bad in (b"", b"\xff\xfe", b'{"stock": 3}', file.read_bytes()[:-40]):
        file.write_bytes(bad)
        assert recall(tmp_path, kind, inputs) is None
    for k in range(110):
        keep(tmp_path, kind, NestInputs((), ((float(k + 1), 2.0),)), found)
    assert len(list((tmp_path / "studies").iterdir())) == 100
    blocked = tmp_path / "blocked"
    blocked.write_text("a file where the folder should be")
    keep(blocked, kind, inputs, found)
    assert recall(blocked, kind, inputs) is None


def test_the_desk_finds_a_result_again_after_a_restart_and_knows_a_stale_one(qtbot, tmp_path, settle):
    inputs = nest_inputs()
    first = KeptStudy("nest", tmp_path)
    first.run(inputs)
    assert first.running
    settle(lambda: not first.running)
    assert first.result is not None
    again = KeptStudy("nest", tmp_path)
    again.look(inputs)
    assert again.result == first.result
    assert not again.stale(inputs)
    other = nest_inputs(**{"tank.width_mm": 333.0})
    again.look(other)
    assert again.stale(other)
    again.run(inputs)
    assert not again.running  # found on disk: nothing to wait for


def test_a_study_on_the_desk_is_begun_anew_stopped_and_told_when_it_fails(qtbot, tmp_path, settle, monkeypatch):
    faults = []
    monkeypatch.setattr(sys, "excepthook", lambda kind, error, trace: faults.append(error))
    study = KeptStudy("design", tmp_path)
    study.run(long_design())
    first = study._running._process
    study.run(long_design(0.004))
    assert first.wait(10) != 0
    second = study._running._process
    study.stop()
    assert second.wait(10) != 0
    assert study.result is None
    assert study.trouble == ""
    study.run(long_design(0.005))
    with qtbot.captureExceptions() as caught:
        os.kill(study._running._process.pid, signal.SIGKILL)
        settle(lambda: not study.running)
    assert "a fault of Bathyx" in study.trouble
    assert len(caught) + len(faults) == 1


def test_a_window_that_closes_takes_its_studies_with_it(window):
    """The designer of the plan too, which is no stage's own."""
    window.choose(6)
    window.choose(4)
    nest, plan = window.stages[4].nesting.quick, window.stages[6].plan.study
    plan.run(long_design(0.006))
    process = plan._running._process
    assert {nest, plan} <= {study for stage in window.stages for study in stage.studies()}
    window.close()
    assert process.wait(10) != 0
    assert not plan.running
