"""`bathyx skin` and `transition`: double-curved skins with their strains and patterns, transition pieces by triangulation."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable
from pathlib import Path

from bathyx.cli.errors import CommandError
from bathyx.cli.streams import ALOUD, place_for
from bathyx.errors import Refusal


def add_commands(command: Callable[..., argparse.ArgumentParser]) -> None:
    """Add the command."""
    skin = command("skin", _skin, "print as JSON what forming a double-curved skin takes, and write its patterns")
    skin.add_argument("job", type=Path, metavar="JOB.json")
    skin.add_argument(
        "folder", type=Path, nargs="?", metavar="DIR", help="for a DXF of the blank and a PDF of all patterns"
    )
    skin.add_argument("--name", help="which one; all unless given")
    skin.add_argument(
        "--paper", default="a4", metavar="PAPER", help="a4, a3, letter, tabloid, or a roll by its width like roll-610"
    )
    skin.add_argument("--within", type=float, default=1.0, metavar="MM", help="a reading that near fits")
    piece = command(
        "transition", _transition, "lay a piece from one end to another flat: a rectangle and a circle, or two circles"
    )
    piece.add_argument("below", metavar="END", help="300x200, or a diameter")
    piece.add_argument("above", metavar="END", help="300x200, or a diameter")
    piece.add_argument("--height", type=float, required=True, metavar="MM")
    piece.add_argument("--offset", default="0,0", metavar="X,Y", help="of the upper end's middle, mm")
    piece.add_argument("--thickness", type=float, required=True, metavar="MM")
    piece.add_argument("--out", type=Path, required=True, metavar="FILE.dxf")


def _transition(options: argparse.Namespace) -> None:
    from shapely.geometry import Polygon

    from bathyx.core.sheet.flat.transition import blank_of_transition, end_of, transition
    from bathyx.papers.machine.dxf import write_dxf

    try:
        x, y = (float(v) for v in options.offset.split(","))
        if not all(abs(v) <= 10_000 for v in (x, y, options.height)):
            raise ValueError
    except ValueError:
        raise CommandError(
            f"{options.offset!r}, {options.height!r}: write an offset like 20,0 and a height like 150, mm"
        ) from None
    try:
        found = transition(end_of(options.below, 0.0), end_of(options.above, options.height, x, y), options.thickness)
        aloud = str(options.out) == ALOUD
        blank = blank_of_transition("transition" if aloud else options.out.stem, found, options.thickness)
        with place_for(options.out, ".dxf") as (place, words):
            write_dxf(blank, place)
    except Refusal as error:
        raise CommandError(str(error)) from None
    except OSError as error:
        raise CommandError(f"cannot write {options.out}: {error.strerror or error}") from None
    said = {
        "size_mm": list(blank.size_mm),
        "area_mm2": Polygon(found.outline).area,
        "bends": len(blank.bends),
        "girth_below_mm": found.below_mm,
        "girth_above_mm": found.above_mm,
        "area_off": found.area_off,
        "girth_off": found.girth_off,
        "file": str(options.out),
    }
    json.dump(said, words, indent=2)
    print(file=words)


def _skin(options: argparse.Namespace) -> None:
    from bathyx.cli.loading import load
    from bathyx.core.sheet.flat.formed import blank_of, checks_of, flattened
    from bathyx.papers.skins import write_skin

    job = load(options.job)
    chosen = [skin for skin in job.formed if options.name in (None, skin.name)]
    if not chosen:
        there = ", ".join(skin.name for skin in job.formed) or "none"
        raise CommandError(f"{options.job}: no formed skin {options.name or ''}; there are {there}".replace("  ", " "))
    rows = []
    try:
        for skin in chosen:
            laid, blank = flattened(skin), blank_of(skin)
            low, high = laid.range_of()
            files = write_skin(skin, options.folder, options.paper) if options.folder is not None else []
            rows.append(
                {
                    "name": skin.name,
                    "blank_mm": list(blank.size_mm),
                    "spare_mm": skin.spare_mm,
                    "most_stretch": max(high, 0.0),
                    "most_shrink": max(-low, 0.0),
                    "readings": [
                        {
                            "side": check.reading.side,
                            "station_mm": check.reading.at_mm,
                            "across_mm": check.reading.across_mm,
                            "off_mm": check.off_mm,
                            "said": check.said(options.within),
                        }
                        for check in checks_of(skin)
                    ],
                    "files": [str(path) for path in files],
                }
            )
    except Refusal as error:
        raise CommandError(f"{options.job}: {error}") from None
    except OSError as error:
        raise CommandError(f"cannot write into {options.folder}: {error.strerror or error}") from None
    json.dump({"skins": rows}, sys.stdout, indent=2, ensure_ascii=False)
    print()
