"""The pressure trace as it is drawn: readings where they belong, in either family, and nothing that ends it."""

import math

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor

from bathyx.core.proving.decay import Sample
from bathyx.core.units import Family
from bathyx.desk.theme import Theme
from bathyx.desk.views.trace import Trace, ticks


@pytest.fixture
def trace(qtbot):
    made = Trace(Theme())
    made.resize(640, 480)
    qtbot.addWidget(made)
    made.show()
    return made


def readings(n=120, kpa=21.0, fall=0.4):
    return [Sample(30.0 * k, kpa - fall * k / n, 20.0 + math.sin(k / 9)) for k in range(n)]


def test_readings_are_drawn_where_they_belong(trace, qtbot):
    samples = readings()
    trace.show_samples(samples, Family.METRIC)
    upper, lower = trace.plots()
    assert upper.low < 20.6 < 21.0 < upper.high
    assert upper.place.bottom() < lower.place.top()
    first, last = trace.spot(upper, 0.0, 21.0), trace.spot(upper, samples[-1].t_s / 60, 20.6)
    assert first.x() == pytest.approx(upper.place.left())
    assert last.x() == pytest.approx(upper.place.right())
    assert first.y() < last.y()  # it falls
    picture = trace.grab().toImage()
    paper = Theme().colour("paper").name()
    seen = {
        QColor(picture.pixel(int(first.x()) + dx, int(first.y()) + dy)).name() for dx in (1, 2, 3) for dy in (-1, 0, 1)
    }
    assert seen - {paper}


def test_in_inches_it_is_in_psi_and_fahrenheit(trace, qtbot):
    trace.show_samples(readings(), Family.US)
    upper, lower = trace.plots()
    assert "psi" in upper.title
    assert "°F" in lower.title
    assert 2.9 < upper.low < upper.high < 3.1
    assert 65.5 < lower.low < lower.high < 70.5
    assert "kPa" not in trace.told()
    qtbot.mouseMove(trace, QPointF(300, 100).toPoint())
    assert not trace.grab().isNull()


@pytest.mark.parametrize(
    "samples",
    [
        [],
        readings(1),
        [Sample(30.0 * k, 21.0, 20.0) for k in range(50)],  # nothing moves
        [Sample(30.0 * k, math.nan if k % 3 else 21.0, math.nan) for k in range(50)],
        [Sample(30.0 * k, 1e-9 * k, -40.0) for k in range(50)],
        readings(30_000, fall=25.0),
    ],
    ids=["none", "one", "still", "holes", "tiny", "long"],
)
def test_whatever_was_read_is_drawn(trace, samples):
    with np.errstate(all="raise"):
        trace.show_samples(samples, Family.METRIC)
    assert not trace.grab().isNull()
    assert trace.accessibleDescription()
    assert trace.cursor().shape() == Qt.CursorShape.ArrowCursor


@pytest.mark.parametrize(("low", "high"), [(0.0, 1.0), (20.91, 21.08), (-5.0, 1e6), (1e-7, 2e-7)])
def test_ticks_are_round_and_within(low, high):
    found = ticks(low, high)
    assert 2 <= len(found) <= 12
    steps = np.diff(found)
    assert np.allclose(steps, steps[0])
    assert low - 1e-9 * abs(low) <= found[0] <= found[-1] <= high * (1 + 1e-9)
    mantissa = steps[0] / 10 ** math.floor(math.log10(steps[0]) + 1e-9)
    assert any(math.isclose(mantissa, k, rel_tol=1e-6) for k in (1, 2, 5))


def test_readings_that_come_between_two_looks_are_no_fault(trace):
    """The list that is shown goes on growing while it is held; what is drawn is what was shown."""
    live = []
    trace.show_samples(live, Family.METRIC)
    live += readings(40)
    assert trace.plots() == ()
    assert not trace.grab().isNull()
    trace.show_samples(live, Family.METRIC)
    drawn = len(trace.samples)
    live += readings(40)
    assert not trace.grab().isNull()
    assert len(trace.samples) == drawn
    live.clear()
    assert not trace.grab().isNull()
