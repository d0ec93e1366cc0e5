"""The same work without a window: figures, export, schema, new, and opening the desk.

Exit codes: 0 done, 1 the job or the register cannot be used (said on standard error), 2 the command line is wrong.
"""

from __future__ import annotations

import argparse
import contextlib
import json
import math
import os
import re
import sys
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from bathyx import __version__
from bathyx.cli import full_size, hold, laminate, make_ups, nests, records, repair, rods, skins, solid, spaces, way_in
from bathyx.cli.errors import CommandError, data_home
from bathyx.cli.loading import evaluated
from bathyx.cli.new import add_new, families, new
from bathyx.cli.records import open_register
from bathyx.cli.tables import add_tables, tables
from bathyx.cli.words import Parser
from bathyx.errors import Refusal, brief

if TYPE_CHECKING:
    pass


MOST_TILT_DEG = 60
PIPE_CLOSED = 141  # what a shell shows for a program that a closed pipe has ended


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; returns the exit code."""
    if sys.stdout is None:  # started with its output closed
        sys.stdout = Path(os.devnull).open("w")  # noqa: SIM115
    argv = _values(list(sys.argv[1:] if arguments is None else arguments))
    parser = parser_of(argv)
    options = parser.parse_args(argv)
    if not hasattr(options, "run"):
        options = parser.parse_args(["desk"])
    try:
        if options.run is not tables:
            _own_tables()
        done = int(options.run(options) or 0)
        sys.stdout.flush()
        return done
    except BrokenPipeError:
        _let_go_of_stdout()
        return PIPE_CLOSED
    except Refusal as error:
        _complain(brief(str(error)))
    except KeyboardInterrupt:
        return 130
    except OSError as error:
        _let_go_of_stdout()
        _complain(f"what was asked for could not be written: {(error.strerror or str(error)).lower()}")
    return 1


def _own_tables() -> None:
    """The shop's own tables, where there are any; what is wrong with them is said and left out."""
    folder = data_home() / "tables"
    if folder.is_dir():
        from bathyx.files.own_tables import read_own

        for why in read_own(folder):
            _complain(f"left out: {why}")


def _complain(text: str) -> None:
    with contextlib.suppress(OSError, ValueError):
        print(f"bathyx: {text}", file=sys.stderr)


def _let_go_of_stdout() -> None:
    """What is still to be written has nowhere to go; Python would try again when it ends, and say so."""
    with contextlib.suppress(OSError, ValueError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())


def _values(argv: list[str]) -> list[str]:
    """Values that begin with a minus told from options by a blank before them: places like -120,40,0, and keys."""
    found = []
    for k, word in enumerate(argv):
        value = word.startswith("-") and (argv[k - 1 : k] == ["--public"] or re.match(r"^-[\d.]+,", word) is not None)
        found.append(f" {word}" if value else word)
    return found


