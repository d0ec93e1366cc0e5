"""The dip table as CSV and PDF, and its rows for anyone who needs them."""

from __future__ import annotations

import csv
import io
from pathlib import Path

import numpy as np

from bathyx.core.capacity.by_pool import PoolTable, pool_table
from bathyx.core.capacity.poured import Held, Pouring
from bathyx.core.evaluate import Evaluation
from bathyx.core.units import Family, show, worded
from bathyx.draft.charts import dip_chart, nice_steps
from bathyx.errors import Refusal
from bathyx.files import write_text
from bathyx.papers.page.sheet_of_paper import Paper
from bathyx.papers.page.stationery import Stationery


def followed(e: Evaluation, pouring: Pouring | None) -> Held | None:
    """A measured filling against the tank; None where there is none, or it is not of this tank as it is now drawn."""
    try:
        return None if pouring is None else pouring.held_against(e.results.capacity.curve)
    except Refusal:
        return None


def dip_rows(e: Evaluation, count: int = 40, filled: Held | None = None) -> list[tuple[float, float]]:
    """(level above the lowest point mm, net litres) at round levels, about `count` of them, ends included; as it was
    `filled`."""
    curve = e.results.capacity.curve if filled is None else filled.curve
    low, high = curve.low_mm, curve.high_mm
    step = nice_steps(high - low, count)
    levels = np.unique(np.append(np.arange(0.0, high - low, step), high - low))
    return [(float(z), float(v) / 1e6) for z, v in zip(levels, curve.at(levels + low), strict=True)]


def write_dip_csv(e: Evaluation, path: Path, filled: Held | None = None) -> Path:
    """CSV in millimetres, litres, inches and US gallons."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["level_mm", "volume_l", "level_in", "volume_us_gal"])
    for level, litres in dip_rows(e, filled=filled):
        writer.writerow([f"{level:.1f}", f"{litres:.3f}", f"{level / 25.4:.3f}", f"{litres / 3.785411784:.3f}"])
    return write_text(path, out.getvalue())


def write_dip_pdf(
    e: Evaluation, path: Path, units: Family, on: Stationery | None = None, filled: Held | None = None
) -> Path:
    """Chart and table on paper.

    Args:
        e: the evaluated job.
        path: file to write.
        units: metric or US, for every figure shown.
        on: the shop's stationery.
        filled: by a measured filling, which the table follows.
    """
    paper = Paper(path, "Dip table", e.job.brief.name, on, e)
    paper.words(
        "Calculated from inside sizes, net of baffles and bends, level tank. A measured filling beats it."
        if filled is None
        else worded(
            f"Follows a measured filling of {len(filled.pouring.rows)} rows, level tank. {filled.words}.", units
        ),
        9,
        "quiet",
    )
    paper.picture(dip_chart(e, units, filled=filled), 400)
    rows = [
        (
            show(z, "length", Family.METRIC),
            show(z, "length", units if units.us else Family.US),
            show(v, "volume", Family.METRIC),
            show(v, "volume", Family.US),
        )
        for z, v in dip_rows(e, filled=filled)
    ]
    paper.table(("level mm", "level in", "litres", "US gal"), rows, (1, 1, 1, 1))
    pools = _pools(e)
    if pools is not None:
        meet = show(pools.meet_mm, "length", units)
        paper.words(
            f"Below {meet} the fluid stands in {len(pools.names)} pools: each has its own dip, of the bare inside without what "
            "stands in it.",
            9,
            "quiet",
        )
        unit = "litres" if not units.us else "US gal"
        paper.table(
            ("level", *(f"{name} pool, {unit}" for name in pools.names)),
            [(show(z, "length", units), *(show(v, "volume", units) for v in held)) for z, held in pools.rows],
            (1,) * (len(pools.names) + 1),
        )
    return paper.finish()


def _pools(e: Evaluation) -> PoolTable | None:
    curve = e.results.capacity.curve
    return pool_table(e.results.shell, nice_steps(curve.high_mm - curve.low_mm, 40))
