"""What stands over and under the sheet at a bend: a folder's beam and bed, or a press's punch, ram, die and bed, in section.

In section y runs across the bend and z up, mm, from the sharp inside of the bend. Under a folder one side is clamped behind the
bend (y < 0) and the other swung up; under a press both sides come up alike, and the punch stands in the middle between them.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from shapely import Geometry, Polygon, contains_xy

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Array
from bathyx.core.sheet.bending.machine import Brake
from bathyx.core.sheet.bending.punches import punches

BEAM = formula(
    "sheet.beam",
    "Clear of the brake's beam",
    "on the clamped side nothing over or under the sheet within the beam's depth; on the other nothing over its nose",
    source="A folder: one side is clamped under a beam whose nose leans back 45°, the other is swung up; geometry",
    valid="the beam as deep as is said, as high as may be, its fingers as wide as the bend; either side clamped, either face up",
    check="tests/core/test_bend_order.py: a channel, its lips and a box by hand",
    tolerance="60 bends are tried at most, on a grid over the sheet's inside: a thickness either way; the shop's own beam decides",
)
PRESS = formula(
    "sheet.press",
    "Clear of punch, ram and die",
    "nothing of the piece in the section of punch, ram, die and bed while both sides rise by half the turn; "
    "for each bend one side no higher than open height − die − punch, by which it comes out",
    source="A press brake: the punch comes down in the middle between two sides that rise alike; geometry",
    valid="the punch as wide as the bend and mounted either way, the ram as long as the bed; sections of common practice, scaled "
    "to the height that is said; the stroke down is not looked at: a piece that hooks over the punch is slid on from its end",
    check="tests/core/test_press.py: channels, returns and boxes by hand",
    tolerance="60 bends are tried at most, on a grid over the sheet's inside, 1 mm of air: the shop's own tools decide",
)
Mask = np.ndarray[tuple[int, ...], np.dtype[np.bool_]]
AIR_MM, BLUNT_DEG, WEDGE_AIR_DEG, DIE_SIDE_MM, DIE_OF_T, FAR_MM = 1.0, 44.0, 1.0, 12.0, 8.0, 1e5


@dataclass(frozen=True, eq=False)
class Tool:
    """A tool in section: its name, its ring (n, 2), whether it runs on past the ends of the bend, and whether it stands under the
    sheet and comes up with it as the punch goes in."""

    name: str
    ring: Array
    runs_on: bool = False
    under: bool = False

    def struck(self, spots: Array, long: float, deep: float) -> Mask:
        """Which of (n, 3) places (along the bend, y, z) stand in it, with a bend `long` mm and the punch `deep` mm in the die."""
        z = spots[:, 2] - (deep if self.under else 0.0)
        inside = np.asarray(contains_xy(self._core, spots[:, 1], z), dtype=bool)
        if not self.runs_on:
            inside &= (spots[:, 0] > AIR_MM) & (spots[:, 0] < long - AIR_MM)
        return inside

    @cached_property
    def _core(self) -> Geometry:
        """What is in it for sure: a touch is none."""
        return Polygon(self.ring).buffer(-AIR_MM, join_style="mitre")


@dataclass(frozen=True, eq=False)
class SetUp:
    """How a bend is put in: the face that is held, what each side has to keep clear of, and for a press (`half`) half the opening
    of its die, mm, over which both sides rise alike."""

    face: str
    held: tuple[Tool, ...]
    swung: tuple[Tool, ...]
    half: float | None = None

    @property
    def tools(self) -> tuple[Tool, ...]:
        """All of them, each once."""
        return tuple(dict.fromkeys((*self.held, *self.swung)))

    def seen(self, spots: Array, turned: float) -> Array:
        """(n, 3) places as the tools see them: those of a press lean back by half of what is turned, radians."""
        if self.half is None:
            return spots
        c, s = math.cos(turned / 2), math.sin(turned / 2)
        x, y, z = spots.T
        return np.column_stack([x, c * y + s * z, c * z - s * y])

    def ring(self, tool: Tool, turned: float) -> Array:
        """(n, 2) section (y, z) of a tool in the frame of the held side, when so much is turned, radians."""
        y, z = (tool.ring + (0.0, self.deep(turned) if tool.under else 0.0)).T
        half = turned / 2 if self.half is not None else 0.0
        c, s = math.cos(half), math.sin(half)
        return np.column_stack([c * y - s * z, c * z + s * y])

    def deep(self, turned: float) -> float:
        """How far the punch is in the die, mm, when so much is turned, radians."""
        return 0.0 if self.half is None else self.half * math.tan(turned / 2)

    def struck(self, spots: Array, swung: Mask, long: float, turned: float) -> Mask:
        """Which of (n, 3) places, the swung ones marked (n,), stand in a tool."""
        seen, hit = self.seen(spots, turned), np.zeros(len(spots), bool)
        for of, tools in ((np.logical_not(swung), self.held), (swung, self.swung)):
            for tool in tools:
                hit[of] |= tool.struck(seen[of], long, self.deep(turned))
        return hit


def set_ups(
    brake: Brake, faces: tuple[str, str], turn_deg: float, radius_mm: float, t: float, *, reflex: bool
) -> tuple[SetUp, ...]:
    """The ways in which a bend may be put into a brake.

    Args:
        brake: a folder where it has no punch.
        faces: on both sides of the bend.
        turn_deg: of the bend.
        radius_mm: inside.
        t: thickness of the sheet, mm.
        reflex: whether the tank's inside, which is looked at, is the outer skin of the bend.
    """
    low = 0.0 if reflex else -t
    if not brake.punch:
        deep = brake.beam_mm
        beam = Tool("beam", np.array([[0.0, 0.0], [-deep, 0.0], [-deep, deep]]))
        bed = Tool("bed", _box(-deep, 0.0, -FAR_MM, low), under=True)
        return tuple(SetUp(face, (beam, bed), (beam,)) for face in faces)
    half = math.radians(min(turn_deg, 170.0)) / 2
    section = punches()[brake.punch]
    tip = radius_mm * (1 / math.cos(half) - 1) + (t / math.cos(half) if reflex else 0.0)
    sharp = min(BLUNT_DEG, 90.0 - math.degrees(half) - WEDGE_AIR_DEG)
    ring = section.ring(brake.punch_mm, sharp) + (0.0, tip)
    ram = Tool("ram", _box(-brake.ram_mm / 2, brake.ram_mm / 2, float(ring[:, 1].max()), FAR_MM), runs_on=True)
    opening = (brake.die_mm or DIE_OF_T * t) / 2
    under: tuple[Tool, ...] = ()
    if brake.die_high_mm > 0:
        wide, foot = opening + DIE_SIDE_MM, low - brake.die_high_mm
        under = (
            Tool("die", _vee(opening, wide, foot, low), runs_on=True, under=True),
            Tool("bed", _box(-brake.ram_mm / 2, brake.ram_mm / 2, -FAR_MM, foot), runs_on=True, under=True),
        )
    found = []
    for way in (1.0, -1.0):
        tools = (Tool(section.name, ring * (way, 1.0)), ram, *under)
        found.append(SetUp(faces[0], tools, tools, opening))
    return tuple(found)


def _vee(half: float, wide: float, foot: float, top: float) -> Array:
    """A die's section, its groove as deep as it is half wide."""
    groove = [[half, top], [0.0, max(top - half, foot + 1.0)], [-half, top]]
    return np.array([[-wide, foot], [wide, foot], [wide, top], *groove, [-wide, top]])


def _box(left: float, right: float, low: float, high: float) -> Array:
    return np.array([[left, low], [right, low], [right, high], [left, high]])
