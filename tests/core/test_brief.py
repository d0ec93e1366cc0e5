"""The three ways a wish is said."""

import pytest

from bathyx.core.brief import CapacityWanted, RunningTime, SystemShare


def test_running_time_is_consumption_times_hours_plus_reserve():
    assert RunningTime(litres_per_hour=3, hours=10, reserve_share=0.2).wanted.value == pytest.approx(36)


def test_a_can_that_runs_3_to_5_minutes_on_0_2_l_runs_30_to_45_on_1_9():
    """Common practice: 0.2 L for 3 to 5 min means 1.9 L for 30 to 45."""
    for minutes, runs in ((3, 28.5), (5, 47.5)):
        rate = 0.2 / (minutes / 60)
        assert RunningTime(litres_per_hour=rate, hours=runs / 60, reserve_share=0).wanted.value == pytest.approx(1.9)


def test_a_share_of_a_system():
    assert SystemShare(system_litres=10, share=0.1).wanted.value == pytest.approx(1.0)


def test_a_capacity_is_taken_as_said_and_explains_itself():
    figure = CapacityWanted(litres=50).wanted
    assert figure.value == 50
    assert "Source:" in figure.explain()
