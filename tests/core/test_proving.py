"""Verdicts on test runs."""

import math

import pytest

from bathyx.core.proving.decay import Leak, Sample, TraceError, decide, leak
from bathyx.core.proving.plan import ProvingPlan
from bathyx.core.proving.testrun import judge

STILL = [Sample(10.0 * k, 20.0 + 0.001 * (-1) ** k, 18.0) for k in range(181)]


def found(value, half, hold=1800.0):
    return Leak(value, half, half, 0.0, hold, 0.0, 0.0)


@pytest.mark.parametrize(
    ("value", "half", "verdict"), [(0.1, 0.5, "tight"), (5.0, 1.0, "leaks"), (1.9, 0.5, "not decided")]
)
def test_the_whole_interval_decides(value, half, verdict):
    assert decide(found(value, half), 2.0, 1800).verdict == verdict


def test_undecided_says_how_long_to_hold_on():
    more = decide(found(1.0, 2.0), 2.0, 1800).more_min
    # the half-width must halve: T^-1.5, so 2^(2/3) of the hold
    assert more == pytest.approx(30 * (2 ** (2 / 3) - 1), abs=1.1)


def test_right_at_the_limit_it_says_use_another_way():
    decision = decide(found(1.9999999, 2.0), 2.0, 1800)
    assert decision.more_min is None
    assert "soap or water" in decision.reason


def test_a_short_hold_is_never_called_tight():
    decision = decide(found(0.0, 0.1, hold=600), 2.0, 1800)
    assert (decision.verdict, decision.more_min) == ("not decided", 20)


@pytest.mark.parametrize(
    ("samples", "says"),
    [
        (STILL[:5], "at least 8"),
        ([STILL[0]] * 10, "follow one another"),
        (STILL[::-1], "follow one another"),
        ([Sample(s.t_s, s.gauge_kpa, -80) for s in STILL], "sensor fault"),
    ],
)
def test_a_trace_that_says_nothing_is_refused(samples, says):
    with pytest.raises(TraceError, match=says):
        leak(samples, 60)


def test_a_leak_seen_always_counts():
    assert judge(ProvingPlan(method="decay", hold_min=30), STILL, 60, 1, 1800).verdict == "leaks"


def test_nothing_seen_for_the_whole_hold_is_tight():
    plan = ProvingPlan(method="air_soap", hold_min=10)
    assert judge(plan, STILL, 60, 0, 600).verdict == "tight"
    early = judge(plan, STILL, 60, 0, 300)
    assert (early.verdict, early.more_min) == ("not decided", 5)


def test_a_falling_gauge_overrules_an_eye_that_saw_nothing():
    falling = [Sample(10.0 * k, 20.0 - 0.002 * k, 18.0) for k in range(61)]
    verdict = judge(ProvingPlan(method="air_soap", hold_min=10), falling, 60, 0, 600)
    assert verdict.verdict == "not decided"
    assert "Look again" in verdict.reason


def test_water_is_judged_by_eye_and_clock():
    assert judge(ProvingPlan(method="water_fill", hold_min=1440), [], 60, 0, 1440 * 60).verdict == "tight"


def test_a_longer_hold_narrows_the_interval():
    long = [Sample(10.0 * k, 20.0 + 0.001 * (-1) ** k, 18.0) for k in range(721)]
    assert leak(long, 60).half_width < 0.5 * leak(STILL, 60).half_width
    assert math.isfinite(leak(STILL, 60).half_width)
