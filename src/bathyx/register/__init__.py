"""The register: jobs, revisions, weld entries, holds and tests. Records are only ever added."""

from bathyx.register.bench.book import Book
from bathyx.register.bench.holds import HoldSession, OpenHold, adopt_hold_file, bring_in, finish, open_hold
from bathyx.register.bench.record import JobRecord, record_of
from bathyx.register.errors import RegisterAway, RegisterError
from bathyx.register.ledger.chain import Broken, Head
from bathyx.register.ledger.entries import Entry, Found
from bathyx.register.ledger.register import Register

__all__ = [
    "Book",
    "Broken",
    "Entry",
    "Found",
    "Head",
    "HoldSession",
    "JobRecord",
    "OpenHold",
    "Register",
    "RegisterAway",
    "RegisterError",
    "adopt_hold_file",
    "bring_in",
    "finish",
    "open_hold",
    "record_of",
]
