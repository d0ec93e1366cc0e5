"""The chain: pure, memoised, and undone exactly."""

import pytest

from bathyx.core.evaluate import evaluate, results_of
from bathyx.demo import jobs
from tests.conftest import job_with


def test_a_customers_name_recomputes_nothing_that_does_not_read_it():
    job = jobs.trolley().model_copy(update={"uid": "a-tank-of-its-own"})  # in a store that no other test has filled
    before, after = results_of(job), results_of(job.edited("brief.customer", "Someone else"))
    for name in ("shell", "roles", "plates", "seams", "strength"):
        assert getattr(before, name) is getattr(after, name)


def test_evaluating_twice_gives_the_same_evaluation():
    assert evaluate(jobs.trolley()) is evaluate(jobs.trolley())


def test_going_back_restores_every_figure():
    job = job_with()
    there = evaluate(job.edited("tank.height_mm", 250.0)).results
    back = evaluate(job.edited("tank.height_mm", 250.0).edited("tank.height_mm", 200.0)).results
    first = evaluate(job).results
    assert there.capacity.net.value != first.capacity.net.value
    assert back.capacity.net.value == first.capacity.net.value


def test_sheet_cost_is_mass_times_price():
    r = evaluate(job_with(inside__baffles__by_rule=False)).results
    sheets = sum(r.sheet.mass_kg(b.area_mm2) for b in r.blanks)
    assert r.sheet_cost.value == pytest.approx(sheets * r.sheet.material.price_per_kg)


def test_results_are_frozen():
    r = evaluate(job_with()).results
    with pytest.raises(AttributeError):
        r.sheet = None
    assert len(type(r).__annotations__) > 15


def test_no_figure_lacks_its_explanation(trolley):
    r = trolley.results
    for figure in (
        r.capacity.gross,
        r.capacity.net,
        r.capacity.usable,
        r.weight.dry,
        r.weight.full,
        r.strength.bears,
        r.wanted,
        r.sheet_cost,
    ):
        text = figure.explain()
        assert all(word in text for word in ("Here:", "Source:", "Holds for:", "Trust:"))


def test_spare_room_is_what_the_tape_leaves(trolley):
    r = trolley.results
    assert r.spare.value == pytest.approx(min(r.room.width_mm - 726, r.room.depth_mm - 424, r.room.height_mm - 298))
    assert "height" in r.spare.label
