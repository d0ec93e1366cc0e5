"""The dipstick at full size, and as CSV with the sender's table."""

from __future__ import annotations

import csv
import io
from dataclasses import replace
from itertools import pairwise
from pathlib import Path

import numpy as np

from bathyx.core.capacity.dipstick import WARNING_L, Marked, Stick, dipstick, sender_table, usual_place
from bathyx.core.capacity.filling import limit_l
from bathyx.core.capacity.poured import Held
from bathyx.core.evaluate import Evaluation
from bathyx.core.units import Family, show
from bathyx.files import write_text
from bathyx.papers.page.full_size import Drawing, Sketch, write_full_size

WIDE_MM, LONG_MM, SHORT_MM, LAP_MM = 30.0, 16.0, 9.0, 10.0
STRIP_MM, NUMBERED_MM = 240.0, 2.6
TUBE_NOTES = (
    "Fix the strip beside the clear tube: A at the middle of the lower fitting, B at the middle of the upper one. Seal it.",
    "The tank stands level; read the lower edge of the fluid. Both ends are open to the tank, the upper one to its air.",
    "Calculated, net of what stands inside; a measured filling beats it.",
    "Fuel: a clear tube breaks and burns; one that is made for it, with a cock at its lower end, where rules allow one at all.",
)
NOTES = (
    "Glue the strip on a flat stick of wood or plastic, not steel, with its tip at the tip; seal it.",
    "The tank stands level and the stick on the floor at the place named above.",
    "Calculated, net of what stands inside; a measured filling beats it.",
    "Fuel: no flame and no spark near the open tank, vapour sinks and travels; wipe the stick on a rag.",
)


def marked_on(e: Evaluation) -> Marked:
    """The level warning and the weight limit of the brief."""
    brief, r = e.job.brief, e.results
    most = limit_l(r.weight.dry.value, r.fluid.density, brief.most_kg, r.capacity.fill_l)
    return Marked(WARNING_L if brief.warn_l is None else brief.warn_l, most)


def stick_of(
    e: Evaluation,
    units: Family,
    place: tuple[float, float] | None = None,
    lean_deg: float = 0.0,
    filled: Held | None = None,
) -> Stick:
    """The stick of a tank; where its port or filler is unless a place is given.

    Args:
        e: the evaluated job.
        units: metric marks litres, US gallons.
        place: (x, y) mm of the tip.
        lean_deg: of the stick, from upright.
        filled: by a measured filling, which the marks follow.
    """
    r = e.results
    spot = place or usual_place(r.shell, e.job.inside.fittings)
    held = r.capacity if filled is None else replace(r.capacity, curve=filled.curve)
    return dipstick(r.shell, held, spot, lean_deg, us=units.us, marked=marked_on(e))


def write_dipstick_pdf(e: Evaluation, path: Path, stick: Stick, paper: str = "a4") -> Path:
    """Strips of the stick at full size, to glue on it and copy over; a stick longer than a strip runs over several.

    Args:
        e: the evaluated job.
        path: file to write.
        stick: with its marks.
        paper: a4, a3, letter or tabloid.
    """
    drawings = []
    at = 0.0
    number = 1
    while at < stick.length_mm - 1e-6:
        until = min(at + STRIP_MM, stick.length_mm)
        drawings.append(_strip(stick, at, until, number))
        at, number = until, number + 1
    drawings.append(_notes(stick))
    units = Family.US if stick.unit == "US gal" else Family.METRIC
    where = ", ".join(show(v, "length", units) for v in (stick.x_mm, stick.y_mm))
    lean = f", leaning {stick.lean_deg:g}°" if stick.lean_deg else ""
    title = f"Dipstick at {where}{lean}, {stick.unit}: {e.job.brief.name}"
    if stick.ends is not None:
        title = f"Sight tube from A, {stick.ends[0]}, up to B, {stick.ends[1]}, {stick.unit}: {e.job.brief.name}"
    return write_full_size(path, title, drawings, paper, units)


def _strip(stick: Stick, start: float, end: float, number: int) -> Drawing:
    apart = min((b[0] - a[0] for a, b in pairwise(stick.marks)), default=99.0)
    low, high = np.array([0.0, start - LAP_MM]), np.array([WIDE_MM + 30, end + LAP_MM])

    def paint(page: Sketch) -> None:
        page.line(np.array([[0, start], [WIDE_MM, start], [WIDE_MM, end], [0, end]]), closed=True, wide=0.8)
        for along, figure, long in stick.marks:
            if start - 1e-9 <= along <= end + 1e-9:
                page.line(np.array([[0, along], [LONG_MM if long else SHORT_MM, along]]), wide=0.9 if long else 0.5)
                if long or apart > NUMBERED_MM:
                    page.words([LONG_MM + 1.5, along], f"{figure:g}", 9 if long else 6.5, "l")
        for along, text in stick.named:
            if start - 1e-9 <= along <= end + 1e-9:
                page.line(np.array([[0, along], [WIDE_MM, along]]), ink="accent", wide=0.7, dashed=True)
                page.words([WIDE_MM + 1, along], text, 6.5, "l", "accent")
        tip, top = ("tip, on the floor", "roof")
        if stick.ends is not None:
            tip, top = f"A: middle of {stick.ends[0]}", f"B: middle of {stick.ends[1]}"
        foot = tip if number == 1 else f"join to strip {number - 1} here"
        page.words([WIDE_MM / 2, start - 4], foot, 7, ink="quiet")
        page.words(
            [WIDE_MM / 2, end + 4],
            top if end >= stick.length_mm - 1e-6 else f"strip {number + 1} goes on",
            7,
            ink="quiet",
        )

    return Drawing(f"strip {number}", low, high, paint)


def _notes(stick: Stick) -> Drawing:
    """How to use it, and what it does not see."""
    rows = [*(NOTES if stick.ends is None else TUBE_NOTES)]
    if stick.blind > 0.05:
        begins = "When its tip falls dry" if stick.ends is None else "Below A it shows nothing: then"
        rows.append(f"{begins} {stick.blind:.1f} {stick.unit} are left.")

    def paint(page: Sketch) -> None:
        for k, text in enumerate(rows):
            page.words([0.0, 30.0 - 6 * k], text, 8, "l", "quiet")

    return Drawing("notes", np.array([0.0, -2.0]), np.array([150.0, 36.0]), paint)


def write_dipstick_csv(e: Evaluation, path: Path, stick: Stick) -> Path:
    """Marks of the stick, then the sender's table where the tank has a sender.

    Args:
        e: the evaluated job.
        path: file to write.
        stick: with its marks.
    """
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["along_stick_mm", f"volume_{'us_gal' if stick.unit == 'US gal' else 'l'}"])
    writer.writerows([f"{along:.2f}", f"{figure:g}"] for along, figure, _ in stick.marks)
    sender = next((f for f in e.job.inside.fittings if f.does == "sender" and f.swing_mm >= 5), None)
    if sender is not None:
        writer.writerow([])
        writer.writerow(["sender_deg", "level_mm", "volume_l", "ohm_10_180", "ohm_240_33"])
        other = sender_table(e.results.capacity, sender.swing_mm, 240.0, 33.0)
        for (deg, level, litres, ohm), row in zip(
            sender_table(e.results.capacity, sender.swing_mm), other, strict=True
        ):
            writer.writerow([f"{deg:.1f}", f"{level:.1f}", f"{litres:.2f}", f"{ohm:.1f}", f"{row[3]:.1f}"])
    return write_text(path, out.getvalue())
