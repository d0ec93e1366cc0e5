"""Tanks for a measured space: the largest box, the largest of k flat panels, the largest round body, a saddle over a tube."""

from bathyx.core.propose.proposals import KINDS, Kind, Proposal, gross_for, propose

__all__ = ["KINDS", "Kind", "Proposal", "gross_for", "propose"]
