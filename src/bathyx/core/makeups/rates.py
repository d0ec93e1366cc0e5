"""What work costs by operation: the shop's own rates, here as estimates to be replaced."""

from __future__ import annotations

from dataclasses import dataclass

from bathyx.core.formula import formula


@dataclass(frozen=True)
class Rates:
    """Minutes by operation, and money for an hour. Fitting and tacking are in the weld's minutes."""

    weld_min_m: float = 18.0
    cut_min_m: float = 1.5
    bend_min: float = 4.0
    part_min: float = 6.0
    hour: float = 60.0


WORK = formula(
    "makeups.minutes",
    "Minutes of work",
    "minutes = weld × 18 a metre + cut × 1.5 a metre + bends × 4 + parts × 6",
    source="Engineering estimate for hand TIG on thin sheet with fit-up and cleaning; no published rate",
    valid="to hold one make-up against another; not for a quotation",
    check="tests/core/test_make_ups.py: sums by hand",
    tolerance="a factor of 2 either way; the shop's own rates are what counts",
)
