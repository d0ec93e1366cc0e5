"""Used tanks: what came in and where it is hurt, the gate before any heat, ways of mending, and what is refused always."""

from bathyx.core.repair.gate import Gate, GateEntry, gate
from bathyx.core.repair.intake import DonorPart, Hurt, Intake, donor_step, of_donors

__all__ = ["DonorPart", "Gate", "GateEntry", "Hurt", "Intake", "donor_step", "gate", "of_donors"]
