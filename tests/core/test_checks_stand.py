"""What a check may do: it edits nothing, and one that fails is said and leaves the others standing."""

import pytest

from bathyx.core.evaluate import evaluate
from bathyx.core.findings import rail
from bathyx.core.inside.fittings import Fitting
from bathyx.core.inside.inside import MOST_FITTINGS
from bathyx.demo import jobs
from tests.conftest import codes


def full_of_returns(count):
    made = [
        Fitting(id=f"P{k}", kind="return", face="top", u_mm=20 + 10 * (k % 30), v_mm=20 + 10 * (k // 30), hole_mm=5)
        for k in range(count)
    ]
    return jobs.trolley().edited("inside.fittings", [f.model_dump() for f in made])


@pytest.mark.parametrize("count", [MOST_FITTINGS - 1, MOST_FITTINGS])
def test_as_many_fittings_as_there_may_be_and_no_vent_are_opened(count):
    e = evaluate(full_of_returns(count))
    vent = next(f for f in e.findings if f.code == "inside.vent")
    assert vent.severity == "stop"
    assert (vent.remedy is None) is (count == MOST_FITTINGS)
    assert ("the most there may be" in vent.figure) is (count == MOST_FITTINGS)


@pytest.mark.a_check_fails
@pytest.mark.parametrize("error", [ZeroDivisionError("x"), RecursionError(), KeyError("face:top")])
def test_a_check_that_fails_is_a_fault_that_is_said_and_the_rest_stands(monkeypatch, error):
    whole = codes(evaluate(jobs.trolley().edited("tank.height_mm", 311.0)))

    def fails(job, results):
        raise error

    monkeypatch.setattr(rail, "CHECKS", (*rail.CHECKS, fails))
    e = evaluate(jobs.trolley().edited("tank.height_mm", 312.0))
    fault = next(f for f in e.findings if f.code == "check.fault")
    assert fault.severity == "stop"
    assert "a fault of Bathyx" in str(fault.message) or "A fault of Bathyx" in str(fault.message)
    assert codes(e) - {"check.fault"} == whole
