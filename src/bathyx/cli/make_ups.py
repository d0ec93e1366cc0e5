"""`bathyx make-ups`: candidates for the make-up of a tank."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from bathyx.cli.errors import CommandError
from bathyx.errors import Refusal

if TYPE_CHECKING:
    from bathyx.core.makeups.plan import Candidate

AIMS = ("weld", "low", "parts", "stock", "money")


def add_commands(command: Callable[..., argparse.ArgumentParser]) -> None:
    """Add the command."""
    plan = command("make-ups", _make_ups, "print make-ups of a tank as JSON: which edges to bend, the best first")
    plan.add_argument("job", type=Path, metavar="JOB.json")
    plan.add_argument(
        "--aim", choices=AIMS, default="weld", help="what is best: least weld, least weld below the fluid line, …"
    )
    plan.add_argument("--top", type=int, default=6, metavar="N", help="how many to print")
    plan.add_argument(
        "--apply", type=int, metavar="K", help="put candidate K (1 is the first printed) into the job file"
    )


def _make_ups(options: argparse.Namespace) -> None:
    from bathyx.cli.main import load
    from bathyx.core.makeups.plan import make_ups
    from bathyx.files import WriteError, write_text

    if not 1 <= options.top <= 40:
        raise CommandError(f"{options.top} is no number of candidates; 1 to 40")
    job = load(options.job)
    try:
        made = make_ups(job, options.aim, options.top)
        if options.apply is not None:
            if not 1 <= options.apply <= len(made.found):
                raise CommandError(f"there is no candidate {options.apply}; {len(made.found)} were found")
            if str(options.job) == "-":
                raise CommandError("standard input is no file to write to")
            write_text(options.job, job.edited_many(made.found[options.apply - 1].changes).to_json())
    except (Refusal, WriteError) as error:
        raise CommandError(f"{options.job}: {error}") from None
    json.dump({"aim": made.aim, "gap": made.gap, "found": [_plain(c) for c in made.found]}, sys.stdout, indent=2)
    print()


def _plain(c: Candidate) -> dict[str, Any]:
    return {
        "name": c.name,
        "weld_mm": c.weld_mm,
        "weld_below_fluid_mm": c.low_mm,
        "parts": c.parts,
        "bends": c.bends,
        "sheets": c.sheets or None,
        "minutes": c.minutes,
        "money": c.money,
        "school": c.changes["makeup.school"],
        "edges": c.changes["makeup.edges"],
        "stops": list(c.stops),
    }
