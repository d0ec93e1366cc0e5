"""Is there a reading of the space that the others contradict?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.space import MeasuredBox, StationSpace
from bathyx.core.units import mm

MM_PER_INCH = 25.4
OWN = 3


def check(job: Job, r: Results) -> Iterator[Finding]:
    """The reading that does not belong, how far it is off, what it would be, and how it may have come about."""
    space = job.space
    if isinstance(space, MeasuredBox) and space.hole is not None:
        yield from _of_box(space)
    if isinstance(space, StationSpace):
        yield from _of_stations(space)


def _of_box(space: MeasuredBox) -> Iterator[Finding]:
    hole = space.hole
    assert hole is not None
    doubt = hole.doubt
    if doubt is None:
        return
    said = space.all_readings()
    reading = said[doubt.index]
    right = reading.length.mm - doubt.off_mm
    others = sum(not x.left_out for x in said) - 1
    also = f"; or {said[doubt.or_index].title} is" if doubt.or_index is not None else ""
    own = len(said) - len(space.readings)
    remedy = None
    if doubt.index >= own:
        remedy = Remedy("Leave it out", ((f"space.readings.{doubt.index - own}.left_out", True),))
    yield Finding(
        "space.reading",
        "stop",
        f"{reading.title[:1].upper()}{reading.title[1:]}: {reading.length.typed} is {mm(abs(doubt.off_mm))} "
        f"{'longer' if doubt.off_mm > 0 else 'shorter'} than the other {others} allow{also}{_misread(reading.length.mm, right)}. "
        "Measure it again; the hole is drawn without it",
        "a reading agrees with all the others to within what the tape and the shape leave",
        "least squares with one gross error, leave-one-out",
        "space",
        "",
        mm(reading.length.mm),
        f"{mm(right)} ± {mm(2 * doubt.sd_mm)}",
        remedy,
    )


def _of_stations(space: StationSpace) -> Iterator[Finding]:
    found = space.doubt
    if found is None:
        return
    station, side, row, doubt = found
    at, offset = space.stations[station], space.stations[station].rows[row]
    typed = offset.left_mm if side == "left" else offset.right_mm
    assert typed is not None
    right = typed - doubt.off_mm
    both = offset.left_mm == offset.right_mm
    fields = ("left_mm", "right_mm") if both else (f"{side}_mm",)
    yield Finding(
        "space.fair",
        "warn",
        f"Station {mm(at.x_mm)}, height {mm(offset.z_mm)}{'' if both else ', ' + side}: {mm(typed)} stands "
        f"{mm(abs(doubt.off_mm))} {'outside' if doubt.off_mm > 0 else 'inside'} the fair surface through the others"
        f"{_misread(typed, right)}. Measure it again",
        "an offset lies fair with its neighbours, and with the other side",
        "smooth surface through all offsets, leave-one-out",
        "space",
        "",
        mm(typed),
        f"fair: {mm(right)} ± {mm(2 * doubt.sd_mm)}",
        Remedy(
            f"Take {mm(right)}",
            tuple((f"space.stations.{station}.rows.{row}.{name}", round(right, 1)) for name in fields),
        ),
    )


def _misread(typed: float, right: float) -> str:
    """How the figure may have come about, as a question; nothing is put right by itself."""
    text, near = f"{typed:.0f}", max(0.004 * right, 2.5)
    for other, words in ((typed * MM_PER_INCH, "inches taken for millimetres"), (typed / MM_PER_INCH, "25.4 too many")):
        if abs(other - right) < max(near, 0.01 * right):
            return f"; {words}, {mm(other)}?"
    for k in range(len(text) - 1):
        swapped = float(text[:k] + text[k + 1] + text[k] + text[k + 2 :])
        if swapped != float(text) and abs(swapped - right) < near:
            return f"; {swapped:.0f} with two figures changed round?"
    for off in (10.0, 100.0, MM_PER_INCH):
        if abs(abs(typed - right) - off) < near and typed - off > 0:
            which = typed - off if typed > right else typed + off
            return f"; {which:.0f} read {off:g} mm {'long' if typed > right else 'short'}?"
    return ""
