"""The measured space: what the tape said, what of it is square, what is left for a tank."""

from bathyx.core.space.base import Clearance, MeasuredSpace, Room, Seat
from bathyx.core.space.box import MeasuredBox, Squareness
from bathyx.core.space.cavity import Cavity
from bathyx.core.space.free import FreeSpace
from bathyx.core.space.obstacles import BoxObstacle, HalfSpace, TubeObstacle
from bathyx.core.space.reconcile import SpaceReading
from bathyx.core.space.stations import Station, StationSpace

__all__ = [
    "BoxObstacle",
    "Cavity",
    "Clearance",
    "FreeSpace",
    "HalfSpace",
    "MeasuredBox",
    "MeasuredSpace",
    "Room",
    "Seat",
    "SpaceReading",
    "Squareness",
    "Station",
    "StationSpace",
    "TubeObstacle",
]
