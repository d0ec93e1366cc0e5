"""Opening the register for a bench: it, or the ways on where it cannot be opened; and the copy of the day."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from functools import partial
from pathlib import Path

from bathyx.desk.bench import Bench
from bathyx.desk.home import open_register
from bathyx.desk.views.notices import Way
from bathyx.register import Book, RegisterError
from bathyx.register.opening.copies import copies, daily_copy, set_aside
from bathyx.register.opening.elsewhere import copy_elsewhere, due, last_copy
from bathyx.register.opening.restore import restore
from bathyx.register.opening.shut import ShutRegister
from bathyx.register.opening.where import register_of

OFFERED_COPIES = 2


@dataclass(frozen=True)
class Unopened:
    """Why the register cannot be opened, and what can be done: (label, object name, what it does)."""

    why: str
    ways: tuple[Way, ...]

    @property
    def text(self) -> str:
        """For the page."""
        return (
            f"{self.why}\n\nNothing was changed. Jobs can be designed without it; welds and tests cannot be recorded."
        )


def opened(home: Path, writable: bool, go_on_without: Callable[[str], None]) -> Book | Unopened:
    """The register of `home`, or Unopened. A way only does its part; opening is then tried again by whoever asked."""
    where = register_of(home)
    if not writable and "://" not in str(where) and not Path(where).exists():
        return ShutRegister("this folder cannot be written")
    try:
        return open_register(home, read_only=not writable)
    except RegisterError as error:
        why = str(error)
        ways: list[Way] = [("Try again", "try again", lambda: None)]
        if error.kind in ("damaged", "foreign", "emptied") and "://" not in str(where):
            for copy in copies(home)[:OFFERED_COPIES]:
                label = f"Bring back the copy of {copy.stem.removeprefix('register-')}"
                ways.append((label, f"bring back {copy.stem}", partial(restore, copy, Path(where))))
            ways.append(("Set it aside and begin a new one", "set register aside", lambda: set_aside(Path(where))))
        ways.append(("Go on without records", "without records", lambda: go_on_without(why)))
        return Unopened(why, tuple(ways))


def copy_of_the_day(bench: Bench) -> None:
    """A copy of the register, made by itself from a thread on the first start of a day; trouble with it is said."""
    path, home, said = bench.register.path, bench.home, bench.said
    if path is None:
        return

    def go() -> None:
        try:
            daily_copy(home, path)
        except RegisterError as error:
            said.emit("trouble", f"Today's copy of the register: {error}")

    threading.Thread(target=go, name="copy of the day", daemon=True).start()


def copy_on_schedule(bench: Bench, made: Callable[[str], None], *, now: bool = False) -> None:
    """A copy on another disk, where one is said and due (or asked for `now`), from a thread; `made` is told, from that thread, what
    came of it: nothing where none was due.

    Args:
        bench: with its settings.
        made: told in a line.
        now: whether it is due or not.
    """
    said, path = str(bench.settings["copies_to"]), bench.register.path
    if not said:
        return
    home, every, today = bench.home, int(bench.settings["copies_days"]), date.today()

    def go() -> None:
        try:
            last = last_copy(home, said)
            if now or due(last, every, today):
                made(f"copied to {copy_elsewhere(home, path, said, today)}")
        except RegisterError as error:
            made(f"no copy: {error}")

    threading.Thread(target=go, name="copy elsewhere", daemon=True).start()
