"""Which one of several readings that overlap is wrong: each is told from all the others, and the worst is named."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from statistics import NormalDist

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float64]
# A clean set is accused in about this share of cases at most, whatever its size.
FALSE_ALARM = 0.05
# How much more likely than the next one the accused must be: e^(5/2), about twelve times.
AHEAD = 5.0


@dataclass(frozen=True)
class Doubt:
    """Reading `index` is off by `off_mm` (positive: too long) against what the others say, give or take `sd_mm`.

    `or_index`: another that would explain it nearly as well, None where there is none.
    """

    index: int
    off_mm: float
    sd_mm: float
    or_index: int | None = None


def told_apart(misfit: Array, spread: Array) -> tuple[Array, Array]:
    """(how far each reading is off against all the others, its standard deviation), each (n,).

    Args:
        misfit: (n,) readings less what the model's middle says.
        spread: (n, n) covariance of the misfits: of the model's freedom and the tape together.

    Leave-one-out of a Gaussian: off_i = (S⁻¹ r)_i / (S⁻¹)_ii with variance 1 / (S⁻¹)_ii (linear algebra; e.g. Rasmussen &
    Williams, Gaussian Processes, eq. 5.12, from memory).

    >>> off, sd = told_apart(np.array([9.0, 0.0, 0.0]), np.eye(3) + 100.0)
    >>> [round(float(x), 1) for x in off]
    [9.0, -4.5, -4.5]
    """
    inverse = np.linalg.inv(spread)
    weight = np.diag(inverse)
    return inverse @ misfit / weight, 1 / np.sqrt(weight)


def worst(misfit: Array, spread: Array) -> Doubt | None:
    """The reading that does not belong to the others, None where all of them may be right; arguments as in `told_apart`."""
    n = len(misfit)
    if n < 2:
        return None
    off, sd = told_apart(misfit, spread)
    score = (off / sd) ** 2
    order = np.argsort(-score)
    limit = NormalDist().inv_cdf(1 - FALSE_ALARM / (2 * n)) ** 2
    first, second = int(order[0]), int(order[1])
    if score[first] < limit:
        return None
    close = score[first] - score[second] < AHEAD
    return Doubt(first, float(off[first]), float(sd[first]), second if close else None)


def likeliest(misfit: Array, spreads: Iterable[Array], rare: float) -> Doubt | None:
    """The reading that does not belong, where the freedom of the model is not known beforehand.

    Args:
        misfit: (n,) readings less the model's middle.
        spreads: (n, n) covariances to choose from.
        rare: mm; how much a gross error must be worth: the range it may lie in over how often there is one.

    For each covariance the likelihood of all readings is held against that of all but one, whose own value then is anything (Bayes
    factor; Rasmussen & Williams, eq. 2.30 and 5.12, from memory). None where no error is likelier.
    """
    n = len(misfit)
    best, found = -math.inf, None
    for spread in spreads:
        lower = np.linalg.cholesky(spread)
        half = np.linalg.solve(lower, misfit)
        all_right = -0.5 * float(half @ half) - float(np.log(np.diag(lower)).sum()) - 0.5 * n * math.log(2 * math.pi)
        off, sd = told_apart(misfit, spread)
        without = all_right + 0.5 * (off / sd) ** 2 + np.log(sd * math.sqrt(2 * math.pi)) - math.log(n * rare)
        order = np.argsort(-without)
        first, second = int(order[0]), int(order[1])
        if all_right > best:
            best, found = all_right, None
        if without[first] > best:
            near = without[first] - without[second] < AHEAD / 2
            best, found = (
                float(without[first]),
                Doubt(first, float(off[first]), float(sd[first]), second if near else None),
            )
    return found
