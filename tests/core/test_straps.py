"""Straps: their lengths in closed form, what lies under them, what they pull, the room they take, what is cut for them."""

import math
from itertools import pairwise

import numpy as np
import pytest

from bathyx.core.build.steps import steps
from bathyx.core.evaluate import evaluate
from bathyx.core.inside.fittings import usual
from bathyx.core.inside.straps import Strap, blocks_of, laid, leg_pull_n
from bathyx.core.job import read_job
from bathyx.core.sheet.makeup.rims import triangles_of
from tests.conftest import job_with


def strapped(*places, **more):
    filler = usual("filler", "filler", "top", 150, 70)
    return job_with(**{"inside.straps": [Strap(at_mm=x, **more) for x in places], "inside.fittings": [filler]})


def box_skin(low, high):
    lo, hi = np.array(low, float), np.array(high, float)
    x, y, z = ((lo[k], hi[k]) for k in range(3))
    corners = np.array([(a, b, c) for c in z for b in y for a in x])  # in the order of triangles_of
    return triangles_of(corners)


@pytest.mark.parametrize(("rubber", "t", "foot"), [(3, 3, 50), (0, 2, 0), (10, 6, 80)])
def test_over_a_box_it_is_two_sides_a_top_and_two_quarter_turns(rubber, t, foot):
    (band,) = laid(
        box_skin((0, -200, 0), (600, 200, 300)), [Strap(at_mm=300, rubber_mm=rubber, thickness_mm=t, foot_mm=foot)]
    )
    closed = 2 * 300 + 400 + math.pi * (rubber + t / 2) + 2 * foot
    assert band.cut_mm == pytest.approx(closed, rel=1e-3)
    assert np.ptp(band.outer[:, 0]) == pytest.approx(400 + 2 * (rubber + t), abs=1e-6)


def test_over_a_lying_cylinder_it_is_half_round_and_down_upright():
    turn = np.linspace(0, 2 * math.pi, 241)
    ring = 150 * np.stack([np.cos(turn), np.sin(turn)], axis=1)
    skin = [[(0, *a), (500, *a), (500, *b)] for a, b in pairwise(ring)]
    skin += [[(0, *a), (500, *b), (0, *b)] for a, b in pairwise(ring)]
    (band,) = laid(np.array(skin), [Strap(at_mm=250, rubber_mm=3, thickness_mm=3, foot_mm=0)])
    assert band.cut_mm == pytest.approx(math.pi * (150 + 4.5) + 2 * 150, rel=1e-3)


def test_a_hollow_is_spanned_and_a_strap_beside_the_tank_is_left_out():
    two = np.concatenate([box_skin((0, 0, 0), (500, 100, 300)), box_skin((0, 300, 0), (500, 400, 300))])
    bands = laid(two, [Strap(at_mm=250, rubber_mm=0, thickness_mm=1, foot_mm=0), Strap(at_mm=900)])
    assert [b.number for b in bands] == [0]
    assert bands[0].cut_mm == pytest.approx(400 + 600 + math.pi * 0.5, rel=1e-3)


def test_its_blocks_hold_the_metal():
    (band,) = laid(
        box_skin((0, 0, 0), (600, 400, 300)), [Strap(at_mm=300, width_mm=40, thickness_mm=4, rubber_mm=6, foot_mm=0)]
    )
    volume = 0.0
    for block in blocks_of(band):
        triangles = triangles_of(block)
        volume += (
            abs(float(np.einsum("ij,ij->i", triangles[:, 0], np.cross(triangles[:, 1], triangles[:, 2])).sum())) / 6
        )
    around = 40 * 4 * (400 + 600 + math.pi * 8)  # its middle line 8 mm off the tank
    assert volume == pytest.approx(around, rel=5e-3)


def test_each_leg_carries_its_share_of_twice_the_weight():
    """Common practice: mounts carry the full tank at twice its weight."""
    assert leg_pull_n(60, 0.3, 2) == pytest.approx(60 * 9.80665 * 2 / 4)
    assert leg_pull_n(60, 2.5, 1) == pytest.approx(60 * 9.80665 * 3.5 / 2)
    assert leg_pull_n(60, 0, 0) == math.inf


def test_it_takes_room_to_either_side_and_above_is_cut_and_kept():
    bare, banded = evaluate(job_with()), evaluate(strapped(60.0, rubber_mm=5, thickness_mm=3))
    low = bare.results.spare.value
    assert low - 16 - 1e-6 <= banded.results.spare.value <= low - 8 + 1e-6
    assert any("strap 1" in s.detail and "40x3 flat" in s.detail for s in steps(banded))
    assert read_job(banded.job.to_json()) == banded.job
    assert "straps" not in job_with().to_json()


def test_every_room_counts_the_room_that_straps_take():
    """A box that fits by 4 mm does not with bands of 6 mm, and who says so says the same figure."""
    job = strapped()
    e = evaluate(job)
    out = e.results.outside
    banded = evaluate(strapped(60.0, 240.0))
    assert banded.results.strapped.width_mm == pytest.approx(out.width_mm + 12)
    assert banded.results.strapped.height_mm == pytest.approx(out.height_mm + 6)
    over = out.height_mm - e.results.room.height_mm
    grown = evaluate(strapped(60.0, 240.0).edited("tank.height_mm", job.tank.height_mm - over - 4))
    stop = next(f for f in grown.findings if f.code == "fit.space" and f.where == "size:height")
    assert "2 mm too long" in stop.message
    assert grown.results.spare.value <= -2 + 1e-6


def said(job):
    return [f for f in evaluate(job).findings if f.code == "inside.strap"]


def test_what_lies_under_it_is_said_and_moved_clear_of():
    job = strapped(150.0)
    (found,) = [f for f in said(job) if "lies over" in f.message]
    assert "filler" in found.message
    moved = found.remedy.apply(job)
    assert abs(moved.inside.straps[0].at_mm - 150) == pytest.approx(40 / 2 + 80 / 2 + 10, abs=5)
    assert not [f for f in said(moved) if "lies over" in f.message]


def test_bare_metal_beside_the_tank_and_thin_bands_are_said():
    words = " ".join(f.message for f in said(strapped(60.0, 5000.0, rubber_mm=0)))
    assert "no rubber" in words
    assert "beside the tank" in words
    heavy = strapped(60.0, width_mm=10, thickness_mm=0.1)
    (thin,) = [f for f in said(heavy) if "MPa" in f.message]
    assert not [f for f in said(thin.remedy.apply(heavy)) if "MPa" in f.message]


def test_the_mounts_count_as_said():
    assert not [f for f in evaluate(strapped(60.0, 200.0)).findings if f.code == "tank.mounts"]
