"""What a way of making has to say; sheet metal is what stands where a way says nothing of its own."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from bathyx.core.material import Sheet
from bathyx.core.sheet.makeup.preparation import Preparation
from bathyx.core.sheet.makeup.seams import Seam
from bathyx.core.sheet.makeup.skins import Skins
from bathyx.core.units import Said, celsius

if TYPE_CHECKING:
    from bathyx.core.job import Job
    from bathyx.core.results import Results

Row = tuple[str, str, float, str]  # of what a day takes: key, title, amount, unit
WORKED = (
    "cut", "own", "length", "bend", "trim", "roll", "long_seam", "form", "holes", "bosses", "tack", "baffles", "weld", "dress",
    "lay", "tab", "lid", "bolt_lid", "donor", "fuse",
)  # fmt: skip


@dataclass(frozen=True)
class Step:
    """One line of the traveller. A `hold` blocks every step after it until it is ticked. `metal`: the tank itself is worked at
    there, so that a test made before says nothing of what was done after."""

    id: str
    title: str
    detail: str
    caution: str = ""
    hold: bool = False

    @property
    def metal(self) -> bool:
        """Whether the tank itself is worked at in this step."""
        return self.id.split(":")[0] in WORKED

    def __post_init__(self) -> None:
        for name in ("title", "detail", "caution"):
            object.__setattr__(self, name, Said(getattr(self, name)))


@dataclass(frozen=True)
class WeldSettings:
    """Process, filler, gas and a first current to try, amps; `source` says where from. Plastics have a heat at the nozzle, °C."""

    process: str
    filler: str
    gas: str
    amps: float
    further: str
    source: str
    nozzle_c: float | None = None

    @property
    def drive(self) -> str:
        """What the heat is set to, in words."""
        return (
            f"about {self.amps:.0f} A"
            if self.nozzle_c is None
            else f"about {celsius(self.nozzle_c)} at the nozzle, measured"
        )


@dataclass(frozen=True)
class Asked:
    """A line of the log of a seam: its key in the record, its label, what to begin with; a figure's unit and bounds; whether it has
    to be said. `seen`: it is measured or looked at, so it is never filled in beforehand; `begin` is then only how it is written."""

    key: str
    label: str
    begin: str = ""
    unit: str = ""
    low: float = -math.inf
    high: float = math.inf
    needed: bool = False
    seen: bool = False

    def wrong(self, said: str) -> str:
        """What is wrong with what was typed; nothing where it will do."""
        said = said.strip()
        if not said:
            return f"{self.label.lower()} is not said; write it like {self.begin}" if self.needed else ""
        if self.low == -math.inf and self.high == math.inf:
            return ""
        try:
            value = float(said.replace(",", "."))
        except ValueError:
            value = math.nan
        if math.isfinite(value) and self.low <= value <= self.high:
            return ""
        most = "" if self.high == math.inf else f" to {self.high:g}"
        like = self.begin or f"{self.low:g}"
        return f"{self.key} is {said!r}; write a number like {like}, from {self.low:g}{most} {self.unit}".rstrip()


class Making:
    """A way of making. `groups`: of sheets that are made so; `joins`: what its seams are; `on_brake`: whether it is bent cold
    in a folder or a press; `first_sheet`: to begin with."""

    key = ""
    title = ""
    words = ""
    groups: tuple[str, ...] = ()
    joins = "welded"
    on_brake = True
    first_sheet = ""
    why_no_air = ""

    def makes(self, sheet: Sheet) -> bool:
        """Whether tanks of a sheet are made so."""
        return sheet.material.group in self.groups and not sheet.material.joined

    def settings(self, sheet: Sheet) -> WeldSettings:
        """Where to begin with its seams."""
        raise NotImplementedError

    def asked(self, sheet: Sheet) -> tuple[Asked, ...]:
        """What the log of a seam asks."""
        raise NotImplementedError

    def preparation(self, joint: str, thick: tuple[float, float], sheet: Sheet, *, both_sides: bool) -> Preparation:
        """How the edges of a seam are made ready.

        Args:
            joint: its name.
            thick: both plates, mm.
            sheet: of the tank.
            both_sides: it is joined inside too.
        """
        raise NotImplementedError

    def prepared(self, seam: Seam, skins: Skins, sheet: Sheet, *, both_sides: bool) -> Preparation:
        """The preparation of a seam of a tank, by the plates that meet in it.

        Args:
            seam: of the list.
            skins: thickness of the panels.
            sheet: of the tank.
            both_sides: corners are joined inside too.
        """
        at = seam.edges[0] if seam.edges else None
        thick = (skins.base_mm, skins.base_mm) if at is None else (skins.of(at.a), skins.of(at.b))
        return self.preparation(seam.joint, thick, sheet, both_sides=both_sides)

    def stuff(self, job: Job, r: Results, weld_mm: float) -> list[Row]:
        """What its seams take besides sheet, of so many mm of them."""
        raise NotImplementedError

    def minutes(self, job: Job, r: Results, usual: dict[str, float]) -> dict[str, float]:
        """Minutes of each work, where they are not those of sheet metal at the shop's rates.

        Args:
            job: as it stands.
            r: its results.
            usual: of sheet metal, by work: cut, bend, part, weld.
        """
        del job, r
        return usual

    def told(self, step: Step, job: Job, r: Results) -> Step | None:
        """A step of the traveller as this way has it; None where it has none such."""
        del job, r
        return step

    def besides(self, job: Job, r: Results) -> dict[str, tuple[Step, ...]]:
        """Steps of its own, by the id of the step that they come after."""
        del job, r
        return {}

    def most_air_kpa(self, r: Results) -> float | None:
        """The most air that the tank is tested with, kPa; None where its panels alone decide."""
        del r
        return None

    def added(self, job: Job, r: Results) -> dict[str, Any]:
        """What the figures say of it."""
        del job, r
        return {}


def changed(step: Step, *, title: str = "", detail: str = "", caution: str | None = None) -> Step:
    """A step in other words; what is left out stays."""
    return replace(
        step,
        title=title or step.title,
        detail=detail or step.detail,
        caution=step.caution if caution is None else caution,
    )
