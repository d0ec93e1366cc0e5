"""Bend allowance, deduction and set-back against two published rules over r/t 0.5 to 10, both from memory.

DIN 6935 gives the flat length as the outside flanges plus v, v = pi (180 - beta)/180 (r + s/2 k) - 2 (r + s) at beta = 90, with k
in steps by r/s. Machinery's Handbook gives the length of a right-angled bend as 1.57 r + 0.55, 0.64 or 0.71 t by hardness.
"""

import math

import pytest

from bathyx.core.evaluate import evaluate
from bathyx.core.sheet.bending.bend import allowance_mm, setback_mm
from bathyx.core.sheet.bending.rule import deduction_mm, k_of_entry, published_k
from bathyx.errors import Refusal
from tests.conftest import job_with

STEPS = ((0.65, 1.0, 0.6), (1.0, 1.5, 0.7), (1.5, 2.4, 0.8), (2.4, 3.8, 0.9), (3.8, 10.0, 1.0))
RATIOS = (0.5, 0.75, 1.0, 1.6, 2.5, 4.0, 6.3, 10.0)


@pytest.mark.parametrize(("above", "to", "k"), STEPS)
def test_k_follows_the_steps_of_din_6935(above, to, k):
    for share in (0.01, 0.5, 0.99):
        assert 2 * published_k("din 6935", above + share * (to - above)) == pytest.approx(k, abs=0.065)


@pytest.mark.parametrize("ratio", RATIOS)
@pytest.mark.parametrize("t", [1.0, 2.0, 3.0, 6.0])
def test_a_deduction_is_the_correction_of_din_6935(ratio, t):
    r = ratio * t
    k = min(0.65 + 0.5 * math.log10(ratio), 1.0)
    v = math.pi * (180 - 90) / 180 * (r + t / 2 * k) - 2 * (r + t)
    assert deduction_mm(90.0, r, t, published_k("din 6935", ratio)) == pytest.approx(-v, abs=1e-9)
    assert 2 * setback_mm(90.0, r, t, True) - allowance_mm(90.0, r, t, k / 2) == pytest.approx(-v, abs=1e-9)


@pytest.mark.parametrize(("hardness", "c"), [("soft", 0.55), ("half hard", 0.64), ("hard", 0.71)])
def test_an_allowance_is_the_handbooks_at_every_ratio(hardness, c):
    for ratio in RATIOS:
        for t in (1.0, 3.0):
            k = published_k(hardness, ratio)
            assert allowance_mm(90.0, ratio * t, t, k) == pytest.approx(1.57 * ratio * t + c * t, rel=6e-4)


def test_the_rules_differ_by_no_more_than_is_said():
    off = [abs(published_k("din 6935", x) - published_k("half hard", x)) * math.pi / 2 for x in RATIOS]
    assert 0.2 < max(off) < 0.25


def test_a_rule_or_a_table_decides_the_blanks_and_a_k_that_is_said_goes_before_both():
    def long(**makeup):
        job = job_with(makeup__school="two_l", inside__baffles__by_rule=False, **makeup)
        return max(next(b for b in evaluate(job).results.blanks if b.name == "bottom + rear").size_mm)

    def wanted(k):
        return 300 + 200 - 2 * 3.0 + math.pi / 2 * (3.0 + k * 3.0)

    entry = {"thickness_mm": 3.0, "radius_mm": 3.0, "turn_deg": 90.0, "deduction_mm": 5.5}
    assert long(makeup__k_rule="din 6935") == pytest.approx(wanted(0.325))
    assert long(makeup__table=[entry]) == pytest.approx(300 + 200 + 2 * 3.0 - 5.5)
    assert long(makeup__table=[entry | {"thickness_mm": 2.0, "radius_mm": 2.0, "deduction_mm": 3.5}]) == pytest.approx(
        wanted(0.4)
    )
    assert long(makeup__table=[entry], makeup__k_factor=0.4) == pytest.approx(wanted(0.4))


def test_what_no_bend_has_is_refused():
    names = ("thickness_mm", "radius_mm", "turn_deg", "deduction_mm")
    rows = [dict(zip(names, row, strict=True)) for row in ((2, 2, 90, 3.6), (3, 3, 90, 5.5))]
    job = job_with(makeup__table=rows)
    assert 0.2 < k_of_entry(job.makeup.table[0]) < 0.5
    with pytest.raises(Refusal):
        job_with(makeup__table=[rows[0] | {"turn_deg": float("nan")}])
    with pytest.raises(Refusal, match="measured over the outside"):
        evaluate(job_with(makeup__table=[rows[0] | {"thickness_mm": 3.0, "radius_mm": 3.0, "deduction_mm": 1.0}]))
