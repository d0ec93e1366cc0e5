"""A job from a path or standard input, as every command takes it."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING

from bathyx.cli.errors import CommandError
from bathyx.errors import Refusal

if TYPE_CHECKING:
    from bathyx.core.evaluate import Evaluation
    from bathyx.core.job import Job


def load(path: Path) -> Job:
    """The job at `path`, or on standard input for `-`; a Refusal that says what is wrong with it."""
    from bathyx.core.job import read_job
    from bathyx.files import MOST_BYTES, read_text

    if str(path) != "-":
        return read_job(read_text(path), str(path)[-120:])
    data = sys.stdin.buffer.read(MOST_BYTES + 1) if hasattr(sys.stdin, "buffer") else sys.stdin.read().encode()
    if len(data) > MOST_BYTES:
        raise CommandError(f"standard input holds more than the {MOST_BYTES / 1e6:.0f} MB a job may have")
    try:
        return read_job(data.decode("utf-8-sig"), "standard input")
    except UnicodeDecodeError as error:
        raise CommandError(f"standard input is no UTF-8 text (byte {error.start})") from None


def evaluated(path: Path, *, cut: bool = False) -> Evaluation:
    """The job at `path`, evaluated; CommandError where it cannot be built, or cut where it is to be `cut`."""
    from bathyx.core.evaluate import cuttable, evaluate

    job = load(path)
    try:
        return cuttable(evaluate(job)) if cut else evaluate(job)
    except Refusal as error:
        raise CommandError(f"{path}: {error}") from None


def free_for(path: Path, *, force: bool) -> None:
    """CommandError where a new job would stand over another file; `-` is standard output."""
    if str(path) != "-" and path.exists() and not force:
        raise CommandError(f"{path} exists; choose another name or add --force")


def put_down(job: Job, path: Path) -> None:
    """Write a new job to its file and print its path, or to standard output for `-`; CommandError where it cannot be written."""
    from bathyx.files import write_text

    if str(path) == "-":
        print(job.to_json(), end="")
        return
    try:
        write_text(path, job.to_json())
    except OSError as error:
        raise CommandError(str(error)) from None
    print(path)
