"""The largest tank for a measured room: inside sizes that leave sheet and clearance, in whole millimetres."""

from __future__ import annotations

import math

from bathyx.core.space import Room
from bathyx.core.tank.families import Tank


class NoRoomError(ValueError):
    """The room leaves no tank; the message says which way it is short."""


def fill_room(tank: Tank, room: Room, thickness_mm: float) -> Tank:
    """`tank` grown or shrunk to the room, chamfers and jog kept. NoRoomError when a side falls below 20 mm.

    Raises ValueError when chamfers and jog no longer fit the new size.
    """
    sizes = {"length_mm": room.depth_mm, "width_mm": room.width_mm, "height_mm": room.height_mm}
    inside = {name: float(math.floor(size - 2 * thickness_mm + 1e-9)) for name, size in sizes.items()}
    for name, size in inside.items():
        if size <= 20:
            word = name.removesuffix("_mm")
            raise NoRoomError(f"the space leaves {size:.0f} mm of inside {word}; clearances and sheet take the rest")
    return type(tank).model_validate(tank.model_dump() | inside)
