"""What is sure of the spare room: rooms and hulls with hidden truth, offsets that were not measured, what is said of it."""

import sys
from pathlib import Path

import numpy as np
import pytest

sys.path.insert(0, str(Path(__file__).parents[2] / "tools"))
from space_study import hull_fits, room_fits

from bathyx.core.evaluate import evaluate
from bathyx.core.space import StationSpace
from bathyx.core.space.sure import BAND
from tests.conftest import box, codes, job_with


def test_the_tank_that_is_sure_goes_into_rooms_that_nobody_saw():
    sure, best = np.mean([room_fits(seed) for seed in range(40)], axis=0)
    assert sure >= 0.975
    assert best < 0.6  # what stood before: 1 mm to spare in the best hole, and it does not go


@pytest.mark.parametrize(("cells", "hulls"), [(0.0, 40), (0.08, 20)])
def test_the_tank_that_clears_the_doubt_goes_into_hulls_that_nobody_saw(cells, hulls):
    found = [f for f in (hull_fits(seed, cells) for seed in range(hulls)) if f is not None]
    sure, best = np.mean(found, axis=0)
    assert sure >= 0.975
    assert best < 0.95


def vee(*, left=lambda z: 100 + z, right=lambda z: 100 + z, gaps=()):
    """Five stations of a straight V, 400 high; `gaps`: (station, row, side) that were not measured."""
    stations = [
        {
            "x_mm": 500.0 * s,
            "rows": [
                {
                    "z_mm": 100.0 * k,
                    "left_mm": None if (s, k, "left") in gaps else float(left(100.0 * k)),
                    "right_mm": None if (s, k, "right") in gaps else float(right(100.0 * k)),
                }
                for k in range(5)
            ],
        }
        for s in range(5)
    ]
    return StationSpace(stations=stations)


def test_a_keel_that_was_not_measured_is_as_the_stations_beside_it_have_it():
    whole = vee(left=lambda z: 60 + 2 * z).cavity
    gaps = {(2, 0, "left"), (2, 0, "right"), (0, 0, "left"), (4, 4, "right")}
    some = vee(left=lambda z: 60 + 2 * z, gaps=gaps).cavity
    assert np.abs(some.left - whole.left).max() < 1e-6
    assert np.abs(some.right - whole.right).max() < 1e-6


def test_a_side_that_is_like_no_other_is_not_mirrored_outward():
    """Nobody measured the left keel anywhere: the right one stands 100 off, the left wall runs toward 10."""
    gaps = {(s, 0, "left") for s in range(5)}
    cavity = vee(left=lambda z: 10 + 2 * z, gaps=gaps).cavity
    assert -cavity.left[:, 0].min() < 12
    alike = vee(left=lambda z: 101 + z, gaps=gaps).cavity
    assert -alike.left[0, 0] == pytest.approx(100, abs=0.5)


def test_doubt_is_the_tape_on_straight_walls_and_more_where_curves_bow_out():
    spots = np.array([[750.0, 0.0, 150.0], [1000.0, 0.0, 200.0]])
    assert vee().doubt_at(spots) == pytest.approx(3.0, abs=0.05)
    bowed = vee(right=lambda z: 100 + 200 * np.sqrt(z / 400))
    assert bowed.doubt_at(spots)[0, 1] > 3.1
    assert bowed.doubt_at(spots)[0, 0] == pytest.approx(3.0, abs=0.05)


def test_a_tank_within_the_doubt_is_said_and_one_with_clearance_is_not():
    space = vee().model_dump(mode="json") | {
        "clearance": dict.fromkeys(("left_mm", "right_mm", "front_mm", "rear_mm", "below_mm", "above_mm"), 0)
    }
    tank = box(length=500, width=390 - 6, height=200 - 6)  # 3 mm of sheet; at 100 up the walls stand 200 off

    def at(y):
        return job_with(tank, space=space | {"seat": {"x_mm": 600, "y_mm": y, "z_mm": 100}}, inside__fittings=[])

    near, clear = evaluate(at(-199.0)), evaluate(at(-195.0))
    (finding,) = [f for f in near.findings if f.code == "space.band"]
    assert finding.severity == "warn"
    assert "has 1 mm to the left wall, known to ± 3 mm" in finding.message
    assert finding.source == BAND.source
    assert "space.band" not in codes(clear)
    assert clear.results.sure.less_mm == pytest.approx(3.0, abs=0.05)
    inside = evaluate(at(-205.0))
    assert "space.band" not in codes(inside)  # it reaches into the wall, and that is said
    assert "fit.walls" in codes(inside)


def test_a_knuckle_is_found_and_a_fair_wall_has_none():
    chined = vee(left=lambda z: min(2 * z, 380) + 20, right=lambda z: min(2 * z, 380) + 20)
    assert {(side, row) for _, side, row in chined.knuckles} == {("left", 2), ("right", 2)}
    assert len(chined.knuckles) == 10
    assert vee().knuckles == ()
