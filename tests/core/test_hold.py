"""The hold as a value: what may start, by which terms it is judged, and the least that proves anything."""

import math

import numpy as np
import pytest

from bathyx.core.build.trial import least_for, missing_for_proof, proposal, terms_for
from bathyx.core.evaluate import evaluate
from bathyx.core.job import read_job
from bathyx.core.proving.decay import Sample
from bathyx.core.proving.gauges import GaugeKind, Surroundings
from bathyx.core.proving.hold import Ending, above_air_kpa, judge, start_refusal, thinned
from bathyx.core.proving.least import FUEL_KPA, head_kpa, over_pressure_kpa, too_little
from bathyx.core.proving.plan import PlannedTest
from tests.conftest import box, job_with

FINE = GaugeKind(
    name="fine",
    resolution_kpa=0.001,
    temp_resolution_c=0.01,
    temp_lag_s=0,
    barometer=True,
    range_kpa=300.0,
    accuracy_kpa=0.05,
)


def terms(method="air_soap", gauge=None, edits=None, **more):
    test = {"method": method, "test_kpa": 21.0, "hold_min": 10.0} | more
    e = evaluate(job_with(box(), makeup__both_sides=True, **(edits or {})))
    return terms_for(e, PlannedTest(**test), gauge=gauge, begun_kpa=21.0 if gauge is None else None)


def read(minutes=10.0, kpa=21.2, slope=0.0, every=5.0):
    rng = np.random.default_rng(3)
    t = np.arange(0, minutes * 60 + 1, every)
    return [
        Sample(float(a), float(kpa + slope * a + rng.normal(0, 0.003)), float(18 + rng.normal(0, 0.01)), 101.3)
        for a in t
    ]


def test_a_leak_seen_always_counts():
    for method in ("air_soap", "air_water", "decay"):
        assert judge(terms(method, FINE), read(), 1, 600).verdict == "leaks"
    assert judge(terms("water_fill", hold_min=1440), [], 2, 90_000).verdict == "leaks"


def test_nothing_seen_for_the_whole_hold_is_tight():
    held = terms("air_soap", FINE)
    assert judge(held, read(), 0, 600).verdict == "tight"
    early = judge(held, read(5), 0, 300)
    assert (early.verdict, early.more_min) == ("not decided", 5)


def test_soap_on_a_tank_whose_air_was_let_out_proves_nothing():
    rows = [*read(1), *[Sample(s.t_s + 65, s.gauge_kpa, s.temp_c, 101.3) for s in read(9, 0.0)]]
    verdict = judge(terms("air_soap", FINE), rows, 0, 605)
    assert verdict.verdict == "not decided"
    assert "let out" in verdict.reason


def test_a_falling_gauge_overrules_an_eye_that_saw_nothing():
    verdict = judge(terms("air_soap", FINE), read(slope=-0.004), 0, 600)
    assert verdict.verdict == "leaks"
    assert "Look again" in verdict.reason


def test_a_gauge_read_by_eye_is_typed_at_start_and_end():
    held = terms()
    assert judge(held, [], 0, 600).verdict == "not decided"
    assert judge(held, [], 0, 600, Ending(kpa=14.0)).verdict == "leaks"
    assert judge(held, [], 0, 600, Ending(kpa=math.nan)).verdict == "not decided"
    good = judge(held, [], 0, 600, Ending(kpa=20.8))
    assert good.verdict == "tight"
    assert good.payload()["stood_kpa"] == pytest.approx(20.9)
    assert good.payload()["lowest_kpa"] == pytest.approx(20.8)


def test_a_fill_is_judged_by_eye_and_clock_and_keeps_its_head():
    held = terms("water_fill", hold_min=1440, test_kpa=20.0)
    assert judge(held, [], 0, 1000 * 60).verdict == "not decided"
    full = judge(held, [], 0, 1440 * 60)
    assert full.verdict == "tight"
    assert full.payload()["head_mm"] == 200.0
    assert full.payload()["target_kpa"] == 0.0
    assert judge(held, [], 0, -5.0).verdict == "not decided"


def test_a_left_over_pressure_neither_stops_a_fill_nor_counts_as_its_own():
    held = terms("water_fill", hold_min=1440, test_kpa=900.0)
    assert over_pressure_kpa(held.test, held.bears_kpa) == 0
    assert start_refusal(held, None) == ""


