"""The one base of every error that a person can put right. Anything else that is raised is a fault of Bathyx."""

from __future__ import annotations

MOST_LINES, MOST_LETTERS = 3, 400


class Refusal(ValueError):
    """Something a person can put right; its text says what is wrong and what would be right.

    A ValueError, so that a validator of the document may raise it. Code that wants to tell a person's mistake from a fault
    of Bathyx catches this class and never ValueError, which NumPy and the standard library raise for their own reasons.
    """


class Stopped(Exception):
    """The person stopped the work in hand: neither a mistake nor a fault."""


def brief(text: str, lines: int = MOST_LINES, letters: int = MOST_LETTERS) -> str:
    """`text` cut to what a person reads: at most `lines` lines and `letters` letters, control characters made visible."""
    tidy = "".join(c if c == "\n" or c.isprintable() else f"\\x{ord(c):02x}" for c in text[: 4 * letters])
    kept = "\n".join(line for line in tidy.split("\n")[:lines])
    return kept if len(kept) <= letters and len(text) <= 4 * letters else kept[: letters - 1].rstrip() + "…"
