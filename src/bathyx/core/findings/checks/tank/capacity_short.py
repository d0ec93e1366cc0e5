"""Is the usable capacity what the brief asks for?"""

from __future__ import annotations

import math
from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.tank.fit import fill_room
from bathyx.core.units import litres, mm
from bathyx.errors import Refusal


def check(job: Job, r: Results) -> Iterator[Finding]:
    """Short by more than 0.5 %: the remedy fills the space when that is enough, or else helps most."""
    wanted, usable = r.wanted.value, r.capacity.usable.value
    short = wanted - usable
    if short <= 0.005 * wanted:
        return
    remedy = None
    try:
        grown = None if job.space.free else fill_room(job.tank, r.room, r.sheet.thickness_mm)
    except Refusal:
        grown = None
    gross = 0.0 if grown is None else grown.volume_mm3()
    if grown is not None and gross > r.shell.volume_mm3 * 1.001:
        plain = grown.model_dump(mode="json")
        changes = tuple(
            (f"tank.{name}", plain[name])
            for name in type(grown).model_fields
            if getattr(grown, name) != getattr(job.tank, name)
        )
        remedy = Remedy(f"Fill the space: {litres(gross / 1e6)} gross", changes)
    dimension, worth = max(r.litres_per_mm.items(), key=lambda item: item[1], default=("", 0.0))
    # Of each litre of gross a share can be used: of more height all but the air, of more length what is left behind as well.
    share = usable / r.capacity.gross.value
    more = math.ceil(short / (worth * share)) if worth and share > 0 else 0
    longer = f"; {mm(more)} more {dimension.removesuffix('_mm').replace('_', ' ')} would give it" if more else ""
    if job.space.free and more and isinstance(size := getattr(job.tank, dimension, None), float):
        remedy = Remedy(f"Make it {mm(more)} longer that way", ((f"tank.{dimension}", size + more),))
    yield Finding(
        "capacity.short",
        "stop" if short > 0.05 * wanted else "warn",
        f"Usable capacity is {litres(short)} short of the brief{longer}",
        "usable capacity at least what the brief wants",
        "the brief",
        "tank",
        "",
        f"{litres(usable)}",
        f"{litres(wanted)}",
        remedy,
    )
