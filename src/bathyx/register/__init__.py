"""The register: jobs, revisions, weld entries, holds and tests. Records are only ever added."""

from bathyx.register.holds import HoldSession, OpenHold, adopt_hold_file, finish, open_hold
from bathyx.register.record import JobRecord, Proof
from bathyx.register.register import Broken, Entry, Found, Register, RegisterError

__all__ = [
    "Broken",
    "Entry",
    "Found",
    "HoldSession",
    "JobRecord",
    "OpenHold",
    "Proof",
    "Register",
    "RegisterError",
    "adopt_hold_file",
    "finish",
    "open_hold",
]
