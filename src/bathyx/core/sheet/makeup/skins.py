"""Thickness by panel: the tank's sheet, and panels that are made of a heavier or lighter one of the same material."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from pydantic import Field

from bathyx.core.geometry.shell import Face, Shell, close_shell
from bathyx.core.material import Sheet
from bathyx.core.units.frozen import Frozen
from bathyx.errors import Refusal


class PanelSheet(Frozen):
    """A panel of its own thickness: a heavier floor, tunnel or end that carries the mounts. Flush inside it stands further out,
    flush outside it takes from the inside."""

    face: str = Field(min_length=1, max_length=80)
    thickness_mm: float = Field(gt=0, le=25)
    flush: Literal["inside", "outside"] = "inside"

    @staticmethod
    def written(document: dict[str, Any]) -> dict[str, Any]:
        """Its plain document: the usual is left out."""
        return {name: v for name, v in document.items() if (name, v) != ("flush", "inside")}


FLUSH_MM, BAFFLES = 1e-4, "baffles"


@dataclass(frozen=True)
class Skins:
    """Thickness of the tank's sheet and of the panels that differ, mm; by the name of the face, parts of it alike. `stuffs`: panels
    of other stuff than the tank's, laminates with plies of their own; the baffles' by that word."""

    base_mm: float
    own: tuple[tuple[str, float], ...] = ()
    stuffs: tuple[tuple[str, Sheet], ...] = ()

    def of(self, face: Face | str) -> float:
        """Thickness of a face's panel, mm."""
        if not self.own:
            return self.base_mm
        name = face.split(":")[0] if isinstance(face, str) else face.parent
        return next((t for own, t in self.own if own == name), self.base_mm)

    def sheet(self, sheet: Sheet, face: Face | str) -> Sheet:
        """The sheet that a face is made of."""
        name = face.split(":")[0] if isinstance(face, str) else face.parent
        other = self._other(name)
        if other is not None:
            return other
        t = self.of(face)
        return sheet if t == sheet.thickness_mm else Sheet(sheet.material, t)

    def _other(self, name: str) -> Sheet | None:
        return next((stuff for own, stuff in self.stuffs if own == name), None)

    def baffle(self, sheet: Sheet) -> Sheet:
        """The sheet that baffles are made of."""
        return self._other(BAFFLES) or sheet

    @property
    def baffle_mm(self) -> float:
        """Thickness of baffles."""
        other = self._other(BAFFLES)
        return self.base_mm if other is None else other.thickness_mm

    def piece(self, sheet: Sheet, role: str, faces: tuple[str, ...], thickness_mm: float) -> Sheet:
        """The sheet that a blank is cut from.

        Args:
            sheet: of the tank.
            role: of the blank.
            faces: that it makes.
            thickness_mm: of it.
        """
        if role == "baffle":
            return self.baffle(sheet)
        other = next((found for name in faces if (found := self._other(name.split(":")[0])) is not None), None)
        return other or Sheet(sheet.material, thickness_mm)

    @property
    def most_mm(self) -> float:
        """The thickest panel."""
        return max([self.base_mm, *(t for _, t in self.own)])

    @property
    def all_mm(self) -> tuple[float, ...]:
        """Every thickness, the tank's own first."""
        return tuple(dict.fromkeys([self.base_mm, *(t for _, t in self.own)]))


def skins_of(
    shell: Shell, sheet: Sheet, panels: tuple[PanelSheet, ...], panel_sheets: tuple[tuple[str, Sheet], ...] = ()
) -> Skins:
    """The thickness of every panel of a tank; what is said of a face that it has not any more counts for nothing, and is a finding.

    Refusal for one said twice, or sheet that is not stocked.

    Args:
        shell: the inside.
        sheet: of the tank.
        panels: of the make-up.
        panel_sheets: panels of other stuff, and what that is.
    """
    known = dict.fromkeys(face.parent for face in shell.faces if face.kind != "hull")
    names = [panel.face for panel in panels]
    for panel in panels:
        if names.count(panel.face) > 1:
            raise Refusal(f"{panel.face}: its thickness is said twice; keep the one that is right")
        stocked = sheet.material.thicknesses
        if sheet.material.made:
            if not stocked[0] <= panel.thickness_mm <= stocked[-1]:
                raise Refusal(
                    f"{panel.face}: a laminate is {stocked[0]:g} to {stocked[-1]:g} mm, not {panel.thickness_mm:g}"
                )
            continue
        if panel.thickness_mm not in sheet.material.thicknesses:
            offered = ", ".join(f"{t:g}" for t in sheet.material.thicknesses)
            raise Refusal(
                f"{panel.face}: {sheet.material.name} is not stocked in {panel.thickness_mm:g} mm; there are {offered} mm"
            )
    own = tuple((p.face, p.thickness_mm) for p in panels if p.thickness_mm != sheet.thickness_mm and p.face in known)
    return Skins(sheet.thickness_mm, own, panel_sheets)


def flush_of(panels: tuple[PanelSheet, ...], thickness_mm: float) -> tuple[tuple[str, float], ...]:
    """(face, mm) that panels flush outside stand further in than the tank's sheet; lighter ones less far, so below 0."""
    return tuple(
        (p.face, p.thickness_mm - thickness_mm)
        for p in panels
        if p.flush == "outside" and p.thickness_mm != thickness_mm
    )


def set_in(shell: Shell, flush: tuple[tuple[str, float], ...]) -> Shell:
    """The inside of a tank with the planes of panels that are flush outside moved in.

    Args:
        shell: the inside with every panel as thick as the tank's sheet.
        flush: (face, mm) to move in.

    Raises:
        Refusal: where a panel of the tank is curved or has a hole, or it would leave nothing of a neighbour.
    """
    moves = {name: by for name, by in flush if any(f.parent == name for f in shell.faces)}
    if not moves:
        return shell
    if any(face.kind != "plane" or face.holes for face in shell.faces):
        raise Refusal(
            f"{', '.join(moves)}: flush outside is for tanks of flat panels without a hole for a sump; take flush inside"
        )
    planes = {f.id: (f.normal, float(f.loop[0] @ f.normal) - moves.get(f.parent, 0.0)) for f in shell.faces}
    at: dict[tuple[float, ...], list[str]] = {}
    for face in shell.faces:
        for spot in face.loop:
            at.setdefault(tuple(np.round(spot, 5)), []).append(face.id)
    faces = []
    for face in shell.faces:
        loop = []
        for spot in face.loop:
            mine = list(dict.fromkeys(at[tuple(np.round(spot, 5))]))
            normals = np.array([planes[name][0] for name in mine])
            off = np.array([planes[name][1] for name in mine]) - normals @ spot
            step, *_ = np.linalg.lstsq(normals, off, rcond=None)
            if np.abs(normals @ step - off).max() > FLUSH_MM:
                raise Refusal(
                    f"{face.id}: more than three panels meet in a corner that would not close; take flush inside"
                )
            loop.append(spot + step)
        faces.append(Face(face.id, np.array(loop), face.parent, face.role))
    for old, new in zip(shell.faces, faces, strict=True):
        if float(new.normal @ old.normal) < 1 - 1e-6 or new.area_mm2 < old.area_mm2 / 20:
            raise Refusal(
                f"{old.id}: nothing would be left of it; make the panel beside it thinner, or take flush inside"
            )
    return close_shell(faces)
