"""The results of a job by name, each worked out by the chain when it is first asked for."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from bathyx.core.capacity.capacity import Capacity
from bathyx.core.capacity.pair import Pair
from bathyx.core.capacity.weight import Weight
from bathyx.core.formula import Figure
from bathyx.core.geometry.shell import Shell
from bathyx.core.inside.baffles import Baffle, BaySpan, Plate
from bathyx.core.inside.straps import Laid
from bathyx.core.material import Fluid, Sheet
from bathyx.core.memory import Answers
from bathyx.core.sheet.bending.rule import BendRule
from bathyx.core.sheet.flat.blank import Blank
from bathyx.core.sheet.makeup.bands import BandOn
from bathyx.core.sheet.makeup.lids import Lid
from bathyx.core.sheet.makeup.rims import Corners
from bathyx.core.sheet.makeup.roles import EdgeRole
from bathyx.core.sheet.makeup.seams import Seam
from bathyx.core.sheet.makeup.skins import Skins
from bathyx.core.space import Room
from bathyx.core.space.sure import Sure
from bathyx.core.space.touch import Approach
from bathyx.core.strength.panels import Strength


@dataclass(frozen=True)
class OutsideSize:
    """Outside of the tank, mm: inside plus skins and anything lapped over; `strapped` has straps besides."""

    length_mm: float
    width_mm: float
    height_mm: float


class Results:
    """Everything that is computed from a job, each when it is first asked for. `shell` is the inside; `panelled` may have a face
    split for a seam; `sure`: what of `spare` is not; `uncut`: why there are no blanks, else empty."""

    shell: Shell
    panelled: Shell
    sheet: Sheet
    fluid: Fluid
    room: Room
    approaches: tuple[Approach, ...]
    outside: OutsideSize
    strapped: OutsideSize
    roles: tuple[EdgeRole, ...]
    rule: BendRule
    skins: Skins
    rims: tuple[Corners, ...]
    lids: tuple[Lid, ...]
    bands: tuple[BandOn, ...]
    straps: tuple[Laid, ...]
    baffles: tuple[Baffle, ...]
    bays: tuple[BaySpan, ...]
    plates: tuple[Plate, ...]
    blanks: tuple[Blank, ...]
    uncut: str
    seams: tuple[Seam, ...]
    rings: tuple[Seam, ...]
    capacity: Capacity
    weight: Weight
    strength: Strength
    wanted: Figure
    litres_per_mm: dict[str, float]
    sheet_cost: Figure
    spare: Figure
    sure: Sure | None
    longest_bay: Figure
    weld: Figure
    pair: Pair | None
    second_near: Approach | None

    def __init__(self, answers: Answers) -> None:
        self.__dict__["_answers"] = answers

    def __setattr__(self, name: str, value: object) -> None:
        """Refused: results are worked out, not set."""
        raise AttributeError(f"{name} cannot be set: results are worked out of the job")

    def __getattr__(self, name: str) -> Any:
        """The result of the step of that name; it stays where it was put."""
        if name not in Results.__annotations__:
            raise AttributeError(f"no result is called {name!r}; there are {', '.join(Results.__annotations__)}")
        value = self.__dict__[name] = self._answers[name]
        return value

    @property
    def sure_spare_mm(self) -> float | None:
        """The spare room that is sure, mm."""
        return None if self.sure is None else self.spare.value - self.sure.less_mm

    @property
    def weld_length_mm(self) -> float:
        """Total of the seam list."""
        return self.weld.value
