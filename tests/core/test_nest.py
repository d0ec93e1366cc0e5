"""The nest: nothing overlaps, nothing hangs over, and it can be stopped."""

import itertools

import pytest

from bathyx.core.evaluate import evaluate
from bathyx.core.sheet.cutting.nest import NestError, NestStopped, nest
from bathyx.demo import jobs
from tests.conftest import box, job_with


@pytest.mark.parametrize("name", jobs.ALL)
def test_every_blank_lies_on_a_sheet_clear_of_the_others(name):
    r = evaluate(jobs.ALL[name]()).results
    laid = nest(r.blanks, r.sheet.material.stock, gap_mm=6)
    assert sorted(s.blank for s in laid.spots) == sorted(b.name for b in r.blanks)
    for s in laid.spots:
        assert s.x_mm >= -1e-6
        assert s.x_mm + s.width_mm <= laid.stock[0] + 1e-6
        assert s.y_mm + s.height_mm <= laid.stock[1] + 1e-6
    for a, b in itertools.combinations(laid.spots, 2):
        if a.sheet == b.sheet:
            apart_x = max(a.x_mm, b.x_mm) - min(a.x_mm + a.width_mm, b.x_mm + b.width_mm)
            apart_y = max(a.y_mm, b.y_mm) - min(a.y_mm + a.height_mm, b.y_mm + b.height_mm)
            assert max(apart_x, apart_y) >= 6 - 1e-6
    assert 0 < laid.used_share <= 1


def test_a_blank_no_sheet_takes_is_named():
    r = evaluate(job_with(box(length=900, height=700, width=1600), makeup__school="wrap")).results
    with pytest.raises(NestError, match="wrap is 3"):
        nest(r.blanks, r.sheet.material.stock)


def test_the_search_stops_when_told():
    r = evaluate(job_with()).results
    with pytest.raises(NestStopped):
        nest(r.blanks, r.sheet.material.stock, progress=lambda share: share < 0.3)
