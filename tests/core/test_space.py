"""The measured space: clearance, skew and what is left."""

import math

import pytest

from bathyx.core.space import Clearance, MeasuredBox
from bathyx.core.units import Reading

NONE = Clearance(left_mm=0, right_mm=0, front_mm=0, rear_mm=0, below_mm=0, above_mm=0)


def measured(width, depth, diagonals=None, clearance=NONE):
    return MeasuredBox(
        width=Reading.of(width),
        depth=Reading.of(depth),
        height=Reading.of(300),
        clearance=clearance,
        floor_diagonals=tuple(Reading.of(d) for d in diagonals) if diagonals else None,
    )


@pytest.mark.parametrize("skew", [0.0, 3.0, 25.0])
def test_the_diagonals_of_a_sheared_floor_give_back_its_skew(skew):
    width, depth = 700.0, 400.0
    deep = math.sqrt(depth**2 - skew**2)
    diagonals = [math.hypot(width + skew, deep), math.hypot(width - skew, deep)]
    space = MeasuredBox(
        width=Reading(typed=repr(width), mm=width),
        depth=Reading(typed=repr(depth), mm=depth),
        height=Reading.of(300),
        clearance=NONE,
        floor_diagonals=tuple(Reading(typed=repr(d), mm=d) for d in diagonals),
    )
    assert space.squareness.skew_mm == pytest.approx(skew, abs=1e-9)
    assert space.squareness.misfit_mm == pytest.approx(0, abs=1e-9)
    assert space.room.width_mm == pytest.approx(width - skew)
    assert space.room.depth_mm == pytest.approx(deep)


def test_clearance_comes_off_each_side():
    room = measured(
        700, 400, clearance=Clearance(left_mm=5, right_mm=6, front_mm=7, rear_mm=8, below_mm=9, above_mm=10)
    ).room
    assert (room.width_mm, room.depth_mm, room.height_mm) == (689, 385, 281)


def test_readings_that_contradict_each_other_show_a_misfit():
    assert measured(700, 400, (900, 900)).squareness.misfit_mm > 90
