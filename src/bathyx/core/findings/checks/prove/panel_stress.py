"""What do the flat panels do at the test pressure, and in service?"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace
from functools import partial

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.inside.baffles import AXIS_INDEX, Baffle
from bathyx.core.job import Job, JobError
from bathyx.core.laminate.equal import as_sheet
from bathyx.core.laminate.layup import LayUp
from bathyx.core.laminate.panels import sheets_of
from bathyx.core.material import Sheet, materials
from bathyx.core.proving.least import over_pressure_kpa
from bathyx.core.proving.plan import PlannedTest
from bathyx.core.results import Results
from bathyx.core.sheet.makeup.bands import even_loads
from bathyx.core.sheet.makeup.skins import Skins
from bathyx.core.strength.large import LARGE
from bathyx.core.strength.loads import SERVICE, WATER_DENSITY, Service, hottest, lies_flat
from bathyx.core.strength.panels import (
    SERVICE_SHARE,
    TEST_SHARE,
    TEST_STRESS_SOURCE,
    Metal,
    Strength,
    bears_full_kpa,
    strength,
)
from bathyx.core.units import kpa, mm

MOST_MORE, MOST_BANDS = 12, 5


def check(job: Job, r: Results) -> Iterator[Finding]:
    """The weakest link against test and service, with the least sheet that serves and what a baffle would do instead."""
    yield from _in_service(job, r)
    yield from _at_test(job, r)


def _again(job: Job, r: Results, sheet: Sheet, baffles: tuple[Baffle, ...], skins: Skins | None = None) -> Strength:
    skins = r.skins if skins is None else skins
    service = Service.of(job.brief, r.fluid, job.proving.tested_full)
    # A heavier panel is outdone by a sheet that is heavier still.
    own = tuple((face, max(t, sheet.thickness_mm) if sheet != r.sheet else t) for face, t in skins.own)
    metal = Metal(
        sheet,
        own,
        job.makeup.both_sides or sheet.material.made,
        hottest(job.brief, r.fluid),
        job.makeup.bands,
        skins.stuffs,
    )
    return strength(r.shell, baffles, metal, r.strength.pressure_kpa, service, r.roles, job.inside.fittings)


def _wanted_kpa(job: Job) -> float:
    return max((t.test_kpa for t in job.proving.tests if t.pressed and t.what == "tank"), default=0.0)


def _least_sheet(job: Job, r: Results) -> Sheet | None:
    """The thinnest stocked sheet of this material that bears its test and its service."""
    for thickness in r.sheet.material.thicknesses:
        if thickness > r.sheet.thickness_mm:
            found = _again(job, r, replace(r.sheet, thickness_mm=thickness), r.baffles)
            if found.bears.value >= _wanted_kpa(job) and found.worst_in_service.service_use <= 1:
                return found.sheet
    return None


def _with_another_baffle(job: Job, r: Results) -> tuple[Strength, str]:
    """The strength with one more baffle across the longest bay, and its words."""
    longest = max(r.bays, key=lambda b: b.length_mm)
    at = (longest.start_mm + longest.end_mm) / 2
    more = tuple(sorted((*r.baffles, Baffle(axis=longest.axis, at_mm=at)), key=lambda b: (AXIS_INDEX[b.axis], b.at_mm)))
    return _again(job, r, r.sheet, more), f"another baffle at {mm(at)} {'along' if longest.axis == 'x' else 'across'}"


def _stronger(job: Job, r: Results) -> tuple[str, Remedy | None]:
    """(what serves, in words; the remedy): the thinnest stocked sheet, or the fewest plies more of a laminate."""
    if job.layup is not None:
        worst = r.strength.worst_in_service if r.strength.worst_in_service.service_use > 1 else r.strength.worst
        return _more_plies(job, r, job.layup, worst.face)
    sheet = _least_sheet(job, r)
    if sheet is None:
        return "no stocked sheet of this material serves", None
    t = mm(sheet.thickness_mm, None)
    return f"{t} sheet serves", Remedy(f"Use {t} sheet", (("tank.sheet", sheet.key),))


def _more_plies(job: Job, r: Results, layup: LayUp, face: str) -> tuple[str, Remedy | None]:
    """The last two plies laid again and again, on the outside; a foam stays where it is. Of a face with plies of its own, those."""
    k = next((n for n, own in enumerate(job.panel_layups) if own.face == face), None)
    if k is not None:
        return _more_of_its_own(job, r, layup, k)
    again = layup.plies[-2:]
    for more in range(1, MOST_MORE + 1):
        plies = (*layup.plies, *(again * more)[:more])
        tried = layup.model_copy(update={"plies": plies})
        sheet = as_sheet(Sheet(materials()[r.sheet.material.key], tried.made.thick_mm), tried)
        found = _again(job, r, sheet, r.baffles)
        if found.bears.value >= _wanted_kpa(job) and found.worst_in_service.service_use <= 1:
            words = f"{more} {'ply' if more == 1 else 'plies'} more"
            return f"{words} serve{'s' if more == 1 else ''}", Remedy(
                f"Lay {words}", (("layup.plies", tuple(p.model_dump() for p in plies)),)
            )
    return f"{MOST_MORE} plies more do not serve", None


def _with_bands(job: Job, r: Results) -> Remedy | None:
    """The fewest bands round a tank of plastic with which its walls bear what they carry in service."""
    if r.sheet.material.group != "plastic" or job.makeup.bands:
        return None
    high = float(r.shell.bounds[1][2] - r.shell.bounds[0][2])
    for count in range(1, MOST_BANDS + 1):
        heights = tuple(float(round(at)) for at in even_loads(high, count))
        try:
            tried = job.edited("makeup.bands", heights)
        except JobError:
            return None
        if _again(tried, r, r.sheet, r.baffles).worst_in_service.service_use <= 1:
            return Remedy(f"Put {'a band' if count == 1 else f'{count} bands'} round it", (("makeup.bands", heights),))
    return None


def _more_of_its_own(job: Job, r: Results, base: LayUp, k: int) -> tuple[str, Remedy | None]:
    """As `_more_plies`, of a panel with plies of its own."""
    own = job.panel_layups[k]
    for more in range(1, MOST_MORE + 1):
        plies = (*own.plies, *(own.plies[-2:] * more)[:more])
        tried = job.edited(f"panel_layups.{k}.plies", [p.model_dump() for p in plies])
        stuffs = sheets_of(Sheet(materials()[r.sheet.material.key], r.sheet.thickness_mm), base, tried.panel_layups)
        thick = tuple((name, stuff.thickness_mm) for name, stuff in stuffs if name == own.face)
        rest = tuple(row for row in r.skins.own if row[0] != own.face)
        found = _again(tried, r, r.sheet, r.baffles, Skins(r.skins.base_mm, (*rest, *thick), stuffs))
        if found.bears.value >= _wanted_kpa(job) and found.worst_in_service.service_use <= 1:
            words = f"{more} {'ply' if more == 1 else 'plies'} more on {own.face}"
            change = (f"panel_layups.{k}.plies", tuple(p.model_dump() for p in plies))
            return f"{words} serve{'s' if more == 1 else ''}", Remedy(f"Lay {words}", (change,))
    return f"{MOST_MORE} plies more on {own.face} do not serve", None


def _inside_too(job: Job, r: Results) -> Remedy | None:
    """Welding the corners inside too, where that alone is enough and a hand gets in before the tank is closed."""
    if job.makeup.both_sides or "throat" not in r.strength.worst.link:
        return None
    both = job.edited("makeup.both_sides", True)
    if _again(both, r, r.sheet, r.baffles).bears.value < _wanted_kpa(job):
        return None
    return Remedy("Weld the corners inside too", (("makeup.both_sides", True),))


def _in_service(job: Job, r: Results) -> Iterator[Finding]:
    worst = r.strength.worst_in_service
    if worst.service_use <= 1:
        return
    said = Finding(
        "panel.service",
        "stop",
        f"In service the fluid presses on {worst.face} ({worst.size}) with "
        f"{kpa(worst.service_kpa)} and it bears {kpa(worst.service_bears_kpa)}",
        f"head, braking and working pressure leave stress under {SERVICE_SHARE:.0%} of what the sheet yields at",
        f"{SERVICE.source}; {TEST_STRESS_SOURCE}",
        "tank",
        f"face:{worst.face}",
        f"carries {kpa(worst.service_kpa)}",
        f"bears {kpa(worst.service_bears_kpa)}",
    )

    def think() -> Finding:
        serves, stronger = _stronger(job, r)
        if stronger is None and (banded := _with_bands(job, r)) is not None:
            return replace(said, message=f"{said.message}: {serves}; bands round it do", remedy=banded)
        other, words = _with_another_baffle(job, r)
        instead = other.worst_in_service
        face = r.shell.by_id.get(worst.face)
        if r.sheet.material.group == "plastic" and face is not None and lies_flat(r.shell, face):
            base = Remedy("Stand it on a flat base under all of it", (("brief.flat_base", True),))
            return replace(
                said, message=f"{said.message}: plastic stands on a flat base under all of its floor", remedy=base
            )
        more = f": {serves}; {words} would make that {kpa(instead.service_bears_kpa)} on {instead.face}"
        return replace(said, message=said.message + more, remedy=stronger)

    yield replace(said, think=think)


def _at_test(job: Job, r: Results) -> Iterator[Finding]:
    worst = r.strength.worst
    size = f"{worst.face} ({worst.size}{'' if worst.curved else ' between welds'})"
    gives = f"gives way at {worst.link} and would stay bulged"
    if worst.at_least:
        gives = f"bulges past the end of the plate table, which is at {kpa(worst.bears_kpa)}: no limit is given beyond"
    for i, test in enumerate(job.proving.tests):
        if test.what != "tank":
            continue
        if test.method == "water_press":
            yield from _full_of_water(r, test, i)
            continue
        if over_pressure_kpa(test, worst.bears_kpa) <= 0:
            continue
        said = Finding(
            "panel.stress",
            "stop",
            f"At {kpa(test.test_kpa)} {size} {gives}",
            f"peak stress below {TEST_SHARE:g} of yield at a test",
            f"{TEST_STRESS_SOURCE}; {LARGE.source}",
            "prove",
            f"face:{worst.face}",
            f"test {kpa(test.test_kpa)}",
            f"bears {kpa(worst.bears_kpa)}",
        )
        yield replace(said, think=partial(_thought, job, r, said, i))


def _full_of_water(r: Results, test: PlannedTest, index: int) -> Iterator[Finding]:
    """Under pressure and full of water the head acts as well."""
    bears, face = bears_full_kpa(r.strength, r.shell, WATER_DENSITY)
    if over_pressure_kpa(test, bears) <= 0:
        return
    safe = math.floor(bears * 2) / 2
    lower = Remedy(f"Test at {kpa(safe, None)}", ((f"proving.tests.{index}.test_kpa", safe),)) if safe >= 1 else None
    yield Finding(
        "panel.stress",
        "stop",
        f"Full of water, {kpa(test.test_kpa)} on the gauge at its top is too much for {face}: its weight acts as well, and leaves "
        f"{kpa(bears)} to be pumped on",
        f"peak stress below {TEST_SHARE:g} of yield at a test, head and gauge together",
        f"{TEST_STRESS_SOURCE}; {LARGE.source}; hydrostatics",
        "prove",
        f"face:{face}",
        f"test {kpa(test.test_kpa)}",
        f"bears {kpa(bears)}",
        lower,
    )


def _thought(job: Job, r: Results, said: Finding, index: int) -> Finding:
    """The finding with what would help: corners welded inside, thicker sheet, or a lower test."""
    serves, stronger = _stronger(job, r)
    other, words = _with_another_baffle(job, r)
    safe = math.floor(r.strength.worst.bears_kpa * 2) / 2
    lower = Remedy(f"Test at {kpa(safe, None)}", ((f"proving.tests.{index}.test_kpa", safe),)) if safe >= 1 else None
    offers = [x for x in (_inside_too(job, r), stronger, lower) if x is not None]
    message = f"{said.message}; {serves}; {words} would bring it to {kpa(other.bears.value)}"
    return replace(said, message=message, remedy=offers[0] if offers else None, otherwise=tuple(offers[1:]))
