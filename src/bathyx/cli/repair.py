"""`bathyx repair`: a used tank taken in as a job, and its gate."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import Any

from bathyx.cli.errors import CommandError, data_home
from bathyx.cli.loading import free_for, put_down
from bathyx.errors import Refusal

HURT = "WHERE:WHAT:MM[:CAUSE[:WAY]]"


def add_commands(command: Callable[..., argparse.ArgumentParser]) -> None:
    """Add the command with its own two."""
    repair = command(
        "repair", _which, "a used tank: `repair new` takes it in, `repair gate` says whether heat may be used"
    )
    ways = repair.add_subparsers(title="what", metavar="WHAT")
    new = ways.add_parser("new", help="write the job of a used tank that came in; its sizes as it stands")
    new.set_defaults(run=_new)
    new.add_argument("--what", required=True, help="what it is, in words")
    new.add_argument("--owner", default="")
    new.add_argument(
        "--kind",
        default="plain",
        help="plain, pressure vessel, dangerous goods or aircraft: the last three are refused",
    )
    new.add_argument("--held", default="unknown", metavar="FLUID", help="what it held; unknown counts as what burns")
    new.add_argument("--last-held", default="", metavar="DATE")
    new.add_argument("--sheet", default="s235/3", metavar="MATERIAL/MM", help="as it was found out to be")
    new.add_argument(
        "--found-by", action="append", default=[], metavar="HOW", help="papers, magnet, spark, file, density, burn"
    )
    new.add_argument("--hurt", action="append", default=[], metavar=HURT, help="may be given many times")
    new.add_argument(
        "--trap",
        action="append",
        default=[],
        metavar="WHERE",
        help="where vapour stays: double_bottom, foam, baffles, …",
    )
    for name in ("length", "width", "height"):
        new.add_argument(f"--{name}-mm", type=float, required=True, metavar="MM")
    new.add_argument("--force", action="store_true", help="overwrite an existing file")
    new.add_argument("job", type=Path, metavar="JOB.json")
    gate = ways.add_parser(
        "gate", help="print as JSON whether heat may be used now, and what is missing; 1 where it may not"
    )
    gate.set_defaults(run=_gate)
    gate.add_argument("job", type=Path, metavar="JOB.json")
    gate.add_argument("--register", metavar="FILE", help="where its conditions are on record; else the home's")


def _which(_: argparse.Namespace) -> None:
    raise CommandError("say `bathyx repair new … JOB.json` or `bathyx repair gate JOB.json`")


def _hurt(text: str) -> dict[str, Any]:
    parts = [part.strip() for part in text.split(":")]
    if not 3 <= len(parts) <= 5:
        raise CommandError(f"{text[:60]!r} is no hurt; write {HURT}, like rear mount:crack:40:vibration:weld")
    try:
        mm = float(parts[2].removesuffix("mm"))
    except ValueError:
        raise CommandError(f"{parts[2]!r} is no size in mm; write {HURT}") from None
    more = dict(zip(("cause", "way"), parts[3:], strict=False))
    return {"where": parts[0], "what": parts[1], "mm": mm, **more}


def _new(options: argparse.Namespace) -> None:
    from bathyx.core.evaluate import evaluate
    from bathyx.core.job import job_of
    from bathyx.core.material import fluids
    from bathyx.core.space.free import FreeSpace

    free_for(options.job, force=options.force)
    fluid = options.held if options.held in fluids() else "diesel"
    sizes = (options.length_mm, options.width_mm, options.height_mm)
    water = {"method": "water_fill", "test_kpa": 0, "hold_min": 1440}
    try:
        job = job_of(
            {
                "brief": {
                    "name": options.what[:120],
                    "customer": options.owner,
                    "fluid": fluid,
                    "demand": {
                        "kind": "capacity",
                        "litres": float(f"{0.9 * sizes[0] * sizes[1] * sizes[2] / 1e6:.2g}"),
                    },
                },
                "space": FreeSpace().model_dump(),
                "tank": {
                    "family": "profile",
                    "length_mm": sizes[0],
                    "width_mm": sizes[1],
                    "height_mm": sizes[2],
                    "sheet": options.sheet,
                },
                "proving": {"tests": [water]},
                "repair": {
                    "what": options.what,
                    "owner": options.owner,
                    "kind": options.kind,
                    "held": options.held,
                    "last_held": options.last_held,
                    "found_by": options.found_by,
                    "hurts": [_hurt(text) for text in options.hurt],
                    "traps": options.trap,
                },
            }
        )
        evaluate(job)
    except Refusal as error:
        raise CommandError(str(error)) from None
    if job.repair is not None and job.repair.refused_always:
        print(f"bathyx: {job.repair.refused_always}", file=sys.stderr)
    put_down(job, options.job)


def _gate(options: argparse.Namespace) -> int:
    from bathyx.cli.loading import load
    from bathyx.cli.records import open_register
    from bathyx.core.build.rules import intake_of
    from bathyx.core.repair.gate import conditions, gate
    from bathyx.register import JobRecord

    job = load(options.job)
    place = options.register or str(data_home() / "register.sqlite")
    entries: tuple[Any, ...] = ()
    if options.register or Path(place).exists():
        register = open_register(place)
        entries = JobRecord(tuple(register.entries(job.uid))).standing
        register.close()
    intake = intake_of(job, entries)
    if intake is None:
        raise CommandError(f"{options.job}: it never held what burns; the gate is for used tanks (`bathyx repair new`)")
    found = gate(intake, conditions(entries), datetime.now().astimezone())
    said = {
        "open": found.open,
        "refused": found.refused or None,
        "missing": list(found.missing),
        "until": None if found.until is None else found.until.isoformat(timespec="minutes"),
        "burns": intake.burns,
    }
    json.dump(said, sys.stdout, indent=2, ensure_ascii=False)
    print()
    return int(not found.open)
