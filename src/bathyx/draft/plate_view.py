"""The plate on the tank, 1:1: who made it, when, what it holds, of what, and how it was proved."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from bathyx.draft.picture import Circle, Item, Label, Picture, box

WIDTH_MM, HEIGHT_MM = 120.0, 74.0
FULL_LETTERS = 33


@dataclass(frozen=True)
class PlateData:
    """The words of the plate, ready to stamp."""

    maker: str
    serial: str
    made: str
    capacity: str
    material: str
    test: str
    fluid: str

    @property
    def rows(self) -> tuple[tuple[str, str], ...]:
        """(heading, words) from top to bottom."""
        return (
            ("Serial", self.serial),
            ("Made", self.made),
            ("Capacity", self.capacity),
            ("Material", self.material),
            ("Tested", self.test),
            ("Fluid", self.fluid),
        )


def plate_view(data: PlateData) -> Picture:
    """The plate with a rivet in each corner; the code's square is left free at the right."""
    items: list[Item] = [box(0, 0, WIDTH_MM, HEIGHT_MM, "ink", "ring", 2.0)]
    for x in (5.0, WIDTH_MM - 5):
        for y in (5.0, HEIGHT_MM - 5):
            items.append(Circle(np.array([x, y]), 1.6, "ink", "paper", 1.0))
    items.append(
        Label(
            np.array([11.0, HEIGHT_MM - 11]),
            data.maker or "Maker",
            12,
            "ink",
            "l",
            bold=True,
            tall_mm=6.2,
            room_mm=WIDTH_MM - 22,
        )
    )
    for k, (heading, words) in enumerate(data.rows):
        y = HEIGHT_MM - 21.5 - k * 8.6
        items.append(Label(np.array([11.0, y]), heading, 8.5, "quiet", "l", tall_mm=3.6))
        # Long words (several tests) are stamped smaller, so that they stay on the plate.
        tall = max(4.4 * min(1.0, FULL_LETTERS / max(len(words), 1)), 2.0)
        items.append(
            Label(np.array([30.0, y]), words, 9.5, "ink", "l", bold=k in (0, 2), tall_mm=tall, room_mm=WIDTH_MM - 38)
        )
    return Picture(tuple(items))
