"""What may be ticked, started, pressed and typed: the reasons against it, without a window."""

import math

import pytest

from bathyx.core.build.rules import (
    barometer,
    fill_refusal,
    hold_refusal,
    over_limit,
    tick_refusal,
    too_high,
    weld_refusal,
)
from bathyx.core.build.steps import steps
from bathyx.core.build.trial import terms_for
from bathyx.core.evaluate import evaluate
from bathyx.core.making import making_of
from bathyx.core.material import sheet
from bathyx.core.proving.decay import Sample
from bathyx.core.proving.gauges import GaugeKind
from bathyx.core.proving.judgement import Proof
from bathyx.demo import jobs
from bathyx.errors import Refusal


def test_a_step_waits_for_its_hold_point_the_proof_and_for_stops():
    e = evaluate(jobs.trolley())
    every = [s.id for s in steps(e)]
    assert "hold point" in tick_refusal(e, every[-1], set(), proof=Proof("proven", (), ()))
    assert (
        tick_refusal(e, "cut", set(every[: every.index("cut")]), proof=Proof("not tested", ("no test yet",), ())) == ""
    )
    assert "not proven" in tick_refusal(e, "test", set(every), proof=Proof("not tested", ("no test yet",), ()))
    assert tick_refusal(e, "test", set(every), proof=Proof("proven", (), ())) == ""
    short = evaluate(jobs.trolley().edited("brief.demand", {"kind": "capacity", "litres": 500.0}))
    assert tick_refusal(short, "cut", set(every), proof=Proof("not tested", ("no test yet",), ())).startswith(
        "Not cut yet: "
    )
    assert "no step 'nonsense'" in tick_refusal(e, "nonsense", (), proof=Proof("proven", (), ()))


AMPS = [("105", True), ("", True), ("0", True), ("-3", False), ("nan", False), ("1e999", False), ("lots", False)]


@pytest.mark.parametrize(("amps", "fine"), AMPS)
def test_amps_are_a_number_of_the_trade(amps, fine):
    lines = making_of(sheet("5083/3")).asked(sheet("5083/3"))
    assert (weld_refusal({"amps": amps}, lines) == "") is fine


def test_a_hold_says_the_first_thing_that_stands_against_it():
    e = evaluate(jobs.trolley())
    test = e.job.proving.tests[0]
    terms = terms_for(e, test, gauge=GaugeKind(accuracy_kpa=0.1))
    now = Sample(0.0, test.test_kpa, 20.0, math.nan)
    ready = {
        "who": "Marn", "open_here": False, "elsewhere": False, "by_eye": False, "connected": True, "identified": True,
    }  # fmt: skip
    assert hold_refusal(terms, now, **ready) == ""
    against = [
        ({"who": " "}, "Type your name"),
        ({"open_here": True}, "Record the hold"),
        ({"open_here": True, "elsewhere": True}, "another bench"),
        ({"connected": False}, "Connect a gauge"),
        ({"identified": False}, "Wait for the gauge"),
    ]
    for change, said in against:
        assert said in hold_refusal(terms, now, **ready | change)
    assert "Bring the tank to" in hold_refusal(terms, Sample(0.0, 1.0, 20.0, math.nan), **ready)
    high = e.job.edited("proving.tests.0.test_kpa", 95.0)
    pressed = evaluate(high)
    over = terms_for(pressed, high.proving.tests[0], gauge=GaugeKind())
    assert hold_refusal(over, None, **ready | {"connected": False}).startswith("Refused")
    assert over_limit(pressed, high.proving.tests[0])
    assert "is above the" in fill_refusal(pressed, high.proving.tests[0], (" ", "Marn", 95.0))
    why = "tested before, thicker ends"
    assert fill_refusal(pressed, high.proving.tests[0], (why, "Marn", 95.0)) == ""
    assert "is above the" in fill_refusal(pressed, high.proving.tests[0], (why, " ", 95.0))
    assert "is above the" in fill_refusal(pressed, high.proving.tests[0], (why, "Marn", 60.0))
    assert fill_refusal(e, test, ("", "", 0.0)) == ""


def test_pressure_above_what_the_tank_bears_is_seen_and_nan_is_none_of_it():
    assert too_high(30.0, 25.0)
    assert not too_high(20.0, 25.0)
    assert not too_high(None, 25.0)


def test_a_barometer_reading_is_one_that_air_has():
    assert barometer(" ") is None
    assert barometer("101,3") == 101.3
    for wrong in ("10l.3", "1013", "nan", "-100", "30"):
        with pytest.raises(Refusal, match="is no barometer reading"):
            barometer(wrong)
