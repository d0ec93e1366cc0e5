"""`bathyx make-ups`, `order`, `needs` and `templates`: the make-up of a tank, what to ask for, and blanks at full size."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable
from dataclasses import fields
from pathlib import Path
from typing import TYPE_CHECKING, Any

from bathyx.cli.errors import CommandError
from bathyx.cli.streams import progress
from bathyx.errors import Refusal

if TYPE_CHECKING:
    from bathyx.core.makeups.plan import Candidate
    from bathyx.core.makeups.rates import Rates

PAPERS = ("a4", "a3", "letter", "tabloid")
AIMS = ("weld", "low", "flat", "parts", "stock", "money")


def add_commands(command: Callable[..., argparse.ArgumentParser]) -> None:
    """Add the command."""
    plan = command("make-ups", _make_ups, "print make-ups of a tank as JSON: which edges to bend, the best first")
    plan.add_argument("job", type=Path, metavar="JOB.json")
    plan.add_argument(
        "--aim", choices=AIMS, default="weld", help="what is best: least weld, least weld below the fluid line, …"
    )
    plan.add_argument("--top", type=int, default=6, metavar="N", help="how many to print")
    plan.add_argument(
        "--rate",
        action="append",
        default=[],
        metavar="WHAT=AMOUNT",
        help="of the shop: weld_min_m, cut_min_m, bend_min, part_min (minutes) or hour (money), like hour=55; again for more",
    )
    plan.add_argument(
        "--offcut", action="append", default=[], metavar="WxH", help="on the rack, mm, used first; again for more"
    )
    plan.add_argument(
        "--register", metavar="FILE", help="correct the rates by the minutes booked in this register, or server's URL"
    )
    plan.add_argument(
        "--apply", type=int, metavar="K", help="put candidate K (1 is the first printed) into the job file"
    )
    order = command(
        "order", _order, "print as JSON what to ask the steel yard for, the brake's steps, and holes by tool"
    )
    order.add_argument("job", type=Path, metavar="JOB.json")
    order.add_argument("--bar", type=float, default=6000.0, metavar="MM", help="length that the yard sells bars in")
    order.add_argument("--saw", type=float, default=2.5, metavar="MM", help="kerf of the saw")
    short = command(
        "shorten", _shorten, "say what to cut out of a built tank to make it shorter, and what it then holds"
    )
    short.add_argument("job", type=Path, metavar="JOB.json")
    short.add_argument("--by", type=float, required=True, metavar="MM")
    short.add_argument("--way", choices=("length", "width", "height"), default="length")
    short.add_argument("--tool", choices=("shears", "saw", "disc", "plasma", "laser"), default="shears")
    short.add_argument("--kerf", type=float, metavar="MM", help="the tool's own, where it was measured")
    sheets = command("templates", _templates, "write paper templates of the blanks at full size")
    sheets.add_argument("job", type=Path, metavar="JOB.json")
    sheets.add_argument("folder", type=Path, metavar="DIR")
    sheets.add_argument(
        "--paper", default="a4", metavar="PAPER", help=f"{', '.join(PAPERS)}, or a roll by its width like roll-610"
    )
    sheets.add_argument("--svg", action="store_true", help="and an SVG in mm of each blank")
    day = command("needs", _needs, "print as JSON what the day takes: sheet, gas, rod, …, and what is short")
    day.add_argument("job", type=Path, metavar="JOB.json")
    day.add_argument(
        "--have",
        action="append",
        metavar="WHAT=AMOUNT",
        default=[],
        help="what is at hand, like gas_m3=1.4; again for more",
    )


def _needs(options: argparse.Namespace) -> None:
    from bathyx.cli.loading import evaluated
    from bathyx.core.build.day_before import needs
    from bathyx.core.units.amounts import amounts_of

    e = evaluated(options.job)
    try:
        there = amounts_of(options.have, [need.what for need in needs(e)], "gas_m3=1.4")
    except Refusal as error:
        raise CommandError(str(error)) from None
    found = needs(e, there)
    rows = [
        {
            "what": need.what, "title": need.title, "amount": need.amount, "unit": need.unit,
            "at_hand": need.at_hand, "short": need.short,
        }
        for need in found
    ]  # fmt: skip
    short = [need.lacking() for need in found if need.short]
    json.dump({"needs": rows, "short": short}, sys.stdout, indent=2, ensure_ascii=False)
    print()


def _shorten(options: argparse.Namespace) -> None:
    from bathyx.cli.loading import load
    from bathyx.core.build.rejoin import KERFS, rejoined
    from bathyx.core.evaluate import evaluate

    job = load(options.job)
    kerf = KERFS[options.tool] if options.kerf is None else options.kerf
    try:
        if not 0 <= kerf <= 50:
            raise CommandError(f"a kerf of {kerf:g} mm is none; 0 to 50")
        found = rejoined(job, options.way, options.by, kerf)
        before, after = evaluate(job).results, evaluate(job.edited_many(found.changes)).results
    except Refusal as error:
        raise CommandError(f"{options.job}: {error}") from None
    said = {
        "strip_to_cut_out_mm": found.strip_mm,
        "kerf_mm": found.kerf_mm,
        "between_mm": list(found.between_mm),
        "gross_l_lost": found.lost_l,
        "usable_l_before": before.capacity.usable.value,
        "usable_l_after": after.capacity.usable.value,
        "caution": "A used tank holds vapour: drain, rinse, leave it open for days or flush it with water, test the air, and where "
        "there is doubt leave it to those who do it professionally.",
    }
    json.dump(said, sys.stdout, indent=2)
    print()


def _order(options: argparse.Namespace) -> None:
    from bathyx.cli.loading import evaluated
    from bathyx.core.sheet.cutting.list_for_yard import bend_orders, hole_tools, order_lines
    from bathyx.core.sheet.makeup.own_parts import bar_plans, every_part

    e = evaluated(options.job, cut=True)
    r = e.results
    printed = {
        "sheet": r.sheet.name,
        "thickness_mm": r.sheet.thickness_mm,
        "pieces": [
            {
                "count": row.count,
                "for": list(row.names),
                "thickness_mm": row.blank.thickness_mm,
                "size_mm": list(row.blank.size_mm),
                "notched_corners": row.notches,
                "bends": [
                    {
                        "turn_deg": step.turn_deg,
                        "by_hand": step.hand,
                        "up": step.bend.up,
                        "inside_radius_mm": step.bend.radius_mm,
                        "bent_to_deg": step.bent_to_deg,
                        "gauge_mm": step.gauge_mm,
                        "against": step.against,
                    }
                    for step in row.steps
                ],
            }
            for row in order_lines(
                r.blanks, r.sheet, bend_orders(r.panelled, r.roles, r.skins, r.rule, e.job.makeup.brake)
            )
        ],
        "bars": [{"stock": b.stock, "length_mm": b.size_mm[1]} for b in r.blanks if b.role == "bought"],
        "own_parts": [
            {"count": p.count, "kind": p.kind, "size": p.size, "place": p.place}
            for p in every_part(e.job.own_parts, r.seams, r.skins, e.job.makeup.doublers, r.straps, r.lids, r.bands)
        ],
        "bars_from_stock": [
            {"section": plan.section, "stock_mm": plan.stock_mm, "bars": plan.bars, "proven": plan.proven}
            for plan in bar_plans(e.job.own_parts, options.bar, options.saw)
        ],
        "holes": [
            {"tool": tool.size, "holes": [{"blank": a, "for": b} for a, b in tool.holes]}
            for tool in hole_tools(r.blanks)
        ],
    }
    json.dump(printed, sys.stdout, indent=2)
    print()


def _templates(options: argparse.Namespace) -> None:
    from bathyx.cli.loading import evaluated
    from bathyx.files import WriteError
    from bathyx.papers.export import piece_words
    from bathyx.papers.folder import file_names
    from bathyx.papers.machine.svg import write_svg
    from bathyx.papers.templates import write_templates

    e = evaluated(options.job)
    try:
        options.folder.mkdir(parents=True, exist_ok=True)
        print(write_templates(e, options.folder / "templates.pdf", options.paper))
        blanks = [b for b in e.results.blanks if b.role != "bought"] if options.svg else []
        for blank, name in zip(blanks, file_names(b.name for b in blanks), strict=True):
            print(write_svg(blank, options.folder / f"{name}.svg", piece_words(e, blank)))
    except (Refusal, WriteError) as error:
        raise CommandError(str(error)) from None
    except OSError as error:
        raise CommandError(f"cannot write into {options.folder}: {error.strerror or error}") from None


def _make_ups(options: argparse.Namespace) -> None:
    from bathyx.cli.loading import load
    from bathyx.core.makeups.plan import make_ups
    from bathyx.core.sheet.cutting.rack import offcut_of
    from bathyx.files import WriteError, write_text

    if not 1 <= options.top <= 40:
        raise CommandError(f"{options.top} is no number of candidates; 1 to 40")
    job = load(options.job)
    try:
        made = make_ups(
            job,
            options.aim,
            options.top,
            _rates(options.rate, options.register),
            heard=progress("make-ups"),
            offcuts=tuple(map(offcut_of, options.offcut)),
        )
        if options.apply is not None:
            if not 1 <= options.apply <= len(made.found):
                raise CommandError(f"there is no candidate {options.apply}; {len(made.found)} were found")
            if str(options.job) == "-":
                raise CommandError("standard input is no file to write to")
            write_text(options.job, job.edited_many(made.found[options.apply - 1].changes).to_json())
    except (Refusal, WriteError) as error:
        raise CommandError(f"{options.job}: {error}") from None
    json.dump(
        {"aim": made.aim, "gap": made.gap, "proven": made.proven, "found": [_plain(c) for c in made.found]},
        sys.stdout,
        indent=2,
    )
    print()


def _rates(said: list[str], register: str | None = None) -> Rates:
    """The shop's rates as they are typed, the usual ones for what is not; corrected by what a register has booked."""
    from bathyx.core.makeups.rates import Rates
    from bathyx.core.units.amounts import amounts_of

    rates = Rates(**amounts_of(said, [field.name for field in fields(Rates)], "hour=55"))
    if register is None:
        return rates
    from bathyx.cli.records import open_register
    from bathyx.core.build.hours import booked_of, corrected

    opened = open_register(register)
    try:
        return corrected(rates, booked_of(opened.booked()))
    finally:
        opened.close()


def _plain(c: Candidate) -> dict[str, Any]:
    return {
        "name": c.name,
        "weld_mm": c.weld_mm,
        "weld_below_fluid_mm": c.low_mm,
        "weld_flat_share": c.flat_share,
        "parts": c.parts,
        "bends": c.bends,
        "sheets": c.sheets,
        "minutes": c.minutes,
        "money": c.money,
        "school": c.changes["makeup.school"],
        "edges": c.changes["makeup.edges"],
        "stops": list(c.stops),
    }
