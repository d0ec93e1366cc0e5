"""Does every blank come out of a stock sheet?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.findings.splitting import halved, parted_across, weld_instead
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.sheet.flat.blank import Blank
from bathyx.core.sheet.makeup.roles import SCHOOLS
from bathyx.core.units import mm

BAR_MM = 6000.0


def check(job: Job, r: Results) -> Iterator[Finding]:
    """A blank larger than every stock sheet of this material; the remedy is the school with smaller pieces."""
    stocks = r.sheet.material.stock
    if r.sheet.material.made:
        return  # laid to its size, cloth in strips where its roll is too narrow
    for blank in r.blanks:
        if blank.role == "bought":
            yield from _bar(blank)
            continue
        short, long = sorted(blank.size_mm)
        if _fits(short, long, stocks):
            continue

        def fits(a: float, b: float) -> bool:
            return _fits(a, b, stocks)

        biggest = max(stocks, key=lambda s: s[0] * s[1])
        smaller = {"wrap": ("two_l", "plates"), "perimeter": ("two_l", "plates"), "two_l": ("plates",)}
        offers = [
            Remedy(f"Make it as: {SCHOOLS[school].lower()}", (("makeup.school", school),))
            for school in smaller.get(job.makeup.school, ())
        ]
        split = (*weld_instead(job, r, halved(blank, fits)), *parted_across(job, r, blank, fits))
        offers = [*split, *offers]
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


def _fits(a: float, b: float, stocks: tuple[tuple[float, float], ...]) -> bool:
    short, long = sorted((a, b))
    return any(short <= min(s) and long <= max(s) for s in stocks)


def _bar(blank: Blank) -> Iterator[Finding]:
    """A bought body longer than the bars it comes in."""
    long = blank.size_mm[1]
    if long <= BAR_MM:
        return
    yield Finding(
        "sheet.bar",
        "stop",
        f"The body takes {mm(long)} of {blank.stock}; it comes in bars of {mm(BAR_MM)}",
        "the body is cut from one bar",
        "usual length of hollow sections, from memory",
        "cut",
        f"blank:{blank.name}",
        mm(long),
        mm(BAR_MM),
        Remedy("Roll it from sheet", (("tank.stock", ""),)),
    )
