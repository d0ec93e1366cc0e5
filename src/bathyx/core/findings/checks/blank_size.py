"""Does every blank come out of a stock sheet?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.sheet.makeup import SCHOOLS
from bathyx.core.units import mm


def check(job: Job, r: Results) -> Iterator[Finding]:
    """A blank larger than every stock sheet of this material; the remedy is the school with smaller pieces."""
    stocks = r.sheet.material.stock
    for blank in r.blanks:
        short, long = sorted(blank.size_mm)
        if any(short <= min(s) and long <= max(s) for s in stocks):
            continue
        biggest = max(stocks, key=lambda s: s[0] * s[1])
        smaller = {"wrap": ("two_l", "plates"), "perimeter": ("two_l", "plates"), "two_l": ("plates",)}
        offers = [
            Remedy(f"Make it as: {SCHOOLS[school].lower()}", (("makeup.school", school),))
            for school in smaller.get(job.makeup.school, ())
        ]
        yield Finding(
            "sheet.stock",
            "stop",
            f"Blank {blank.name} is {long:.0f} × {mm(short)}, larger than any stock sheet",
            "each blank lies on one stock sheet",
            "stock sizes of the sheet table",
            "cut",
            f"blank:{blank.name}",
            f"{long:.0f} × {mm(short)}",
            f"{max(biggest):.0f} × {mm(min(biggest))}",
            offers[0] if offers else None,
            tuple(offers[1:]),
        )
