"""A tank that is cut in two, shortened and joined again: the strip to cut out is less than what it loses, by the cut itself."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from bathyx.core.formula import formula
from bathyx.core.geometry.dip import volume_below
from bathyx.core.geometry.shell import Shell, turned
from bathyx.core.job import Job
from bathyx.errors import Refusal

KERFS = {"shears": 6.0, "saw": 2.5, "disc": 1.5, "plasma": 2.0, "laser": 0.3}
REJOINED = formula(
    "build.rejoin",
    "A tank cut and rejoined",
    "strip to cut out = shortening − kerf of one cut; joined again without a strip it is shorter by the kerf",
    source="6 mm with shears: common practice; other tools from memory",
    valid="one strip where every wall runs along the way it is shortened, cut along both its edges on its waste side but once",
    check="tests/core/test_at_the_bench.py",
    tolerance="the tool's own: cut a scrap and measure",
)
WAYS = ("length", "width", "height")


ALONG = {"length": 0, "width": 1, "height": 2}
STRAIGHT, CLOSE, SPOT_MM = 1e-6, 2e-4, 1e-6


@dataclass(frozen=True)
class Rejoined:
    """What to cut out (mm), the kerf counted, where it may lie (mm inside, from the front, the left end or the floor), the litres
    (gross) that go with it, and the job's changes."""

    strip_mm: float
    kerf_mm: float
    between_mm: tuple[float, float]
    lost_l: float
    changes: dict[str, Any]


def rejoined(job: Job, way: str, by_mm: float, kerf_mm: float) -> Rejoined:
    """How to shorten a tank that is built.

    Args:
        job: of the tank.
        way: length, width or height.
        by_mm: how much shorter it shall be.
        kerf_mm: what one cut of the tool takes.

    Raises:
        Refusal: less than the cut itself takes, a way that is none, more than the tank can lose, or no stretch on which all of its
            walls are straight: what is left would not meet.
    """
    if way not in WAYS:
        raise Refusal(f"{way!r} is no way to shorten it; {', '.join(WAYS)}")
    if not by_mm > 0 or by_mm < kerf_mm:
        raise Refusal(
            f"cut and rejoined it is {kerf_mm:g} mm shorter at least, what the cut takes; {by_mm:g} mm is less"
        )
    shell = job.tank.shell()
    stretches = sorted(straights(shell, ALONG[way]), key=lambda s: s[0] - s[1])
    long = [s for s in stretches if s[1] - s[0] >= by_mm]
    if not long:
        most = max((b - a for a, b in stretches), default=0.0)
        there = f"over {most:.1f} mm at the most" if most > 1 else "nowhere"
        raise Refusal(
            f"no strip of {by_mm:g} mm can be cut out of its {way}: its walls run straight along it {there}, and elsewhere the "
            "edges would not meet"
        )
    path = next((s.path for s in job.tank.main_sizes() if way in s.ways), None)
    changes = {} if path is None else {f"tank.{path}": float(getattr(job.tank, path)) - by_mm}
    try:
        after = job.edited_many(changes).tank.shell().volume_mm3 if changes else math.inf
    except Refusal:
        raise Refusal(
            f"a tank of the {job.tank.family} family is not shortened by {by_mm:g} mm in {way}: too little would be left"
        ) from None
    for stretch in long:
        lost = _section_mm2(shell, ALONG[way], stretch) * by_mm
        if abs(shell.volume_mm3 - lost - after) <= CLOSE * shell.volume_mm3:
            return Rejoined(by_mm - kerf_mm, kerf_mm, stretch, lost / 1e6, changes)
    raise Refusal(
        f"a strip of {by_mm:g} mm can be cut out of its {way}, but no one size of the {job.tank.family} family makes what is left: "
        "draw that as an outline or by its sections"
    )


def straights(shell: Shell, axis: int) -> list[tuple[float, float]]:
    """Stretches along an axis (0, 1 or 2) on which every wall runs along it, (from, to) in mm."""
    shut: list[tuple[float, float]] = []
    for face in shell.faces:
        for loops, normals in face.blocks:
            spots = loops[..., axis]
            for low, high, across in zip(spots.min(axis=1), spots.max(axis=1), np.abs(normals[..., axis]), strict=True):
                if across > STRAIGHT:
                    shut.append((float(low) - SPOT_MM, float(high) + SPOT_MM))
    at, found = -math.inf, []
    for low, high in sorted(shut):
        if math.isfinite(at) and low > at:
            found.append((at, low))
        at = max(at, high)
    return found


def _section_mm2(shell: Shell, axis: int, straight: tuple[float, float]) -> float:
    """Area of the section across an axis where the walls run along it."""
    turn = np.roll(np.eye(3), 2 - axis, axis=0)
    soup = turned(shell.half_edges, turn)
    third = (straight[1] - straight[0]) / 3
    low, high = straight[0] + third, straight[1] - third
    return (volume_below(soup, high) - volume_below(soup, low)) / (high - low)
