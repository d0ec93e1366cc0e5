"""What a register says when it cannot do something, and of what kind that is, so that a way on can be offered."""

from __future__ import annotations

from typing import Literal

from bathyx.errors import Refusal, brief

Kind = Literal["refused", "busy", "full", "denied", "damaged", "foreign", "emptied", "newer", "old", "away"]


class RegisterError(Refusal):
    """The register cannot do what was asked; the message says why and what to do. `kind` says what sort of trouble it is."""

    def __init__(self, text: str, kind: Kind = "refused") -> None:
        super().__init__(text)
        self.kind = kind


AWAY = "the register's server cannot be reached"


class RegisterAway(RegisterError):
    """The server cannot be reached now; whether the last write got there nobody knows."""

    def __init__(self, text: str = AWAY) -> None:
        super().__init__(text, "away")


# What the database says, in part, with what it means for the person at the bench.
_MEANT: tuple[tuple[str, Kind, str], ...] = (
    ("database or disk is full", "full", "the disk is full: make room, then do it again"),
    ("no space left", "full", "the disk is full: make room, then do it again"),
    ("disk quota", "full", "the disk is full: make room, then do it again"),
    ("lock timeout", "busy", "other benches are writing; do it again"),
    ("statement timeout", "busy", "the register's server takes too long; do it again"),
    ("locked", "busy", "another program holds the register locked; close it or wait, then do it again"),
    ("readonly database", "denied", "the register may not be written by you; ask who owns the folder"),
    ("read-only", "denied", "the register may not be written here"),
    ("unable to open", "denied", "the register cannot be opened; see who owns the file and its folder"),
    ("permission denied", "denied", "this name may not do that in the register"),
    ("malformed", "damaged", "the register's file is damaged; bring back a copy (bathyx restore)"),
    ("not a database", "damaged", "that file is no register; bring back a copy (bathyx restore)"),
    (
        "disk i/o error",
        "damaged",
        "the disk does not give the register's file back: see that it has room and is sound, and do it again; bring back a copy "
        "(bathyx restore) only if it still fails",
    ),
    ("no such table", "foreign", "that file lacks a table every register has"),
    ("no such column", "foreign", "that file lacks a column every register has"),
    ("carries the hash", "refused", "a record that does not carry the hash of what it says is none of Bathyx's"),
    ("only ever added", "refused", "records are only ever added"),
)


def said(error: BaseException, before: str = "") -> RegisterError:
    """A RegisterError for what a database driver raised, in Bathyx's words."""
    cause = str(getattr(error, "orig", None) or error)
    if getattr(error, "connection_invalidated", False) or _gone(error):
        return RegisterAway()
    for part, kind, words in _MEANT:
        if part in cause.lower():
            return RegisterError(before + words, kind)
    return RegisterError(before + brief(cause.strip().replace("\n", " "), 1, 160))


def _gone(error: BaseException) -> bool:
    cause = getattr(error, "orig", None) or error
    name = type(cause).__module__.split(".")[0]
    words = (
        "connection",
        "server closed",
        "terminating",
        "could not receive",
        "timeout",
        "shutting down",
        "starting up",
    )
    return name == "psycopg" and (
        type(cause).__name__ in ("ConnectionTimeout", "AdminShutdown", "CrashShutdown", "CannotConnectNow")
        or any(word in str(cause).lower() for word in words)
    )
