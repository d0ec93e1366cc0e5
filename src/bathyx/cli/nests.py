"""`bathyx nest`: parts of one or more jobs on stock sheets and off-cuts."""

from __future__ import annotations

import argparse
import json
import sys
import time
from collections import defaultdict
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from bathyx.cli.errors import CommandError
from bathyx.errors import Refusal

if TYPE_CHECKING:
    from bathyx.core.evaluate import Evaluation
    from bathyx.core.sheet.cutting.cut_plan import CutPlan, Cutting, Part
    from bathyx.core.sheet.cutting.rack import OffCut


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
    nest.add_argument(
        "--offcut",
        action="append",
        default=[],
        metavar="'WxH SHEET'",
        help="on the rack, mm, and its metal like '600x400 5083/3', which may be left out where all is of one; again for more",
    )
    nest.add_argument(
        "--plan",
        type=Path,
        metavar="DIR",
        help="of one job: its cut plan on paper, a file for each sheet material and thickness",
    )


def _nest(options: argparse.Namespace) -> None:
    from bathyx.cli.loading import evaluated
    from bathyx.core.material import Sheet
    from bathyx.core.sheet.cutting.cut_plan import Cutting, cut_plan, parts_of
    from bathyx.core.sheet.cutting.nest import by_thickness
    from bathyx.core.sheet.cutting.rack import of_sheet, written

    if not 0.1 <= options.seconds <= 3600 or not 1 <= options.times <= 200:
        raise CommandError("look for 0.1 to 3,600 seconds, and for 1 to 200 of each tank")
    kerf = options.kerf if options.kerf is not None else (0.0 if options.guillotine else 3.0)
    if not 0 <= kerf <= 50 or not 0 <= options.margin <= 200:
        raise CommandError("a kerf is 0 to 50 mm, a margin 0 to 200 mm")
    if options.plan is not None and (len(options.jobs) > 1 or options.times > 1):
        raise CommandError("a cut plan on paper is of one tank; leave --plan out, or name one job and once")
    try:
        rack = [written(text) for text in options.offcut]
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
    rack = _named(rack, list(by_sheet))
    how = Cutting(options.guillotine, kerf, options.margin, options.grain)
    printed, end = [], time.monotonic() + options.seconds
    for n, (key, parts) in enumerate(by_sheet.items()):
        share = max((end - time.monotonic()) / (len(by_sheet) - n), 0.05)  # what is left, evenly for what is left
        sizes = [offcut.size for offcut in of_sheet(rack, key)]
        try:
            plan = cut_plan(parts, stocks[key], sizes, how, share)
        except Refusal as error:
            raise CommandError(f"{key}: {error}") from None
        printed.append({"sheet": key, **_plain(plan, parts, how)})
        if options.plan is not None:
            _on_paper(e, plan, how, key, options.plan)
    json.dump({"nests": printed}, sys.stdout, indent=2)
    print()


def _named(rack: list[OffCut], sheets: list[str]) -> list[OffCut]:
    """The off-cuts with their metal: what is said none of is of the only one there is."""
    if len(sheets) == 1:
        return [offcut if offcut.sheet else replace(offcut, sheet=sheets[0]) for offcut in rack]
    nameless = next((offcut for offcut in rack if not offcut.sheet), None)
    if nameless is not None:
        raise CommandError(
            f"off-cut {nameless}: there are blanks of {', '.join(sheets)}; say which it is of, like '{nameless} {sheets[0]}'"
        )
    return rack


def _on_paper(e: Evaluation, plan: CutPlan, how: Cutting, key: str, folder: Path) -> None:
    from bathyx.core.material import sheet
    from bathyx.core.units import Family
    from bathyx.papers.cut_plan_sheet import write_cut_plan

    path = folder / f"cut-plan-{key.replace('/', '-')}.pdf"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        write_cut_plan(e, plan, how, sheet(key), path, Family.METRIC)
    except OSError as error:
        raise CommandError(f"cannot write {path}: {error.strerror or error}") from None


def _plain(plan: CutPlan, parts: list[Part], how: Cutting) -> dict[str, Any]:
    from bathyx.core.sheet.cutting.cut_plan import common_mm

    return {
        "density": plan.density,
        "common_cut_mm": common_mm(plan, parts, how.kerf_mm),
        "parts": len(parts),
        "sheets": [
            {
                "size_mm": list(s.size),
                "offcut": s.offcut,
                "left_mm": None if s.left is None else list(s.left),
                "rest": [list(r) for r in s.rest],
                "cuts": [{"region": list(c.region), "axis": c.axis, "at": c.at} for c in s.cuts],
            }
            for s in plan.sheets
        ],
        "places": [
            {"part": p.part, "sheet": p.sheet, "x_mm": p.x_mm, "y_mm": p.y_mm, "turn_deg": p.turn_deg}
            for p in plan.places
        ],
    }
