"""`bathyx space` and `bathyx propose`: a job round a measured space, and tanks for it."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from bathyx.cli.errors import CommandError
from bathyx.cli.streams import ALOUD, progress
from bathyx.errors import Refusal

FIRST_SHEET = "5083/3"
MOST_STATIONS = 60


def add_commands(command: Callable[..., argparse.ArgumentParser]) -> None:
    """Add the commands."""
    space = command(
        "space", _space, "make a job round a measured space: a table of offsets (docs/file-formats.md) or a scan"
    )
    space.add_argument("offsets", type=Path, metavar="OFFSETS.csv|SCAN.stl")
    space.add_argument(
        "--units", choices=("mm", "cm", "m", "in"), help="of numbers that do not say theirs; a scan needs it"
    )
    space.add_argument("--floor", action="store_true", help="place a scan by its flat floor, its longer way along x")
    space.add_argument(
        "--points",
        nargs=3,
        metavar="X,Y,Z",
        help="place a scan by three places: the origin, one along, one to the right",
    )
    space.add_argument("--down", action="store_true", help="the scan's own z points down: turn it over")
    space.add_argument("--stations", type=int, metavar="N", help="how many to cut from a scan")
    space.add_argument(
        "--runs", choices=("fair", "straight"), default="fair", help="curves or straight runs between offsets"
    )
    space.add_argument("--sheet", default=FIRST_SHEET, metavar="MATERIAL/MM")
    space.add_argument("--fluid", default="diesel")
    space.add_argument("--name", default="New tank")
    space.add_argument("--out", type=Path, required=True, metavar="JOB.json")
    space.add_argument("--force", action="store_true", help="overwrite an existing file")
    offer = command("propose", _propose, "print the largest tanks for the space of a job as JSON")
    offer.add_argument("job", type=Path, metavar="JOB.json")
    offer.add_argument(
        "--panels", type=int, action="append", metavar="K", help="flat panels, 5 to 10; again for more numbers"
    )
    offer.add_argument(
        "--family", action="append", metavar="KIND", help="box, panels, rolled or saddle; again for more"
    )
    offer.add_argument("--litres", type=float, metavar="L", help="what is wanted: larger ones are made smaller")
    offer.add_argument("--seed", type=int, default=1, metavar="N")
    offer.add_argument(
        "--write", type=int, metavar="N", help="put proposal N (1 is the first printed) into the job file"
    )


def _space(options: argparse.Namespace) -> None:
    from bathyx.core.job import job_of
    from bathyx.files import write_text

    aloud = str(options.out) == ALOUD
    if not aloud and options.out.exists() and not options.force:
        raise CommandError(f"{options.out} exists; choose another name or add --force")
    try:
        document: dict[str, Any] = {
            "brief": {"name": options.name, "fluid": options.fluid},
            "space": {"kind": "stations", "stations": _stations(options), "runs": options.runs},
            "tank": {"family": "profile", "sheet": options.sheet, "length_mm": 100, "width_mm": 100, "height_mm": 100},
        }
        job = job_of(document)
        room = job.space.room
        from bathyx.core.tank.fit import fill_room

        job = job.edited("tank", fill_room(job.tank, room, _thickness(options.sheet)))
        litres = float(f"{0.85 * job.tank.volume_mm3() / 1e6:.2g}")
        job = job.edited("brief.demand", {"kind": "capacity", "litres": litres})
    except Refusal as error:
        raise CommandError(f"{options.offsets}: {error}") from None
    if aloud:
        print(job.to_json(), end="")
        return
    try:
        write_text(options.out, job.to_json())
    except OSError as error:
        raise CommandError(str(error)) from None
    print(options.out)


def _stations(options: argparse.Namespace) -> list[dict[str, Any]]:
    """Of a table, or cut from a scan."""
    from bathyx.files.limits import limited
    from bathyx.files.offsets import read_offsets
    from bathyx.files.scans import SCAN_BYTES, SCAN_S, STATIONS, Place, cut_scan, is_scan

    if not is_scan(options.offsets):
        for name in ("floor", "points", "stations", "down"):
            if getattr(options, name):
                raise Refusal(f"--{name} is for scans; this is read as a table of offsets")
        return read_offsets(options.offsets, options.units or "mm")
    if options.stations is not None and not 2 <= options.stations <= MOST_STATIONS:
        raise Refusal(f"a scan is cut into 2 to {MOST_STATIONS} stations")
    count = options.stations or STATIONS
    place: Place | tuple[Any, Any, Any] = "floor" if options.floor else "as it is"
    if options.points:
        a, b, c = (_spot(text) for text in options.points)
        place = (a, b, c)
    with limited(SCAN_S, SCAN_BYTES):
        cut, _ = cut_scan(options.offsets, options.units, place, count, down=options.down)
    if cut.words:
        print(cut.words, file=sys.stderr)
    return cut.stations


def _spot(text: str) -> Any:
    import numpy as np

    try:
        spot = np.array([float(v) for v in text.split(",")])
    except ValueError:
        spot = np.zeros(0)
    if len(spot) != 3 or not np.isfinite(spot).all():
        raise Refusal(f"{text!r} is no place; write it as x,y,z like 120,-40.5,300")
    return spot


def _thickness(name: str) -> float:
    from bathyx.core.material import sheet

    return sheet(name).thickness_mm


def _propose(options: argparse.Namespace) -> None:
    import dataclasses

    from bathyx.cli.loading import load
    from bathyx.core.propose import KINDS, propose
    from bathyx.files import write_text

    job = load(options.job)
    kinds = tuple(options.family or (("panels",) if options.panels else KINDS))
    wrong = [k for k in kinds if k not in KINDS]
    if wrong:
        raise CommandError(f"no proposals of {', '.join(wrong)}; there are {', '.join(KINDS)}")
    if options.litres is not None and not 0.1 <= options.litres <= 1e6:
        raise CommandError(f"{options.litres:g} litres is no wish; it is 0.1 to 1,000,000")
    try:
        found = propose(
            job, kinds, tuple(options.panels or (6, 8)), options.litres, options.seed, progress("tanks for this space")
        )
    except Refusal as error:
        raise CommandError(f"{options.job}: {error}") from None
    if options.write is not None:
        if not 1 <= options.write <= len(found):
            raise CommandError(f"there are proposals 1 to {len(found)}; {options.write} is none of them")
        if str(options.job) == "-":
            raise CommandError("standard input is no file to write to")
        changes = found[options.write - 1].changes | {"inside.fittings": []}
        try:
            write_text(options.job, job.edited_many(changes).to_json())
        except OSError as error:
            raise CommandError(str(error)) from None
    json.dump([dataclasses.asdict(p) for p in found], sys.stdout, indent=2)
    print()