def parser_of(argv: list[str]) -> argparse.ArgumentParser:
    """Every command with its options; those of `new` that a family brings, too, where `argv` begins with it."""
    parser = Parser(prog="bathyx", description="From a tape measure to a signed test record.")
    parser.add_argument("--version", action="version", version=f"bathyx {__version__}")
    commands = parser.add_subparsers(title="commands", metavar="COMMAND")

    def command(name: str, run: object, words: str) -> argparse.ArgumentParser:
        sub = commands.add_parser(name, help=words, description=words)
        sub.set_defaults(run=run)
        return sub

    desk = command("desk", _desk, "open the window (also what plain `bathyx` does)")
    desk.add_argument(
        "job", nargs="?", type=Path, metavar="JOB.json", help="opened in the window that is there, if one is"
    )
    desk.add_argument("--new-window", action="store_true", help="in a window of its own")
    command("demo", _demo, "open the window with the demo shop")
    figures = command("figures", _figures, "print the figures of a job as JSON")
    figures.add_argument("job", type=Path, metavar="JOB.json")
    figures.add_argument("--pitch", type=float, metavar="DEG", help="front up; adds the dip table at that attitude")
    figures.add_argument("--roll", type=float, metavar="DEG", help="right end up; the same")
    export = command("export", _export, "write every paper of a job into a folder")
    export.add_argument("job", type=Path, metavar="JOB.json")
    export.add_argument("folder", type=Path, metavar="DIR")
    export.add_argument("--units", choices=("metric", "us", "us-decimal"), default="metric")
    export.add_argument("--paper", default="a4", metavar="SHEET", help="a4, a3, letter or tabloid")
    export.add_argument("--address", default="", help="of the shop, one line in the foot of each page")
    export.add_argument("--mark", default="", metavar="PICTURE", help="PNG or JPEG for the head of each page")
    export.add_argument("--instead", action="store_true", help="keep what is in DIR beside it under a dated name")
    export.add_argument("--register", metavar="FILE", help="take welds and tests from this register")
    command("schema", _schema, "print the JSON schema of a job file")
    command("numbers", _numbers, "print every formula in use (docs/numbers.md)")
    add_new(command("new", new, "write a new job file; sizes are inside sizes"), whole=argv[:1] == ["new"])
    add_tables(command("tables", tables, "the shop's own rows over the tables that ship: what holds, what is wrong"))
    command("families", families, "list the families of tanks with their sizes")
    spaces.add_commands(command)
    way_in.add_commands(command)
    make_ups.add_commands(command)
    nests.add_commands(command)
    skins.add_commands(command)
    rods.add_commands(command)
    laminate.add_commands(command)
    repair.add_commands(command)
    solid.add_commands(command)
    full_size.add_commands(command)
    hold.add_commands(command)
    records.add_commands(command)
    return parser


def _figures(options: argparse.Namespace) -> None:
    from bathyx.papers.figures import figures

    tilt = None
    if options.pitch is not None or options.roll is not None:
        tilt = (options.pitch or 0.0, options.roll or 0.0)
        if max(map(abs, tilt)) > MOST_TILT_DEG or not all(map(math.isfinite, tilt)):
            raise CommandError(f"pitch and roll are at most {MOST_TILT_DEG} degrees either way")
    json.dump(figures(evaluated(options.job), tilt_deg=tilt), sys.stdout, indent=2)
    print()


def _export(options: argparse.Namespace) -> None:
    from bathyx.core.units import Family
    from bathyx.papers.export import export_all
    from bathyx.papers.folder import write_all
    from bathyx.papers.page.stationery import stationery

    on = replace(stationery(options.paper, options.address, options.mark), pictures=data_home() / "pictures")
    e = evaluated(options.job)
    record = serial = None
    if options.register:
        from bathyx.register import record_of
        from bathyx.register.ledger.keys import shop_key

        register = open_register(options.register)
        register.key = shop_key(data_home())
        record = record_of(register, e)
        serial = register.serial(e.job.uid)
        register.close()
    try:
        for path in write_all(
            options.folder,
            lambda folder: export_all(e, folder, Family(options.units), record, serial, on),
            options.instead,
        ):
            print(path)
    except OSError as error:
        raise CommandError(f"cannot write to {options.folder}: {error.strerror or error}") from None


def _schema(_: argparse.Namespace) -> None:
    from bathyx.core.job import schema

    json.dump(schema(), sys.stdout, indent=2)
    print()


def _numbers(_: argparse.Namespace) -> None:
    from bathyx.papers.numbers import numbers_page

    print(numbers_page(), end="")


def _need_display() -> None:
    """Qt would abort without a display it can use; say it in words instead."""
    from bathyx.desk.display import trouble

    why = trouble(os.environ)
    if why:
        raise CommandError(f"{why}; `bathyx figures` and `bathyx export` work without one")


def _desk(options: argparse.Namespace) -> int:
    from bathyx.desk.start import start

    if options.job is not None and not options.job.exists():
        raise CommandError(f"no job file at {options.job}")
    _need_display()
    if options.job is not None and not options.new_window:
        from bathyx.desk.one_window import handed_over

        if handed_over(data_home(), options.job):
            return 0
    start(data_home(), options.job)


def _demo(_: argparse.Namespace) -> int:
    _need_display()
    from bathyx.desk.start import start

    start(data_home(), None, demo=True)