@pytest.mark.parametrize(
    ("more", "says"),
    [
        ({"test_kpa": 0.0}, "under the least"),
        ({"hold_min": 0.1}, "under the least of 5 min"),
        ({"test_kpa": 15.0}, "3 psi"),
        ({"test_kpa": 300.0}, "Refused"),
        ({"method": "decay", "leak_limit_ml_min": 9999.0}, "lets through more"),
    ],
)
def test_a_test_that_proves_nothing_or_too_much_does_not_start(more, says):
    assert says in start_refusal(
        terms(**({"method": "air_soap", "gauge": FINE} | more)), Sample(0, more.get("test_kpa", 21.0), 18)
    )


def test_a_reason_lets_a_lower_test_start_and_is_kept():
    held = terms("air_soap", FINE, test_kpa=7.0, reason="thin vehicle tank")
    assert start_refusal(held, Sample(0, 7.0, 18)) == ""
    kept = judge(held, read(kpa=7.0), 0, 600).payload()["less_than_least"]
    assert "thin vehicle tank" in kept
    assert "20.7 kPa" in kept


@pytest.mark.parametrize("kpa", [0.0, 15.0, 25.0, math.nan])
def test_a_hold_starts_near_its_pressure_only(kpa):
    assert start_refusal(terms("decay", FINE), Sample(0, kpa, 18)) != ""


def test_a_decay_needs_a_gauge():
    assert "connect a gauge" in start_refusal(terms("decay"), None)
    assert start_refusal(terms("decay", FINE), None) == "Connect a gauge"


@pytest.mark.parametrize(
    ("edits", "least"),
    [
        ({}, FUEL_KPA),
        ({"brief__fill_rise_mm": 2000.0}, 1.5 * head_kpa(2200, 835)),
        ({"brief__fluid": "hydraulic"}, 5.0),
        ({"brief__pressure": "pressurised", "brief__working_kpa": 40.0}, 57.2),
    ],
)
def test_the_least_pressure_follows_fluid_and_service(edits, least):
    e = evaluate(job_with(box(), **edits))
    assert least_for(e, PlannedTest()).kpa == pytest.approx(least, abs=0.01)
    assert not too_little(proposal(e)[0], least_for(e, proposal(e)[0]))


def test_the_proposal_suits_the_fluid():
    def methods(**edits):
        return [t.method for t in proposal(evaluate(job_with(box(), **edits)))]

    assert methods() == ["air_soap", "soak"]
    assert methods(brief__fluid="fresh_water", tank__sheet="304/2") == ["water_fill"]
    assert methods(brief__pressure="pressurised", brief__working_kpa=30.0) == ["water_press"]


def test_what_the_build_lacks_makes_a_rehearsal():
    e = evaluate(job_with())
    seams = {s.id: "welded" for s in e.results.seams}
    from bathyx.core.build.steps import steps

    before = [s.id for s in steps(e)]
    before = before[: before.index("test")]
    assert missing_for_proof(e, before, seams) == ""
    assert "S1" in missing_for_proof(e, before, seams | {"S1": "open"})
    assert "S2" in missing_for_proof(e, before, seams | {"S2": "leaks"})
    assert "not ticked: weld all seams" in missing_for_proof(e, before[:-2], seams)
    assert missing_for_proof(e, [], {}, what="dip pipe") == ""


def test_readings_are_thinned_and_the_last_one_is_kept():
    rows = thinned(read(250, every=1.0))
    assert len(rows) <= 2001
    assert rows[-1].t_s == 15000.0


def test_a_version_1_job_becomes_a_list_of_tests():
    old = job_with().model_dump(mode="json") | {"schema_version": 1}
    old["proving"] = {"method": "decay", "test_kpa": 20.0, "hold_min": 30.0, "leak_limit_ml_min": 2.0}
    import json

    job = read_job(json.dumps(old))
    assert [(t.method, t.test_kpa, t.what) for t in job.proving.tests] == [("decay", 20.0, "tank")]


def test_an_absolute_gauge_is_read_above_the_air():
    absolute = FINE.model_copy(update={"absolute": True})
    assert above_air_kpa(Sample(0, 121.0, 18, 100.0), absolute, Surroundings()) == 21.0
    assert above_air_kpa(Sample(0, 121.0, 18), absolute, Surroundings(altitude_m=0)) == pytest.approx(121 - 101.325)
    assert above_air_kpa(Sample(0, 21.0, 18), FINE, Surroundings()) == 21.0
    held = terms("decay", absolute)
    assert start_refusal(held, Sample(0, 122.3, 18, 101.3)) == ""
    rows = [Sample(s.t_s, s.gauge_kpa + 101.3, s.temp_c, 101.3) for s in read(60)]
    assert judge(held, rows, 0, 3600).verdict == "tight"
    assert judge(held, rows, 0, 3600).payload()["stood_kpa"] == pytest.approx(21.2, abs=0.1)
