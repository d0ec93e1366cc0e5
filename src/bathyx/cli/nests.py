"""`bathyx nest`: parts of one or more jobs on stock sheets and off-cuts."""

from __future__ import annotations

import argparse
import json
import sys
import time
from collections import defaultdict
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from bathyx.cli.errors import CommandError
from bathyx.errors import Refusal

if TYPE_CHECKING:
    from bathyx.core.sheet.cutting.cut_plan import CutPlan, Part


def add_commands(command: Callable[..., argparse.ArgumentParser]) -> None:
    """Add the command."""
    nest = command(
        "nest", _nest, "print as JSON how the blanks of one or more jobs lie on sheets, by material and thickness"
    )
    nest.add_argument("jobs", nargs="+", type=Path, metavar="JOB.json")
    nest.add_argument(
        "--guillotine", action="store_true", help="by cuts from edge to edge, for the shear; else true shapes"
    )
    nest.add_argument("--seconds", type=float, default=10.0, metavar="S", help="to look, in all")
    nest.add_argument("--times", type=int, default=1, metavar="N", help="a batch: so many of each tank")
    nest.add_argument("--kerf", type=float, metavar="MM", help="between parts; 0 for the shear, 3 else")
    nest.add_argument("--margin", type=float, default=5.0, metavar="MM", help="at the edge of a sheet")
    nest.add_argument("--grain", action="store_true", help="parts are turned by half a turn at most")
    nest.add_argument("--offcut", action="append", default=[], metavar="WxH", help="on the rack, mm; again for more")


def _nest(options: argparse.Namespace) -> None:
    from bathyx.cli.loading import evaluated
    from bathyx.core.material import Sheet
    from bathyx.core.sheet.cutting.cut_plan import Cutting, cut_plan, offcut_of, parts_of
    from bathyx.core.sheet.cutting.nest import by_thickness

    if not 0.1 <= options.seconds <= 3600 or not 1 <= options.times <= 200:
        raise CommandError("look for 0.1 to 3,600 seconds, and for 1 to 200 of each tank")
    kerf = options.kerf if options.kerf is not None else (0.0 if options.guillotine else 3.0)
    if not 0 <= kerf <= 50 or not 0 <= options.margin <= 200:
        raise CommandError("a kerf is 0 to 50 mm, a margin 0 to 200 mm")
    try:
        rack = [offcut_of(text) for text in options.offcut]
    except Refusal as error:
        raise CommandError(str(error)) from None
    by_sheet: dict[str, list[Part]] = defaultdict(list)
    stocks: dict[str, tuple[tuple[float, float], ...]] = {}
    for path in options.jobs:
        e = evaluated(path, cut=True)
        for thick, blanks in by_thickness(e.results.blanks).items():
            key = Sheet(e.results.sheet.material, thick).key
            stocks[key] = e.results.sheet.material.stock
            for n in range(options.times):
                prefix = (f"{path.stem} " if len(options.jobs) > 1 else "") + (f"{n + 1} " if options.times > 1 else "")
                by_sheet[key] += parts_of(blanks, prefix)
    how = Cutting(options.guillotine, kerf, options.margin, options.grain)
    printed, end = [], time.monotonic() + options.seconds
    for n, (key, parts) in enumerate(by_sheet.items()):
        share = max((end - time.monotonic()) / (len(by_sheet) - n), 0.05)  # what is left, evenly for what is left
        try:
            printed.append({"sheet": key, **_plain(cut_plan(parts, stocks[key], rack, how, share), parts)})
        except Refusal as error:
            raise CommandError(f"{key}: {error}") from None
    json.dump({"nests": printed}, sys.stdout, indent=2)
    print()


def _plain(plan: CutPlan, parts: list[Part]) -> dict[str, Any]:
    from bathyx.core.sheet.cutting.cut_plan import common_mm

    return {
        "density": plan.density,
        "common_cut_mm": common_mm(plan, parts),
        "parts": len(parts),
        "sheets": [
            {
                "size_mm": list(s.size),
                "offcut": s.offcut,
                "left_mm": None if s.left is None else list(s.left),
                "cuts": [{"region": list(c.region), "axis": c.axis, "at": c.at} for c in s.cuts],
            }
            for s in plan.sheets
        ],
        "places": [
            {"part": p.part, "sheet": p.sheet, "x_mm": p.x_mm, "y_mm": p.y_mm, "turn_deg": p.turn_deg}
            for p in plan.places
        ],
    }
