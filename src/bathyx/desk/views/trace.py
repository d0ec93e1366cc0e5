"""The pressure trace: gauge pressure as read and brought to one temperature, and the temperature under it."""

from __future__ import annotations

import itertools

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

from bathyx.core.proving.decay import Sample, steady_gauge_kpa
from bathyx.core.units import Family, unit_of
from bathyx.desk.theme import FAMILY, Theme, type_of
from bathyx.desk.views.names import name_all

COLUMNS = 300


class Trace(QWidget):
    """Two plots over one time axis."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        import pyqtgraph

        self.theme = theme
        self.setObjectName("trace")
        pyqtgraph.setConfigOptions(antialias=True)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.plots = pyqtgraph.GraphicsLayoutWidget()
        column.addWidget(self.plots)
        name_all(self)
        self.pressure = self.plots.addPlot(row=0, col=0)
        self.temperature = self.plots.addPlot(row=1, col=0)
        self.temperature.setXLink(self.pressure)
        self.plots.ci.layout.setRowStretchFactor(0, 3)
        self.plots.ci.layout.setRowStretchFactor(1, 1)
        self.raw = self.pressure.plot()
        self.steady = self.pressure.plot()
        self.warmth = self.temperature.plot()
        for curve in (self.raw, self.steady, self.warmth):
            # A thick zigzag as one path takes seconds to stroke; as pieces it does not.
            curve.curve.setSegmentedLineMode("on")
        for plot in (self.pressure, self.temperature):
            plot.setMenuEnabled(False)
            plot.hideButtons()
            plot.getAxis("left").setWidth(74)
        self.empty = QLabel("No readings yet.\nConnect a gauge, bring the tank to pressure, start the hold.", self)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.empty.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.dress()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Keep the empty words in the middle."""
        self.empty.setGeometry(self.rect())
        super().resizeEvent(event)

    def dress(self) -> None:
        """Colours and type of the theme."""
        import pyqtgraph

        c = self.theme.colour
        self.plots.setBackground(c("paper"))
        for plot in (self.pressure, self.temperature):
            plot.showGrid(x=True, y=True, alpha=0.25)
            for side in ("left", "bottom"):
                axis = plot.getAxis(side)
                axis.setPen(c("thin"))
                axis.setTextPen(c("ink"))
                axis.setStyle(tickFont=type_of(9))
        self.raw.setPen(pyqtgraph.mkPen(c("thin"), width=1.2))
        self.steady.setPen(pyqtgraph.mkPen(c("accent"), width=3))
        self.warmth.setPen(pyqtgraph.mkPen(c("brass"), width=2))

    def show_samples(self, samples: list[Sample], units: Family) -> None:
        """The readings of a run."""
        unit = unit_of("pressure", units)
        style = {"color": self.theme.colour("ink").name(), "font-size": "10pt", "font-family": FAMILY}
        self.pressure.setLabel("left", f"gauge {unit.sign}", **style)
        self.pressure.setLabel("bottom", "thin: as read, thick: brought to the first temperature", **style)
        self.temperature.setLabel("left", "gas °C", **style)
        self.temperature.setLabel("bottom", "minutes", **style)
        self.empty.setVisible(not samples)
        self.plots.setVisible(bool(samples))
        if not samples:
            for curve in (self.raw, self.steady, self.warmth):
                curve.setData([], [])
            return
        t = np.array([s.t_s for s in samples]) / 60
        raw = np.array([s.gauge_kpa for s in samples])
        steady = steady_gauge_kpa(samples)
        self.raw.setData(*envelope(t, raw / unit.size))
        self.steady.setData(*envelope(t, steady / unit.size))
        self.warmth.setData(*envelope(t, np.array([s.temp_c for s in samples])))


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
