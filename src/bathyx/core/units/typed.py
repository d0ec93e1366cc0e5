"""Text that people type or paste, tidied before it is looked at: no pattern ever meets a run of blanks."""

from __future__ import annotations

import re
from collections.abc import Iterator

from bathyx.errors import Refusal

MOST_OF_A_LINE = 2000
_BLANKS = re.compile(r"[ \t\u00a0\u2007\u2009\u202f]+")


def tidy(text: str) -> str:
    """Each run of blanks made one; those at the ends gone."""
    return _BLANKS.sub(" ", text).strip()


def lines_of(text: str) -> Iterator[tuple[int, str]]:
    """(number from 1, tidied line) of each line. Refusal for one that nobody types.

    >>> list(lines_of("a   b\\n\\n c"))
    [(1, 'a b'), (2, ''), (3, 'c')]
    """
    for number, line in enumerate(text.splitlines(), start=1):
        plain = tidy(line)
        if len(plain) > MOST_OF_A_LINE:
            raise Refusal(f"line {number} has {len(plain)} letters; {MOST_OF_A_LINE} at most")
        yield number, plain
