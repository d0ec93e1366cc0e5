"""Hours and money: sums by hand, rates corrected by what was booked, and bookings kept with the ticks."""

from dataclasses import replace

import pytest
from PyQt6.QtWidgets import QLabel, QLineEdit, QPushButton

from bathyx.cli.make_ups import _rates
from bathyx.core.build.hours import Booked, booked_of, corrected, estimated_of, minutes_of, offer, rates_of, work_of
from bathyx.core.build.steps import next_open, steps
from bathyx.core.evaluate import evaluate
from bathyx.core.makeups.metal import sheets_of
from bathyx.core.makeups.rates import Rates
from bathyx.desk.stages.build.costs import own_rates
from bathyx.desk.stages.cut.make_ups import MakeUps
from bathyx.desk.study import KeptStudy
from tests.conftest import job_with
from tests.desk.test_window import BUILD


def test_minutes_and_money_are_sums_a_maker_works_out():
    e = evaluate(job_with(inside__baffles__by_rule=False))
    rates = Rates(weld_min_m=10, cut_min_m=2, bend_min=5, part_min=3, hour=60)
    minutes = minutes_of(e, rates)
    # Six plates of a box 300 x 400 x 200: twice each border, 3.6 m of edges.
    border = 2 * 2 * (0.7 + 0.5 + 0.6)
    assert minutes == pytest.approx({"cut": 2 * border, "bend": 0, "part": 18, "weld": 36.0})
    cost = offer(e, rates, 0.1, "€")
    assert cost.work == pytest.approx(2 * border + 18 + 36)
    assert cost.total == pytest.approx(1.1 * (cost.metal + cost.work))
    r = e.results
    assert cost.metal == pytest.approx(
        r.sheet.mass_kg(min(a * b for a, b in r.sheet.material.stock)) * r.sheet.material.price_per_kg
    )


def test_a_blank_on_no_sheet_leaves_the_other_thicknesses_whole_sheets():
    blanks = evaluate(job_with(inside__baffles__by_rule=False)).results.blanks
    sheet = evaluate(job_with()).results.sheet
    whole, kg = sheets_of(blanks, sheet)
    outline = blanks[0].outline
    huge = replace(
        blanks[0], thickness_mm=2 * sheet.thickness_mm, outline=replace(outline, points=outline.points * 40.0)
    )
    count, mass = sheets_of((*blanks, huge), sheet)
    assert whole == 1
    assert count is None
    assert mass == pytest.approx(kg + 2 * sheet.mass_kg(huge.area_mm2))


def test_bookings_pull_a_rate_and_one_strange_one_does_not_take_it_over():
    rates = Rates()
    steady = corrected(rates, [Booked("weld", 100, 150)] * 20)
    assert steady.weld_min_m == pytest.approx(18 * (3000 + 100) / (2000 + 100))
    assert steady.bend_min == rates.bend_min
    assert corrected(rates, [Booked("weld", 100, 1e6)]).weld_min_m == pytest.approx(18 * 5)
    assert corrected(rates, [Booked("weld", 0, 50), Booked("tea", 10, 50), Booked("weld", 10, -5)]) == rates


def test_what_is_no_booking_is_left_out():
    assert booked_of(({"work": "weld", "minutes": "x", "estimated": 3}, {"minutes": 3}, {"work": "cut"})) == []


def test_rates_are_read_by_name():
    rates, markup = rates_of({"hour": 48.0, "markup": 15.0})
    assert (rates.hour, markup) == (48.0, 0.15)


def find(window, kind, name):
    return next(x for x in window.stage.card.findChildren(kind) if x.objectName() == name)


def test_minutes_typed_with_a_tick_are_booked_and_correct_the_costs(window):
    window.choose(BUILD)
    bench, stage = window.bench, window.stage
    find(window, QPushButton, "costs").click()
    before = stage.costs.sum.text()
    assert before.endswith(" h")
    bench.who = "Marn Ostley"
    while not work_of((step := next_open(steps(bench.evaluation), bench.record.ticks)).id):
        assert stage.tick(step.id)
    estimated = estimated_of(bench.evaluation, step.id, Rates())
    said = len(bench.record.all_entries)
    stage.took = "soon"
    assert not stage.tick(step.id)
    assert len(bench.record.all_entries) == said
    stage.took = f"{3 * estimated:.1f} min"
    assert stage.tick(step.id)
    (row,) = bench.register.booked()
    assert row["minutes"] == pytest.approx(3 * estimated, abs=0.1)
    assert stage.took == ""
    stage.costs.refresh()
    assert "Corrected by 1 booked" in stage.costs.said.text()
    # The planner holds make-ups against one another by the same minutes, on the desk and on the command line.
    own, _, booked, _ = own_rates(bench)
    assert booked == 1
    assert own != Rates()
    planner = MakeUps(bench, KeptStudy("make_ups", bench.home))
    assert planner.inputs().rates == own
    assert _rates([], str(bench.register.path)) == own
    assert _rates(["hour=33"]) == Rates(hour=33.0)
    assert stage.costs.sum.text() != before
    assert stage.untick(step.id)
    rates = find(window, QLineEdit, "rates")
    rates.setText("hour=80 markup=20")
    rates.editingFinished.emit()
    find(window, QLineEdit, "currency").setText("€")
    find(window, QLineEdit, "currency").editingFinished.emit()
    assert "€" in stage.costs.sum.text()
    assert "mark-up 20%" in stage.costs.lines.text()
    rates.setText("hour=nan")
    rates.editingFinished.emit()
    assert "is not understood" in stage.costs.wrong.text()
    assert all(label.text() is not None for label in stage.costs.findChildren(QLabel))
