"""A piecewise polynomial: what a dip curve is made of.

SciPy's `PPoly` does the same; importing it loads the whole of scipy.interpolate and scipy.optimize, half of what a start of
Bathyx took, for one evaluation by Horner's rule. It stays the outside check of this one.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from bathyx.core.geometry.shell import Array


@dataclass(frozen=True, eq=False)
class Pieces:
    """`c` (k, m): coefficients, highest power first, of m polynomials in (z - left break); `x` (m + 1,): breaks, rising."""

    c: Array
    x: Array

    def __call__(self, z: Array | float) -> Array:
        """Values at `z`, any shape; beyond the breaks the outermost polynomials go on."""
        at = np.asarray(z, float)
        piece = np.clip(np.searchsorted(self.x, at, side="right") - 1, 0, self.c.shape[1] - 1)
        off = at - self.x[piece]
        total = self.c[0, piece]
        for row in self.c[1:]:
            total = total * off + row[piece]
        return np.asarray(total)

    def derivative(self) -> Pieces:
        """The slope, a degree lower."""
        powers = np.arange(len(self.c) - 1, 0, -1)[:, None]
        return Pieces(self.c[:-1] * powers, self.x)

    def antiderivative(self) -> Pieces:
        """The integral from the first break, continuous, a degree higher."""
        k = len(self.c)
        raised = np.vstack([self.c / np.arange(k, 0, -1)[:, None], np.zeros((1, self.c.shape[1]))])
        width = np.diff(self.x)
        whole = np.zeros_like(width)
        for row in raised[:-1]:
            whole = (whole + row) * width
        raised[-1, 1:] = np.cumsum(whole)[:-1]
        return Pieces(raised, self.x)
