"""`./run docs`: the manual page and the completions of bash and zsh, made from the parser of the command line.

python -m tools.shell_files [SHARE]
"""

from __future__ import annotations

import argparse
import os
import re
import sys
from pathlib import Path

import shtab
from argparse_manpage.manpage import Manpage

from bathyx import __version__
from bathyx.cli.main import parser_of

FILES = ("man/man1/bathyx.1", "bash-completion/completions/bathyx", "zsh/site-functions/_bathyx")
DATE = "2026-11-30"  # of the release; tools/release.sh stamps it

MORE = """.SH EXIT STATUS
0 done; 1 the job or the register cannot be used, said on standard error; 2 the command line is wrong; 141 the reader of its
output went away.
.SH ENVIRONMENT
.TP
BATHYX_HOME
where jobs, register and the shop's lists live; else
.I bathyx
under $XDG_DATA_HOME, which is
.I ~/.local/share
unless it says otherwise
.SH FILES
.TP
.I jobs/*.bathyx.json
the jobs, a file each
.TP
.I register.sqlite
welds and tests; it is only added to
.SH CAUTION
What Bathyx says of pressure, strength and safety is no licence: local codes and licensed practice come first."""


def shell_files() -> dict[str, str]:
    """By its place under share/, the text of each file."""
    os.environ["COLUMNS"] = "100"
    return {FILES[0]: manual(), FILES[1]: shtab.complete(_plain(), "bash"), FILES[2]: shtab.complete(_plain(), "zsh")}


def _plain() -> argparse.ArgumentParser:
    parser = parser_of([])
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction):
            for sub in action.choices.values():
                for own in sub._actions:
                    if own.type is Path:
                        own.complete = shtab.FILE  # type: ignore[attr-defined]
    return parser


def manual() -> str:
    """The page of section 1."""
    data = {
        "project_name": "Bathyx",
        "prog": "bathyx",
        "version": __version__,
        "manual_section": 1,
        "manual_title": "Bathyx",
        "authors": ["The makers of Bathyx"],
        "date": DATE,
    }
    page = str(Manpage(parser_of([]), data, format="single-commands-section"))
    page = page.replace("\nbathyx\n", "\nbathyx \\- from a tape measure to a signed test record of a tank\n", 1)
    head, _, foot = page.partition(".SH AUTHOR")
    page = f"{head}{MORE}\n.SH AUTHOR{foot}"
    page = re.sub(r"[ \t]+\n", "\n", page.replace(str(Path.home()), "~"))
    return "".join(c if ord(c) < 128 else f"\\[u{ord(c):04X}]" for c in page)


def main(share: Path) -> None:
    """Write them."""
    for place, text in shell_files().items():
        path = share / place
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text, "utf-8")


if __name__ == "__main__":
    main(Path(sys.argv[1] if sys.argv[1:] else "share"))
