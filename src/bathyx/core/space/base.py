"""What every measured space is: its clearances, what stands in it, where the tank sits, and the room that is left."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, ClassVar

import numpy as np
from pydantic import Field

from bathyx.core.space.obstacles import AnyObstacle, Layer, Reach
from bathyx.core.space.openings import WayIn
from bathyx.core.space.room import Clearance as Clearance
from bathyx.core.space.room import Room as Room
from bathyx.core.units.frozen import Frozen

if TYPE_CHECKING:
    from bathyx.core.space.cavity import Array, Cavity
    from bathyx.core.space.square import Squareness


SIDES = ("left", "right", "front", "rear", "below", "above")
LATER = ("obstacles", "seat", "readings", "slopes", "reaches", "layers", "cuts", "scan", "way_in")


class Seat(Frozen):
    """Where the tank's outside has its front left low corner, mm in the space."""

    x_mm: float = Field(ge=-100_000, le=100_000)
    y_mm: float = Field(ge=-100_000, le=100_000)
    z_mm: float = Field(ge=-100_000, le=100_000)


class MeasuredSpace(Frozen):
    """The base of every space. x runs to the rear, y to the right, z up; `seat` None puts the tank where its room begins.

    `order`: the fields that a file has first.
    """

    order: ClassVar[tuple[str, ...]] = ()
    free: ClassVar[bool] = False  # no hole at all

    clearance: Clearance = Clearance()
    obstacles: tuple[AnyObstacle, ...] = Field((), max_length=60)
    reaches: tuple[Reach, ...] = Field((), max_length=40)
    layers: tuple[Layer, ...] = Field((), max_length=20)
    way_in: WayIn | None = None
    seat: Seat | None = None

    @property
    def room(self) -> Room:
        """The largest upright box that is left, after clearances."""
        raise NotImplementedError

    @property
    def cavity(self) -> Cavity:
        """Its walls."""
        raise NotImplementedError

    @property
    def things(self) -> tuple[AnyObstacle, ...]:
        """Everything solid in it: what stands there, and what its own shape leaves out of its walls."""
        return self.obstacles

    @property
    def kept(self) -> Clearance:
        """What is kept off each wall: the clearance, and the layers that lie on that side of the tank."""
        if not self.layers:
            return self.clearance
        more = {f"{side}_mm": sum(layer.mm for layer in self.layers if side in layer.sides) for side in SIDES}
        return Clearance.model_construct(**{name: getattr(self.clearance, name) + mm for name, mm in more.items()})

    @property
    def squareness(self) -> Squareness | None:
        """What floor diagonals say; None where there are none."""
        return None

    @property
    def plain(self) -> bool:
        """Whether comparing sizes is all there is to fitting: a box with nothing in it."""
        return False

    def seated(self) -> Array:
        """(3,) where the tank's outside begins: its front left low corner."""
        if self.seat is not None:
            return np.array([self.seat.x_mm, self.seat.y_mm, self.seat.z_mm])
        return np.array(self.room.origin)

    def written(self, document: dict[str, Any]) -> dict[str, Any]:
        """Its plain document as a file has it: in its own order, and what is not there left out, so that what was frozen earlier
        reads the same."""
        if document.get("way_in"):
            document = document | {"way_in": WayIn.written(document["way_in"])}
        first = {name: document[name] for name in self.order if name in document}
        return {name: value for name, value in (first | document).items() if not (name in LATER and not value)}
