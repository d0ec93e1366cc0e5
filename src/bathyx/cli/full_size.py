"""`bathyx mockup` and `bathyx dipstick`: pages at full size."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from bathyx.cli.errors import CommandError
from bathyx.cli.streams import ALOUD, place_for
from bathyx.errors import Refusal

if TYPE_CHECKING:
    from bathyx.core.capacity.dipstick import Stick
    from bathyx.core.evaluate import Evaluation

PAPERS = ("a4", "a3", "letter", "tabloid")


def add_commands(command: Callable[..., argparse.ArgumentParser]) -> None:
    """Add the commands."""
    card = command("mockup", _mockup, "write a card mock-up at full size: cut, fold, tape, try it in the space")
    card.add_argument("jobs", nargs="+", type=Path, metavar="JOB.json", help="several are printed as one set")
    card.add_argument("--out", type=Path, required=True, metavar="FILE.pdf")
    card.add_argument("--paper", choices=PAPERS, default="a4")
    stick = command("dipstick", _dipstick, "write a dipstick at full size, and its marks and the sender's table as CSV")
    stick.add_argument("job", type=Path, metavar="JOB.json")
    stick.add_argument("--out", type=Path, required=True, metavar="FILE.pdf", help="the CSV stands beside it")
    stick.add_argument("--at", metavar="X,Y", help="where its tip stands, mm; at the port or the filler unless given")
    stick.add_argument(
        "--between", metavar="FITTING,FITTING", help="a sight tube between two fittings instead, by their names"
    )
    stick.add_argument("--lean", type=float, default=0.0, metavar="DEG", help="from upright")
    stick.add_argument("--units", choices=("metric", "us", "us-decimal"), default="metric")
    stick.add_argument("--paper", choices=PAPERS, default="a4")


def _mockup(options: argparse.Namespace) -> None:
    from bathyx.cli.loading import evaluated
    from bathyx.papers.mockup import write_mockup

    try:
        with place_for(options.out, ".pdf") as (place, words):
            print(write_mockup([evaluated(path) for path in options.jobs], place, options.paper), file=words)
    except OSError as error:
        raise CommandError(f"cannot write {options.out}: {error.strerror or error}") from None


def _dipstick(options: argparse.Namespace) -> None:
    from bathyx.cli.loading import evaluated
    from bathyx.core.units import Family
    from bathyx.papers.dipstick import stick_of, write_dipstick_csv, write_dipstick_pdf

    place = None
    if options.at:
        try:
            x, y = (float(v) for v in options.at.split(","))
            place = (x, y)
        except ValueError:
            raise CommandError(f"{options.at!r} is no place; write it as x,y in mm like 300,250") from None
    e = evaluated(options.job)
    try:
        stick = (
            _tube(e, options.between, Family(options.units).us)
            if options.between
            else stick_of(e, Family(options.units), place, options.lean)
        )
        with place_for(options.out, ".pdf") as (at, words):
            print(write_dipstick_pdf(e, at, stick, options.paper), file=words)
        if str(options.out) != ALOUD:
            print(write_dipstick_csv(e, options.out.with_suffix(".csv"), stick))
    except Refusal as error:
        raise CommandError(str(error)) from None
    except OSError as error:
        raise CommandError(f"cannot write {options.out}: {error.strerror or error}") from None


def _tube(e: Evaluation, between: str, us: bool) -> Stick:
    from bathyx.core.capacity.dipstick import sight_tube

    known = {f.id: f for f in e.job.inside.fittings}
    names = [name.strip() for name in between.split(",")]
    if len(names) != 2 or any(name not in known for name in names):
        raise CommandError(f"{between!r} names no two fittings; there are {', '.join(known) or 'none'}, written as A,B")
    return sight_tube(e.results.shell, e.results.capacity, known[names[0]], known[names[1]], us=us)
