"""The test designer: the hold it asks for decides, and where none does it says what would."""

import pytest

from bathyx.core.proving.designer import design
from bathyx.core.proving.gauges import GaugeKind, Surroundings
from bathyx.core.proving.rehearsal import Bench
from bathyx.core.proving.sees import bubbles_per_s, drops_per_hour, leak_words

FINE = GaugeKind(name="fine", resolution_kpa=0.001, temp_resolution_c=0.01, temp_lag_s=60, barometer=True)


def test_a_smaller_volume_is_decided_sooner():
    small = design(Bench(5.0), 2.0, FINE, Surroundings(altitude_m=0))
    large = design(Bench(60.0), 2.0, FINE, Surroundings(altitude_m=0))
    assert small.hold_min < large.hold_min
    assert [p.half_width for p in large.points[:5]] == sorted((p.half_width for p in large.points[:5]), reverse=True)


def test_where_the_barometer_hides_the_limit_it_says_read_one():
    blind = FINE.model_copy(update={"barometer": False})
    found = design(Bench(60.0), 2.0, blind, Surroundings(altitude_m=0))
    assert found.hold_min is None
    advice = "\n".join(found.advice)
    assert "barometer read beside the gauge" in advice
    assert "min decide it" in advice
    assert "Soap sees" in advice


def test_the_search_can_be_stopped():
    assert design(Bench(60.0), 2.0, FINE, stopped=lambda: True).points == ()


def test_a_bubble_of_3_mm_a_second_is_0_85_ml_a_minute():
    """Sphere of 3 mm: 14.1 cubic mm; 60 of them a minute."""
    assert bubbles_per_s(0.848) == pytest.approx(1.0, rel=0.01)
    assert "every 2 s" in leak_words(0.42)


def test_a_crack_passes_far_less_liquid_than_air():
    drops = drops_per_hour(2.0, 20.0, 2.5, 3e-3)
    assert 0.5 < drops < 5
    with pytest.raises(ValueError, match="above zero"):
        drops_per_hour(2.0, 0.0, 2.5, 3e-3)
