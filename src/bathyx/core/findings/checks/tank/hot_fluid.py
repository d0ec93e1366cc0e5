"""Does the sheet stand the heat of its fluid?"""

from __future__ import annotations

from collections.abc import Callable, Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.material import SheetMaterial, materials
from bathyx.core.results import Results
from bathyx.core.strength.loads import hottest as warmest
from bathyx.core.units import celsius, mm

KEEPS = 0.9


def suitable(r: Results, also: Callable[[SheetMaterial], bool]) -> tuple[Remedy, ...]:
    """Other sheets that suit the fluid, of the same group first, each from about this thickness upwards."""
    now = r.sheet.material
    fit = [
        m
        for m in materials().values()
        if m.key != now.key and not m.made and r.fluid.suits.get(m.group) == "yes" and also(m)
    ]
    fit.sort(key=lambda m: m.group != now.group)
    return tuple(
        Remedy(f"Use {mm(t, None)} {m.name}", (("tank.sheet", f"{m.key}/{t:g}"),))
        for m in fit[:4]
        for t in sorted(m.thicknesses, key=lambda t: (t < r.sheet.thickness_mm - 0.6, abs(t - r.sheet.thickness_mm)))[
            :4
        ]
    )


def check(job: Job, r: Results) -> Iterator[Finding]:
    """The hotter of the brief's own figure and what this fluid usually reaches, against the material's limit."""
    hottest = warmest(job.brief, r.fluid)
    limit = r.sheet.material.hottest_c
    share = r.sheet.material.warm_share(hottest)
    if share < KEEPS and limit is not None and hottest <= limit:
        yield Finding(
            "material.warm",
            "note",
            f"At {celsius(hottest)} {r.sheet.material.name} keeps {share:.0%} of the strength that counts for years; its walls are "
            "reckoned with that",
            f"plastics creep: half of the strength of {celsius(20)} is left at {celsius(60)}",
            r.sheet.material.source,
            "tank",
            "",
            f"{share:.0%}",
            f"100 % at {celsius(20)}",
        )
    if limit is None or hottest <= limit:
        return
    offers = suitable(r, lambda other: other.hottest_c is None or other.hottest_c >= hottest)
    yield Finding(
        "material.heat",
        "warn",
        f"{r.fluid.name} reaches {celsius(hottest)}; {r.sheet.material.name} is not for more than {celsius(limit)} for long",
        "the sheet keeps its strength and does not crack at its working heat",
        r.sheet.material.source,
        "tank",
        "",
        f"{celsius(hottest)}",
        f"at most {celsius(limit)}",
        offers[0] if offers else None,
        offers[1:],
    )
