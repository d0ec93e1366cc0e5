"""Holds in the register: a restart, another bench, an edited plan or tank cannot talk a verdict round."""

import pytest

from bathyx.core.build.trial import terms_for
from bathyx.core.evaluate import evaluate
from bathyx.core.proving.decay import Sample
from bathyx.core.proving.hold import Ending
from bathyx.core.proving.plan import PlannedTest
from bathyx.instruments.shop_gauges import SIMULATED_KIND, GaugeListError, keep_gauge, shop_gauges
from bathyx.register import HoldSession, JobRecord, Register, RegisterError, adopt_hold_file, finish, open_hold
from tests.conftest import box, job_with
from tests.core.test_hold import FINE, read

SOAP = PlannedTest(method="air_soap", test_kpa=21.0, hold_min=10.0)


@pytest.fixture
def register(tmp_path):
    opened = Register(tmp_path / "register.sqlite")
    yield opened
    opened.close()


@pytest.fixture
def job():
    return job_with(box(), makeup__both_sides=True, proving__tests=[SOAP])


def begin(register, job, test=SOAP, gauge=FINE, **more):
    terms = terms_for(evaluate(job), test, gauge=gauge, begun_kpa=None if gauge else 21.0, **more)
    return HoldSession(register, job, terms, "Marn", clock=iter(range(0, 10_000, 1000)).__next__)


def record(register, job):
    return JobRecord.of(register.entries(job.uid), register.same_build(job), job.proving.tests)


def run(register, job, test=SOAP, samples=None, **more):
    session = begin(register, job, test, **more)
    session.add(read() if samples is None else samples)
    session.keep()
    return finish(register, job, session.state, record(register, job), "Marn")


def test_a_hold_is_there_again_after_a_restart_with_its_readings_and_its_terms(register, job):
    session = begin(register, job)
    session.add(read()[:40])
    session.add(read()[40:60])
    edited = job.edited_many({"proving.tests.0.hold_min": 0.06, "tank.height_mm": 150.0})
    left = open_hold(register, record(register, edited))
    assert list(left.samples) == [Sample(*s.row) for s in read()[:60]]
    assert left.terms.test.hold_min == 10.0
    assert left.terms.volume_l == pytest.approx(evaluate(job).results.capacity.net.value)


def test_a_leak_marked_during_a_hold_by_eye_counts_after_a_restart(register, job):
    begin(register, job, gauge=None)
    register.add(job, "leak", "S1", {"edge": "bottom/front", "share": 0.5}, "Pell")
    left = open_hold(register, record(register, job))
    judged = finish(register, job, left, record(register, job), "Pell", Ending(kpa=21.0))
    assert judged.verdict == "leaks"
    assert record(register, job).proven is None
    assert record(register, job).tests[-1].payload["leaks"][0]["seam"] == "S1"


@pytest.mark.parametrize("kind", ["weld", "repair"])
def test_what_is_welded_during_a_hold_was_not_proven_by_it(register, job, kind):
    session = begin(register, job)
    session.add(read())
    session.keep()
    register.add(job, kind, "S1", {"edge": "bottom/front", "share": 0.5}, "Pell")
    assert finish(register, job, session.state, record(register, job), "Marn").verdict == "tight"
    assert record(register, job).proven is None
    unplanned = JobRecord.of(register.entries(job.uid), register.same_build(job))
    assert unplanned.proven is None
    assert run(register, job).verdict == "tight"
    assert record(register, job).proven is not None


def test_a_plan_edited_during_a_hold_does_not_judge_it(register, job):
    session = begin(register, job)
    session.add(read(1))
    eased = job.edited_many({"proving.tests.0.hold_min": 0.5, "proving.tests.0.leak_limit_ml_min": 9999.0})
    judged = finish(register, eased, session.state, record(register, eased), "Marn")
    assert judged.verdict == "not decided"
    assert record(register, eased).proven is None


def test_a_tank_changed_during_a_hold_is_not_what_was_proven(register, job):
    session = begin(register, job)
    session.add(read())
    session.keep()
    changed = job.edited("tank.height_mm", 180.0)
    register.add(changed, "note", "note", {"text": "lower"}, "Marn")
    assert finish(register, changed, session.state, record(register, changed), "Marn").verdict == "tight"
    assert record(register, changed).tests[-1].revision == 1
    assert record(register, changed).proven is None
    assert record(register, job).proven is not None


def test_a_hold_is_finished_once(register, job):
    session = begin(register, job)
    session.add(read())
    before = record(register, job)
    finish(register, job, session.state, before, "Marn")
    with pytest.raises(RegisterError, match="on record already"):
        finish(register, job, session.state, before, "Pell")
    assert open_hold(register, record(register, job)) is None
    with pytest.raises(RegisterError, match="another tank"):
        finish(register, job_with(box(500)).model_copy(update={"uid": "another-uid"}), session.state, before, "Pell")


