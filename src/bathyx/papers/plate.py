"""What the plate on the tank says, from the evaluation and the register."""

from __future__ import annotations

from typing import Any

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


def proof_words(payload: dict[str, Any]) -> str:
    """What was done, for the plate: the pressure that was read, or the head and the hours stood."""
    what = "" if payload.get("what", "tank") == "tank" else f"{payload['what']} "
    simulated = ", simulated gauge" if payload.get("simulated") else ""
    if payload.get("head_mm"):
        fluid = "own fluid" if payload["method"] == "soak" else "water"
        return f"{what}{float(payload['head_mm']):.0f} mm {fluid}, {float(payload['held_s']) / 3600:.0f} h{simulated}"
    kpa = float(payload.get("stood_kpa") or payload.get("target_kpa") or 0.0)
    return (
        f"{what}{show(kpa, 'pressure', Family.METRIC, places=1)} ({show(kpa, 'pressure', Family.US, places=1)}) "
        f"{float(payload['held_s']) / 60:.0f} min{simulated}"
    )


def plate_data(e: Evaluation, record: JobRecord, serial: str | None) -> PlateData:
    """What the plate says now; an unproven tank says so."""
    proven = record.proven
    test = record.proof.headline.lower()
    if proven is not None:
        test = "; ".join(proof_words(entry.payload) for entry in record.proof.entries)
    made = proven.at if proven is not None else record.all_entries[-1].at if record.all_entries else ""
    r = e.results
    usable = r.capacity.fill_l
    return PlateData(
        e.job.maker,
        serial or "given when building starts",
        f"{MONTHS[int(made[5:7]) - 1]} {made[:4]}" if made else "not begun",
        f"{show(usable, 'volume', Family.METRIC)} ({show(usable, 'volume', Family.US)}) full",
        f"{r.sheet.name} ({show(r.sheet.thickness_mm, 'thickness', Family.US)})",
        test,
        r.fluid.name,
    )
