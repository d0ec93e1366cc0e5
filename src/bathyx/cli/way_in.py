"""`bathyx way-in`: does the tank of a job get to its seat, and what would make it."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from bathyx.cli.errors import CommandError
from bathyx.cli.streams import progress
from bathyx.errors import Refusal

if TYPE_CHECKING:
    from bathyx.core.evaluate import Evaluation
    from bathyx.core.wayin.whole import WayFound


def add_commands(command: Callable[..., argparse.ArgumentParser]) -> None:
    """Add the command."""
    way = command(
        "way-in", _way_in, "print as JSON whether the tank of a job goes in by the openings of its space, and how"
    )
    way.add_argument("job", type=Path, metavar="JOB.json")
    way.add_argument("--seconds", type=float, default=20.0, metavar="S", help="how long to look")
    way.add_argument("--seed", type=int, default=1, metavar="N")
    way.add_argument("--sheet", type=Path, metavar="FILE.pdf", help="and write the way on paper, to take along")
    way.add_argument("--out", action="store_true", help="and whether it comes out again for repair")
    way.add_argument("--ways", action="store_true", help="and what would make it go in, cheapest litres first")


def _way_in(options: argparse.Namespace) -> None:
    from bathyx.cli.loading import evaluated
    from bathyx.core.wayin.plan import way_in, way_out
    from bathyx.core.wayin.ways import ways_in

    if not 0.1 <= options.seconds <= 3600:
        raise CommandError(f"{options.seconds:g} seconds is no time to look; 0.1 to 3,600")
    e = evaluated(options.job)
    try:
        found = way_in(e, options.seconds, options.seed, progress("looking for a way in"))
        printed = told(found, found.path[-1].at if found.path else None)
        if options.out and not e.job.tank.built_in:
            back = way_out(e, found, options.seconds, options.seed)
            printed["out"] = told(back, back.path[0].at if back.path else None)
        if options.ways and found.verdict != "goes_in":
            changes = ways_in(e.job, 3 * options.seconds, options.seed, progress("what would make it go in"))
            printed["ways"] = [
                {"words": str(c.words), "litres": c.litres, "changes": c.changes, **told(c.way, c.way.path[-1].at)}
                for c in changes
            ]
        if options.sheet is not None and found.tightest is not None and found.path:
            _sheet(e, options.sheet, found)
    except Refusal as error:
        raise CommandError(f"{options.job}: {error}") from None
    except OSError as error:
        raise CommandError(f"cannot write {options.sheet}: {error.strerror or error}") from None
    json.dump(printed, sys.stdout, indent=2)
    print()


def _sheet(e: Evaluation, path: Path, found: WayFound) -> None:
    from bathyx.core.units import Family
    from bathyx.core.wayin.pose import between
    from bathyx.papers.way_in import Told, write_way_in

    least = found.tightest
    assert least is not None
    tight = between(found.path[least.leg], found.path[least.leg + 1], least.share)
    words = [str.__str__(move.words) for move in found.moves]
    write_way_in(e, path, Told(found.path, words, tight, least.what, least.mm), Family.METRIC)


def told(found: WayFound, seat: Any) -> dict[str, Any]:
    """What was found as plain data; poses as the shift of the tank's middle from its seat, mm, and a quaternion (w, x, y, z); of
    panels that go in one by one, their words only."""
    least = found.tightest
    return {
        "verdict": found.verdict,
        "reason": str(found.reason),
        "opening": found.opening or None,
        "tightest_mm": None if least is None else least.mm,
        "tightest_to": None if least is None else least.what,
        "steps": [
            {
                "text": str(move.words),
                "translation_mm": None if seat is None else [float(v) for v in move.pose.at - seat],
                "quaternion": None if seat is None else list(move.pose.quaternion),
            }
            for move in found.moves
        ],
        "start": None
        if not found.path
        else {
            "translation_mm": [float(v) for v in found.path[0].at - seat],
            "quaternion": list(found.path[0].quaternion),
        },
        "proofs": [
            {"opening": p.opening, "size_mm": list(p.size), "section_mm": list(p.section)} for p in found.proofs
        ],
        "searched_s": found.searched_s,
        "looked": found.looked,
    }
