"""The measured space: what the tape said, what of it is square, what is left for a tank."""

from bathyx.core.space.box import Clearance, MeasuredBox, Room, Squareness

__all__ = ["Clearance", "MeasuredBox", "Room", "Squareness"]
