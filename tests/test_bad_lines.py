"""Bad gauge lines: what is taken is true, what is wrong is said, no verdict lies. The table: python -m tools.attacks.bad_lines."""

import pytest

from tools.attacks.bad_lines import GOOD, KINDS, LEAK_ML_MIN, play


@pytest.mark.parametrize("kind", KINDS)
def test_ten_minutes_of_a_bad_line(kind):
    leaking = play(kind, LEAK_ML_MIN)
    assert leaking.wrong == 0
    assert leaking.verdict != "tight"
    if kind in GOOD:
        assert (leaking.said, leaking.taken, leaking.verdict) == (0, 601, "leaks")
    else:
        assert leaking.said > 0
    assert play(kind, 0.0).verdict != "leaks"
