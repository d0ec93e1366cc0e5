"""The traveller and welding settings."""

import pytest

from bathyx.core.build.steps import blocked_by, next_open, steps
from bathyx.core.build.welds import repair_warning
from bathyx.core.evaluate import evaluate
from bathyx.core.making import making_of
from bathyx.core.material import sheet
from bathyx.demo import jobs
from tests.conftest import job_with


def order(e):
    return [s.id for s in steps(e)]


def test_the_order_is_the_makers(trolley):
    ids = order(trolley)
    wanted = [
        "cut",
        "deburr",
        "bend:top + front",
        "trim",
        "holes",
        "bosses",
        "clean",
        "tack",
        "fit",
        "baffles",
        "closing",
        "weld",
        "test",
        "finish",
    ]
    assert [i for i in ids if i in wanted] == wanted


def test_a_plate_tank_without_baffles_has_neither_bends_nor_baffles():
    ids = order(evaluate(job_with(inside__baffles__by_rule=False)))
    assert not [i for i in ids if i.startswith("bend") or i == "baffles"]


def test_a_hold_point_blocks_what_follows_and_nothing_before(trolley):
    every = steps(trolley)
    done = [s.id for s in every[: [s.id for s in every].index("fit")]]
    assert blocked_by(every, "weld", done).id == "fit"
    assert blocked_by(every, "tack", []) is None
    assert blocked_by(every, "weld", [*done, "fit", "closing"]) is None
    assert next_open(every, done).id == "fit"


def test_cautions_stand_where_they_matter(trolley):
    by_id = {s.id: s for s in steps(trolley)}
    assert "solvent" in by_id["clean"].caution
    assert "Compressed air" in by_id["test"].caution
    assert "Earth" in by_id["finish"].caution


@pytest.mark.parametrize(("name", "amps"), [("5083/2", 105), ("5083/3", 160)])
def test_aluminium_currents_are_common_practice(name, amps):
    """Common practice: 105 A for a small tank's sheet, 160 A for 3 mm."""
    assert making_of(sheet(name)).settings(sheet(name)).amps == pytest.approx(amps, abs=5)


def test_after_a_second_failed_repair_it_says_stop():
    assert repair_warning(1) is None
    assert "find out why" in repair_warning(2)


def test_every_demo_tank_gets_a_traveller():
    assert all(len(steps(evaluate(make()))) > 14 for make in jobs.ALL.values())


@pytest.mark.parametrize(("name", "word"), [("304/2", "purge"), ("s235/3", "white"), ("pp/6", "triangular")])
def test_each_metal_gets_its_own_advice(name, word):
    """Common practice: stainless pickled after, rusty steel white for 25 mm round the joint, triangular rod in plastic."""
    assert word in making_of(sheet(name)).settings(sheet(name)).further
