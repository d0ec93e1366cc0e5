"""What cannot be made whole is split where it costs the least weld, and the remedy makes it good."""

import pytest

from bathyx.core.evaluate import evaluate
from tests.conftest import box, codes, job_with


def stop(e, code):
    return next(f for f in e.findings if f.code == code).thought()


def test_a_panel_larger_than_any_stock_is_parted_across_its_shorter_side():
    e = evaluate(job_with(box(length=4300.0, width=1400.0, height=300.0), inside__baffles__by_rule=False))
    found = stop(e, "sheet.stock")
    assert "with a seam across: 1\u2009400 mm more weld" in str(found.remedy.label)
    after = evaluate(found.remedy.apply(e.job))
    where = {f.where for f in after.findings if f.code == "sheet.stock"}
    assert found.where not in where
    more = after.results.weld_length_mm - e.results.weld_length_mm
    assert more == pytest.approx(1400.0)
    name = found.where.removeprefix("blank:")
    assert {role.kind for role in after.results.roles if f"{name}:1" in (role.edge.a, role.edge.b)} == {"weld"}
    assert after.results.capacity.gross.value == pytest.approx(e.results.capacity.gross.value, abs=1e-6)


def test_a_wrap_larger_than_any_stock_is_welded_along_the_bend_that_lets_both_halves_fit():
    tank = box(length=1400.0, width=1400.0, height=700.0)
    e = evaluate(
        job_with(tank, makeup__school="wrap", makeup__brake={"open_ended": True}, inside__baffles__by_rule=False)
    )
    found = stop(e, "sheet.stock")
    assert "1\u2009400 mm more weld" in str(found.remedy.label)
    after = evaluate(found.remedy.apply(e.job))
    assert "sheet.stock" not in codes(after)
    assert after.results.weld_length_mm - e.results.weld_length_mm == pytest.approx(1400.0)


def test_a_wrap_that_would_not_leave_the_beam_is_opened_by_one_weld():
    e = evaluate(job_with(makeup__school="wrap"))
    found = stop(e, "sheet.closed")
    assert "more weld" in str(found.remedy.label)
    after = evaluate(found.remedy.apply(e.job))
    assert "sheet.closed" not in codes(after)
    assert after.results.weld_length_mm - e.results.weld_length_mm == pytest.approx(400.0)


def test_bends_longer_than_the_brake_are_welded_and_no_others():
    job = job_with(makeup__school="two_l", makeup__brake={"length_mm": 350.0})
    found = stop(evaluate(job), "sheet.brake")
    after = evaluate(found.remedy.apply(job))
    assert "sheet.brake" not in codes(after)
    assert all(role.edge.length_mm <= 350 for role in after.results.roles if role.kind == "bend")
