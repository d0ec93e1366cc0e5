"""Pools cut off behind steps: by hand, and drained cell by cell on a grid."""

import heapq
import math

import numpy as np
import pytest
import shapely
from hypothesis import assume, given
from hypothesis import strategies as st
from shapely.geometry import Polygon

from bathyx.core.evaluate import evaluate
from bathyx.core.geometry.outline import polygon_area
from bathyx.core.geometry.pools import Drained, _below
from bathyx.core.inside.fittings import usual
from bathyx.core.tank.attitude import attitude
from bathyx.core.tank.profile import Chamfer, Jog
from tests.conftest import box, job_with

STEPPED = box(600, 400, 300, jog=Jog(end="rear", length_mm=250, rise_mm=100))


def drained(shell, trim=0.0, heel=0.0):
    turn = attitude(trim, heel)
    return Drained([(f.loop @ turn.T, turn @ f.normal) for f in shell.faces]), turn


def flooded(tank, inlet, trim, heel, n=90):
    """Litres left, by draining a grid of the plan from the inlet: the spill level of each column is its lowest way out."""
    shell = tank.shell()
    turn = attitude(trim, heel)
    xs = (np.arange(n) + 0.5) / n * tank.length_mm
    ys = (np.arange(n) + 0.5) / n * tank.width_mm
    profile = np.array([(x, z) for _, x, z in tank.profile()])
    # floor and roof of each column in the tank's own frame; tilts are small enough that columns stay columns
    from shapely.geometry import LineString, Polygon

    side = Polygon(profile)
    floor, roof = np.empty(n), np.empty(n)
    for i, x in enumerate(xs):
        cut = side.intersection(LineString([(x, -10), (x, 10_000)]))
        floor[i], roof[i] = cut.bounds[1], cut.bounds[3]
    gx, gy = np.meshgrid(xs, ys, indexing="ij")
    up = turn[2]
    low = up[0] * gx + up[1] * gy + up[2] * floor[:, None]
    i0, j0 = int(inlet[0] / tank.length_mm * n), int(inlet[1] / tank.width_mm * n)
    start = float(up @ inlet)
    spill = np.full((n, n), np.inf)
    queue = [(max(start, float(low[i0, j0])), i0, j0)]
    spill[i0, j0] = queue[0][0]
    while queue:
        level, i, j = heapq.heappop(queue)
        if level > spill[i, j]:
            continue
        for a, b in ((i + 1, j), (i - 1, j), (i, j + 1), (i, j - 1)):
            if 0 <= a < n and 0 <= b < n:
                through = max(level, float(low[a, b]))
                if through < spill[a, b]:
                    spill[a, b] = through
                    heapq.heappush(queue, (through, a, b))
    tall = np.clip((spill - low) / up[2], 0, (roof - floor)[:, None])
    return float(tall.sum()) * (xs[1] - xs[0]) * (ys[1] - ys[0]) / 1e6, shell


def test_a_level_step_drains_to_the_inlet_and_leaves_nothing_on_the_jog_floor():
    shell = STEPPED.shell()
    pools, _ = drained(shell)
    assert pools.single


def test_behind_a_step_the_far_pool_stays_as_high_as_its_sill():
    """Rear down by 20 degrees: a wedge stays on the jog floor behind the edge of the step, by hand a triangle."""
    shell = STEPPED.shell()
    pools, turn = drained(shell, trim=20.0)
    assert not pools.single
    inlet = turn @ np.array([330.0, 200.0, 1.0])
    slope = math.tan(math.radians(20))
    wall = slope * 250  # the surface through the step's edge meets the rear wall this high above the jog floor
    behind = 250 * wall / 2
    before = (1 + 20 * slope) ** 2 / slope / 2  # in the corner between floor and riser, to the inlet's level
    expected = (behind + before) * 400
    assert pools.retained_mm3([inlet], 1e9) == pytest.approx(expected, rel=1e-4)


@pytest.mark.parametrize(("trim", "heel"), [(12, 0), (-12, 0), (15, 8), (-9, -14), (10, 10)])
@pytest.mark.parametrize("end", ["front", "rear"])
def test_what_stays_is_what_a_grid_drained_cell_by_cell_keeps(trim, heel, end):
    tank = box(500, 400, 300, jog=Jog(end=end, length_mm=200, rise_mm=80, run_mm=30))
    inlet = np.array([330.0 if end == "front" else 170.0, 130.0, 12.0])
    expected, shell = flooded(tank, inlet, trim, heel)
    pools, turn = drained(shell, trim, heel)
    got = pools.retained_mm3([turn @ inlet], 1e9) / 1e6
    assert got == pytest.approx(expected, abs=0.02 * shell.volume_mm3 / 1e6)


