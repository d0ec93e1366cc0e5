"""The register: jobs, revisions, weld entries and test runs. Records are only ever added."""

from bathyx.register.record import JobRecord
from bathyx.register.register import Broken, Found, Register, RegisterError

__all__ = ["Broken", "Found", "JobRecord", "Register", "RegisterError"]
