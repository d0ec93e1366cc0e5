"""The pressure trace: gauge pressure as read and brought to one temperature, and the temperature under it."""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from bathyx.core.proving.decay import Sample, steady_gauge_kpa
from bathyx.core.units import Family, displayed, show, unit_of
from bathyx.desk.theme import Theme, type_of

COLUMNS, TICKS, EMPTY = 300, 6, "No readings yet.\nConnect a gauge, bring the tank to pressure, start the hold."
LEFT, RIGHT, HEAD, FOOT, GAP, UPPER, LEAST_ROOM = 78.0, 18.0, 30.0, 86.0, 34.0, 0.72, 1e-4


@dataclass(frozen=True, eq=False)
class Curve:
    """A line of a plot: minutes and values (n,), the colour's role, how thick."""

    t: np.ndarray
    y: np.ndarray
    ink: str
    width: float


@dataclass(frozen=True, eq=False)
class Plot:
    """Curves over one axis of values: where it is drawn, from what to what, and its words."""

    place: QRectF
    low: float
    high: float
    title: str
    curves: tuple[Curve, ...]


class Trace(QWidget):
    """Two plots over one time axis; the readings under the pointer are said."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.setObjectName("trace")
        self.setAccessibleName("Pressure trace")
        self.setMouseTracking(True)
        self.setMinimumSize(260, 200)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.units = Family.METRIC
        self.samples: list[Sample] = []
        self.curves: tuple[tuple[Curve, ...], tuple[Curve, ...]] = ((), ())
        self._pointed: float | None = None

    def dress(self) -> None:
        """Colours and type of the theme."""
        self.update()

    def show_samples(self, samples: list[Sample], units: Family) -> None:
        """The readings of a run."""
        self.samples, self.units = list(samples), units  # theirs goes on growing; what is drawn belongs together
        self.curves = ((), ())
        if samples:
            t = np.array([s.t_s for s in samples]) / 60

            def curve(read: np.ndarray, kind: str, ink: str, width: float) -> Curve:
                return Curve(*envelope(t, displayed(read, kind, units)), ink, width)

            raw, warmth = np.array([s.gauge_kpa for s in samples]), np.array([s.temp_c for s in samples])
            self.curves = (
                (curve(raw, "pressure", "thin", 1.2), curve(steady_gauge_kpa(samples), "pressure", "accent", 3.0)),
                (curve(warmth, "temperature", "brass", 2.0),),
            )
        self.setAccessibleDescription(self.told())
        self.update()

    def told(self) -> str:
        """What it shows, in words."""
        if not self.samples:
            return EMPTY.replace("\n", " ")
        first, last = self.samples[0], self.samples[-1]
        return (
            f"{len(self.samples)} readings over {(last.t_s - first.t_s) / 60:.0f} min: from "
            f"{show(first.gauge_kpa, 'pressure', self.units)} to {show(last.gauge_kpa, 'pressure', self.units)}, the gas at "
            f"{show(first.temp_c, 'temperature', self.units, places=1)} and "
            f"{show(last.temp_c, 'temperature', self.units, places=1)}"
        )

    # -- where things are --------------------------------------------------------------------------------------------

    def plots(self) -> tuple[Plot, ...]:
        """Both plots as they are laid out now; none without readings."""
        if not self.samples:
            return ()
        wide, tall = self.width() - LEFT - RIGHT, self.height() - HEAD - FOOT - GAP
        signs = unit_of("pressure", self.units).sign, unit_of("temperature", self.units).sign
        places = (
            QRectF(LEFT, HEAD, wide, tall * UPPER),
            QRectF(LEFT, HEAD + tall * UPPER + GAP, wide, tall * (1 - UPPER)),
        )
        titles = (f"gauge, {signs[0]}: thin as read, thick brought to the first temperature", f"gas, {signs[1]}")
        found = []
        for place, title, curves in zip(places, titles, self.curves, strict=True):
            values = np.concatenate([c.y[np.isfinite(c.y)] for c in curves])
            low, high = (float(values.min()), float(values.max())) if len(values) else (0.0, 1.0)
            room = max(0.06 * (high - low), LEAST_ROOM * max(abs(high), abs(low), 1.0))
            found.append(Plot(place, low - room, high + room, title, curves))
        return tuple(found)

    def span(self) -> tuple[float, float]:
        """From which minute to which."""
        low, high = self.samples[0].t_s / 60, self.samples[-1].t_s / 60
        return (low, high) if high > low else (low, low + 1.0)

    def spot(self, plot: Plot, minutes: float, value: float) -> QPointF:
        """Where a reading is drawn."""
        low, high = self.span()
        x = plot.place.left() + (minutes - low) / (high - low) * plot.place.width()
        return QPointF(x, plot.place.bottom() - (value - plot.low) / (plot.high - plot.low) * plot.place.height())

    # -- hands and paint ---------------------------------------------------------------------------------------------

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Say what was read there."""
        assert event is not None
        self._pointed = event.position().x()
        self.update()

    def leaveEvent(self, _event: object) -> None:
        """Nothing is pointed at."""
        self._pointed = None
        self.update()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Frames, grid, curves, and the readings under the pointer."""
        with QPainter(self) as painter:  # put down here and now: see tests/desk/test_painting.py
            self._paint(painter)

    def _paint(self, painter: QPainter) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self.theme.colour("paper"))
        painter.setFont(type_of(9.5))
        if not self.samples:
            painter.setPen(self.theme.colour("ink"))
            painter.drawText(self.rect(), int(Qt.AlignmentFlag.AlignCenter), EMPTY)
            return
        plots = self.plots()
        for plot in plots:
            self._frame(painter, plot)
            painter.save()
            painter.setClipRect(plot.place)
            for curve in plot.curves:
                self._curve(painter, plot, curve)
            painter.restore()
        low, high = self.span()
        foot = plots[-1].place.bottom()
        painter.setPen(self.theme.colour("ink"))
        for minutes in ticks(low, high):
            x = self.spot(plots[-1], minutes, plots[-1].low).x()
            painter.drawText(QRectF(x - 40, foot + 3, 80, 16), int(Qt.AlignmentFlag.AlignCenter), f"{minutes:g}")
        painter.drawText(
            QRectF(LEFT, foot + 20, plots[-1].place.width(), 18), int(Qt.AlignmentFlag.AlignCenter), "minutes"
        )
        if self._pointed is not None:
            self._say_pointed(painter, plots, self._pointed)

    def _frame(self, painter: QPainter, plot: Plot) -> None:
        low, high = self.span()
        grid = QPen(self.theme.colour("grid"), 1.0)
        steps = ticks(plot.low, plot.high, max(2, int(plot.place.height() / 34)))
        places = max(0, -math.floor(math.log10(steps[1] - steps[0]) + 1e-9)) if len(steps) > 1 else 1
        painter.setPen(grid)
        for minutes in ticks(low, high):
            painter.drawLine(self.spot(plot, minutes, plot.low), self.spot(plot, minutes, plot.high))
        for value in steps:
            at = self.spot(plot, low, value)
            painter.setPen(grid)
            painter.drawLine(at, self.spot(plot, high, value))
            painter.setPen(self.theme.colour("ink"))
            words = QRectF(0, at.y() - 9, LEFT - 8, 18)
            painter.drawText(
                words, int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter), f"{value:.{places}f}"
            )
        painter.setPen(QPen(self.theme.colour("ink"), 1.2))
        painter.drawRect(plot.place)
        painter.drawText(QPointF(plot.place.left(), plot.place.top() - 8), plot.title)

    def _curve(self, painter: QPainter, plot: Plot, curve: Curve) -> None:
        """A thick zigzag as one path takes seconds to stroke; as lines it does not."""
        pen = QPen(self.theme.colour(curve.ink), curve.width)
        pen.setCapStyle(Qt.PenCapStyle.RoundCap)
        painter.setPen(pen)
        good = np.isfinite(curve.y)
        spots = [self.spot(plot, float(a), float(b)) for a, b in zip(curve.t[good], curve.y[good], strict=True)]
        for a, b in itertools.pairwise(spots):
            painter.drawLine(a, b)
        if len(spots) == 1:
            painter.drawPoints(QPolygonF(spots))

    def _say_pointed(self, painter: QPainter, plots: tuple[Plot, ...], x: float) -> None:
        """A line through the reading nearest to the pointer, with its figures."""
        low, high = self.span()
        at = low + (x - LEFT) / plots[0].place.width() * (high - low)
        near = min(self.samples, key=lambda s: abs(s.t_s / 60 - at))
        spot = self.spot(plots[0], near.t_s / 60, plots[0].high)
        painter.setPen(QPen(self.theme.colour("ink"), 1.0, Qt.PenStyle.DashLine))
        painter.drawLine(spot, QPointF(spot.x(), plots[-1].place.bottom()))
        said = (
            f"{near.t_s / 60:.1f} min   {show(near.gauge_kpa, 'pressure', self.units)}   "
            f"{show(near.temp_c, 'temperature', self.units, places=1)}"
        )
        wide = painter.fontMetrics().horizontalAdvance(said) + 14
        left = min(max(spot.x() - wide / 2, LEFT), self.width() - RIGHT - wide)
        box = QRectF(left, plots[0].place.top() + 4, wide, 22)
        painter.fillRect(box, self.theme.colour("paper"))
        painter.setPen(self.theme.colour("ink"))
        painter.drawRect(box)
        painter.drawText(box, int(Qt.AlignmentFlag.AlignCenter), said)


def ticks(low: float, high: float, about: int = TICKS) -> list[float]:
    """Round values from `low` to `high`, about as many as are wanted: 1, 2 or 5 times a power of ten apart.

    >>> ticks(0.0, 10.0), ticks(20.91, 21.08, 3)
    ([0.0, 2.0, 4.0, 6.0, 8.0, 10.0], [20.95, 21.0, 21.05])
    """
    rough = (high - low) / max(about, 1)
    power = 10.0 ** math.floor(math.log10(rough))
    step = next(k * power for k in (1.0, 2.0, 5.0, 10.0) if k * power >= rough * (1 - 1e-9))
    first, last = math.ceil(low / step - 1e-9), math.floor(high / step + 1e-9)
    return [round(k * step, 12) for k in range(first, last + 1)]


def envelope(t: np.ndarray, y: np.ndarray, columns: int = COLUMNS) -> tuple[np.ndarray, np.ndarray]:
    """(t, y) of at most two points a column, the lowest and the highest of it, in their order: no peak is lost.

    Args:
        t: times, (n,), rising.
        y: readings, (n,).
        columns: how many columns the plot is taken to have.
    """
    if len(t) <= 2 * columns:
        return t, y
    edges = np.linspace(0, len(t), columns + 1).astype(int)
    low = [a + int(np.argmin(y[a:b])) for a, b in itertools.pairwise(edges)]
    high = [a + int(np.argmax(y[a:b])) for a, b in itertools.pairwise(edges)]
    kept = np.unique(np.array([0, *low, *high, len(t) - 1]))
    return t[kept], y[kept]
