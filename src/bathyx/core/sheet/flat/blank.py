"""A blank: one flat piece as it is cut, with holes, bend lines and marks. Drawn with the tank's inside facing up."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

import numpy as np

from bathyx.core.geometry.outline import Outline, polygon_area
from bathyx.core.geometry.shell import Array
from bathyx.core.units import Said, mm

SUMP, LEAST_LINE_MM = "sump", 0.01


@dataclass(frozen=True, eq=False)
class Hole:
    """A hole, mm in the blank. `border` (n, 2) where it is not round in the flat: one in a wall that is rolled after. `waits`: it
    lies so near a bend that it is cut after bending."""

    centre: Array
    diameter_mm: float
    label: str
    border: Array | None = None
    waits: bool = False

    @property
    def area_mm2(self) -> float:
        """Area cut away."""
        return polygon_area(self.border) if self.border is not None else float(np.pi / 4 * self.diameter_mm**2)

    @property
    def size(self) -> Said:
        """How large it is, for a list: its diameter, that of the tool for one that is bored round when rolled, or both sides."""
        if self.border is None:
            return Said(f"ø{mm(self.diameter_mm, None)}" + (" after bending" if self.waits else ""))
        if self.label == SUMP:
            w, h = np.ptp(self.border, axis=0)
            return Said(f"{mm(float(w))} × {mm(float(h))}")
        return Said(f"ø{mm(self.diameter_mm, None)} when rolled")

    def moved(self, shift: Array) -> Hole:
        """The hole shifted by (2,)."""
        border = None if self.border is None else self.border + shift
        return Hole(self.centre + shift, self.diameter_mm, self.label, border, self.waits)


@dataclass(frozen=True, eq=False)
class BendLine:
    """The middle of a bend, from `start` to `end`, each (2,); `up` bends toward the tank's inside. `flange`: of a joint, with no
    face of the shell beyond it."""

    start: Array
    end: Array
    turn_deg: float
    up: bool
    radius_mm: float
    allowance_mm: float
    edge: str
    flange: bool = False


@dataclass(frozen=True, eq=False)
class Mark:
    """A line to scribe or draw, with a word beside it; a mark whose ends meet is only the word."""

    start: Array
    end: Array
    text: str


@dataclass(frozen=True, eq=False)
class Blank:
    """One flat piece, its lower left corner at (0, 0). `faces` are the shell faces it makes, none for a baffle. A `bought` one
    is a section cut to length, laid open at the middle of its wall: a drawing to mark from, not a piece of sheet."""

    name: str
    thickness_mm: float
    outline: Outline
    holes: tuple[Hole, ...]
    bends: tuple[BendLine, ...]
    marks: tuple[Mark, ...]
    faces: tuple[str, ...]
    role: Literal["shell", "baffle", "bought"]
    stock: str = ""

    @property
    def told(self) -> tuple[Mark, ...]:
        """Marks that are only words and say what is done there: a roll, a bevel, a head's form, a hole after forming. Not the names
        of its faces."""
        return tuple(
            m
            for m in self.marks
            if m.text and m.text not in self.faces and np.linalg.norm(m.end - m.start) <= LEAST_LINE_MM
        )

    @property
    def lines(self) -> tuple[Mark, ...]:
        """Marks that are lines to draw."""
        return tuple(m for m in self.marks if np.linalg.norm(m.end - m.start) > LEAST_LINE_MM)

    @cached_property
    def size_mm(self) -> tuple[float, float]:
        """Width and height of the bounding rectangle, as drawn."""
        low, high = self.outline.bounds
        return float(high[0] - low[0]), float(high[1] - low[1])

    @property
    def said_size(self) -> str:
        """What to cut, for a sentence: both sides of a flat piece, or the bought section and its length."""
        w, h = self.size_mm
        return f"{self.stock} cut {mm(h)} long" if self.role == "bought" else f"{mm(w)} × {mm(h)}"

    @cached_property
    def area_mm2(self) -> float:
        """Area after holes are cut."""
        return self.outline.area_mm2 - sum(h.area_mm2 for h in self.holes)

    def moved(self, shift: Array) -> Blank:
        """The blank with everything on it shifted by (2,)."""
        return Blank(
            self.name,
            self.thickness_mm,
            self.outline.moved(shift),
            tuple(h.moved(shift) for h in self.holes),
            tuple(replace(b, start=b.start + shift, end=b.end + shift) for b in self.bends),
            tuple(Mark(m.start + shift, m.end + shift, m.text) for m in self.marks),
            self.faces,
            self.role,
            self.stock,
        )


def settled(blank: Blank) -> Blank:
    """The blank moved so that its lower left corner is at (0, 0)."""
    low, _ = blank.outline.bounds
    return blank.moved(-low)
