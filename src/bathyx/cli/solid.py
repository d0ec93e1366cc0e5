"""`bathyx solid` and `bathyx labels`: the tank for other programs, and what is stuck on its parts."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from pathlib import Path

from bathyx.cli.errors import CommandError
from bathyx.cli.streams import ALOUD, place_for
from bathyx.errors import Refusal


def add_commands(command: Callable[..., argparse.ArgumentParser]) -> None:
    """Add the commands."""
    solid = command(
        "solid", _solid, "write the tank as a solid, STL or 3MF in millimetres; corners sharp, holes not cut"
    )
    solid.add_argument("job", type=Path, metavar="JOB.json")
    solid.add_argument("--out", type=Path, required=True, metavar="FILE.stl|FILE.3mf")
    kind = solid.add_mutually_exclusive_group()
    kind.add_argument("--inside", action="store_const", dest="what", const="inside", help="the room of the fluid")
    kind.add_argument(
        "--parts", action="store_const", dest="what", const="parts", help="each blank folded, each baffle"
    )
    kind.add_argument("--hole", action="store_const", dest="what", const="hole", help="the measured space")
    labels = command("labels", _labels, "write labels with a QR code for every blank, and for off-cuts on the rack")
    labels.add_argument("job", type=Path, metavar="JOB.json")
    labels.add_argument("--out", type=Path, required=True, metavar="FILE.pdf")
    labels.add_argument("--paper", default="a4", metavar="SHEET", help="a4, a3, letter or tabloid")
    labels.add_argument("--units", choices=("metric", "us", "us-decimal"), default="metric")
    labels.add_argument(
        "--offcut",
        action="append",
        default=[],
        metavar="WxH",
        help="on the rack, mm, of the tank's sheet; again for more",
    )


def _solid(options: argparse.Namespace) -> None:
    from bathyx.cli.loading import evaluated
    from bathyx.papers.machine.solid import Body, meshes, write_solid

    e = evaluated(options.job)
    what: Body = options.what or "outside"
    try:
        with place_for(options.out, ".stl") as (place, words):
            path = write_solid(e, place, what)
            found = meshes(e, what)
    except Refusal as error:
        raise CommandError(str(error)) from None
    except OSError as error:
        raise CommandError(f"cannot write {options.out}: {error.strerror or error}") from None
    for name, mesh in found.items():
        closed = "closed" if mesh.is_watertight else "not closed"
        print(f"{name}: {abs(float(mesh.volume)) / 1e6:.3f} L, {len(mesh.faces)} triangles, {closed}", file=words)
    if str(options.out) != ALOUD:
        print(path)


def _labels(options: argparse.Namespace) -> None:
    from bathyx.cli.loading import evaluated
    from bathyx.core.sheet.cutting.rack import OffCut, plain, written
    from bathyx.core.units import Family
    from bathyx.papers.machine.labels import blank_labels, rack_labels, write_labels
    from bathyx.papers.page.stationery import stationery

    e, units = evaluated(options.job, cut=True), Family(options.units)
    try:
        racked = [
            OffCut(o.long_mm, o.wide_mm, o.sheet or e.results.sheet.key, o.number, o.source or plain(e.job.brief.name))
            for o in map(written, options.offcut)
        ]
        labels = (*blank_labels(e, units), *rack_labels(racked, units))
        with place_for(options.out, ".pdf") as (place, words):
            print(write_labels(labels, place, stationery(options.paper)), file=words)
    except Refusal as error:
        raise CommandError(str(error)) from None
    except OSError as error:
        raise CommandError(f"cannot write {options.out}: {error.strerror or error}") from None
