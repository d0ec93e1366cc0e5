"""A tank that is cut in two, shortened and joined again: the strip to cut out is less than what it loses, by the cut itself."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from bathyx.core.formula import formula
from bathyx.core.job import Job
from bathyx.errors import Refusal

KERFS = {"shears": 6.0, "saw": 2.5, "disc": 1.5, "plasma": 2.0, "laser": 0.3}
REJOINED = formula(
    "build.rejoin",
    "A tank cut and rejoined",
    "strip to cut out = shortening − kerf of one cut; joined again without a strip it is shorter by the kerf",
    source="6 mm with shears: common practice; other tools from memory",
    valid="one strip out of straight walls, cut along both its edges on its waste side but once",
    check="tests/core/test_at_the_bench.py",
    tolerance="the tool's own: cut a scrap and measure",
)
WAYS = ("length", "width", "height")


@dataclass(frozen=True)
class Rejoined:
    """What to cut out (mm), the kerf counted, and the job's changes."""

    strip_mm: float
    kerf_mm: float
    changes: dict[str, Any]


def rejoined(job: Job, way: str, by_mm: float, kerf_mm: float) -> Rejoined:
    """How to shorten a tank that is built.

    Args:
        job: of the tank.
        way: length, width or height.
        by_mm: how much shorter it shall be.
        kerf_mm: what one cut of the tool takes.

    Raises:
        Refusal: less than the cut itself takes, a way that is none, or more than the tank can lose.
    """
    if way not in WAYS:
        raise Refusal(f"{way!r} is no way to shorten it; {', '.join(WAYS)}")
    if not by_mm > 0 or by_mm < kerf_mm:
        raise Refusal(
            f"cut and rejoined it is {kerf_mm:g} mm shorter at least, what the cut takes; {by_mm:g} mm is less"
        )
    changes = job.tank.shortened(way, by_mm)
    if changes is None:
        raise Refusal(
            f"a tank of the {job.tank.family} family is not shortened by {by_mm:g} mm in {way}: too little would be left"
        )
    return Rejoined(by_mm - kerf_mm, kerf_mm, {f"tank.{name}": value for name, value in changes.items()})
