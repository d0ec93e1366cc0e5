"""The same work without a window: figures, export, schema, new, and opening the desk.

Exit codes: 0 done, 1 the job or the register cannot be used (said on standard error), 2 the command line is wrong.
"""

from __future__ import annotations

import argparse
import json
import os
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from bathyx import __version__
from bathyx.cli import hold
from bathyx.cli.errors import CommandError, data_home

if TYPE_CHECKING:
    from bathyx.core.job import Job


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; returns the exit code."""
    parser = _parser()
    options = parser.parse_args(arguments)
    if not hasattr(options, "run"):
        options = parser.parse_args(["desk"])
    try:
        return int(options.run(options) or 0)
    except CommandError as error:
        print(f"bathyx: {error}", file=sys.stderr)
        return 1
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 1


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="bathyx", description="From a tape measure to a signed test record.")
    parser.add_argument("--version", action="version", version=f"bathyx {__version__}")
    commands = parser.add_subparsers(title="commands", metavar="COMMAND")

    def command(name: str, run: object, words: str) -> argparse.ArgumentParser:
        sub = commands.add_parser(name, help=words, description=words)
        sub.set_defaults(run=run)
        return sub

    desk = command("desk", _desk, "open the window (also what plain `bathyx` does)")
    desk.add_argument("job", nargs="?", type=Path, metavar="JOB.json")
    command("demo", _demo, "open the window with the demo shop")
    figures = command("figures", _figures, "print the figures of a job as JSON")
    figures.add_argument("job", type=Path, metavar="JOB.json")
    export = command("export", _export, "write every paper of a job into a folder")
    export.add_argument("job", type=Path, metavar="JOB.json")
    export.add_argument("folder", type=Path, metavar="DIR")
    export.add_argument("--units", choices=("metric", "us"), default="metric")
    export.add_argument("--register", type=Path, metavar="FILE", help="take welds and tests from this register")
    command("schema", _schema, "print the JSON schema of a job file")
    command("numbers", _numbers, "print every formula in use (docs/numbers.md)")
    new = command("new", _new, "write a new job file; sizes are inside sizes")
    new.add_argument("--family", choices=("profile",), default="profile")
    for side in ("length", "width", "height"):
        new.add_argument(f"--{side}-mm", type=float, required=True, metavar="MM")
    new.add_argument("--sheet", required=True, metavar="MATERIAL/MM", help="for example 5083/3 or 304/1.5")
    new.add_argument("--fluid", default="diesel")
    new.add_argument("--school", default="plates", choices=("plates", "two_l", "wrap", "perimeter"))
    new.add_argument("--joint", default="corner", choices=("corner", "lap"))
    new.add_argument("--name", default="New tank")
    new.add_argument("--force", action="store_true", help="overwrite an existing file")
    new.add_argument("job", type=Path, metavar="JOB.json")
    hold.add_commands(command)
    verify = command("verify", _verify, "check that no record of a register was changed")
    verify.add_argument("register", type=Path, nargs="?", metavar="FILE")
    return parser


def load(path: Path) -> Job:
    """The job at `path`, or on standard input for `-`; CommandError that says what is wrong with it."""
    from bathyx.core.job import JobError, read_job

    try:
        return read_job(sys.stdin.read() if str(path) == "-" else path.read_text("utf-8"), str(path))
    except (OSError, UnicodeDecodeError) as error:
        raise CommandError(f"cannot read {path}: {getattr(error, 'strerror', None) or error}") from None
    except JobError as error:
        raise CommandError(str(error)) from None


def _evaluated(path: Path):
    from bathyx.core.evaluate import evaluate

    try:
        return evaluate(load(path))
    except ValueError as error:
        raise CommandError(f"{path}: {error}") from None


def _figures(options: argparse.Namespace) -> None:
    from bathyx.papers.figures import figures

    json.dump(figures(_evaluated(options.job)), sys.stdout, indent=2)
    print()


def _export(options: argparse.Namespace) -> None:
    from bathyx.core.units import Family
    from bathyx.papers.export import export_all

    e = _evaluated(options.job)
    record = serial = None
    if options.register:
        from bathyx.register import JobRecord

        register = _open_register(options.register)
        record = JobRecord.of(register.entries(e.job.uid), register.same_build(e.job), e.job.proving.tests)
        serial = register.serial(e.job.uid)
        register.close()
    try:
        for path in export_all(e, options.folder, Family(options.units), record, serial):
            print(path)
    except OSError as error:
        raise CommandError(f"cannot write to {options.folder}: {error.strerror or error}") from None


def _open_register(path: Path):
    from bathyx.register import Register, RegisterError

    if not path.is_file():
        raise CommandError(f"no register at {path}")
    try:
        return Register(path)
    except RegisterError as error:
        raise CommandError(str(error)) from None


def _schema(_: argparse.Namespace) -> None:
    from bathyx.core.job import schema

    json.dump(schema(), sys.stdout, indent=2)
    print()


def _numbers(_: argparse.Namespace) -> None:
    from bathyx.papers.numbers import numbers_page

    print(numbers_page(), end="")


def _new(options: argparse.Namespace) -> None:
    from bathyx.core.evaluate import evaluate
    from bathyx.core.job import JobError, job_of
    from bathyx.core.sheet.makeup import MakeUp
    from bathyx.core.space import MeasuredBox
    from bathyx.files import write_text

    if options.job.exists() and not options.force:
        raise CommandError(f"{options.job} exists; choose another name or add --force")
    tank = {
        "family": options.family,
        "length_mm": options.length_mm,
        "width_mm": options.width_mm,
        "height_mm": options.height_mm,
        "sheet": options.sheet,
    }
    try:
        job = job_of(
            {
                "brief": {
                    "name": options.name,
                    "fluid": options.fluid,
                    "demand": {"kind": "capacity", "litres": _round_litres(options)},
                },
                "space": MeasuredBox.around(options.length_mm, options.width_mm, options.height_mm).model_dump(),
                "tank": tank,
                "makeup": MakeUp(school=options.school, joint=options.joint).model_dump(),
            }
        )
        evaluate(job)
    except (JobError, ValueError) as error:
        raise CommandError(str(error)) from None
    try:
        write_text(options.job, job.to_json())
    except OSError as error:
        raise CommandError(str(error)) from None
    print(options.job)


def _round_litres(options: argparse.Namespace) -> float:
    """Nine tenths of the inside box, for a brief that a new tank can meet."""
    litres = 0.9 * abs(options.length_mm * options.width_mm * options.height_mm) / 1e6
    return float(f"{litres:.2g}") if litres > 0 else 1.0


def _verify(options: argparse.Namespace) -> int:
    register = _open_register(options.register or data_home() / "register.sqlite")
    broken = register.verify()
    register.close()
    for b in broken:
        print(f"entry {b.entry_id}: {b.reason}")
    print("the chain of records is whole" if not broken else f"{len(broken)} places where the past was changed")
    return 1 if broken else 0


def _need_display() -> None:
    """Qt would abort without a display; say it in words instead."""
    if not any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")):
        raise CommandError("no display to open a window on; `bathyx figures` and `bathyx export` work without one")


def _desk(options: argparse.Namespace) -> int:
    from bathyx.desk.start import start

    if options.job is not None and not options.job.exists():
        raise CommandError(f"no job file at {options.job}")
    _need_display()
    return start(data_home(), options.job)


def _demo(_: argparse.Namespace) -> int:
    _need_display()
    from bathyx.desk.start import start

    return start(data_home(), None, demo=True)
