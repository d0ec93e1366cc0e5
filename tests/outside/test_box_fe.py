"""Panels of a box against finite elements of the whole box (tools/box_fe.py), themselves held against Timoshenko's plates."""

import sys
from pathlib import Path

import pytest

sys.path.insert(0, str(Path(__file__).parents[2] / "tools"))
from box_fe import Box, bears_kpa
from box_study import stood, told_over_found

from bathyx.core.evaluate import evaluate
from tests.conftest import box, job_with


def test_the_elements_are_a_clamped_square_where_all_faces_are_alike():
    """Timoshenko & Woinowsky-Krieger, table 35: w = 0.00126 q b^4/D, edge moment 0.0513 q b^2 (stress 0.308 q b^2/t^2)."""
    cube = Box((400, 400, 400), (4, 4, 4), 70_000, 0.3, 10)
    u = cube.solve(1e-6)
    plate = 70_000 * 4**3 / 12 / (1 - 0.3**2)
    assert cube.bulge(u)[0] == pytest.approx(0.00126 * 1e-6 * 400**4 / plate, rel=0.02)
    assert cube.stresses(u)[0][0] == pytest.approx(0.308 * 1e-6 * (400 / 4) ** 2, rel=0.02)


def test_and_a_long_flat_box_is_a_strip():
    """A strip clamped at both edges: q L^2/12 at the edge, q L^4/384 D in the middle; walls that are alike turn nothing."""
    tube = Box((1600, 200, 200), (2, 2, 2), 200_000, 0.3, 12)
    u = tube.solve(1e-6)
    assert tube.stresses(u)[1][0] == pytest.approx(6 * 1e-6 * 200**2 / 12 / 2**2, rel=0.03)
    assert tube.bulge(u)[1] == pytest.approx(1e-6 * 200**4 / 384 / (200_000 * 2**3 / 12 / 0.91), rel=0.005)


def test_a_thick_floor_bends_thin_walls():
    """800 x 600 x 200, walls of 2 mm, floor and roof of 6: 22.2 kPa by clamped panels, 16 by finite elements."""
    size, thick = (800.0, 600.0, 200.0), [2.0, 2.0, 6.0]
    found = bears_kpa(size, thick, [125.0] * 3, [125.0] * 3, 70_000, 0.33)
    assert found == pytest.approx(16.0, abs=0.6)
    job = job_with(
        box(*size, sheet="5083/2"), makeup__both_sides=True, makeup__panels=[
            {"face": "bottom", "thickness_mm": 6.0}, {"face": "top", "thickness_mm": 6.0},
        ], inside__baffles__by_rule=False,
    )  # fmt: skip
    worst = evaluate(job).results.strength.worst
    assert worst.bears_kpa < found
    assert "bends as well" in worst.link


@pytest.mark.parametrize("seed", [0, 4, 8])
def test_boxes_of_mixed_thickness_are_never_told_more_than_they_bear(seed):
    _, ratio, words = told_over_found(seed, 6)
    assert 0.6 < ratio <= 1.01, words


@pytest.mark.parametrize("seed", [1, 4, 9, 10])
def test_every_middle_stands_within_what_is_told(seed):
    """1 and 9 are of one sheet, with small walls that their neighbours bend inward; 4 and 10 of mixed thickness."""
    faces = stood(seed)
    assert len(faces) == 6
    for found, (low, high), words in faces:
        assert low - 0.05 <= found <= high + 0.05, f"{words}: {found:.2f} told {low:.2f} to {high:.2f}"
    assert min(low for _, (low, _), _ in faces) < 0
