"""A way in is led where there is air: held against the same path pushed pose by pose, and looked over on its own."""

from itertools import pairwise

import numpy as np
import pytest

from bathyx.core.wayin.air import aired, bounds_of, brief, level
from bathyx.core.wayin.path import CLOSE_MM, eased, shortened, tightest, trimmed
from bathyx.core.wayin.pose import between
from bathyx.core.wayin.slide import moved
from bathyx.core.wayin.through import looks
from tools.way_puzzles import PUZZLES, looked_for


def always():
    return True


@pytest.mark.parametrize(("name", "least"), [("ell", 0.3), ("on_end", 1.0)])
def test_the_whole_way_is_led_to_more_air_in_few_moves(name, least):
    seed = {"ell": 1, "on_end": 2}[name]
    scene, path = looked_for(*PUZZLES[name](3.0), seed, 120.0)
    short = shortened(scene, path, np.random.default_rng(seed), always)
    pushed = tightest(scene, eased(scene, short, looks(scene, always, 8000), (False, True)), CLOSE_MM).mm
    row = aired(scene, short, looks(scene, always, 24_000), (False, True))
    led = brief(scene, row, always, 1.0)
    air = tightest(scene, led, CLOSE_MM).mm
    assert air > least
    assert air > pushed + 0.1
    assert len(led) - 1 <= 14
    assert led[-1] is short[-1]  # the seat stays
    assert level(scene, led) <= air + 2.0
    for a, b in pairwise(led):  # a second look that shares no code with how the air was measured
        for share in np.linspace(0, 1, 60):
            assert not scene.hits(between(a, b, float(share)))


def test_what_a_small_move_is_told_to_leave_is_left():
    """The planes of `bounds_of` against the true air, over random small moves of a tank half way through a slot."""
    scene, path = looked_for(*PUZZLES["plate"](3.0), 1, 120.0)
    rng, checked = np.random.default_rng(4), 0
    for pose in path[:: max(1, len(path) // 12)]:
        a, b = bounds_of(scene, pose)
        if not len(b):
            continue
        for _ in range(20):
            step = rng.normal(0, 0.15, 6)
            told = float((a @ step + b).min())
            if 0.2 < told < 20.0:
                assert scene.gap(moved(scene, pose, step)) > told - 0.08
                checked += 1
    assert checked > 40


def test_a_path_does_without_what_it_can_do_without():
    """Straight down in three moves is one, with the air that it had; a corner that is needed stays."""
    scene, path = looked_for(*PUZZLES["on_end"](40.0), 1, 120.0)
    short = shortened(scene, path, np.random.default_rng(1), always)
    air = tightest(scene, short, CLOSE_MM).mm
    parted = [pose for a, b in pairwise(short) for pose in (a, between(a, b, 0.3), between(a, b, 0.7))] + [short[-1]]
    few = trimmed(scene, parted, air)
    assert 2 <= len(few) <= len(short)
    assert few[0] is short[0]
    assert few[-1] is short[-1]
    assert tightest(scene, few, CLOSE_MM).mm >= air - 0.05
    for k in range(1, len(few) - 1):
        assert tightest(scene, [few[k - 1], few[k + 1]], CLOSE_MM).mm < air
