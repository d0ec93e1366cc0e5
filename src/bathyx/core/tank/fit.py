"""The largest tank for a measured room: inside sizes that leave sheet and clearance, in whole millimetres."""

from __future__ import annotations

import math

from bathyx.core.space import Room
from bathyx.core.tank.families import changed
from bathyx.core.tank.family import TankFamily
from bathyx.errors import Refusal


class NoRoomError(Refusal):
    """The room leaves no tank; the message says which way it is short."""


def fill_room(tank: TankFamily, room: Room, thickness_mm: float) -> TankFamily:
    """`tank` grown or shrunk to the room, its other sizes kept. NoRoomError when a side falls below 20 mm.

    Raises Refusal when those no longer fit the new size.
    """
    sizes = {"length": room.depth_mm, "width": room.width_mm, "height": room.height_mm}
    inside = {name: float(math.floor(size - 2 * thickness_mm + 1e-9)) for name, size in sizes.items()}
    for name, size in inside.items():
        if size <= 20:
            raise NoRoomError(f"the space leaves {size:.0f} mm of inside {name}; clearances and sheet take the rest")
    return changed(tank, tank.filled(inside))
