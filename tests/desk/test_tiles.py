"""The bench line through a tank's life: each tile's figure, words and state."""

import pytest

from bathyx.demo import jobs
from bathyx.demo.seed import build_and_prove

BRIEF, SPACE, TANK, INSIDE, CUT, BUILD, PROVE, HAND = range(8)


def tile(window, index):
    return window.bench_line.tiles[index].data


def open_job(window, name):
    window.bench.open(window.home / "jobs" / f"{name}.bathyx.json")


@pytest.mark.parametrize(
    ("changes", "index", "state", "words"),
    [
        ({"tank.width_mm": 800.0}, SPACE, "stop", "too long for it"),
        ({"tank.height_mm": 220.0}, TANK, "stop", "to put right"),
        ({"inside.fittings": []}, INSIDE, "stop", "to put right"),
        ({"makeup.school": "wrap"}, CUT, "stop", "to put right"),
        ({"proving.tests.0.test_kpa": 90.0}, PROVE, "stop", "to put right"),
        ({"brief.air_space_share": 0.005}, BRIEF, "warn", "to look at"),
        ({"brief.customer": "Someone"}, TANK, "go", "spare"),
    ],
)
def test_a_tile_turns_with_what_is_found(window, qtbot, changes, index, state, words):
    window.bench.edit(changes, "x")
    assert tile(window, index).state == state
    assert words in tile(window, index).words


def test_a_tank_that_is_short_says_by_how_much(window, qtbot):
    window.bench.edit({"brief.demand": {"kind": "capacity", "litres": 77.0}}, "more")
    assert tile(window, TANK).state == "warn"
    assert tile(window, BRIEF).figure == "77.0 L"
    assert 0.9 < tile(window, TANK).level < 1


def test_build_prove_and_hand_over_follow_the_records(window, qtbot):
    open_job(window, "frost-fan")
    assert tile(window, BUILD).figure.startswith("0 of")
    assert tile(window, HAND).figure == "no serial"
    build_and_prove(window.bench.register, jobs.frost_fan(), "S1")
    open_job(window, "frost-fan")
    assert tile(window, PROVE).words == "proven tight"
    assert tile(window, PROVE).state == tile(window, HAND).state == "go"
    assert tile(window, HAND).figure.startswith("TT-")
    window.bench.who = "Marn"
    edge = window.bench.evaluation.results.seams[1].edge
    window.bench.add_record("leak", "S2", {"share": 0.2, "edge": edge})
    assert tile(window, BUILD).state == "stop"
    assert "1 seam leaks" in tile(window, BUILD).words
    assert tile(window, PROVE).words == tile(window, HAND).words == "leak known"


def test_a_running_hold_shows_on_its_tile(window, qtbot):
    window.bench.who = "Marn"
    window.bench.edit({"proving.tests": [{"method": "water_fill", "hold_min": 1440.0}]}, "water")
    window.choose(PROVE)
    window.stage.start_hold()
    assert tile(window, PROVE).words == "hold running"
    assert tile(window, PROVE).figure == "Water"
    window.stage.finish()
    assert tile(window, PROVE).words == "rehearsed only"
