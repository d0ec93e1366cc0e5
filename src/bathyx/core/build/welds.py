"""What the log of a seam says: how it was joined, and about repairs."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

MOST_REPAIRS = 2


def weld_words(payload: Mapping[str, Any]) -> str:
    """A weld of the log in a line: process, filler and its lot, current or heat, pass, what was seen."""
    how = [f"{payload.get('process', '')} {payload.get('filler', '')}".strip()]
    if payload.get("lot"):
        how.append(f"lot {payload['lot']}")
    if payload.get("nozzle_c"):
        how.append(f"{payload['nozzle_c']} °C at the nozzle")
    elif payload.get("amps", "") != "":
        how.append(f"{payload['amps']} A")
    if payload.get("resin"):
        how.append(f"{payload['resin']}")
    how.append(f"pass {payload.get('pass', '')}: {payload.get('visual', '')}")
    return ", ".join(part for part in how if part)


def repair_warning(repairs: int) -> str | None:
    """What to say before another repair of the same seam, or None."""
    if repairs < MOST_REPAIRS:
        return None
    return (
        f"repaired {repairs} times already: stop and find out why. Dirty joint, gap, or a part that flexes? "
        "Running over it again makes new leaks."
    )