def test_a_hold_broken_off_by_eye_decides_nothing_and_by_gauge_what_it_can(register, job):
    session = begin(register, job)
    session.add(read())
    judged = finish(register, job, session.state, record(register, job), "Pell", broken_off=True)
    assert judged.verdict == "not decided"
    assert "begun by Marn" in judged.reason


def test_a_rehearsal_never_proves(register, job):
    assert run(register, job, missing="not ticked: weld all seams").verdict == "tight"
    assert record(register, job).proven is None
    assert run(register, job).verdict == "tight"
    assert record(register, job).proven is not None


def test_all_of_the_plan_proves_and_nothing_less(register, job):
    water = PlannedTest(method="water_fill", test_kpa=0.0, hold_min=1440.0)
    both = job.edited("proving.tests", [SOAP, water])
    run(register, both)
    proof = record(register, both).proof
    assert (proof.done, proof.whole) == (1, False)
    assert record(register, both).proven is None
    assert record(register, job).proven is not None


@pytest.mark.parametrize(
    "harder", [{"test_kpa": 30.0}, {"hold_min": 60.0}, {"method": "air_water"}, {"what": "front compartment"}]
)
def test_a_plan_made_harder_afterwards_is_not_proven_by_what_was_done(register, job, harder):
    run(register, job)
    raised = job.edited("proving.tests", [SOAP.model_copy(update=harder)])
    assert record(register, raised).proven is None


def test_a_test_that_leaks_is_not_outlived_by_taking_it_out_of_the_plan(register, job):
    decay = PlannedTest(method="decay", test_kpa=21.0, hold_min=10.0)
    run(register, job)
    run(register, job, decay, read(slope=-0.008))
    assert record(register, job).tests[-1].payload["verdict"] == "leaks"
    run(register, job)
    assert record(register, job).proof.state == "leak known"
    register.add(job, "repair", "S1", {"edge": "bottom/front", "note": "ground out"}, "Pell")
    run(register, job)
    assert record(register, job).proof.state == "leak known"
    run(register, job, decay, read(60))
    assert record(register, job).proven is not None
    pipe = PlannedTest(method="air_soap", what="dip pipe", test_kpa=21.0)
    session = begin(register, job, pipe)
    session.add(read())
    register.add(job, "note", "note", {}, "Marn")
    finish(register, job, session.state, record(register, job), "Marn")
    assert record(register, job).proven is not None


def test_readings_stay_out_of_the_list_of_records(register, job):
    run(register, job)
    assert {e.kind for e in register.entries(job.uid)} == {"hold", "opening", "revision", "test"}
    assert register.verify() == ()


def test_a_hold_file_of_an_earlier_bathyx_is_taken_into_the_register(register, job, tmp_path):
    path = tmp_path / f"hold-{job.uid}.jsonl"
    path.write_text('{"who": "Pell", "plan": {"method": "air_soap"}}\n[[0, 21.0, 18.0], [5, 21.0, 18.0]]\n[[10, 2')
    assert adopt_hold_file(tmp_path, register, job, lambda head: terms_for(evaluate(job), SOAP, gauge=FINE))
    left = open_hold(register, record(register, job))
    assert left.entry.who == "Pell"
    assert len(left.samples) == 2
    assert not path.exists()
    assert (tmp_path / f"hold-{job.uid}.jsonl.taken").exists()
    assert not adopt_hold_file(tmp_path, register, job, lambda head: None)


def test_the_shops_gauges_are_kept_and_a_broken_list_is_said(tmp_path):
    keep_gauge(tmp_path, FINE)
    keep_gauge(tmp_path, FINE.model_copy(update={"temp_lag_s": 90.0}))
    assert shop_gauges(tmp_path)["fine"].temp_lag_s == 90.0
    assert shop_gauges(tmp_path)[SIMULATED_KIND.name] == SIMULATED_KIND
    (tmp_path / "gauges.json").write_text("[{")
    with pytest.raises(GaugeListError, match=r"gauges\.json"):
        shop_gauges(tmp_path)


def test_a_hold_read_lately_is_taken_for_read_elsewhere(register, job):
    session = begin(register, job)
    session.add(read()[:40])
    session.keep()
    left = open_hold(register, record(register, job))
    assert left.read_elsewhere()
    from dataclasses import replace

    assert not replace(left, last_at="2020-01-01T00:00:00+00:00").read_elsewhere()
    assert not replace(left, terms=left.terms.model_copy(update={"gauge": None})).read_elsewhere()


def test_a_plan_that_leaves_the_tank_out_proves_no_tank(register, job):
    pipe = PlannedTest(method="air_soap", what="dip pipe", test_kpa=21.0)
    only = job.edited("proving.tests", [pipe])
    run(register, only, pipe)
    assert record(register, only).proof.done == 1
    assert record(register, only).proven is None


@pytest.mark.parametrize("what", ["Tank", " tank ", "the tank", "WHOLE TANK"])
def test_a_spelling_does_not_make_the_tank_something_else(what):
    assert PlannedTest(what=what).what == "tank"
