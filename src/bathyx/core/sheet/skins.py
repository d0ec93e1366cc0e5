"""Thickness by panel: the tank's sheet, and panels that are made of a heavier or lighter one of the same material."""

from __future__ import annotations

from dataclasses import dataclass

from pydantic import Field

from bathyx.core.geometry.shell import Face, Shell
from bathyx.core.material import Sheet
from bathyx.core.units.frozen import Frozen
from bathyx.errors import Refusal


class PanelSheet(Frozen):
    """A panel of its own thickness, outward from the inside: a heavier floor, tunnel or end that carries the mounts."""

    face: str = Field(min_length=1, max_length=80)
    thickness_mm: float = Field(gt=0, le=25)


@dataclass(frozen=True)
class Skins:
    """Thickness of the tank's sheet and of the panels that differ, mm; by the name of the face, parts of it alike."""

    base_mm: float
    own: tuple[tuple[str, float], ...] = ()

    def of(self, face: Face | str) -> float:
        """Thickness of a face's panel, mm."""
        if not self.own:
            return self.base_mm
        name = face.split(":")[0] if isinstance(face, str) else face.parent
        return next((t for own, t in self.own if own == name), self.base_mm)

    def sheet(self, sheet: Sheet, face: Face | str) -> Sheet:
        """The sheet that a face is made of."""
        t = self.of(face)
        return sheet if t == sheet.thickness_mm else Sheet(sheet.material, t)

    @property
    def most_mm(self) -> float:
        """The thickest panel."""
        return max([self.base_mm, *(t for _, t in self.own)])

    @property
    def all_mm(self) -> tuple[float, ...]:
        """Every thickness, the tank's own first."""
        return tuple(dict.fromkeys([self.base_mm, *(t for _, t in self.own)]))


def skins_of(shell: Shell, sheet: Sheet, panels: tuple[PanelSheet, ...]) -> Skins:
    """The thickness of every panel of a tank; what is said of a face that it has not any more counts for nothing, and is a finding.

    Refusal for one said twice, or sheet that is not stocked.
    """
    known = dict.fromkeys(face.parent for face in shell.faces if face.kind != "hull")
    names = [panel.face for panel in panels]
    for panel in panels:
        if names.count(panel.face) > 1:
            raise Refusal(f"{panel.face}: its thickness is said twice; keep the one that is right")
        if panel.thickness_mm not in sheet.material.thicknesses:
            offered = ", ".join(f"{t:g}" for t in sheet.material.thicknesses)
            raise Refusal(
                f"{panel.face}: {sheet.material.name} is not stocked in {panel.thickness_mm:g} mm; there are {offered} mm"
            )
    own = tuple((p.face, p.thickness_mm) for p in panels if p.thickness_mm != sheet.thickness_mm and p.face in known)
    return Skins(sheet.thickness_mm, own)
