"""The register: jobs, revisions, weld entries and test runs. Records are only ever added."""

from bathyx.register.journal import BrokenOff, HoldJournal
from bathyx.register.record import JobRecord
from bathyx.register.register import Broken, Found, Register, RegisterError

__all__ = ["Broken", "BrokenOff", "Found", "HoldJournal", "JobRecord", "Register", "RegisterError"]
