"""Everything Bathyx has to say about a job: one small check a file, each with its rule and source."""

from bathyx.core.findings.finding import Finding, Remedy, Severity
from bathyx.core.findings.rail import ORDER, findings_of

__all__ = ["ORDER", "Finding", "Remedy", "Severity", "findings_of"]
