"""Standard output in place of a file, and how far a long command is, on standard error of a terminal."""

from __future__ import annotations

import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, TextIO

ALOUD, EVERY_S = "-", 0.2


@contextmanager
def place_for(out: Path, suffix: str) -> Iterator[tuple[Path, TextIO]]:
    """(Where to write, where words about it go): for `-` the file's bytes go to standard output when it is written.

    Args:
        out: as it was typed.
        suffix: of a file of that kind, like .pdf.
    """
    if str(out) != ALOUD:
        yield out, sys.stdout
        return
    with tempfile.TemporaryDirectory(prefix="bathyx-") as folder:
        path = Path(folder) / f"out{suffix}"
        yield path, sys.stderr
        sys.stdout.flush()
        sys.stdout.buffer.write(path.read_bytes())
        sys.stdout.buffer.flush()


def progress(doing: str) -> Callable[..., bool]:
    """Called with the share done: says it in one line of standard error, where that is a terminal; always goes on."""
    last = [0.0]
    aloud = sys.stderr is not None and sys.stderr.isatty()

    def heard(share: float, *_rest: Any) -> bool:
        now = time.monotonic()
        if aloud and (now - last[0] > EVERY_S or share >= 1):
            last[0] = now
            end = "\n" if share >= 1 else ""
            print(f"\r{doing}: {min(max(share, 0.0), 1.0):4.0%}", end=end, file=sys.stderr, flush=True)
        return True

    return heard
