"""What the plate on the tank says, from the evaluation and the register."""

from __future__ import annotations

from bathyx.core.evaluate import Evaluation
from bathyx.core.units import Family, show
from bathyx.draft.plate_view import PlateData
from bathyx.register import JobRecord

MONTHS = (
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
)


def plate_data(e: Evaluation, record: JobRecord, serial: str | None) -> PlateData:
    """What the plate says now; an unproven tank says so."""
    proven = record.proven
    test = "not proven"
    if proven is not None:
        kpa = float(proven.payload["target_kpa"])
        test = f"{show(kpa, 'pressure', Family.METRIC, places=1)} ({show(kpa, 'pressure', Family.US, places=1)})"
        test += ", simulated gauge" if proven.payload.get("simulated") else ""
    made = proven.at if proven is not None else record.all_entries[-1].at if record.all_entries else ""
    r = e.results
    usable = r.capacity.fill_l
    return PlateData(
        e.job.maker,
        serial or "given when building starts",
        f"{MONTHS[int(made[5:7]) - 1]} {made[:4]}" if made else "not begun",
        f"{show(usable, 'volume', Family.METRIC)} ({show(usable, 'volume', Family.US)}) full",
        r.sheet.name,
        test,
        r.fluid.name,
    )
