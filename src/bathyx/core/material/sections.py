"""Hollow sections bought by the metre, from sections.toml. One is named by its outside, as in `box-200x100` or `tube-219.1`."""

from __future__ import annotations

import math
import tomllib
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from typing import Literal

from bathyx.core.material.sheets import materials, parse_sheet
from bathyx.errors import Refusal

CORNER_T = 1.0


@dataclass(frozen=True)
class Section:
    """A hollow section. Outside `width_mm` and `height_mm`; `walls` in mm by group of material."""

    key: str
    kind: Literal["box", "round"]
    width_mm: float
    height_mm: float
    walls: tuple[tuple[str, tuple[float, ...]], ...]
    source: str

    @property
    def words(self) -> str:
        """How a merchant calls it, without its wall."""
        return (
            f"box {self.width_mm:g} × {self.height_mm:g}"
            if self.kind == "box"
            else f"tube of {self.width_mm:g} outside"
        )

    def inside_mm(self, wall_mm: float) -> tuple[float, float]:
        """Width and height inside."""
        return self.width_mm - 2 * wall_mm, self.height_mm - 2 * wall_mm

    def corner_mm(self, wall_mm: float) -> float:
        """Inside radius of a box's corners."""
        return CORNER_T * wall_mm

    def walls_in(self, group: str) -> tuple[float, ...]:
        """Walls it comes with in a group of materials, none where it does not come in it."""
        return dict(self.walls).get(group, ())

    def kg_per_m(self, wall_mm: float, density: float) -> float:
        """Mass of a metre.

        Args:
            wall_mm: thickness of the wall.
            density: kg/m3.

        EN 10219-2 gives 11.7 kg for 100 × 100 × 4 in steel:

        >>> round(sections()["box-100x100"].kg_per_m(4, 7850), 1)
        11.7
        """
        w, h, t = self.width_mm, self.height_mm, wall_mm
        if self.kind == "round":
            area = math.pi * t * (w - t)
        else:
            inner = self.corner_mm(t)
            area = 2 * t * (w + h - 2 * t) - (4 - math.pi) * ((inner + t) ** 2 - inner**2)
        return area * density * 1e-6

    def refuse_unless(self, sheet: str) -> None:
        """Refusal where it does not come in this sheet's material and thickness, with what would be right."""
        material, wall = parse_sheet(sheet)
        group = materials()[material].group
        walls = self.walls_in(group)
        if not walls:
            offered = " or ".join(name for name, _ in self.walls)
            raise Refusal(f"{self.words} comes in {offered}, not in {group}; take such a sheet or another section")
        if wall not in walls:
            offered = ", ".join(f"{t:g}" for t in walls)
            raise Refusal(
                f"{self.words} comes with walls of {offered} mm in {group}; the sheet of the ends is {wall:g} mm: "
                "wall and ends are of one thickness here, so take one of these"
            )

    def nearest_sheet(self, sheet: str) -> str:
        """The sheet nearest to this one that the section comes in; a material of its own group first."""
        material, wall = parse_sheet(sheet)
        rows = [
            (m.group != materials()[material].group, key != material, abs(t - wall), f"{key}/{t:g}")
            for key, m in materials().items()
            for t in self.walls_in(m.group)
            if t in m.thicknesses
        ]
        return min(rows)[3]


@cache
def sections() -> dict[str, Section]:
    """Every section of the table by key; one that stands in several tables has the walls of each group."""
    found: dict[str, Section] = {}
    for table in tomllib.loads(files(__package__).joinpath("sections.toml").read_text("utf-8")).values():
        for width, height, walls in table["sizes"]:
            kind = table["kind"]
            key = f"box-{width:g}x{height:g}" if kind == "box" else f"tube-{width:g}"
            had = found[key].walls if key in found else ()
            mine = tuple((group, tuple(float(t) for t in walls)) for group in table["groups"])
            found[key] = Section(key, kind, width, height, had + mine, table["source"])
    return dict(sorted(found.items(), key=lambda row: (row[1].kind, row[1].width_mm, row[1].height_mm)))


def section(key: str) -> Section:
    """The section called `key`. Refusal that says how they are named."""
    found = sections().get(key)
    if found is None:
        raise Refusal(
            f"no section {key!r}; they are named like box-200x100 or tube-219.1: `bathyx families` lists them"
        )
    return found