def test_a_second_pickup_reaches_the_far_pool():
    shell = STEPPED.shell()
    pools, turn = drained(shell, trim=20.0)
    near, far = turn @ np.array([330.0, 200.0, 1.0]), turn @ np.array([590.0, 200.0, 101.0])
    one, both = pools.retained_mm3([near], 1e9), pools.retained_mm3([near, far], 1e9)
    assert both < 0.35 * one


def test_a_pool_never_holds_more_than_was_filled():
    shell = STEPPED.shell()
    pools, turn = drained(shell, trim=20.0)
    inlet = turn @ np.array([330.0, 200.0, 1.0])
    assert pools.retained_mm3([inlet], float(pools.heights[0]) + 20) < pools.retained_mm3([inlet], 1e9)


def test_usable_on_the_slope_leaves_out_the_pool_behind_a_step():
    feed = usual("pickup", "feed", "top", 100, 200)
    edits = {"inside__fittings": [feed], "inside__baffles__by_rule": False, "brief__braking_g": 0.0}
    plain = evaluate(job_with(box(600, 400, 300), brief__slope_deg=20.0, **edits)).results.capacity
    stepped = evaluate(job_with(STEPPED, brief__slope_deg=20.0, **edits)).results.capacity
    slope = math.tan(math.radians(20))
    assert stepped.unusable_tilted_l > 250 * slope * 250 / 2 * 400 / 1e6
    assert plain.unusable_tilted_l != stepped.unusable_tilted_l


def test_roll_leaves_more_behind_than_pitch_alone():
    feed = usual("pickup", "feed", "top", 150, 60)
    edits = {"inside__fittings": [feed], "inside__baffles__by_rule": False, "brief__braking_g": 0.0}
    still = evaluate(job_with(**edits)).results.capacity
    rolled = evaluate(job_with(brief__roll_deg=10.0, **edits)).results.capacity
    assert rolled.unusable_tilted_l > 1.5 * still.unusable_tilted_l
    assert "left end up" in rolled.usable_tilted.working  # the pickup stands at the left: fluid runs away from it


def test_a_chamfered_corner_makes_no_pool_of_its_own():
    tank = box(400, 300, 200, chamfers=(Chamfer(corner="front_top", along_mm=60, up_mm=60),))
    for trim, heel in ((0, 0), (15, 0), (-15, 10)):
        assert drained(tank.shell(), trim, heel)[0].single


@given(st.integers(0, 10_000), st.integers(5, 24), st.floats(0.02, 0.98))
def test_a_face_cut_at_a_level_falls_into_the_pieces_that_a_geometry_library_finds(seed, corners, share):
    """Combs, stars and steps standing in space, against `shapely`; the quick way and the library's agree in number and area."""
    dice = np.random.default_rng(seed)
    if seed % 2:
        turn = np.sort(dice.uniform(0, 2 * np.pi, corners))
        flat = np.column_stack([np.cos(turn), np.sin(turn)]) * dice.uniform(20, 300, corners)[:, None]
    else:
        x = np.sort(dice.uniform(0, 400, corners))
        flat = np.concatenate([np.column_stack([x, dice.uniform(10, 200, corners)]), [[400.0, 300.0], [0.0, 300.0]]])
    shape = Polygon(flat)
    assume(shape.is_valid and shape.area > 100)
    if not shape.exterior.is_ccw:
        flat = flat[::-1]
    along = np.array([0.6, 0.8, 0.0])
    loop = flat[:, :1] * along + flat[:, 1:] * np.array([0.0, 0.0, 1.0])
    low, high = loop[:, 2].min(), loop[:, 2].max()
    level = float(low + share * (high - low))
    assume(np.abs(loop[:, 2] - level).min() > 1e-3)
    pieces = _below(loop, level)
    cut = shape.intersection(shapely.box(flat[:, 0].min() - 1, low - 1, flat[:, 0].max() + 1, level))
    wanted = sorted(p.area for p in getattr(cut, "geoms", [cut]) if p.geom_type == "Polygon" and p.area > 1e-6)
    found = sorted(polygon_area(np.column_stack([p @ along, p[:, 2]])) for p in pieces)
    assert found == pytest.approx(wanted, rel=1e-9, abs=1e-6)
